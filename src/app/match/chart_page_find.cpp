#include <algorithm>

#include "base/numbers.h"
#include "match/chart_page.h"
#include "project/analysis.h"
#include "project/place_charts.h"
#include "theme/text.h"

namespace edge::app {

Chart ChartPage::layoutWanted() const {
  const Configuration* c = configuration();
  const int kind = kind_->currentIndex();
  if (kind == 0) {
    const Chart& placed = what_ == Placing::Wedge ? c->wedge : c->bench;
    if (!placed.patches.empty()) return placed;
    return chartOf({what_ == Placing::Wedge ? ChartKind::Wedge : ChartKind::Colour24, steps_->value(),
                    perRow_->value(), stopsPerStep_->value()});
  }
  return chartOf(
      {static_cast<ChartKind>(kind - 1), steps_->value(), perRow_->value(), stopsPerStep_->value()});
}

void ChartPage::find() {
  const Configuration* c = configuration();
  if (!c || what_ == Placing::Objects) return;
  if (kind_->currentIndex() == 0 && !isLoaded(*c)) return look();
  try {
    const Chart layout = layoutWanted();
    say("looking for it …");
    job_.start("finding the chart",
               [this, c = *c, layout, what = what_, folder = document_.project().folder()](
                   const Progress& progress, const Job::Deliver& deliver) {
                 const auto found = findChartOf(c, folder, what, layout, progress);
                 deliver([this, found, c, what] {
                   if (!found) return say("Not found for certain: place it by two corners and drag.");
                   const Configuration* now = configuration();
                   if (!now || now->id != c.id) return;
                   Configuration changed = *now;
                   (what == Placing::Wedge ? changed.wedge : changed.bench) = found->chart;
                   put(changed, "chart found");
                   say(QString("Found: %1 of %2 patches seen, the others follow from them.")
                           .arg(found->patchesSeen)
                           .arg(found->chart.patches.size()));
                 });
               });
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
}

// Whether a layout is known: a chart that was only found by looking is looked for anew.
bool ChartPage::isLoaded(const Configuration& c) const {
  const Chart& chart = what_ == Placing::Wedge ? c.wedge : c.bench;
  return std::any_of(chart.patches.begin(), chart.patches.end(),
                     [](const Patch& p) { return p.stops.has_value(); });
}

void ChartPage::look() {
  say("looking for any chart …");
  job_.start(
      "finding the chart", [this, c = *configuration(), what = what_, folder = document_.project().folder()](
                               const Progress& progress, const Job::Deliver& deliver) {
        const auto found =
            what == Placing::Wedge ? lookForWedge(c, folder, progress) : lookForChart(c, folder, progress);
        deliver([this, found, c, what] {
          if (!found) return say("No chart is seen for certain: place it by two corners and drag.");
          const Configuration* now = configuration();
          if (!now || now->id != c.id) return;
          Configuration changed = *now;
          (what == Placing::Wedge ? changed.wedge : changed.bench) = found->chart;
          put(changed, "chart found");
          sayFound(changed, *found);
        });
      });
}

void ChartPage::sayFound(const Configuration& c, const FoundLattice& found) {
  QString words = QString("Found: %1 patches in %2 %3. ")
                      .arg(found.chart.patches.size())
                      .arg(found.rows)
                      .arg(found.rows == 1 ? "row" : "rows");
  if (what_ == Placing::Wedge && found.step) {
    words += QString("By the curve in use they lie %1 stops apart: say what their maker says.")
                 .arg(q(formatNumber(found.step->stops, 2)));
    if (const auto usual = usualStep(found)) stopsPerStep_->setValue(*usual);
  } else if (what_ == Placing::Wedge) {
    words += "Say how many stops they lie apart.";
  } else {
    const auto neutrals = std::count_if(c.bench.patches.begin(), c.bench.patches.end(),
                                        [](const Patch& p) { return p.role == "grey"; });
    if (neutrals > 0) words += QString("%1 of them are neutral.").arg(neutrals);
  }
  say(words);
}

void ChartPage::setWedgeSteps() {
  const Configuration* c = configuration();
  if (!c || what_ != Placing::Wedge || c->wedge.patches.empty()) return;
  Configuration changed = *c;
  setSteps(changed.wedge, stopsPerStep_->value());
  put(changed, "steps of the wedge");
  say("");
}

}  // namespace edge::app
