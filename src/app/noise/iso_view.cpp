#include "noise/iso_view.h"

#include <QHBoxLayout>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "base/numbers.h"
#include "theme/text.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

constexpr double kHeadroom = 1.2;

QLabel* quiet(QWidget* parent) {
  auto* label = new WrappedLabel(parent);
  label->setObjectName("quiet");
  return label;
}

// ISO stands on the axis as stops, and is written as ISO.
void setIsoAxis(Plot* plot, const std::vector<double>& isos) {
  const QSharedPointer<QCPAxisTickerText> ticker(new QCPAxisTickerText);
  const size_t every = isos.size() > 12 ? 3 : isos.size() > 8 ? 2 : 1;
  for (size_t i = 0; i < isos.size(); i += every)
    ticker->addTick(std::log2(isos[i]), QString::number(isos[i]));
  plot->xAxis->setTicker(ticker);
  if (!isos.empty()) plot->xAxis->setRange(std::log2(isos.front()) - 0.4, std::log2(isos.back()) + 0.6);
}

}  // namespace

IsoView::IsoView(Document& document, QWidget* parent) : NoisePageView(document, parent) {
  sweep_ = new Plot(this);
  sweep_->setObjectName("sweep");
  sweep_->setAccessibleName("Noise at equal brightness over ISO, in stops");
  ladder_ = new Plot(this);
  ladder_->setObjectName("ladder");
  ladder_->setAccessibleName(
      "Noise of the zones over ISO; up and down move a limit, right and left choose it");
  figure_ = new QComboBox(this);
  figure_->setObjectName("figure");
  figure_->setAccessibleName("Noise of the zones shown over ISO");
  figure_->addItem("luma noise", static_cast<int>(LadderFigure::Luma));
  figure_->addItem("chroma noise", static_cast<int>(LadderFigure::Chroma));
  figure_->addItem("SNR of light", static_cast<int>(LadderFigure::Snr));
  sweepWords_ = quiet(this);
  ladderWords_ = quiet(this);
  auto* head = new QHBoxLayout;
  head->addWidget(figure_);
  head->addWidget(ladderWords_, 1);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(size::kGrid);
  column->addWidget(sweepWords_);
  column->addWidget(sweep_, 1);
  column->addLayout(head);
  column->addWidget(ladder_, 1);
  connect(figure_, &QComboBox::currentIndexChanged, this, &IsoView::plotLadder);
  connect(ladder_, &Plot::levelDropped, this, &IsoView::setLimit);
}

void IsoView::setTheme(const Theme& t) {
  sweep_->setTheme(t);
  ladder_->setTheme(t);
  show(finding_);
}

void IsoView::show(const NoiseFinding* finding) {
  finding_ = finding;
  // What was not shot takes no room from what was.
  const bool swept = finding && finding->sweep, laddered = finding && finding->ladder;
  sweep_->setVisible(swept || !laddered);
  ladder_->setVisible(laddered || !swept);
  figure_->setVisible(laddered);
  plotSweep();
  plotLadder();
}

// Stops of noise against the first ISO; a level line a circuit.
void IsoView::plotSweep() {
  sweep_->clearAll();
  sweepWords_->setText("No ISO sweep in constant dim light was measured: circuits are told by one.");
  if (!finding_ || !finding_->sweep) return sweep_->drawSoon();
  const SweepResult r = judgeSweep(*finding_->sweep);
  const Theme& t = sweep_->currentTheme();
  std::vector<double> x, y, isos;
  for (const auto& n : r.noise) {
    x.push_back(std::log2(n.iso));
    y.push_back(std::log2(n.noise / r.noise.front().noise));
    isos.push_back(n.iso);
  }
  sweepWords_->setText(x.empty()
                           ? QString("No take of the sweep tells its noise.")
                           : QString("Sweep in constant dim light: noise at equal brightness, patch %1.")
                                 .arg(q(finding_->sweep->patch)));
  if (x.empty()) return sweep_->drawSoon();
  sweep_->setAxes("ISO", "stops of noise");
  QCPGraph* points = sweep_->addCurve("measured", t.solid, x, y);
  auto* bars = new QCPErrorBars(sweep_->xAxis, sweep_->yAxis);
  bars->removeFromLegend();
  bars->setDataPlottable(points);
  bars->setPen(QPen(t.quiet));
  QVector<double> errors;
  for (const auto& n : r.noise) errors << n.sigma / std::log(2.0);
  bars->setData(errors);
  double low = *std::min_element(y.begin(), y.end());
  if (r.found)
    for (const auto& b : r.found->bands) {
      const double level = std::log2(b.noise / r.noise.front().noise);
      QCPGraph* band =
          sweep_->addCurve(QString("circuit from ISO %1").arg(b.nativeIso), t.accent,
                           {std::log2(b.fromIso) - 0.15, std::log2(b.toIso) + 0.15}, {level, level}, false);
      band->setPen(QPen(t.accent, 2));
      low = std::min(low, level);
    }
  low = std::min(low, plotReadNoise(r));
  setIsoAxis(sweep_, isos);
  sweep_->setLegendCorner(Qt::AlignRight | Qt::AlignTop);
  sweep_->yAxis->setRange(low - 0.3, std::max(0.3, *std::max_element(y.begin(), y.end()) + 0.3));
  sweep_->drawSoon();
}

