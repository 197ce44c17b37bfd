#include "plan/order.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <numeric>
#include <tuple>

#include "plan/sessions.h"

namespace edge {
namespace {

// Takes of one set-up of one series: what the base rules are about.
struct Group {
  int steps = 0, bases = 0;
};

std::pair<size_t, int> groupOf(const Take& t) {
  return {t.series, t.setup};
}

bool ruled(const Take& t) {
  return t.role == TakeRole::Base || t.role == TakeRole::Step;
}

std::map<std::pair<size_t, int>, Group> groupsOf(const std::vector<Take>& takes) {
  std::map<std::pair<size_t, int>, Group> groups;
  for (const auto& t : takes) {
    if (!ruled(t)) continue;
    Group& g = groups[groupOf(t)];
    ++(t.role == TakeRole::Base ? g.bases : g.steps);
  }
  return groups;
}

// Whether `t` may come now, when its group has had these many steps and bases.
bool mayCome(const Take& t, const Group& whole, const Group& had) {
  if (!ruled(t) || whole.bases == 0) return true;
  if (t.role == TakeRole::Step) return had.bases > 0 && had.bases < std::max(2, whole.bases);
  if (t.baseIndex == 0) return had.bases == 0 && had.steps == 0;
  if (t.baseIndex == 1)
    return had.bases == 1 && had.steps >= whole.steps / 3 && had.steps <= whole.steps - whole.steps / 3;
  return had.bases == whole.bases - 1 && had.steps == whole.steps;
}

// Shortest order of a few takes under the base rules: dynamic programming over subsets.
class ExactOrder {
 public:
  ExactOrder(const Recipe& recipe, const Plan& plan, const std::vector<Take>& takes)
      : takes_(takes), n_(takes.size()), groups_(groupsOf(takes)) {
    cost_.resize(n_ * n_);
    for (size_t i = 0; i < n_; ++i)
      for (size_t j = 0; j < n_; ++j) cost_[i * n_ + j] = changeSeconds(recipe, plan, takes[i], takes[j]);
  }

  std::vector<Take> run() {
    const size_t sets = size_t{1} << n_;
    constexpr double kNever = std::numeric_limits<double>::infinity();
    std::vector<double> best(sets * n_, kNever);
    std::vector<int> from(sets * n_, -1);
    for (size_t set = 0; set < sets; ++set)
      for (size_t next = 0; next < n_; ++next) {
        if (set >> next & 1 || !allowed(set, next)) continue;
        const size_t to = (set | size_t{1} << next) * n_ + next;
        if (set == 0) best[to] = 0;
        for (size_t last = 0; set != 0 && last < n_; ++last) {
          const double c = best[set * n_ + last] + cost_[last * n_ + next];
          if (c < best[to]) best[to] = c, from[to] = static_cast<int>(last);
        }
      }
    return walkBack(best, from, sets - 1);
  }

 private:
  [[nodiscard]] bool allowed(size_t set, size_t next) const {
    const Take& t = takes_[next];
    if (!ruled(t)) return true;
    Group had;
    for (size_t i = 0; i < n_; ++i)
      if (set >> i & 1 && ruled(takes_[i]) && groupOf(takes_[i]) == groupOf(t))
        ++(takes_[i].role == TakeRole::Base ? had.bases : had.steps);
    return mayCome(t, groups_.at(groupOf(t)), had);
  }

  [[nodiscard]] std::vector<Take> walkBack(const std::vector<double>& best, const std::vector<int>& from,
                                           size_t set) const {
    size_t last = 0;
    for (size_t i = 1; i < n_; ++i)
      if (best[set * n_ + i] < best[set * n_ + last]) last = i;
    std::vector<Take> out;
    for (int at = static_cast<int>(last); at >= 0;) {
      out.push_back(takes_[static_cast<size_t>(at)]);
      const int before = from[set * n_ + static_cast<size_t>(at)];
      set &= ~(size_t{1} << at);
      at = before;
    }
    std::reverse(out.begin(), out.end());
    return out;
  }

