#include "range/range_stage.h"

#include <QKeyEvent>
#include <QScrollArea>
#include <QVBoxLayout>
#include <cmath>

#include "base/numbers.h"
#include "project/setup.h"
#include "ruler/ruler_data.h"
#include "theme/text.h"

namespace edge::app {
namespace {

constexpr double kLowestSnr = 0.5, kHighestSnr = 50;

double clampSnr(double v) {
  return std::clamp(std::round(v * 10) / 10, kLowestSnr, kHighestSnr);
}

QLabel* quietLabel(const QString& text, QWidget* parent) {
  auto* label = new QLabel(text, parent);
  label->setObjectName("quiet");
  return label;
}

Qt::PenStyle penOf(PatchState s) {
  switch (s) {
    case PatchState::Intact:
      return Qt::SolidLine;
    case PatchState::Noisy:
      return Qt::DashLine;
    case PatchState::Lost:
      return Qt::DotLine;
    default:
      return Qt::DashDotLine;
  }
}

}  // namespace

RangeStage::RangeStage(Document& document, QWidget* parent) : Stage(parent), document_(document) {
  ruler_ = new RulerWidget(this);
  ruler_->setRowHeight(58);
  picture_ = new PictureView(this);
  trace_ = new Plot(this), snr_ = new Plot(this);
  trace_->setAccessibleName("Level trace"),
      snr_->setAccessibleName("SNR over stops; up and down move the threshold");
  trace_->setLegendCorner(Qt::AlignRight | Qt::AlignTop);
  unit_ = new QComboBox(this);
  unit_->addItems({"stops", "code", "per cent"});
  unit_->setAccessibleName("Axis of the level trace");
  explain_ = new ExplainPanel(document, "headline", this);
  warnings_ = new QLabel(this);
  warnings_->setWordWrap(true);
  warnings_->setObjectName("quiet");

  auto* traceHead = new QHBoxLayout;
  traceHead->addWidget(quietLabel("Level trace, axis in", this));
  traceHead->addWidget(unit_);
  traceHead->addStretch();
  auto* left = new QVBoxLayout;
  left->addWidget(picture_, 5);
  left->addLayout(traceHead);
  left->addWidget(trace_, 5);
  auto* middle = new QVBoxLayout;
  middle->addWidget(quietLabel("SNR over stops: drag the solid line to choose what counts", this));
  middle->addWidget(snr_, 1);
  auto* panel = new QWidget(this);
  panel->setFixedWidth(316);
  buildFigures(panel);
  auto* columns = new QHBoxLayout;
  columns->setSpacing(size::kMargin);
  columns->addLayout(left, 5);
  columns->addLayout(middle, 4);
  columns->addWidget(panel);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(size::kMargin, size::kGap, size::kMargin, size::kGap);
  all->addWidget(ruler_);
  all->addLayout(columns, 1);

  connect(&document_, &Document::findingsChanged, this, &RangeStage::refresh);
  connect(&document_, &Document::currentChanged, this, &RangeStage::refresh);
  connect(unit_, &QComboBox::currentIndexChanged, this, &RangeStage::refresh);
  connect(snr_, &Plot::levelDragged, this,
          [this](double y) { document_.previewHeadlineSnr(clampSnr(std::exp2(y))); });
  connect(snr_, &Plot::levelDropped, this,
          [this](double y) { document_.setHeadlineSnr(clampSnr(std::exp2(y))); });
  connect(picture_, &PictureView::regionChosen, this, &RangeStage::choosePatch);
  connect(&pictureJob_, &Job::failed, this,
          [this](const QString& problem, const QString& where, const QString& remedy) {
            picture_->clearPicture(problem + "\n" + where + "\n" + remedy);
          });
  refresh();
}

void RangeStage::buildFigures(QWidget* panel) {
  auto* column = new QVBoxLayout(panel);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  const std::vector<std::pair<const char*, const char*>> rows = {{"headline", "Dynamic range"},
                                                                 {"above-grey", "Above grey"},
                                                                 {"below-grey", "Below grey"},
                                                                 {"noise-floor", "Noise floor below grey"},
                                                                 {"snr1", "To SNR 1"},
                                                                 {"snr2", "To SNR 2"},
                                                                 {"snr10", "To SNR 10"},
                                                                 {"steps", "Steps above noise"},
                                                                 {"filtering", "Noise filtering"}};
  for (const auto& [key, label] : rows) {
    auto* row = new FigureRow(key, label, figures_.empty(), panel);
    connect(row, &FigureRow::asked, explain_, &ExplainPanel::show);
    column->addWidget(row);
    figures_.push_back(row);
  }
  column->addSpacing(size::kGap);
  column->addWidget(warnings_);
  column->addSpacing(size::kGap);
  column->addWidget(explain_, 1);
}

QString RangeStage::state() const {
  if (!document_.isOpen()) return "no project";
  int measured = 0, all = 0;
  for (const auto& f : document_.findings())
    all += hasWedge(f.configuration), measured += f.range.has_value();
  return all == 0 ? "no wedge shot" : QString("%1 of %2 measured").arg(measured).arg(all);
}

std::vector<std::pair<QString, QString>> RangeStage::keys() const {
  return {{"Tab", "next figure, plot or ruler"},
          {"Enter", "where a figure comes from"},
          {"Up, Down", "in the SNR plot: move the threshold by 0.1 (Shift: 0.5)"},
          {"V", "next axis of the level trace"},
          {"Z", "picture fitted or at 100 %"},
          {"Ctrl+C", "copy the figure or plot in focus"}};
}

void RangeStage::setTheme(const Theme& t) {
  ruler_->setTheme(t), picture_->setTheme(t), trace_->setTheme(t), snr_->setTheme(t);
  for (auto* f : figures_) f->setTheme(t);
  refresh();
}

void RangeStage::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_V)
    unit_->setCurrentIndex((unit_->currentIndex() + 1) % unit_->count());
  else if (event->key() == Qt::Key_Z)
    picture_->setActualSize(!property("actual").toBool()),
        setProperty("actual", !property("actual").toBool());
  else
    Stage::keyPressEvent(event);
}

