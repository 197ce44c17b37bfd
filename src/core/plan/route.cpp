#include "plan/route.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <tuple>

#include "base/error.h"
#include "exposure/meter.h"
#include "exposure/settings.h"
#include "plan/rig.h"

namespace edge {
namespace {

constexpr double kExact = 0.01;         // stops: what a plan promises
constexpr double kEngraving = 1.0 / 6;  // the most that the nearest third stop can be off
constexpr size_t kTried = 12;           // set-ups looked at in full

double baseTime(const Recipe& recipe, const RouteRequest& request) {
  return shutterTime(request.baseShutter.empty() ? recipe.baseShutter : request.baseShutter, request.fps)
      .value();
}

struct Displacement {
  double stops = 0;
  size_t index = 0;
};

// One way to light and expose the base.
struct Setup {
  Rig rig;
  double lux = 0;  // at base
  size_t aperture = 0, shutter = 0, stack = 0;
  double cost = 0;
  int impossible = 0;
};

class Solver {
 public:
  Solver(const Recipe& recipe, const RouteRequest& request)
      : recipe_(recipe),
        request_(request),
        apertures_(lensPositions(request.lens)),
        stacks_(filterStacks(recipe)),
        times_(shutterTimes(recipe, baseTime(recipe, request), request.fps)) {
    const double base = baseTime(recipe, request);
    for (size_t i = 0; i < times_.size(); ++i)
      if (std::abs(times_[i] / base - 1) < 1e-9) baseTime_ = i;
    const double preferred = recipe.preferredAperture.value_or(4);
    preferredStops_ = 2 * std::log2(readTStop(preferred).exact.value());
  }

  Route run() {
    Route route;
    const auto all = [](double) { return true; };
    auto best = bestOf(candidates(std::nullopt), all);
    if (!best) return withoutBase(route);
    auto solved = solveAll(*best, all, 0);
    std::optional<Setup> under;
    if (countImpossible(solved) > 0 && !request_.fixedLight) {
      const auto up = [](double s) { return s >= 0; };
      const auto down = [](double s) { return s <= 0; };
      const auto over = bestOf(candidates(std::nullopt), up);
      under = over ? bestOf(candidates(over->aperture), down) : std::nullopt;
      if (over && under) {
        auto split = solveAll(*over, up, 0);
        const auto lower = solveAll(*under, down, 1);
        for (size_t i = 0; i < split.size(); ++i)
          if (request_.steps[i].stops < 0) split[i] = lower[i];
        if (countImpossible(split) < countImpossible(solved))
          best = over, solved = std::move(split);
        else
          under.reset();
      }
    }
    route.bases.push_back(settingsAt(*best, 0, best->aperture, best->shutter, best->stack, request_.baseIso));
    if (under)
      route.bases.push_back(
          settingsAt(*under, 0, under->aperture, under->shutter, under->stack, request_.baseIso));
    if (under) route.baseDifference = lightBetween(route.bases[0], route.bases[1]).value();
    route.needed = Lux(neededLux(best->aperture, best->shutter, 0));
    if (!request_.fixedLight) route.ends = lampEnds(recipe_, best->rig, best->lux);
    route.steps = std::move(solved);
    return route;
  }

 private:
  // Light for the base at these settings.
  [[nodiscard]] double neededLux(size_t aperture, size_t time, double density) const {
    return incidentLight(TStop(apertures_[aperture].exact), Seconds(times_[time]),
                         readIso(request_.baseIso).exact)
               .value() *
           std::exp2(request_.baseOffset) * std::pow(10, density);
  }

  [[nodiscard]] bool uses(Control c) const {
    return std::find(request_.controls.begin(), request_.controls.end(), c) != request_.controls.end();
  }

