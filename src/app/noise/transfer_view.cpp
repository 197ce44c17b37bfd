#include "noise/transfer_view.h"

#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "theme/text.h"

namespace edge::app {
namespace {

constexpr Qt::PenStyle kPens[] = {Qt::SolidLine, Qt::DashLine, Qt::DotLine, Qt::DashDotLine};
constexpr double kFewestElectrons = 0.5, kMostElectrons = 1e6;

// Electrons stand on the axes as powers of ten.
QSharedPointer<QCPAxisTicker> decades() {
  return QSharedPointer<QCPAxisTicker>(new QCPAxisTickerLog);
}

}  // namespace

TransferView::TransferView(Document& document, QWidget* parent) : NoisePageView(document, parent) {
  plot_ = new Plot(this);
  plot_->setObjectName("transfer");
  plot_->setAccessibleName("Noise over signal in electrons, green, by ISO");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->addWidget(plot_);
}

void TransferView::setTheme(const Theme& t) {
  plot_->setTheme(t);
  show(finding_);
}

void TransferView::show(const NoiseFinding* finding) {
  finding_ = finding;
  plot_->clearAll();
  if (!finding || finding->transfer.empty()) return plot_->drawSoon();
  plot_->setAxes("signal, electrons", "noise, electrons");
  for (auto* axis : {plot_->xAxis, plot_->yAxis}) {
    axis->setScaleType(QCPAxis::stLogarithmic);
    axis->setTicker(decades());
    axis->setNumberFormat("gb");
    axis->setNumberPrecision(0);
  }
  for (size_t i = 0; i < finding->transfer.size(); ++i) plotIso(finding->transfer[i], i);
  plot_->setLegendCorner(Qt::AlignLeft | Qt::AlignTop);
  plot_->drawSoon();
}

// The takes as points; the line is what read noise and photons make together.
void TransferView::plotIso(const IsoTransfer& transfer, size_t index) {
  const TransferChannel green = greenOf(transfer);
  const Theme& t = plot_->currentTheme();
  std::vector<double> x, y;
  for (const auto& p : electronsOf(transfer)) x.push_back(p.signal), y.push_back(p.noise);
  if (x.empty()) return;
  QCPGraph* takes = plot_->addCurve(QString(), t.solid, x, y);
  takes->setLineStyle(QCPGraph::lsNone);
  takes->removeFromLegend();
  const double read = green.readNoiseE ? green.readNoiseE->value : 0;
  const double well = green.fullWellE ? green.fullWellE->value : *std::max_element(x.begin(), x.end());
  std::vector<double> at, noise;
  for (double e = kFewestElectrons; e < std::min(well, kMostElectrons); e *= 1.2) {
    at.push_back(e);
    noise.push_back(std::hypot(read, std::sqrt(e)));
  }
  QCPGraph* line = plot_->addCurve(QString("ISO %1").arg(transfer.iso), t.accent, at, noise, false);
  line->setPen(QPen(t.accent, 1.5, kPens[index % std::size(kPens)]));
  const double top = 2 * std::max(std::sqrt(well), noise.empty() ? 1 : noise.back());
  // What the ISOs before it asked for is kept; what another body did is not.
  const bool first = index == 0;
  plot_->xAxis->setRange(kFewestElectrons, std::max(first ? 0 : plot_->xAxis->range().upper, 2 * well));
  const double low = std::max(0.5, read / 2);
  plot_->yAxis->setRange(first ? low : std::min(plot_->yAxis->range().lower, low),
                         std::max(first ? 0 : plot_->yAxis->range().upper, top));
}

}  // namespace edge::app
