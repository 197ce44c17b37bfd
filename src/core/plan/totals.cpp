// Clock, cards and totals of a run order.
#include <algorithm>
#include <cmath>
#include <map>

#include "plan/order.h"
#include "plan/sessions.h"

namespace edge {

const CardSpec* Cards::of(const std::string& body) const {
  for (const auto& c : recipe_.media)
    if (c.body == body) return &c;
  for (const auto& c : recipe_.media)
    if (c.body.empty()) return &c;
  return nullptr;
}

bool Cards::take(const Plan& plan, const Take& t) {
  const std::string& body = recipe_.bodies[plan.series[t.series].body].name;
  const CardSpec* card = of(body);
  if (!card) return false;
  double& filled = filled_[body];
  const bool full = filled > 0 && filled + t.bytes > card->bytes * (1 - card->reserve);
  filled = full ? t.bytes : filled + t.bytes;
  return full;
}

namespace {

void countChanges(const Plan& plan, const Take& a, const Take& b, Totals& t) {
  const TestSeries &from = plan.series[a.series], &to = plan.series[b.series];
  t.bodyChanges += from.body != to.body;
  t.modeChanges += from.body == to.body && from.mode != to.mode;
  const bool chart = blockOf(from.kind).scene != blockOf(to.kind).scene;
  t.chartChanges += chart;
  if (chart) return;
  if (!sameLampPlaces(a.settings, b.settings)) {
    ++t.relights;
    return;
  }
  bool dims = false;
  for (size_t i = 0; i < a.settings.lamps.size(); ++i)
    dims = dims || a.settings.lamps[i].percent != b.settings.lamps[i].percent;
  t.dims += dims;
}

}  // namespace

void timeTakes(const Recipe& recipe, Plan& plan) {
  Totals totals;
  Cards cards(recipe);
  double clock = 0;
  for (size_t i = 0; i < plan.takes.size(); ++i) {
    Take& t = plan.takes[i];
    const std::string& body = recipe.bodies[plan.series[t.series].body].name;
    if (i > 0) {
      clock += changeSeconds(recipe, plan, plan.takes[i - 1], t);
      countChanges(plan, plan.takes[i - 1], t, totals);
    }
    auto use = std::find_if(totals.cards.begin(), totals.cards.end(),
                            [&](const CardUse& c) { return c.body == body; });
    if (use == totals.cards.end()) {
      totals.cards.push_back({body, 0, 0, cards.of(body) ? 1 : 0, 0});
      use = totals.cards.end() - 1;
    }
    if (cards.take(plan, t)) {
      clock += recipe.secondsFor("card");
      ++totals.cardChanges, ++use->cards;
    }
    use->bytes += t.bytes, use->minutes += t.seconds / 60;
    clock += recipe.secondsFor("settle");
    t.number = static_cast<int>(i) + 1, t.startSeconds = clock;
    clock += t.seconds;
    totals.bytes += t.bytes;
  }
  for (auto& c : totals.cards)
    if (const CardSpec* card = cards.of(c.body); card && c.bytes > 0)
      c.minutesPerCard = card->bytes * (1 - card->reserve) * c.minutes / c.bytes;
  totals.seconds = clock;
  plan.totals = totals;
}

}  // namespace edge
