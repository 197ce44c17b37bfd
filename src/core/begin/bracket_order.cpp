#include "begin/bracket_order.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

#include "base/numbers.h"
#include "base/units.h"
#include "match/name_stops.h"

namespace edge {
namespace {

constexpr double kApart = 0.3;           // stops between two exposures that were meant to differ
constexpr double kAlike = 0.12;          // stops within which two clips are of one exposure
constexpr double kOnLine = 0.25;         // stops off the line of a ladder or sweep
constexpr double kDim = 3;               // stops under the brightest of a scene from which a sweep is shot
constexpr double kFits = 0.8;            // share of takes that a step must fit
constexpr double kStepShare = 0.22;      // of a step, by which a take may miss it
constexpr double kWhiteStops = 2.3;      // of a white cloth or patch over grey: 0.9 against 0.18
constexpr double kLevelTolerance = 1.2;  // stops
constexpr double kRawUnderEnd = 5;       // stops under half of the span where grey lies in a raw base
constexpr double kLogMiddle = 0.38, kLogTolerance = 0.12;  // code
constexpr double kLeastSigma = 0.005;                      // stops
constexpr double kBent = 0.015;      // of a stop for each stop; a right curve stays under 0.002 (tests/begin)
constexpr double kOtherNoise = 0.3;  // stops of noise
constexpr double kNamesAgree = 0.9;  // rank correlation

struct Placed {
  size_t look = 0;
  std::optional<double> level;  // stops, from any of them
  double sigma = 0;
};

double shareOf(std::vector<float> v, double share) {
  const auto at = v.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(v.size() - 1));
  std::nth_element(v.begin(), at, v.end());
  return *at;
}
double meanOf(const std::vector<float>& v) {
  return std::accumulate(v.begin(), v.end(), 0.0) / static_cast<double>(v.size());
}

class SceneSorter {
 public:
  SceneSorter(const std::vector<ClipLook>& looks, const std::vector<size_t>& scene, const SceneLevels& levels)
      : looks_(looks), levels_(levels) {
    for (const size_t i : scene) clips_.push_back({i, std::nullopt, 0});
    std::stable_sort(clips_.begin(), clips_.end(), [&](const Placed& a, const Placed& b) {
      return meanOf(looks_[a.look].code) < meanOf(looks_[b.look].code);
    });
    measure();
  }

  std::vector<SortedGroup> run() {
    std::map<double, std::vector<Placed>> byIso;
    for (const auto& c : clips_) byIso[looks_[c.look].iso.value_or(0)].push_back(c);
    std::vector<Placed> left;
    for (auto& [iso, list] : byIso) {
      if (byIso.size() == 1 || exposuresOf(list) > 2)
        bracket(iso, list);
      else
        left.insert(left.end(), list.begin(), list.end());
    }
    series(left);
    return std::move(groups_);
  }

 private:
  // From the middle outward, each by the nearest whose level is known and that shares enough with it.
  void measure() {
    if (looks_[clips_[0].look].light.empty()) return;
    seed_ = clips_.size() / 2;
    clips_[seed_].level = 0;
    for (bool more = true; more;) {
      more = false;
      for (size_t far = 1; far < clips_.size(); ++far)
        for (size_t i = 0; i < clips_.size(); ++i) {
          if (clips_[i].level) continue;
          for (const size_t from : {i + far, i - far})
            if (from < clips_.size() && clips_[from].level && !clips_[i].level)
              more |= level(i, clips_[from]);
        }
    }
  }
  bool level(size_t i, const Placed& from) {
    const auto r = lightBetween(looks_[from.look], looks_[clips_[i].look], levels_.black, levels_.top);
    if (!r) return false;
    clips_[i].level = *from.level + r->stops;
    clips_[i].sigma = std::hypot(from.sigma, r->sigma);
    if (std::abs(r->stops) > kApart)
      bends_.push_back(std::abs(r->bend) > 2 * r->bendSigma ? r->bend / r->stops : 0);
    return true;
  }
  // Between two of them: errors add up on the way from one to the other.
  [[nodiscard]] double sigmaBetween(const Placed& a, const Placed& b) const {
    const double middle = *clips_[seed_].level;
    const bool oneSide = (*a.level > middle) == (*b.level > middle);
    return std::max(kLeastSigma, oneSide ? std::sqrt(std::abs(a.sigma * a.sigma - b.sigma * b.sigma))
                                         : std::hypot(a.sigma, b.sigma));
  }

