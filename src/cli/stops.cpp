#include "command.h"
#include "exposure/settings.h"
#include "exposure/sums.h"

namespace edge::cli {

void addStops(CLI::App& app, Common& common) {
  struct Args {
    std::string first, second;
  };
  const auto args = std::make_shared<Args>();
  CLI::App* c =
      addCommand(app, common, "stops", "exposure difference of two settings", [args](const Progress&) {
        const auto a = parseSettings(args->first), b = parseSettings(args->second);
        const auto d = difference(a, b);
        auto warnings = nlohmann::json::array();
        if (a.iso && b.iso && a.shutter && b.shutter &&
            isoAndShutterAddUp(*a.iso, *a.shutter, *b.iso, *b.shutter))
          warnings.push_back({{"code", "slower-for-higher-iso"}, {"message", kIsoAndShutterAddUp}});
        return nlohmann::json{{"warnings", warnings},
                              {"light_stops", d.light.value()},
                              {"gain_stops", d.gain.value()},
                              {"total_stops", d.total().value()},
                              {"understood", {a.understood, b.understood}},
                              {"inputs", {{"first", args->first}, {"second", args->second}}}};
      });
  c->add_option("first", args->first, "e.g. \"T2.8 1/48 ISO800 ND0.6\"")->required();
  c->add_option("second", args->second, "compared with the first")->required();
}

}  // namespace edge::cli
