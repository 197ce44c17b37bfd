// What two settings of a take differ by, and the words of the controls that make them differ.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "exposure/meter.h"
#include "exposure/settings.h"
#include "plan/rig.h"

namespace edge {
namespace {

ExposureSettings asExposure(const TakeSettings& s, Lux light) {
  ExposureSettings e;
  e.aperture = s.aperture, e.shutter = s.shutter, e.iso = s.iso, e.nd = s.nd, e.light = light;
  return e;
}

}  // namespace

const char* wordOf(Control c) {
  return controlWords()[static_cast<size_t>(c)].c_str();
}

const std::vector<std::string>& controlWords() {
  static const std::vector<std::string> words = {"light", "distance", "nd", "iris", "shutter", "iso"};
  return words;
}

Control controlOf(const std::string& word) {
  const auto& words = controlWords();
  const auto at = std::find(words.begin(), words.end(), word);
  if (at == words.end())
    throw Error("\"" + word + "\" is no control", "", "controls",
                "use " + fmt::format("{}", fmt::join(words, ", ")));
  return static_cast<Control>(at - words.begin());
}

Stops lightBetween(const TakeSettings& a, const TakeSettings& b) {
  return difference(asExposure(a, a.light), asExposure(b, b.light)).light;
}

Stops gainBetween(const TakeSettings& a, const TakeSettings& b) {
  return difference(asExposure(a, a.light), asExposure(b, b.light)).gain;
}

Stops aboveMeter(const TakeSettings& s) {
  return stopsOfRatio(s.light.value() / incidentLight(s.aperture, s.shutter, s.iso).value()) - stopsOf(s.nd);
}

Lux lightOf(const Recipe& r, const TakeSettings& s) {
  const LampSpec* key = keyOf(r, s.lamps);
  if (!key) return s.light;
  for (const auto& l : s.lamps)
    if (l.name == key->name)
      return Lux(fullLux(*key, l.distance.value()) * std::pow(10, -s.gel.value()) *
                 (key->dimmable ? dimmerLight(key->law, l.percent) : 1));
  return s.light;
}

}  // namespace edge