  static int exposuresOf(const std::vector<Placed>& list) {
    if (!list.front().level) return static_cast<int>(list.size());
    std::vector<double> levels;
    for (const auto& c : list)
      if (c.level) levels.push_back(*c.level);
    std::sort(levels.begin(), levels.end());
    int n = levels.empty() ? 0 : 1;
    double last = levels.empty() ? 0 : levels.front();
    for (double v : levels)
      if (v - last > kApart) ++n, last = v;
    return n;
  }

  void bracket(double iso, const std::vector<Placed>& list) {
    SortedGroup g;
    g.iso = iso;
    if (!bends_.empty()) {
      auto bends = bends_;
      const auto middle = bends.begin() + static_cast<std::ptrdiff_t>(bends.size() / 2);
      std::nth_element(bends.begin(), middle, bends.end());
      if (std::abs(*middle) > kBent) g.bend = *middle;
    }
    std::string whyBase;
    const size_t base = baseOf(list, whyBase);
    for (size_t i = 0; i < list.size(); ++i) {
      SortedClip c;
      c.look = list[i].look, c.role = i == base ? ClipRole::Base : ClipRole::Take;
      if (list[i].level && list[base].level) {
        c.stops = *list[i].level - *list[base].level;
        c.sigma = sigmaBetween(list[i], list[base]);
      }
      c.repeat = i != base && c.stops && std::abs(*c.stops) < kAlike;
      c.why = i == base  ? whyBase
              : c.repeat ? std::string("the base's exposure again")
              : c.stops  ? fmt::format("the base's scene, {} stops", formatSigned(*c.stops, 2))
              : list[i].level
                  ? std::string("the base's scene")
                  : std::string("the base's scene; how far from it is not known without its curve");
      if (!c.stops && !looks_[c.look].light.empty())
        c.why = "the base's scene, but nothing both show to measure by";
      g.clips.push_back(std::move(c));
    }
    if (iso == 0) ladderByNoise(g, base < list.size() ? list[base].look : 0);
    snapToStep(g, levels_.step);
    std::stable_sort(g.clips.begin(), g.clips.end(), [](const SortedClip& a, const SortedClip& b) {
      const auto key = [](const SortedClip& c) {
        return std::pair(c.role != ClipRole::Base, c.stops.value_or(0));
      };
      return key(a) < key(b);
    });
    groups_.push_back(std::move(g));
  }

  // Where no file says its ISO: the base's exposure with other noise is another ISO.
  void ladderByNoise(SortedGroup& g, size_t base) const {
    std::vector<SortedClip*> other;
    for (auto& c : g.clips)
      if (c.repeat && looks_[base].noise > 0 &&
          std::abs(std::log2(looks_[c.look].noise / looks_[base].noise)) > kOtherNoise)
        other.push_back(&c);
    if (other.size() < 2) return;
    for (auto* c : other) {
      c->role = ClipRole::Ladder, c->repeat = false, c->stops.reset();
      c->why = "the base's exposure with other noise: another ISO, which the file does not say";
    }
  }

  // By names that agree with the light, by a repeat, by where the scene lies, by the middle of the bracket.
  size_t baseOf(const std::vector<Placed>& list, std::string& why) const {
    if (const auto named = baseByName(list)) {
      why = "named so, and names and light agree";
      return *named;
    }
    std::vector<size_t> alike(list.size(), 0);
    for (size_t i = 0; i < list.size(); ++i)
      for (const auto& o : list)
        if (&o != &list[i] && o.level && list[i].level && std::abs(*o.level - *list[i].level) < kAlike)
          ++alike[i];
    const double middle = (static_cast<double>(list.size()) - 1) / 2;
    size_t best = 0;
    double least = 1e9;
    for (size_t i = 0; i < list.size(); ++i) {
      const double off =
          (static_cast<double>(i) - middle) / std::max(1.0, static_cast<double>(list.size()) / 5);
      const double level = offExpected(looks_[list[i].look]);
      // Any take may have been shot twice; three times alike is a base that was checked.
      const double cost = off * off + level * level - (alike[i] > 1 ? 1.5 : alike[i] > 0 ? 0.1 : 0);
      if (cost < least) least = cost, best = i;
    }
    why = alike[best] > 1 ? "exposed as a scene is, and shot more than once"
                          : "exposed as a scene is, in the middle of the bracket";
    return best;
  }

