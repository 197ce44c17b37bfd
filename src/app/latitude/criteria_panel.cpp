#include "latitude/criteria_panel.h"

#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "base/numbers.h"
#include "theme/text.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

constexpr int kSkinPath = -1;          // among the criteria of the list
constexpr double kNarrowestPath = 10;  // units of a*, b*, so that noise is no path
constexpr double kNameRoom = 0.35;     // of the path's reach
constexpr double kHeadroom = 1.15;     // of the plot, above its highest line or point

}  // namespace

CriteriaPanel::CriteriaPanel(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
  which_ = new QComboBox(this);
  which_->setObjectName("criterion");
  which_->setAccessibleName("Criterion shown over stops");
  for (const auto& s : criteria()) which_->addItem(s.words, static_cast<int>(s.id));
  which_->addItem("way skin turns", kSkinPath);
  at_ = new QComboBox(this);
  at_->setObjectName("delivery");
  at_->setAccessibleName("Raster and chroma sampling that noise and detail are judged at");
  at_->addItem("as recorded");
  for (const auto& d : standardDeliveries()) at_->addItem(q(wordsOf(d)));
  words_ = new WrappedLabel(this);
  words_->setObjectName("quiet");
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

void CriteriaPanel::chooseSkinPath() {
  which_->setCurrentIndex(which_->findData(kSkinPath));
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
  const bool path = which_->currentData().toInt() == kSkinPath;
  at_->setEnabled(!path);
  if (view_.finding) path ? plotSkinPath() : plotCriterion();
  plot_->drawSoon();
}

// From the base outward: takes over it as one line, takes under it as another.
void CriteriaPanel::plotSkinPath() {
  struct Point {
    double stops = 0, a = 0, b = 0;
    QString name;
  };
  std::vector<Point> side[2] = {{{0, 0, 0, "base"}}, {{0, 0, 0, {}}}};
  for (const size_t i : view_.order) {
    const TakeMetrics& t = view_.take(i);
    const double stops = t.measured.value_or(t.planned);
    if (t.skinA && t.skinB && stops != 0) side[stops < 0].push_back({stops, *t.skinA, *t.skinB, q(t.name)});
  }
  std::vector<Point> named;
  const bool any = side[0].size() + side[1].size() > 2;
  words_->setText(any ? "The face that moved most, in a* (green to magenta) and b* (blue to yellow) against "
                        "the base: solid over it, dotted under it."
                      : "No face is marked in this bracket: what skin does is not known.");
  if (!any) return;
  plot_->axisRect()->setVisible(true);
  plot_->setAxes("a*: green to magenta", "b*: blue to yellow");
  const Theme& theme = plot_->currentTheme();
  double reach = kNarrowestPath / 2;
  for (int under = 0; under < 2; ++under) {
    auto& points = side[under];
    std::sort(points.begin(), points.end(),
              [](const Point& x, const Point& y) { return std::abs(x.stops) < std::abs(y.stops); });
    auto* curve = new QCPCurve(plot_->xAxis, plot_->yAxis);
    curve->setPen(QPen(under ? theme.quiet : theme.solid, 1.5, under ? Qt::DotLine : Qt::SolidLine));
    curve->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssCircle, under ? theme.quiet : theme.solid, 5));
    QVector<double> order, a, b;
    for (const auto& p : points) {
      order << std::abs(p.stops), a << p.a, b << p.b;
      reach = std::max({reach, std::abs(p.a), std::abs(p.b)});
      named.push_back(p);
    }
    curve->setData(order, a, b);
  }
  // A name that would lie on another is left out; the farthest come first.
  std::sort(named.begin(), named.end(),
            [](const Point& x, const Point& y) { return std::hypot(x.a, x.b) > std::hypot(y.a, y.b); });
  std::vector<Point> said;
  for (const auto& p : named) {
    const bool free = std::none_of(said.begin(), said.end(), [&](const Point& o) {
      return std::hypot(o.a - p.a, o.b - p.b) < kNameRoom * reach;
    });
    if (p.name.isEmpty() || !free) continue;
    said.push_back(p);
    auto* name = new QCPItemText(plot_);
    name->setText(p.name);
    name->setColor(theme.quiet);
    name->setFont(typeface(size::kSmall));
    name->setPositionAlignment(Qt::AlignLeft | Qt::AlignBottom);
    name->position->setCoords(p.a, p.b);
  }
  plot_->yAxis->setRange(-reach * kHeadroom, reach * kHeadroom);
  // One unit of a* is as long as one of b*.
  plot_->xAxis->setRange(-reach * kHeadroom, reach * kHeadroom);
  plot_->xAxis->setScaleRatio(plot_->yAxis, 1);
}

void CriteriaPanel::plotCriterion() {
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
  if (which_->currentData().toInt() == kSkinPath) return;
  const CriterionSpec& spec = specOf(criterion());
  document_.setCriteria(withLimit(document_.criteria(), spec.id, line == 0, std::round(y * 100) / 100),
                        QString("limits of %1").arg(spec.words));
}

}  // namespace edge::app