void RangeStage::refresh() {
  emit stateChanged();
  const Finding* f = document_.current();
  RulerData d;
  if (f)
    d.rows = {rangeRow(*f, "Range")};
  else
    d.rows = {RulerRow{"Range", "no project open", {}, {}, {}, false}};
  ruler_->setData(d);
  if (!f || !f->range) {
    for (auto* row : figures_) row->setFigure("not measured", "", "");
    warnings_->setText(!f ? ""
                       : !isDecoded(f->configuration)
                           ? "The files don't say how they are to be read: answer on Match, page 3."
                       : hasWedge(f->configuration) ? "This wedge has not been measured yet: use Analyse."
                                                    : "No wedge was shot in this configuration.");
    trace_->clearAll(), snr_->clearAll();
    trace_->replot(QCustomPlot::rpQueuedReplot), snr_->replot(QCustomPlot::rpQueuedReplot);
    explain_->refresh();
    if (!f) picture_->clearPicture("Open a project to see its wedge.");
    loadPicture();
    return;
  }
  refreshFigures(*f);
  refreshPlots(*f);
  refreshTrace(*f);
  refreshRegions(*f);
  explain_->refresh();
  loadPicture();
}

void RangeStage::refreshFigures(const Finding& f) {
  const RangeResult& r = *f.range;
  const auto at = [&](double t) {
    const auto& m = r.channel[kY].range;
    const auto i = m.find(t);
    return i == m.end() ? std::nullopt : std::optional(i->second);
  };
  const ChannelFiltering& y = f.wedge->filtering[kY];
  const auto set = [&](int i, const std::optional<Limit>& l, const QString& note = "") {
    figures_[static_cast<size_t>(i)]->setFigure(q(limitFigure(l)), l ? "stops" : "", note);
  };
  set(0, r.headline,
      QString("colour-complete to luma SNR %1, per pixel")
          .arg(q(formatNumber(document_.rangeOptions().headlineSnr, 1))));
  figures_[0]->setToolTip(q(r.headlineLabel));
  set(1, r.aboveGrey), set(2, r.belowGrey), set(3, r.noiseFloorBelowGrey), set(4, at(1)), set(5, at(2)),
      set(6, at(10));
  figures_[7]->setFigure(QString::number(r.stepsVisible), "of " + QString::number(f.wedge->patches.size()),
                         "");
  figures_[8]->setFigure(y.verticalLag > 0.3   ? "strong"
                         : y.verticalLag > 0.1 ? "yes"
                                               : "none found",
                         "lag " + q(formatNumber(y.verticalLag, 2)), "");
  QString text;
  for (const auto& w : r.warnings)
    text += (text.isEmpty() ? "" : "\n") + QString("• ") + q(w.message) +
            (w.where.empty() ? "" : " (" + q(w.where) + ")");
  warnings_->setText(text);
}

