#include "latitude/trace_panel.h"

#include <QVBoxLayout>
#include <algorithm>

#include "theme/text.h"

namespace edge::app {

TracePanel::TracePanel(QWidget* parent) : QWidget(parent) {
  plot_ = new Plot(this);
  plot_->setObjectName("grey-trace");
  plot_->setAccessibleName("Level trace of the chart's greys, base and take");
  plot_->setLegendCorner(Qt::AlignLeft | Qt::AlignTop);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->addWidget(plot_);
}

void TracePanel::setTheme(const Theme& t) {
  plot_->setTheme(t);
  replot();
}

void TracePanel::show(const BracketView& view, const QString& take) {
  view_ = view;
  take_ = take;
  replot();
}

void TracePanel::replot() {
  plot_->clearAll();
  const int chosen = view_.indexOf(take_);
  if (chosen < 0) return plot_->drawSoon();
  const TakeMetrics &base = view_.measure().base, &take = view_.take(static_cast<size_t>(chosen));
  // The neutral patches from dark to light, by their code in the base.
  std::vector<size_t> greys;
  for (const size_t i : neutralPatches(view_.finding->configuration.bench))
    if (i < base.codes.size() && i < take.codes.size()) greys.push_back(i);
  std::sort(greys.begin(), greys.end(),
            [&](size_t a, size_t b) { return base.codes[a].second[1] < base.codes[b].second[1]; });
  const Theme& t = plot_->currentTheme();
  const QColor colours[3] = {t.red, t.green, t.blue};
  const char* const names[3] = {"red", "green", "blue"};
  const auto curve = [&](const TakeMetrics& m, size_t c) {
    std::vector<double> y;
    for (const size_t i : greys) y.push_back(100 * m.codes[i].second[c]);
    return y;
  };
  std::vector<double> x;
  for (size_t i = 0; i < greys.size(); ++i) x.push_back(static_cast<double>(i + 1));
  if (x.empty()) return plot_->drawSoon();
  for (size_t c = 0; c < 3; ++c)
    plot_->addCurve(QString("take, %1").arg(names[c]), colours[c], x, curve(take, c));
  auto* line = plot_->addCurve("base, green", t.quiet, x, curve(base, 1), false);
  line->setPen(QPen(t.text, 1, Qt::DashLine));
  plot_->setAxes("greys of the chart, dark to light", "log code in %");
  plot_->rescaleAxes();
  plot_->xAxis->setRange(0.5, x.back() + 0.5);
  plot_->drawSoon();
}

}  // namespace edge::app
