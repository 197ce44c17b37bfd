#include "shoot/actual.h"

#include <fmt/format.h>

#include <cmath>
#include <set>

#include "base/error.h"
#include "base/numbers.h"
#include "exposure/settings.h"
#include "exposure/sums.h"
#include "plan/rig.h"
#include "plan/run_list.h"

namespace edge {
namespace {

constexpr double kSameStop = 0.03;  // stops within which a written aperture is one of the lens's own

// "T4 instead, at 172.8deg" as the settings line of exposure/settings.h.
std::string plainSettings(const std::string& text, double fps) {
  static const std::set<std::string> around = {"instead", "with", "at", "was", "were", "the",    "and",
                                               "iris",    "on",   "in", "set", "to",   "shutter"};
  std::string out;
  const auto words = splitWords(text);
  for (size_t i = 0; i < words.size(); ++i) {
    std::string word = words[i];
    while (!word.empty() && std::string(",;.").find(word.back()) != std::string::npos) word.pop_back();
    const std::string low = lower(word);
    if (word.empty() || around.count(low)) continue;
    if (low == "no" && i + 1 < words.size() && lower(words[i + 1]).rfind("nd", 0) == 0) {
      word = "ND0", ++i;
    } else if ((low.find("deg") != std::string::npos || low.find("\u00b0") != std::string::npos) &&
               low.find('@') == std::string::npos) {
      word += fmt::format("@{:g}", fps);
    }
    out += (out.empty() ? "" : " ") + word;
  }
  return out;
}

bool saysNd(const std::string& settings) {
  for (const auto& word : splitWords(settings))
    if (lower(word).rfind("nd", 0) == 0) return true;
  return false;
}

std::string engravedOn(const LensSpec* lens, TStop aperture) {
  if (lens)
    for (const auto& p : lensPositions(*lens))
      if (std::abs(2 * std::log2(p.exact / aperture.value())) < kSameStop) return p.engraved;
  return meterNotation(aperture);
}

}  // namespace

ActualTake actualTake(const Recipe& recipe, const Plan& plan, const Take& planned, const std::string& text) {
  const std::string settings = plainSettings(text, planned.settings.fps);
  const ExposureSettings said = parseSettings(settings);
  if (said.lampDistance)
    throw UsageError("the distance of which lamp?", "", text, "type the light that was read, e.g. 400lux");
  ActualTake a;
  a.take = planned;
  a.iris = said.aperture.has_value(), a.shutter = said.shutter.has_value(), a.iso = said.iso.has_value(),
  a.nd = saysNd(settings);
  TakeSettings& s = a.take.settings;
  const BodySpec& body = recipe.bodies[plan.series[planned.series].body];
  if (said.aperture) {
    s.aperture = *said.aperture, s.engraved = engravedOn(recipe.lensOf(body), s.aperture);
    a.understood.push_back(s.engraved);
  }
  if (said.shutter) s.shutter = *said.shutter, a.understood.push_back(shutterWords(s));
  if (said.iso) {
    // As named: the nominal value nearest to what was written.
    s.iso = *said.iso;
    s.isoName = std::round(s.iso.value());
    for (const auto& v : isoSeries(StepSize::Third))
      if (std::abs(std::log2(v.exact / s.iso.value())) < kSameStop) s.isoName = v.nominal;
    a.take.iso = s.isoName;
    a.understood.push_back(fmt::format("ISO {:g}", s.isoName));
  }
  if (a.nd) {
    s.nd = said.nd, s.filters.clear();
    if (s.nd.value() > 0) s.filters.push_back(s.nd.value());
    a.understood.push_back(s.filters.empty() ? "no ND" : filterWords(s));
  }
  if (said.light) s.light = *said.light, a.understood.push_back(lightWords(s.light));
  a.light = lightBetween(planned.settings, s).value(), a.gain = gainBetween(planned.settings, s).value();
  a.take.lightStops += a.light, a.take.gainStops += a.gain;
  return a;
}

ActualTake takeAsShot(const Recipe& recipe, const Plan& plan, const Take& take, const std::string& text) {
  ActualTake planned;
  planned.take = take;
  if (text.empty()) return planned;
  try {
    return actualTake(recipe, plan, take, text);
  } catch (const UsageError&) {
    return planned;
  }
}

}  // namespace edge
