#include "latitude/bracket_view.h"

#include <algorithm>
#include <numeric>

#include "base/error.h"
#include "theme/text.h"

namespace edge::app {

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
