#include "latitude/bracket_view.h"

#include <algorithm>
#include <numeric>

#include "base/error.h"
#include "theme/text.h"

namespace edge::app {

namespace {

// The reducer is tried on the takes as exposure alone brings them back: its edge stands beside every branch,
// never inside what the branch has clean.
void shareCleaned(const LatitudeResult& headline, LatitudeResult& branch) {
  const auto further = [](const EdgeLimit& cleaned, const EdgeLimit& own, double sign) {
    const bool wider =
        cleaned.estimate && own.estimate && (cleaned.estimate->stops - own.estimate->stops) * sign > 0;
    return wider || !own.estimate ? cleaned : own;
  };
  branch.cleaned.over = further(headline.cleaned.over, branch.edges.over, 1);
  branch.cleaned.under = further(headline.cleaned.under, branch.edges.under, -1);
  branch.cleaned.latitude = headline.cleaned.latitude;
}

}  // namespace

int BracketView::indexOf(const QString& name) const {
  if (!finding) return -1;
  for (size_t i = 0; i < measure().takes.size(); ++i)
    if (q(measure().takes[i].name) == name) return static_cast<int>(i);
  return -1;
}

BracketView bracketViewOf(const Document& document, Branch branch, const QString& base) {
  BracketView v;
  v.branch = branch;
  const Finding* f = document.current();
  if (!f || !f->latitude) return v;
  v.finding = f;
  const Overrides overrides = overridesOf(document.project(), f->configuration.id);
  for (const auto& b : branches())
    v.results[static_cast<size_t>(b.id)] = judgeLatitude(v.measure(), document.criteria(), overrides, b.id);
  for (size_t b = 1; b < v.results.size(); ++b) shareCleaned(v.results[0], v.results[b]);
  try {
    if (!base.isEmpty()) v.base = newBaseOf(base.toStdString(), v.measure());
  } catch (const Error&) {
    v.base = {};  // another configuration's base: this bracket has none of that name
  }
  v.order.resize(v.measure().takes.size());
  std::iota(v.order.begin(), v.order.end(), size_t{0});
  std::stable_sort(v.order.begin(), v.order.end(), [&](size_t a, size_t b) {
    return v.measure().takes[a].planned < v.measure().takes[b].planned;
  });
  return v;
}

}  // namespace edge::app