  // Every base that lamps, lens and filters allow. near: apertures as close as can be to this one.
  [[nodiscard]] std::vector<Setup> candidates(std::optional<size_t> near) const {
    std::vector<Setup> list;
    std::vector<double> gels = {0};
    gels.insert(gels.end(), recipe_.gels.begin(), recipe_.gels.end());
    const FactorRange range = factorRange(recipe_);
    const double wanted = near ? 2 * std::log2(apertures_[*near].exact) : preferredStops_;
    for (size_t a = 0; a < apertures_.size(); ++a)
      for (size_t n = 0; n < stacks_.size(); ++n) {
        const double lux = neededLux(a, baseTime_, stacks_[n].density);
        Setup s;
        s.aperture = a, s.shutter = baseTime_, s.stack = n, s.lux = lux;
        s.cost = 0.02 * std::abs(2 * std::log2(apertures_[a].exact) - wanted) +
                 0.05 * stacks_[n].density / kDensityPerStop;
        if (request_.fixedLight) {
          // The light is what it is: shutter may have to help at the base.
          addFixed(s, list);
          continue;
        }
        if (!keyLamp(recipe_)) {
          s.rig = {1, 0, lux, lux};
          list.push_back(s);
          continue;
        }
        for (double gel : gels) addLit(s, gel, range, list);
      }
    return list;
  }

  void addFixed(Setup s, std::vector<Setup>& list) const {
    const double light = request_.fixedLight->value();
    for (size_t t = 0; t < times_.size(); ++t) {
      if (t != baseTime_ && !uses(Control::Shutter)) continue;
      const double off = std::log2(light / neededLux(s.aperture, t, stacks_[s.stack].density));
      if (std::abs(off) > kEngraving) continue;
      Setup f = s;
      f.shutter = t, f.lux = light, f.rig = {1, 0, light, light};
      f.cost += std::abs(off) * 10 +
                (t == baseTime_ ? 0 : 1 + 0.1 * std::abs(std::log2(times_[t] / times_[baseTime_])));
      list.push_back(f);
    }
  }

  void addLit(const Setup& s, double gel, const FactorRange& range, std::vector<Setup>& list) const {
    std::vector<double> factors = {1, range.nearest, range.farthest};
    // A lamp that can't be dimmed is set by its distance.
    const Rig here = rigAt(recipe_, 1, gel);
    if (here.high > 0) {
      double f = 1;
      for (int i = 0; i < 40; ++i) f *= std::sqrt(rigAt(recipe_, f, gel).high / s.lux);
      if (f > range.nearest && f < range.farthest) factors.push_back(f);
    }
    for (double f : factors) {
      Setup c = s;
      c.rig = rigAt(recipe_, f, gel);
      if (c.rig.low > c.rig.high || !c.rig.holds(c.lux)) continue;
      c.cost += (gel > 0 ? 0.3 : 0) + (std::abs(f - 1) > 1e-6 ? 0.2 : 0);
      list.push_back(c);
    }
  }

  struct Reach {
    double low = 0, high = 0;
  };
  // How far each control goes from the base of a set-up, in the order of the request.
  [[nodiscard]] std::vector<Reach> reaches(const Setup& s) const {
    std::vector<Reach> out;
    for (Control c : request_.controls) {
      Reach r;
      if (c == Control::Light && s.rig.high > s.rig.low)
        r = {std::log2(s.rig.low / s.lux), std::log2(s.rig.high / s.lux)};
      if (c == Control::Distance) std::tie(r.low, r.high) = distanceReach(recipe_, s.rig);
      if (c == Control::Nd)
        r = {(stacks_[s.stack].density - stacks_.back().density) / kDensityPerStop,
             stacks_[s.stack].density / kDensityPerStop};
      if (c == Control::Iris) r = {iris(s, apertures_.size() - 1), iris(s, 0)};
      if (c == Control::Shutter) r = {time(s, times_.size() - 1), time(s, 0)};
      out.push_back(r);
    }
    return out;
  }
  [[nodiscard]] double iris(const Setup& s, size_t a) const {
    return 2 * std::log2(apertures_[s.aperture].exact / apertures_[a].exact);
  }
  [[nodiscard]] double time(const Setup& s, size_t t) const {
    return std::log2(times_[t] / times_[s.shutter]);
  }

