#include "plan/forecast.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace edge {

std::string configurationKey(const std::string& body, const std::string& mode, double iso,
                             const std::string& light) {
  return fmt::format("{}|{}|{:g}", body, mode, iso) + (light.empty() ? "" : "|" + light);
}

std::optional<Headroom> headroomAt(const BodySpec& body, const ModeSpec& mode, double iso,
                                   const Knowledge& known) {
  const auto measured = [&](double at) -> std::optional<double> {
    const auto i = known.by.find(configurationKey(body.name, mode.name, at));
    return i == known.by.end() ? std::nullopt : i->second.headroomStops;
  };
  if (const auto m = measured(iso)) return Headroom{*m, "measured"};
  const CircuitSpec* c = body.circuitFor(iso);
  if (!c || c->nativeIso <= 0) return std::nullopt;
  // A name of the series stands for its exact value.
  const double moved = std::log2(readIso(iso).exact.value() / readIso(c->nativeIso).exact.value());
  if (const auto m = measured(c->nativeIso)) return Headroom{*m + moved, "measured"};
  if (!c->headroomStops) return std::nullopt;
  return Headroom{c->headroomStops->value + moved, c->headroomStops->from};
}

std::vector<ToneForecast> forecastAt(const Recipe& recipe, double headroom, double stops) {
  std::vector<ToneForecast> out = {{"grey card", 0, headroom - stops}};
  for (const auto& s : recipe.sitters)
    out.push_back({"forehead, " + s.name, s.skinStops, headroom - s.skinStops - stops});
  out.push_back({"white cloth", kWhiteClothStops, headroom - kWhiteClothStops - stops});
  return out;
}

std::vector<double> finerSteps(const Knowledge::Of& e, const std::vector<double>& planned) {
  std::vector<double> out;
  const auto between = [&](const std::optional<double>& good, const std::optional<double>& bad) {
    if (!good || !bad) return;
    const double low = std::min(*good, *bad), high = std::max(*good, *bad);
    for (int n = static_cast<int>(std::ceil(low * 6)); n <= high * 6; ++n) {
      if (n % 2 != 0 && n % 3 != 0) continue;  // sixths that are neither halves nor thirds
      const double s = n / 6.0;
      const auto near = [&](double p) { return std::abs(p - s) < 1e-3; };
      if (s <= low + 0.05 || s >= high - 0.05 || std::any_of(planned.begin(), planned.end(), near)) continue;
      out.push_back(s);
    }
  };
  between(e.underGood, e.underBad);
  between(e.overGood, e.overBad);
  return out;
}

}  // namespace edge