  // By how many tolerances the picture lies off where a base puts it: its middle at grey, its whites at
  // white.
  [[nodiscard]] double offExpected(const ClipLook& l) const {
    const bool known = !l.light.empty();
    const auto& picture = known ? l.light : l.code;
    const double black = known && l.linear() ? levels_.black : 0;
    const double middle = std::max(1e-9, shareOf(picture, 0.5) - black),
                 white = std::max(1e-9, shareOf(picture, 0.98) - black);
    if (!known) return (middle - kLogMiddle) / kLogTolerance;
    // Raw of which nobody says what its full scale stands for.
    const bool scaled = l.format.layout != Layout::Cfa || l.format.baselineExposureStops != 0;
    const double grey = scaled ? kMiddleGrey : levels_.top * std::exp2(-kRawUnderEnd);
    const double off = (std::log2(middle / grey) + std::log2(white / grey) - kWhiteStops) / 2;
    return off / kLevelTolerance;
  }

  // Names count from a base that bears none: the clip without stops in its name that lies where the others
  // say 0.
  [[nodiscard]] std::optional<size_t> unnamedBase(const std::vector<Placed>& list,
                                                  const std::vector<std::pair<size_t, double>>& named) const {
    std::vector<double> zeros;
    for (const auto& [at, stops] : named)
      if (list[at].level) zeros.push_back(*list[at].level - stops);
    if (zeros.size() < 3) return std::nullopt;
    std::sort(zeros.begin(), zeros.end());
    const double zero = zeros[zeros.size() / 2];
    if (zeros[zeros.size() * 3 / 4] - zeros[zeros.size() / 4] > kApart) return std::nullopt;
    std::optional<size_t> nearest;
    for (size_t i = 0; i < list.size(); ++i) {
      const bool bearsStops =
          std::any_of(named.begin(), named.end(), [i](const auto& n) { return n.first == i; });
      if (bearsStops || !list[i].level || std::abs(*list[i].level - zero) > kApart / 2) continue;
      if (!nearest || std::abs(*list[i].level - zero) < std::abs(*list[*nearest].level - zero)) nearest = i;
    }
    return nearest;
  }

  [[nodiscard]] std::optional<size_t> baseByName(const std::vector<Placed>& list) const {
    std::vector<std::pair<size_t, double>> named;  // place in the list, which is by light
    std::optional<size_t> base;
    for (size_t i = 0; i < list.size(); ++i)
      if (const auto stops = stopsInName(looks_[list[i].look].clip.stem().string())) {
        named.emplace_back(i, *stops);
        const auto name = [&](size_t k) { return looks_[list[k].look].clip.stem().string(); };
        // "base" before "ladder-base".
        if (*stops == 0 && (!base || name(i).size() < name(*base).size())) base = i;
      }
    if (!base) base = unnamedBase(list, named);
    if (!base || named.size() < 3 || 2 * named.size() < list.size()) return std::nullopt;
    double agree = 0, pairs = 0;
    for (size_t a = 0; a < named.size(); ++a)
      for (size_t b = a + 1; b < named.size(); ++b) {
        if (named[a].second == named[b].second) continue;
        ++pairs;
        agree += named[a].second < named[b].second ? 1 : -1;
      }
    return pairs > 0 && agree / pairs >= kNamesAgree ? base : std::nullopt;
  }

  struct Line {
    int slope = 0;  // of brightness over ISO, in stops
    std::vector<size_t> on;
    size_t isos = 1;            // different ones
    double level = 0, iso = 1;  // a point of it

