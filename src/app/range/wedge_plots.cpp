#include "range/wedge_plots.h"

#include <cmath>

#include "base/numbers.h"
#include "base/units.h"
#include "range/state_look.h"
#include "theme/text.h"

namespace edge::app {
namespace {

double levelIn(TraceUnit unit, const WedgeMeasure& w, const ChannelMeasure& c) {
  if (unit == TraceUnit::Stops) return c.mean > 0 ? std::log2(c.mean / kMiddleGrey) : std::nan("");
  return unit == TraceUnit::Code ? c.code * (w.levels > 0 ? w.levels : 1) : 100 * c.code;
}

// Level of green at a place of the chart's scale, between the two steps around it.
std::optional<double> levelAt(const Finding& f, TraceUnit unit, double stops) {
  const WedgeMeasure& w = *f.wedge;
  if (unit == TraceUnit::Stops) {
    const ChannelRange& y = f.range->channel[kY];
    return y.slope > 0 ? std::optional(std::log2(y.slope / kMiddleGrey) + stops) : std::nullopt;
  }
  for (size_t k = 0; k + 1 < w.patches.size(); ++k) {
    const double a = w.patches[k].stops, b = w.patches[k + 1].stops;
    if ((stops > a) == (stops > b)) continue;
    const double share = (a - stops) / (a - b);
    return (1 - share) * levelIn(unit, w, w.patches[k].channel[kG]) +
           share * levelIn(unit, w, w.patches[k + 1].channel[kG]);
  }
  return std::nullopt;
}

// Where a channel is gone SNR says nothing.
bool endsThere(PatchState s) {
  return s < PatchState::Intact;
}

void addClass(Plot& plot, const Theme& t, PatchState state, double from, double to, double bottom,
              double top) {
  auto* box = new QCPItemRect(&plot);
  box->topLeft->setCoords(from, top), box->bottomRight->setCoords(to, bottom);
  QColor ink = t.quiet;
  box->setPen(QPen(ink, 1, statePen(state)));
  ink.setAlpha(state == PatchState::Intact ? 60 : 140);
  box->setBrush(QBrush(ink, stateFill(state)));
  auto* word = new QCPItemText(&plot);
  word->setText(stateWord(state));
  word->setFont(typeface(11));
  word->setColor(t.text);
  word->setBrush(QBrush(t.window));
  word->setPadding(QMargins(2, 0, 2, 0));
  word->setPositionAlignment(Qt::AlignHCenter | Qt::AlignTop);
  word->position->setCoords((from + to) / 2, bottom);
  // A word wider than its steps stands on end.
  if ((to - from) / std::max(1.0, plot.xAxis->range().size()) * plot.axisRect()->width() <
      QFontMetrics(word->font()).horizontalAdvance(word->text()) + 2) {
    word->setRotation(90);
    word->setPositionAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  }
}

// Runs of steps of one class, in a band above the levels.
void addClasses(Plot& plot, const Finding& f, double bottom, double top) {
  const auto& states = f.range->states;
  for (size_t k = 0; k < states.size();) {
    size_t end = k;
    while (end + 1 < states.size() && states[end + 1] == states[k]) ++end;
    addClass(plot, plot.currentTheme(), states[k], static_cast<double>(k) + 0.54,
             static_cast<double>(end) + 1.46, bottom, top);
    k = end + 1;
  }
}

// The axis speaks of steps by their names, as many as there is room for.
void nameSteps(Plot& plot, const WedgeMeasure& w) {
  const QSharedPointer<QCPAxisTickerText> names(new QCPAxisTickerText);
  const size_t every = 1 + w.patches.size() / 12;
  for (size_t k = 0; k < w.patches.size(); k += every)
    names->addTick(static_cast<double>(k) + 1, q(w.patches[k].name));
  plot.xAxis->setTicker(names);
}

void addChosen(Plot& plot, double step) {
  auto* box = new QCPItemRect(&plot);
  box->topLeft->setTypeY(QCPItemPosition::ptAxisRectRatio),
      box->bottomRight->setTypeY(QCPItemPosition::ptAxisRectRatio);
  box->topLeft->setCoords(step + 0.5, 0), box->bottomRight->setCoords(step + 1.5, 1);
  box->setPen(QPen(plot.currentTheme().accent, 1.5));
}

}  // namespace

void fillTrace(Plot& plot, const Finding& f, TraceUnit unit, double headlineSnr, const QString& chosen) {
  const Theme& t = plot.currentTheme();
  const WedgeMeasure& w = *f.wedge;
  plot.clearAll();
  const QColor ink[3] = {t.red, t.green, t.blue};
  const char* names[3] = {"red", "green", "blue"};
  double low = 1e9, high = -1e9;
  for (int c = 0; c < 3; ++c) {
    std::vector<double> x, y;
    for (size_t k = 0; k < w.patches.size(); ++k) {
      const double v = levelIn(unit, w, w.patches[k].channel[c]);
      if (!std::isfinite(v)) continue;
      const double at = static_cast<double>(k) + 0.06 * c;
      x.insert(x.end(), {at + 0.62, at + 1.26}), y.insert(y.end(), {v, v});
      low = std::min(low, v), high = std::max(high, v);
    }
    plot.addCurve(names[c], ink[c], x, y, false);
  }
  if (low > high) return;
  const double span = std::max(1e-9, high - low);
  plot.setAxes("step of the wedge", unit == TraceUnit::Stops  ? "stops from grey"
                                    : unit == TraceUnit::Code ? "code value"
                                                              : "per cent of range");
  nameSteps(plot, w);
  plot.xAxis->setRange(0.3, static_cast<double>(w.patches.size()) + 0.9);
  plot.yAxis->setRange(low - 0.06 * span, high + 0.34 * span);
  addClasses(plot, f, high + 0.22 * span, high + 0.31 * span);
  if (!f.range->colourComplete.atLeast)
    if (const auto clip = levelAt(f, unit, f.range->colourComplete.stops))
      plot.addLevel(*clip, "first channel ends", false);
  const auto& lower = f.range->channel[kY].lower;
  if (const auto floor = lower.find(headlineSnr); floor != lower.end() && !floor->second.atLeast)
    if (const auto level = levelAt(f, unit, floor->second.stops))
      plot.addLevel(*level, "floor: luma SNR " + q(formatNumber(headlineSnr, 1)), false);
  for (size_t k = 0; k < w.patches.size(); ++k)
    if (q(w.patches[k].name) == chosen) addChosen(plot, static_cast<double>(k));
  plot.drawSoon();
}

void fillSnr(Plot& plot, const Finding& f, double headlineSnr) {
  const RangeResult& r = *f.range;
  const Theme& t = plot.currentTheme();
  const double grey = r.greyStops.value_or(0);
  plot.clearAll();
  const QColor ink[kMeasured] = {t.red, t.green, t.blue, t.text};
  const char* names[kMeasured] = {"red", "green", "blue", "luma"};
  double low = -1, high = 1, bottom = 0, top = 0;
  for (int c = 0; c < kMeasured; ++c) {
    if (!r.channel[c].usable) continue;
    std::vector<double> x, y;
    for (size_t k = 0; k < f.wedge->patches.size(); ++k) {
      const double snr = r.channel[c].snr[k];
      if (snr <= 0.05 || endsThere(r.states[k])) continue;
      x.push_back(f.wedge->patches[k].stops - grey), y.push_back(std::log2(snr));
      low = std::min(low, x.back()), high = std::max(high, x.back());
      bottom = std::min(bottom, y.back()), top = std::max(top, y.back());
    }
    plot.addCurve(names[c], ink[c], x, y);
  }
  for (double s : {1.0, 2.0, 10.0})
    if (std::abs(s - headlineSnr) > 0.05) plot.addLevel(std::log2(s), QString("SNR %1").arg(s), false);
  plot.addLevel(std::log2(headlineSnr), "counts: SNR " + q(formatNumber(headlineSnr, 1)), true);
  plot.setAxes("stops from grey", "log2 SNR");
  plot.xAxis->setRange(low - 0.5, high + 0.5);
  plot.yAxis->setRange(std::max(-3.0, bottom - 0.5), top + 0.8);
  plot.drawSoon();
}

int stepAt(const Plot& plot, const Finding& f, double x) {
  const int step = static_cast<int>(std::floor(plot.xAxis->pixelToCoord(x) - 0.5));
  return f.wedge && step >= 0 && step < static_cast<int>(f.wedge->patches.size()) ? step : -1;
}

}  // namespace edge::app