  const std::vector<Take>& takes_;
  size_t n_;
  std::map<std::pair<size_t, int>, Group> groups_;
  std::vector<double> cost_;
};

}  // namespace

bool sameLampPlaces(const TakeSettings& a, const TakeSettings& b) {
  if (a.gel != b.gel || a.lamps.size() != b.lamps.size()) return false;
  for (size_t i = 0; i < a.lamps.size(); ++i)
    if (a.lamps[i].name != b.lamps[i].name ||
        std::abs(a.lamps[i].distance.value() - b.lamps[i].distance.value()) > 1e-6)
      return false;
  return true;
}

double changeSeconds(const Recipe& r, const Plan& plan, const Take& a, const Take& b) {
  const TestSeries &from = plan.series[a.series], &to = plan.series[b.series];
  double s = 0;
  if (from.body != to.body) {
    s += r.secondsFor("body");
  } else {
    if (from.request.lens.name != to.request.lens.name) s += r.secondsFor("lens");
    if (from.mode != to.mode) s += r.secondsFor("mode");
    if (std::abs(a.iso - b.iso) > 1e-9) s += r.secondsFor("iso");
  }
  if (blockOf(from.kind).scene != blockOf(to.kind).scene) {
    s += r.secondsFor("chart");
  } else if (!sameLampPlaces(a.settings, b.settings)) {
    s += r.secondsFor("relight");
  } else {
    bool dims = false;
    for (size_t i = 0; i < a.settings.lamps.size(); ++i)
      dims = dims || a.settings.lamps[i].percent != b.settings.lamps[i].percent;
    if (dims) s += r.secondsFor("dim");
  }
  if (std::abs(a.settings.aperture.value() / b.settings.aperture.value() - 1) > 1e-6)
    s += r.secondsFor("iris");
  if (a.settings.filters != b.settings.filters) s += r.secondsFor("nd");
  if (std::abs(a.settings.shutter.value() / b.settings.shutter.value() - 1) > 1e-6)
    s += r.secondsFor("shutter");
  return s;
}

double orderSeconds(const Recipe& recipe, const Plan& plan, const std::vector<Take>& takes) {
  double s = 0;
  Cards cards(recipe);
  for (size_t i = 0; i < takes.size(); ++i) {
    s += takes[i].seconds + recipe.secondsFor("settle");
    if (i > 0) s += changeSeconds(recipe, plan, takes[i - 1], takes[i]);
    if (cards.take(plan, takes[i])) s += recipe.secondsFor("card");
  }
  return s;
}

bool orderHolds(const Plan&, const std::vector<Take>& takes) {
  const auto groups = groupsOf(takes);
  std::map<std::pair<size_t, int>, Group> had;
  for (const auto& t : takes) {
    if (!ruled(t)) continue;
    Group& h = had[groupOf(t)];
    if (!mayCome(t, groups.at(groupOf(t)), h)) return false;
    ++(t.role == TakeRole::Base ? h.bases : h.steps);
  }
  return true;
}

void orderTakes(const Recipe& recipe, Plan& plan, const Progress& progress) {
  std::vector<Take> best = plan.takes;
  double fewest = orderSeconds(recipe, plan, best);
  const auto offer = [&](std::vector<Take> order) {
    const double s = orderSeconds(recipe, plan, order);
    if (s < fewest - 1e-9 && orderHolds(plan, order)) best = std::move(order), fewest = s;
  };
  if (plan.takes.size() <= kExactTakes && !plan.takes.empty()) {
    offer(ExactOrder(recipe, plan, plan.takes).run());
  } else {
    for (bool interleave : {false, true}) {
      progress.report(0.7, "ordering");
      offer(sessionOrder(recipe, plan, plan.takes, interleave));
    }
  }
  plan.takes = std::move(best);
  timeTakes(recipe, plan);
}

}  // namespace edge
