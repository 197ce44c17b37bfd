#include "advise/exercise.h"

#include <algorithm>
#include <cmath>

#include "simulate/random.h"

namespace edge {
namespace {

// Names that say whether a tone is likely bright or dark, from the darkest: common practice.
constexpr const char* kDark[] = {"corner", "dark coat", "black curtain", "doorway", "alley"};
constexpr const char* kBright[] = {"white shirt", "lamp shade", "sky", "window", "wet street"};
constexpr double kStep = 0.1, kBeyond = 2;  // stops: of readings, and how far past what is known they go

bool fair(const Placed& p) {
  return p.state && p.margin && p.margin->stops > std::max(kFair, 2 * p.margin->sigma);
}

}  // namespace

std::optional<Exercise> exerciseFor(const Reach& reach, std::uint64_t seed) {
  if (!reach.cleanOver || !reach.cleanUnder) return std::nullopt;
  double low = reach.cleanUnder->stops, high = reach.cleanOver->stops;
  for (const auto* l : {&reach.lostUnder, &reach.lostOver, &reach.clip})
    if (*l) low = std::min(low, (*l)->stops), high = std::max(high, (*l)->stops);
  low -= kBeyond, high += kBeyond;
  // Every state's tones, so that the lot falls on states and not on the widest stretch.
  std::vector<double> by[kHeld];
  for (double s = std::ceil(low / kStep) * kStep; s <= high; s += kStep)
    if (const Placed p = placed(reach, s); fair(p))
      by[static_cast<size_t>(*p.state)].push_back(std::round(s * 10) / 10);
  std::vector<size_t> states;
  for (size_t h = 0; h < kHeld; ++h)
    if (!by[h].empty()) states.push_back(h);
  if (states.size() < 2) return std::nullopt;
  RandomStream random(seed);
  const auto draw = [&](size_t n) { return static_cast<size_t>(random.next() % n); };
  std::vector<double> tones;
  const size_t first = draw(states.size());  // two states at least, whatever the lot
  for (size_t i = 0; i < kExerciseTones; ++i) {
    const auto& from = by[states[i < 2 ? (first + i) % states.size() : draw(states.size())]];
    tones.push_back(from[draw(from.size())]);
  }
  std::sort(tones.begin(), tones.end());
  Exercise e;
  e.scene.name = "exercise";
  size_t dark = draw(std::size(kDark)), bright = draw(std::size(kBright));
  for (const double s : tones) {
    std::string name = std::abs(s) < 1.5 ? (s < 0 ? "wall" : "forehead")
                       : s < 0           ? kDark[dark++ % std::size(kDark)]
                                         : kBright[bright++ % std::size(kBright)];
    const auto same = std::count_if(e.scene.readings.begin(), e.scene.readings.end(),
                                    [&](const SceneReading& r) { return r.name.starts_with(name); });
    if (same > 0) name += " " + std::to_string(same + 1);
    e.scene.readings.push_back({name, s, Held::Holds, ""});
    e.truth.push_back(placed(reach, s));
  }
  return e;
}

Score scoreOf(const Exercise& e, const std::vector<std::optional<Held>>& guesses) {
  Score score;
  score.of = static_cast<int>(e.truth.size());
  for (size_t i = 0; i < std::min(guesses.size(), e.truth.size()); ++i)
    score.right += guesses[i] && guesses[i] == e.truth[i].state;
  return score;
}

}  // namespace edge