  // The set-up that holds most steps with the least trouble, judged by reach; the best few are solved in
  // full.
  template <class Wanted>
  std::optional<Setup> bestOf(std::vector<Setup> list, Wanted wanted) const {
    for (auto& s : list) {
      const auto reach = reaches(s);
      for (const auto& step : request_.steps) {
        if (!wanted(step.stops)) continue;
        const int mask = cheapestMask(reach, step.stops);
        if (mask < 0 && !uses(Control::Iso)) ++s.impossible;
        s.cost += mask < 0 ? 0 : mask;
      }
    }
    std::stable_sort(list.begin(), list.end(), [](const Setup& a, const Setup& b) {
      return a.impossible != b.impossible ? a.impossible < b.impossible : a.cost < b.cost;
    });
    const Setup* best = nullptr;
    int fewest = 0;
    for (size_t i = 0; i < std::min(list.size(), kTried); ++i) {
      const int missing = countImpossible(solveAll(list[i], wanted, 0));
      if (!best || missing < fewest) best = &list[i], fewest = missing;
      if (fewest == list[i].impossible) break;
    }
    return best ? std::optional(*best) : std::nullopt;
  }

  static int cheapestMask(const std::vector<Reach>& reach, double stops) {
    if (std::abs(stops) < 1e-9) return 0;
    for (int mask = 1; mask < 1 << reach.size(); ++mask) {
      double low = 0, high = 0;
      for (size_t i = 0; i < reach.size(); ++i)
        if (mask >> i & 1) low += reach[i].low, high += reach[i].high;
      if (stops >= low - kExact && stops <= high + kExact) return mask;
    }
    return -1;
  }

  template <class Wanted>
  std::vector<SolvedStep> solveAll(const Setup& s, Wanted wanted, int setup) const {
    std::vector<SolvedStep> out;
    for (const auto& step : request_.steps) {
      out.push_back(wanted(step.stops) ? solveStep(s, step) : SolvedStep{});
      out.back().planned = step.stops, out.back().setup = setup;
    }
    return out;
  }

  [[nodiscard]] static int countImpossible(const std::vector<SolvedStep>& steps) {
    return static_cast<int>(
        std::count_if(steps.begin(), steps.end(), [](const SolvedStep& s) { return !s.possible; }));
  }

  struct Pick {
    double light = 0, distance = 0, error = 1e9, displaced = 1e9;
    size_t stack = 0, aperture = 0, time = 0;
  };

  // The values of the discrete controls of a mask and what the light must add.
  [[nodiscard]] Pick bestPick(const Setup& s, const RouteStep& step, int mask) const {
    const auto in = [&](Control c) {
      const auto at = std::find(request_.controls.begin(), request_.controls.end(), c);
      return at != request_.controls.end() && (mask >> (at - request_.controls.begin()) & 1);
    };
    const auto list = [&](bool moves, size_t count, size_t base, auto stopsOf) {
      std::vector<Displacement> d;
      for (size_t i = 0; i < count; ++i)
        if (moves ? i != base : i == base) d.push_back({stopsOf(i), i});
      return d;
    };
    auto stacks = list(in(Control::Nd), stacks_.size(), s.stack, [&](size_t i) {
      return (stacks_[s.stack].density - stacks_[i].density) / kDensityPerStop;
    });
    if (step.nd) {
      stacks.clear();
      for (size_t i = 0; i < stacks_.size(); ++i)
        if (std::abs(stacks_[i].density - *step.nd) < 1e-6)
          stacks.push_back({(stacks_[s.stack].density - stacks_[i].density) / kDensityPerStop, i});
    }
    const auto irises =
        list(in(Control::Iris), apertures_.size(), s.aperture, [&](size_t i) { return iris(s, i); });
    const auto times =
        list(in(Control::Shutter), times_.size(), s.shutter, [&](size_t i) { return time(s, i); });
    const bool dims = in(Control::Light) && s.rig.high > s.rig.low;
    const double low = dims ? std::log2(s.rig.low / s.lux) : 0,
                 high = dims ? std::log2(s.rig.high / s.lux) : 0;
    const auto [farthest, nearest] =
        in(Control::Distance) ? distanceReach(recipe_, s.rig) : std::pair(0.0, 0.0);
    Pick best;
    for (const auto& n : stacks)
      for (const auto& a : irises)
        for (const auto& t : times) {
          const double rest = step.stops - n.stops - a.stops - t.stops;
          const double light = std::clamp(rest, low, high);
          const double distance = std::clamp(rest - light, farthest, nearest);
          const double left = std::abs(rest - light - distance);
          const double error = left < 1e-9 ? 0 : left;
          // Small displacements of the worse control first: shutter, then iris, then filters.
          const double displaced = std::abs(t.stops) * 100 + std::abs(a.stops) * 10 + std::abs(n.stops) +
                                   (n.index ? 0.1 * static_cast<double>(stacks_[n.index].filters.size()) : 0);
          const bool better =
              error < best.error - 1e-6 || (error < best.error + 1e-6 && displaced < best.displaced);
          // Moved lamps may not be able to hold their ratios by their dimmers.
          if (better &&
              (distance == 0 || moved(recipe_, s.rig, distance).holds(s.lux * std::exp2(light + distance))))
            best = {light, distance, error, displaced, n.index, a.index, t.index};
        }
    return best;
  }