    [[nodiscard]] double off(double otherLevel, double otherIso) const {
      return std::abs(otherLevel - level - slope * std::log2(otherIso / iso));
    }
  };

  // What is left has a few exposures at each of several ISOs: lines of brightness over ISO.
  void series(std::vector<Placed> left) {
    std::vector<SortedClip> sorted;
    double brightest = -1e9;
    for (const auto& c : clips_)
      if (c.level) brightest = std::max(brightest, *c.level);
    while (!left.empty()) {
      const Line line = bestLine(left);
      for (size_t k = line.on.size(); k-- > 0;) {
        sorted.push_back(clipOn(line, left[line.on[k]], brightest));
        left.erase(left.begin() + static_cast<std::ptrdiff_t>(line.on[k]));
      }
      if (line.isos > 2) takeDoubles(line, brightest, sorted);
      if (line.isos == 1 && line.on.size() > 0) pairWithBracket(line, brightest, sorted);
    }
    if (sorted.empty()) return;
    std::stable_sort(sorted.begin(), sorted.end(), [&](const SortedClip& a, const SortedClip& b) {
      return std::pair(a.role, looks_[a.look].iso.value_or(0)) <
             std::pair(b.role, looks_[b.look].iso.value_or(0));
    });
    // They stand in their camera's and mode's configuration.
    if (groups_.empty()) {
      groups_.emplace_back();
      groups_.back().iso = looks_[sorted.front().look].iso.value_or(0);
    }
    for (auto& s : sorted) groups_.front().clips.push_back(std::move(s));
  }

  SortedClip clipOn(const Line& line, const Placed& c, double brightest) const {
    SortedClip s;
    s.look = c.look;
    std::tie(s.role, s.why) = roleOf(line, c, brightest);
    return s;
  }

  // One ISO is left: its partner in the same light can be a bracket's exposure that was shot twice.
  void pairWithBracket(Line line, double brightest, std::vector<SortedClip>& sorted) {
    line.slope = 1, line.isos = 2;
    const size_t before = sorted.size(), own = line.on.size();
    takeDoubles(line, brightest, sorted);
    if (sorted.size() == before) return;
    for (size_t i = before - own; i < before; ++i) {
      const auto at = std::find_if(clips_.begin(), clips_.end(),
                                   [&](const Placed& p) { return p.look == sorted[i].look; });
      std::tie(sorted[i].role, sorted[i].why) = roleOf(line, *at, brightest);
    }
  }

  // A bracket's ISO has its clip on the line as well: of an exposure shot twice, the one that lies nearer to
  // it.
  void takeDoubles(const Line& line, double brightest, std::vector<SortedClip>& sorted) {
    for (auto& g : groups_) {
      std::optional<size_t> nearest;
      double least = kOnLine;
      const Placed* on = nullptr;
      for (size_t i = 0; i < g.clips.size(); ++i) {
        const SortedClip& c = g.clips[i];
        const auto twice = std::count_if(g.clips.begin(), g.clips.end(), [&](const SortedClip& o) {
          return o.role == ClipRole::Take && o.planned && o.planned == c.planned;
        });
        const auto at =
            std::find_if(clips_.begin(), clips_.end(), [&](const Placed& p) { return p.look == c.look; });
        if (c.role != ClipRole::Take || twice < 2 || !at->level || line.off(*at->level, isoOf(*at)) > least)
          continue;
        least = line.off(*at->level, isoOf(*at));
        nearest = i, on = &*at;
      }
      if (!nearest) continue;
      sorted.push_back(clipOn(line, *on, brightest));
      g.clips.erase(g.clips.begin() + static_cast<std::ptrdiff_t>(*nearest));
    }
  }

  // Of slope 0 (constant exposure), 1 (constant light), -1 (raw at constant exposure, ISO only noted).
  Line bestLine(const std::vector<Placed>& left) const {
    Line best{0, {0}, 1, left.front().level.value_or(0), isoOf(left.front())};
    for (const int slope : {0, 1, -1})
      for (const auto& through : left) {
        if (!through.level) continue;
        Line line{slope, {}, 0, *through.level, isoOf(through)};
        std::set<double> isos;
        for (size_t i = 0; i < left.size(); ++i) {
          if (!left[i].level) continue;
          const double iso = isoOf(left[i]);
          if (line.off(*left[i].level, iso) > kOnLine) continue;
          line.on.push_back(i);
          isos.insert(iso);
        }
        line.isos = isos.size();
        if (std::pair(line.isos, line.on.size()) > std::pair(best.isos, best.on.size())) best = line;
      }
    return best;
  }

