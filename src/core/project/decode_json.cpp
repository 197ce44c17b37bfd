#include "project/decode_json.h"

#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/hash.h"
#include "color/curve.h"

using nlohmann::json;

namespace edge {

json toJson(const DecodeOptions& d) {
  json j = {{"curve", d.curve}};
  if (d.range) j["range"] = *d.range == Range::Legal ? "legal" : "full";
  if (d.matrix) j["matrix"] = nameOf(*d.matrix);
  if (d.primaries) j["primaries"] = nameOf(*d.primaries);
  return j;
}

DecodeOptions decodeFromJson(const json& j) {
  DecodeOptions d;
  d.curve = j.at("curve");
  if (j.contains("range")) d.range = j["range"] == "legal" ? Range::Legal : Range::Full;
  if (j.contains("matrix")) d.matrix = parsePrimaries(j["matrix"]);
  if (j.contains("primaries")) d.primaries = parsePrimaries(j["primaries"]);
  return d;
}

std::optional<std::string> curveContent(const DecodeOptions& d, const std::filesystem::path& folder) {
  if (d.curve.empty() || isCurveName(d.curve)) return std::nullopt;
  try {
    return hashFile(folder / d.curve);
  } catch (const Error&) {
    return "can't be read";
  }
}

}  // namespace edge
