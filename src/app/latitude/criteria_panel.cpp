#include "latitude/criteria_panel.h"

#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "base/numbers.h"
#include "theme/text.h"

namespace edge::app {
namespace {

constexpr double kHeadroom = 1.15;  // of the plot, above its highest line or point

}  // namespace

CriteriaPanel::CriteriaPanel(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
  which_ = new QComboBox(this);
  which_->setObjectName("criterion");
  which_->setAccessibleName("Criterion shown over stops");
  for (const auto& s : criteria()) which_->addItem(s.words, static_cast<int>(s.id));
  at_ = new QComboBox(this);
  at_->setObjectName("delivery");
  at_->setAccessibleName("Raster and chroma sampling that noise and detail are judged at");
  at_->addItem("as recorded");
  for (const auto& d : standardDeliveries()) at_->addItem(q(wordsOf(d)));
  words_ = new QLabel(this);
  words_->setObjectName("quiet");
  words_->setWordWrap(true);
  plot_ = new Plot(this);
  plot_->setObjectName("criteria");
  plot_->setAccessibleName("Criterion over stops; up and down move a limit, right and left choose it");
  auto* head = new QHBoxLayout;
  head->addWidget(which_);
  auto* at = new QLabel("judged at", this);
  at->setObjectName("quiet");
  head->addWidget(at);
  head->addWidget(at_);
  head->addWidget(words_, 1);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->addLayout(head);
  column->addWidget(plot_, 1);
  connect(which_, &QComboBox::currentIndexChanged, this, &CriteriaPanel::replot);
  connect(at_, &QComboBox::activated, this, &CriteriaPanel::setDelivery);
  connect(plot_, &Plot::levelDropped, this, &CriteriaPanel::setLimit);
}

Criterion CriteriaPanel::criterion() const {
  return static_cast<Criterion>(which_->currentData().toInt());
}

void CriteriaPanel::choose(Criterion c) {
  which_->setCurrentIndex(which_->findData(static_cast<int>(c)));
}

void CriteriaPanel::setTheme(const Theme& t) {
  plot_->setTheme(t);
  replot();
}

void CriteriaPanel::show(const BracketView& view) {
  view_ = view;
  const auto standard = standardDeliveries();
  const auto& now = document_.criteria().delivery;
  int chosen = now ? -1 : 0;  // of a file, at none of these: no row
  for (size_t i = 0; now && i < standard.size(); ++i)
    if (standard[i] == *now) chosen = static_cast<int>(i) + 1;
  at_->setCurrentIndex(chosen);
  replot();
}

void CriteriaPanel::replot() {
  plot_->clearAll();
  if (!view_.finding) return plot_->replot();
  const CriterionSpec& spec = specOf(criterion());
  const CriteriaProfile& profile = document_.criteria();
  const LimitPair& limit = profile[spec.id];
  std::vector<std::pair<double, double>> points;
  const auto add = [&](const TakeMetrics& t, double stops) {
    if (const auto v = spec.value(t, profile.delivery)) points.emplace_back(stops - view_.base.stops, *v);
  };
  add(view_.measure().base, 0);
  for (size_t i = 0; i < view_.measure().takes.size(); ++i) {
    const TakeMetrics& t = view_.take(i);
    add(t, t.measured.value_or(t.planned));
  }
  std::sort(points.begin(), points.end());
  std::vector<double> x, y;
  double top = limit.judges() ? std::max(limit.clean, limit.lost) : 0;
  for (const auto& p : points) {
    x.push_back(p.first);
    y.push_back(p.second);
  }
  if (spec.is(kFalling))
    top = 1;
  else
    // A figure far beyond its limits is cut off: what is near them is what is looked at.
    for (const double v : y) top = std::max(top, limit.judges() ? std::min(v, 3 * limit.lost) : v);
  words_->setText(x.empty() ? QString("Not measured in this bracket. ") + spec.formula
                            : QString(spec.formula));
  if (!x.empty()) {
    const QString unit = *spec.unit ? QString(" in ") + spec.unit : QString();
    plot_->setAxes("stops from base", spec.words + unit);
    plot_->addCurve(spec.words, plot_->currentTheme().solid, x, y);
    if (limit.judges()) {
      plot_->addLevel(limit.clean, QString("clean to %1").arg(q(formatNumber(limit.clean, 2))), true);
      plot_->addLevel(limit.lost, QString("lost beyond %1").arg(q(formatNumber(limit.lost, 2))), true);
    }
    plot_->xAxis->setRange(x.front() - 0.5, x.back() + 0.5);
    plot_->yAxis->setRange(0, top > 0 ? top * kHeadroom : 1);
  }
  plot_->replot();
}

void CriteriaPanel::setDelivery(int row) {
  CriteriaProfile profile = document_.criteria();
  const auto before = profile.delivery;
  profile.delivery.reset();
  if (row > 0) profile.delivery = standardDeliveries()[static_cast<size_t>(row) - 1];
  if (profile.delivery != before)
    document_.setCriteria(owned(std::move(profile)), "judged at " + at_->itemText(row));
}

void CriteriaPanel::setLimit(double y, int line) {
  const CriterionSpec& spec = specOf(criterion());
  document_.setCriteria(withLimit(document_.criteria(), spec.id, line == 0, std::round(y * 100) / 100),
                        QString("limits of %1").arg(spec.words));
}

}  // namespace edge::app