  [[nodiscard]] double isoOf(const Placed& c) const { return looks_[c.look].iso.value_or(1); }

  [[nodiscard]] std::pair<ClipRole, std::string> roleOf(const Line& line, const Placed& c,
                                                        double brightest) const {
    const size_t n = line.isos;
    const bool raw = looks_[c.look].format.layout == Layout::Cfa;
    const bool dim = c.level && *c.level < brightest - kDim;
    if (n < 2) return {ClipRole::Unknown, "the scene of others, at an ISO and exposure of its own"};
    const bool light = line.slope == 1 || (line.slope == 0 && raw && dim);
    if (n == 2)
      return {ClipRole::Pair,
              "two ISOs of one scene, " + std::string(light ? "in the same light" : "exposed alike")};
    if (light) return {ClipRole::Sweep, fmt::format("{} ISOs in the same light", n)};
    return {ClipRole::Ladder, fmt::format("{} ISOs exposed alike", n)};
  }

  const std::vector<ClipLook>& looks_;
  const SceneLevels& levels_;
  std::vector<Placed> clips_;  // darkest first
  std::vector<double> bends_;  // for each stop between neighbours, 0 where not sure
  size_t seed_ = 0;            // of them, from which the others are measured
  std::vector<SortedGroup> groups_;
};

}  // namespace

void snapToStep(SortedGroup& g, std::optional<double> wanted) {
  g.step = 0, g.missing.clear();
  for (auto& c : g.clips) c.planned.reset();
  const auto fits = [](const SortedClip& c, double step) {
    return std::abs(*c.stops - step * std::round(*c.stops / step)) < kStepShare * step + 2 * c.sigma;
  };
  double known = 0;
  for (const auto& c : g.clips) known += c.stops.has_value();
  if (known < 2) return;
  for (const double step : wanted ? std::vector<double>{*wanted} : std::vector<double>{1, 0.5, 1.0 / 3}) {
    double good = 0;
    for (const auto& c : g.clips) good += c.stops && fits(c, step);
    if (!wanted && good < kFits * known) continue;
    g.step = step;
    break;
  }
  if (g.step == 0) return;
  std::set<long> there;
  for (auto& c : g.clips) {
    if (!c.stops) continue;
    if (!fits(c, g.step)) {
      c.why += fmt::format("; off the steps of {} stop", formatNumber(g.step, 2));
      continue;
    }
    const long n = std::lround(*c.stops / g.step);
    c.planned = std::round(static_cast<double>(n) * g.step * 1e6) / 1e6;
    if (!there.insert(n).second && !c.repeat && c.role == ClipRole::Take) c.why += ", shot twice";
  }
  if (there.empty()) return;
  for (long n = *there.begin(); n < *there.rbegin(); ++n)
    if (there.count(n) == 0) g.missing.push_back(std::round(static_cast<double>(n) * g.step * 1e6) / 1e6);
}

void setRole(SortedGroup& g, size_t clip, ClipRole role) {
  SortedClip& c = g.clips.at(clip);
  if (role == ClipRole::Base) {
    const double shift = c.stops.value_or(0);
    for (auto& other : g.clips) {
      if (other.role == ClipRole::Base) other.role = ClipRole::Take;
      if (other.stops) *other.stops -= shift;
      if (other.planned) *other.planned -= shift;
      other.repeat =
          &other != &c && other.role == ClipRole::Take && other.stops && std::abs(*other.stops) < kAlike;
    }
  }
  c.role = role;
  c.why = "said by hand";
}

std::vector<SortedGroup> sortByExposure(const std::vector<ClipLook>& looks, const std::vector<size_t>& scene,
                                        const SceneLevels& levels) {
  return SceneSorter(looks, scene, levels).run();
}

}  // namespace edge