void RangeStage::refreshPlots(const Finding& f) {
  const RangeResult& r = *f.range;
  const Theme& t = snr_->currentTheme();
  const double grey = r.greyStops.value_or(0);
  snr_->clearAll();
  const QColor ink[kMeasured] = {t.red, t.green, t.blue, t.text};
  const char* names[kMeasured] = {"red", "green", "blue", "luma"};
  double low = -1, high = 1, bottom = 0, top = 0;
  for (int c = 0; c < kMeasured; ++c) {
    if (!r.channel[c].usable) continue;
    std::vector<double> x, y;
    for (size_t k = 0; k < f.wedge->patches.size(); ++k) {
      const double snr = r.channel[c].snr[k];
      if (snr <= 0.05 || r.states[k] == PatchState::Clipped) continue;
      x.push_back(f.wedge->patches[k].stops - grey), y.push_back(std::log2(snr));
      low = std::min(low, x.back()), high = std::max(high, x.back());
      bottom = std::min(bottom, y.back()), top = std::max(top, y.back());
    }
    snr_->addCurve(names[c], ink[c], x, y);
  }
  for (double s : {1.0, 2.0, 10.0})
    if (std::abs(s - document_.rangeOptions().headlineSnr) > 0.05)
      snr_->addLevel(std::log2(s), QString("SNR %1").arg(s), false);
  snr_->addLevel(std::log2(document_.rangeOptions().headlineSnr),
                 "counts: SNR " + q(formatNumber(document_.rangeOptions().headlineSnr, 1)), true);
  snr_->setAxes("stops from grey", "log2 SNR");
  snr_->xAxis->setRange(low - 0.5, high + 0.5);
  snr_->yAxis->setRange(std::max(-3.0, bottom - 0.5), top + 0.8);
  snr_->replot(QCustomPlot::rpQueuedReplot);
}

// Mean level of each step, brightest left, in the unit chosen.
void RangeStage::refreshTrace(const Finding& f) {
  const Theme& t = trace_->currentTheme();
  trace_->clearAll();
  const int unit = unit_->currentIndex();
  const QColor ink[3] = {t.red, t.green, t.blue};
  const char* names[3] = {"red", "green", "blue"};
  double low = 1e9, high = -1e9;
  const auto level = [&](const ChannelMeasure& c) {
    if (unit == 0) return c.mean > 0 ? std::log2(c.mean / 0.18) : std::nan("");
    return unit == 1 ? c.code * (f.wedge->levels > 0 ? f.wedge->levels : 1) : 100 * c.code;
  };
  for (int c = 0; c < 3; ++c) {
    std::vector<double> x, y;
    for (size_t k = 0; k < f.wedge->patches.size(); ++k) {
      const double v = level(f.wedge->patches[k].channel[c]);
      if (!std::isfinite(v)) continue;
      // A step is drawn flat over its width; channels are spread a little so that none hides another.
      x.insert(x.end(), {static_cast<double>(k) + 0.62 + 0.06 * c, static_cast<double>(k) + 1.26 + 0.06 * c});
      y.insert(y.end(), {v, v});
      low = std::min(low, v), high = std::max(high, v);
    }
    trace_->addCurve(names[c], ink[c], x, y, false);
  }
  trace_->setAxes("step of the wedge", unit == 0   ? "stops from grey"
                                       : unit == 1 ? "code value"
                                                   : "per cent of range");
  trace_->xAxis->setRange(0.3, static_cast<double>(f.wedge->patches.size()) + 0.9);
  trace_->yAxis->setRange(low - 0.06 * (high - low), high + 0.06 * (high - low));
  trace_->replot(QCustomPlot::rpQueuedReplot);
}

void RangeStage::refreshRegions(const Finding& f) {
  std::vector<PictureRegion> regions;
  for (size_t k = 0; k < f.configuration.wedge.patches.size() && k < f.range->states.size(); ++k) {
    const Patch& p = f.configuration.wedge.patches[k];
    regions.push_back(
        {p.corners, q(p.name),
         QString("step %1: %2, luma SNR %3")
             .arg(q(p.name), wordOf(f.range->states[k]), q(formatNumber(f.range->channel[kY].snr[k], 2))),
         penOf(f.range->states[k]), q(p.name) == chosenPatch_});
  }
  picture_->setRegions(std::move(regions), f.configuration.wedge.referenceWidth,
                       f.configuration.wedge.referenceHeight);
}

void RangeStage::choosePatch(const QString& name) {
  chosenPatch_ = name;
  if (document_.current() && document_.current()->range) refreshRegions(*document_.current());
  explain_->show("patch:" + name);
}

void RangeStage::loadPicture() {
  const Finding* f = document_.current();
  const ClipRecord* clip = f ? f->configuration.clipOfKind("wedge") : nullptr;
  const std::string path = clip ? (document_.project().folder() / clip->path).string() : "";
  if (path == shownClip_) return;
  shownClip_ = path;
  if (!clip) return picture_->clearPicture("No wedge in this configuration.");
  picture_->clearPicture("reading the wedge …");
  const DecodeOptions decode = decodeOf(f->configuration, document_.project().folder());
  const QString caption = q(f->configuration.label()) + " · wedge, shown 4 stops down";
  pictureJob_.start("wedge picture", [this, path, decode, caption, first = clip->first](
                                         const Progress& progress, const Job::Deliver& deliver) {
    // The wedge is shot with its first step clipped: shown four stops down so that its bright steps can
    // be told apart.
    auto picture = std::make_shared<Picture>(renderPicture(path, decode, first, 16, 0, "filmic", progress));
    deliver([this, picture, caption] { picture_->setPicture(*picture, caption); });
  });
}

}  // namespace edge::app