  [[nodiscard]] SolvedStep solveStep(const Setup& s, const RouteStep& step) const {
    const int masks = 1 << request_.controls.size();
    Pick nearest;
    int nearestMask = 0;
    for (int mask = 0; mask < masks; ++mask) {
      if (!allowed(step, mask)) continue;
      const Pick p = bestPick(s, step, mask);
      if (p.error <= kExact) return finish(s, step, p, mask);
      if (p.error < nearest.error - 1e-9) nearest = p, nearestMask = mask;
    }
    if (uses(Control::Iso)) return byGain(s, step);
    if (nearest.error <= kEngraving && withinReach(s, step.stops))
      return finish(s, step, nearest, nearestMask);
    return impossible(s, step);
  }

  [[nodiscard]] bool allowed(const RouteStep& step, int mask) const {
    if (!step.by) return true;
    const auto at = std::find(request_.controls.begin(), request_.controls.end(), *step.by);
    return at != request_.controls.end() && mask == 1 << (at - request_.controls.begin());
  }

  // A gap between detents may be stepped over; the end of what there is may not.
  [[nodiscard]] bool withinReach(const Setup& s, double stops) const {
    double low = 0, high = 0;
    for (const auto& r : reaches(s)) low += r.low, high += r.high;
    return stops >= low - kExact && stops <= high + kExact;
  }

  [[nodiscard]] SolvedStep finish(const Setup& s, const RouteStep& step, const Pick& p, int mask) const {
    SolvedStep out;
    out.possible = true, out.planned = step.stops;
    for (size_t i = 0; i < request_.controls.size(); ++i)
      if (mask >> i & 1) out.changed.push_back(request_.controls[i]);
    if (step.nd && *step.nd != stacks_[s.stack].density) out.changed.insert(out.changed.begin(), Control::Nd);
    Setup there = s;
    if (p.distance != 0) there.rig = moved(recipe_, s.rig, p.distance);
    out.settings = settingsAt(there, p.light + p.distance, p.aperture, p.time, p.stack,
                              step.iso > 0 ? step.iso : request_.baseIso);
    const auto base = settingsAt(s, 0, s.aperture, s.shutter, s.stack, request_.baseIso);
    out.error = lightBetween(base, out.settings).value() - step.stops;
    if (std::abs(out.error) > kExact)
      out.errorWords = fmt::format("nearest engraved value, off by {:+.2f} stop", out.error);
    return out;
  }

  // Forced by the recipe: the step is made by gain, and said to be so.
  [[nodiscard]] SolvedStep byGain(const Setup& s, const RouteStep& step) const {
    SolvedStep out;
    out.possible = true, out.planned = step.stops;
    const double exact = readIso(request_.baseIso).exact.value() * std::exp2(step.stops);
    double name = exact;
    for (const auto& v : isoSeries(StepSize::Third))
      if (std::abs(std::log2(v.exact / exact)) < 1e-6) name = v.nominal;
    out.settings = settingsAt(s, 0, s.aperture, s.shutter, s.stack, std::round(name));
    out.changed = {Control::Iso};
    out.error = 0;
    return out;
  }

