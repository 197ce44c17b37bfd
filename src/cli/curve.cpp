#include <cmath>

#include "base/hash.h"
#include "base/numbers.h"
#include "color/curve.h"
#include "command.h"

namespace edge::cli {
namespace {

double number(const std::string& text, const char* option) {
  const auto v = parseNumber(text);
  if (!v)
    throw UsageError(std::string("not a number: \"") + text + "\"", "", option, "give a decimal number");
  return *v;
}

nlohmann::json finite(double v) {
  return std::isfinite(v) ? nlohmann::json(v) : nlohmann::json();
}

}  // namespace

void addCurve(CLI::App& app, Common& common) {
  struct Args {
    std::string curve;
    std::vector<std::string> codes, linears;
  };
  const auto args = std::make_shared<Args>();
  CLI::App* c =
      addCommand(app, common, "curve", "a transfer curve's grey, white and reach", [args](const Progress&) {
        const NamedCurve named = makeCurve(args->curve);
        const EncodingReach reach = reachOf(*named.curve);
        nlohmann::json j = {
            {"grey_code", reach.greyCode},
            {"white_code", reach.whiteCode},
            {"stops_above_grey", reach.stopsAboveGrey},
            {"stops_below_grey", finite(reach.stopsBelowGrey)},
            {"stops_below_grey_to", reach.belowByTenBitStep ? "one ten-bit step above no light" : "code 0"},
            {"code_to_linear", nlohmann::json::array()},
            {"linear_to_code", nlohmann::json::array()},
            {"inputs", {{"curve", args->curve}}}};
        if (!isCurveName(args->curve)) j["inputs"]["hash"] = hashFile(args->curve);
        for (const auto& t : args->codes) {
          const double v = number(t, "--code");
          j["code_to_linear"].push_back({{"code", v}, {"linear", named.curve->toLinear(v)}});
        }
        for (const auto& t : args->linears) {
          const double v = number(t, "--linear");
          j["linear_to_code"].push_back({{"linear", v}, {"code", finite(named.curve->toCode(v))}});
        }
        return j;
      });
  c->add_option("curve", args->curve, "name or file")->required();
  c->add_option("--code", args->codes, "code values to convert")->allow_extra_args();
  c->add_option("--linear", args->linears, "scene-linear values to convert")->allow_extra_args();
}

}  // namespace edge::cli