// Read noise alone, from where the sweep stands at the lowest of its ISOs. Returns the lowest of them; 0:
// there is none to compare.
double IsoView::plotReadNoise(const SweepResult& sweep) {
  std::vector<double> x, y;
  double from = 0;
  for (const auto& read : readInLight(finding_->transfer, finding_->clips)) {
    const auto at = std::find_if(sweep.noise.begin(), sweep.noise.end(),
                                 [&](const SweepNoise& n) { return n.iso == read.iso; });
    if (at == sweep.noise.end()) continue;
    if (x.empty()) from = std::log2(at->noise / sweep.noise.front().noise) - read.stops;
    x.push_back(std::log2(read.iso));
    y.push_back(from + read.stops);
  }
  if (x.size() < 2) return 0;
  const Theme& t = sweep_->currentTheme();
  QCPGraph* points = sweep_->addCurve("read noise alone, photon transfer", t.quiet, x, y);
  points->setLineStyle(QCPGraph::lsNone);
  points->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDiamond, t.quiet, 9));
  return *std::min_element(y.begin(), y.end());
}

void IsoView::plotLadder() {
  ladder_->clearAll();
  ladderWords_->setText("No ISO ladder at constant exposure was measured.");
  if (!finding_ || !finding_->ladder) return ladder_->drawSoon();
  const auto figure = static_cast<LadderFigure>(figure_->currentData().toInt());
  const LadderMeasure& m = *finding_->ladder;
  std::vector<const ZonesOfTake*> takes;
  for (const auto& t : m.takes)
    if (t.iso > 0) takes.push_back(&t);
  std::sort(takes.begin(), takes.end(), [](const auto* a, const auto* b) { return a->iso < b->iso; });
  const Theme& t = ladder_->currentTheme();
  static constexpr Qt::PenStyle kPens[kZones] = {Qt::SolidLine, Qt::DashLine, Qt::DotLine};
  std::vector<double> isos;
  for (const auto* take : takes) isos.push_back(take->iso);
  double top = 0;
  for (int zone = 0; zone < kZones; ++zone) {
    std::vector<double> x, y;
    for (const auto* take : takes) {
      const ZoneNoise& z = take->zones[static_cast<size_t>(zone)];
      const std::optional<double> v = figure == LadderFigure::Snr    ? z.snr[kY]
                                      : !z.seen                      ? std::nullopt
                                      : figure == LadderFigure::Luma ? std::optional(z.seen->luma)
                                                                     : std::optional(z.seen->chroma);
      if (!v) continue;
      x.push_back(std::log2(take->iso));
      y.push_back(figure == LadderFigure::Snr ? std::log2(std::max(1e-3, *v)) : *v);
      top = std::max(top, y.back());
    }
    if (x.empty()) continue;
    const QString name = QString("%1, %2 stops")
                             .arg(wordOf(static_cast<Zone>(zone)),
                                  q(formatSigned(takes[0]->zones[static_cast<size_t>(zone)].stops, 1)));
    ladder_->addCurve(name, t.solid, x, y)->setPen(QPen(t.solid, 1.5, kPens[zone]));
  }
  ladderWords_->setText("Ladder at constant exposure, seen at " +
                        q(wordsOf(Delivery{Raster{m.rasterWidth, m.rasterHeight}, m.chroma})) + ".");
  if (figure == LadderFigure::Snr) {
    for (double limit : {2.0, 10.0}) ladder_->addLevel(std::log2(limit), QString("SNR %1").arg(limit), false);
    ladder_->setAxes("ISO", "log2 luma SNR");
    ladder_->yAxis->setRange(-1, std::max(4.0, top + 0.5));
  } else {
    const LimitPair& limit =
        document_.criteria()[figure == LadderFigure::Luma ? Criterion::LumaNoise : Criterion::ChromaNoise];
    if (limit.judges()) {
      ladder_->addLevel(limit.clean, QString("clean to %1").arg(q(formatNumber(limit.clean, 2))), true);
      ladder_->addLevel(limit.lost, QString("lost beyond %1").arg(q(formatNumber(limit.lost, 2))), true);
      top = std::max(top, limit.lost);
    }
    ladder_->setAxes("ISO", figure == LadderFigure::Luma ? "sd of L*" : "sd of a*, b*");
    ladder_->yAxis->setRange(0, top * kHeadroom);
  }
  setIsoAxis(ladder_, isos);
  ladder_->drawSoon();
}

// The limits are those of the profile: Latitude follows, too.
void IsoView::setLimit(double y, int line) {
  const auto figure = static_cast<LadderFigure>(figure_->currentData().toInt());
  if (figure == LadderFigure::Snr) return;
  const Criterion c = figure == LadderFigure::Luma ? Criterion::LumaNoise : Criterion::ChromaNoise;
  document_.setCriteria(withLimit(document_.criteria(), c, line == 0, std::round(y * 100) / 100),
                        QString("limits of %1").arg(specOf(c).words));
}

}  // namespace edge::app