  [[nodiscard]] SolvedStep impossible(const Setup& s, const RouteStep& step) const {
    SolvedStep out;
    const auto reach = reaches(s);
    double low = 0, high = 0;
    for (const auto& r : reach) low += r.low, high += r.high;
    const bool over = step.stops > 0;
    out.tooMuch = !over;
    out.shortBy = std::max(0.0, over ? step.stops - high : low - step.stops);
    std::vector<std::string> ends;
    for (Control c : request_.controls) {
      if (c == Control::Light)
        ends.push_back(s.rig.high > s.rig.low ? (over ? "lamps at full" : "lamps at their minimum")
                                              : "lamps that can't be dimmed");
      if (c == Control::Distance) ends.push_back(over ? "lamps at their nearest" : "lamps at their farthest");
      if (c == Control::Nd)
        ends.push_back(over ? "ND out" : stacks_.size() > 1 ? "all ND in" : "no ND filters");
      if (c == Control::Iris)
        ends.push_back(over ? apertures_.front().engraved + " wide open"
                            : "closed to " + apertures_.back().engraved);
      if (c == Control::Shutter) ends.push_back("shutter at " + (over ? recipe_.slowest : recipe_.fastest));
    }
    out.limit =
        out.shortBy > 0 ? fmt::format("{}", fmt::join(ends, ", ")) : "no combination of engraved values";
    return out;
  }

  [[nodiscard]] TakeSettings settingsAt(const Setup& s, double lightStops, size_t aperture, size_t time,
                                        size_t stack, double iso) const {
    TakeSettings t;
    t.aperture = TStop(apertures_[aperture].exact), t.engraved = apertures_[aperture].engraved;
    t.shutter = Seconds(times_[time]), t.fps = request_.fps;
    t.iso = readIso(iso).exact, t.isoName = iso;
    t.nd = Density(stacks_[stack].density), t.filters = stacks_[stack].filters;
    t.light = Lux(s.lux * std::exp2(lightStops));
    if (request_.fixedLight || !keyLamp(recipe_)) return t;
    t.gel = Density(s.rig.gel);
    t.lamps = lampSettings(recipe_, s.rig, t.light.value());
    t.light = lightOf(recipe_, t);  // as the rounded dimmer gives it
    return t;
  }

  // Not even the base can be exposed: says by how much.
  Route withoutBase(Route& route) const {
    double most = 0, least = 1e300;
    const FactorRange f = factorRange(recipe_);
    for (double factor : {f.nearest, 1.0, f.farthest})
      for (size_t g = 0; g <= recipe_.gels.size(); ++g) {
        const Rig r = request_.fixedLight
                          ? Rig{1, 0, request_.fixedLight->value(), request_.fixedLight->value()}
                          : rigAt(recipe_, factor, g ? recipe_.gels[g - 1] : 0);
        if (r.low <= r.high) most = std::max(most, r.high), least = std::min(least, r.low);
      }
    const double wide = neededLux(0, baseTime_, 0),
                 closed = neededLux(apertures_.size() - 1, baseTime_, stacks_.back().density);
    route.needed = Lux(wide);
    for (const auto& step : request_.steps) {
      SolvedStep s;
      s.planned = step.stops;
      if (most < wide)
        s.shortBy = most > 0 ? std::log2(wide / most) : 0,
        s.limit = request_.fixedLight
                      ? "the wedge is too dim for its first step to clip, wide open"
                      : fmt::format("the base itself: {:.0f} lux are needed wide open, the lamps give {:.0f}",
                                    wide, most);
      else if (least > closed)
        s.tooMuch = true, s.shortBy = std::log2(least / closed),
        s.limit =
            request_.fixedLight
                ? "the wedge is too bright, closed down with all ND"
                : fmt::format(
                      "the base itself: at most {:.0f} lux closed down with all ND, the lamps give {:.0f} "
                      "at their lowest",
                      closed, least);
      else
        s.limit =
            "the base itself: no combination of aperture, ND and lamps meets it, or the lamps can't hold "
            "their ratio";
      route.steps.push_back(s);
    }
    return route;
  }

  const Recipe& recipe_;
  const RouteRequest& request_;
  std::vector<LensPosition> apertures_;
  std::vector<FilterStack> stacks_;
  std::vector<double> times_;
  size_t baseTime_ = 0;
  double preferredStops_ = 4;
};

}  // namespace

bool Route::complete() const {
  return std::all_of(steps.begin(), steps.end(), [](const SolvedStep& s) { return s.possible; });
}

Route solveRoute(const Recipe& recipe, const RouteRequest& request) {
  if (request.test >= recipe.tests.size() || !recipe.tests[request.test].kelvin)
    return Solver(recipe, request).run();
  return Solver(lampsFor(recipe, recipe.tests[request.test]), request).run();
}

}  // namespace edge
