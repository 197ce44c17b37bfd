#include "noise/infrared_view.h"

#include <QHBoxLayout>
#include <algorithm>
#include <cmath>

#include "base/numbers.h"
#include "theme/text.h"

namespace edge::app {
namespace {
constexpr double kHeadroom = 1.2, kLeast = 4;  // a*, b*
}

InfraredView::InfraredView(Document& document, QWidget* parent) : NoisePageView(document, parent) {
  shift_ = new Plot(this);
  shift_->setObjectName("shift");
  shift_->setAccessibleName("Colour of black against white over ND; up and down move the limit");
  way_ = new Plot(this);
  way_->setAccessibleName("The way black goes in a*, b* over ND");
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(size::kGap);
  row->addWidget(shift_, 3);
  row->addWidget(way_, 2);
  connect(shift_, &Plot::levelDropped, this, [this](double y, int) {
    document_.setCriteria(
        withLimit(document_.criteria(), Criterion::ColourShift, true, std::round(y * 100) / 100),
        QString("limits of %1").arg(specOf(Criterion::ColourShift).words));
  });
}

void InfraredView::setTheme(const Theme& t) {
  shift_->setTheme(t);
  way_->setTheme(t);
  plot();
}

void InfraredView::show(const NoiseFinding* finding) {
  finding_ = finding;
  plot();
}

void InfraredView::plot() {
  shift_->clearAll();
  way_->clearAll();
  if (finding_ && finding_->infrared) {
    std::vector<double> nd, size, a, b;
    double most = kLeast;
    for (const auto& t : finding_->infrared->takes) {
      nd.push_back(t.nd);
      a.push_back(t.a);
      b.push_back(t.b);
      size.push_back(std::hypot(t.a, t.b));
      most = std::max(most, size.back());
    }
    shift_->addCurve("black against white", shift_->currentTheme().solid, nd, size);
    shift_->setAxes("ND", "shift in a*, b*");
    const double limit = document_.criteria()[Criterion::ColourShift].clean;
    shift_->addLevel(limit, QString("clean to %1").arg(q(formatNumber(limit, 2))), true);
    shift_->xAxis->setRange(nd.front() - 0.15, nd.back() + 0.3);
    shift_->yAxis->setRange(0, std::max(most, limit) * kHeadroom);
    way_->axisRect()->setVisible(true);
    auto* curve = new QCPCurve(way_->xAxis, way_->yAxis);
    curve->setPen(QPen(way_->currentTheme().solid, 1.5));
    curve->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, 5));
    curve->setData(QVector<double>(a.begin(), a.end()), QVector<double>(b.begin(), b.end()));
    way_->legend->setVisible(false);
    way_->setAxes("a*: green to magenta", "b*: blue to yellow");
    way_->xAxis->setRange(-most * kHeadroom, most * kHeadroom);
    way_->yAxis->setRange(-most * kHeadroom, most * kHeadroom);
  }
  shift_->drawSoon();
  way_->drawSoon();
}

}  // namespace edge::app
