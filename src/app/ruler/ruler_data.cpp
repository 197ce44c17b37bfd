#include "ruler/ruler_data.h"

#include <algorithm>
#include <cmath>

#include "base/numbers.h"
#include "theme/text.h"

namespace edge::app {
namespace {

QString words(const Limit& l) {
  return q(limitWords(std::optional(l), true));
}

// Places of the range from grey.
struct RangeSpan {
  double floor, usable, clip;  // SNR 1, headline SNR, first channel that clips
  bool openLow, openHigh;
};

std::optional<RangeSpan> spanOf(const Finding& f) {
  if (!f.range || !f.range->aboveGrey || !f.range->belowGrey) return std::nullopt;
  const Limit &up = *f.range->aboveGrey, &down = *f.range->belowGrey;
  const Limit noise = f.range->noiseFloorBelowGrey.value_or(down);
  return RangeSpan{-noise.stops, -down.stops, up.stops, noise.atLeast, up.atLeast};
}

// A side on which the base itself fails ends at the base.
void addLatitudeBars(RulerRow& row, const LatitudeResult& r) {
  const Limit none{0, 0, false};
  const Limit cleanOver = r.edges.over.estimate.value_or(none),
              cleanUnder = r.edges.under.estimate.value_or(none);
  const Limit endOver = r.cleaned.over.estimate.value_or(none),
              endUnder = r.cleaned.under.estimate.value_or(none);
  const double over = cleanOver.stops, under = cleanUnder.stops;
  const double lostOver = endOver.stops, lostUnder = endUnder.stops;
  const bool openHigh = cleanOver.atLeast, openLow = cleanUnder.atLeast;
  const bool goesOnHigh = endOver.atLeast, goesOnLow = endUnder.atLeast;
  if (!openLow && lostUnder < under - 0.02)
    row.bars.push_back(
        {lostUnder, under, Pattern::Hatched, goesOnLow, false, "cleanable down to " + words(endUnder)});
  row.bars.push_back({under, over, Pattern::Solid, openLow, openHigh,
                      "clean from " + words(cleanUnder) + " to " + words(cleanOver)});
  if (!openHigh && lostOver > over + 0.02)
    row.bars.push_back(
        {over, lostOver, Pattern::Hatched, false, goesOnHigh, "cleanable up to " + words(endOver)});
  if (!goesOnLow)
    row.bars.push_back(
        {lostUnder - 0.6, lostUnder, Pattern::Hollow, false, false, "lost below " + words(endUnder)});
  if (!goesOnHigh)
    row.bars.push_back(
        {lostOver, lostOver + 0.6, Pattern::Hollow, false, false, "lost above " + words(endOver)});
}

void addEdges(RulerRow& row, const Edges& e) {
  const auto edge = [&](const EdgeLimit& l, bool upper) {
    if (!l.estimate) return;
    row.edges.push_back({l.estimate->stops, l.estimate->sigma, l.estimate->atLeast, upper,
                         QString(upper ? "upper edge " : "lower edge ") + words(*l.estimate) +
                             (l.cause.none() ? QString() : ", " + q(wordsOf(l.cause)))});
  };
  edge(e.under, false);
  edge(e.over, true);
}

constexpr double kSameEdge = 0.05;  // stops

RulerMark stroke(double at, const char* name, QString words) {
  RulerMark m;
  m.at = at, m.name = name, m.words = std::move(words), m.edge = true;
  return m;
}

// Beside a person's edges the tool's own, where they differ.
void addToolEdges(RulerRow& row, const Finding& f) {
  if (!f.toolEdges || !f.latitude) return;
  const auto beside = [&](const EdgeLimit& tool, const EdgeLimit& person, const char* which) {
    if (!tool.estimate ||
        (person.estimate && std::abs(tool.estimate->stops - person.estimate->stops) < kSameEdge))
      return;
    row.marks.push_back(stroke(tool.estimate->stops + f.baseAboveGrey, "tool",
                               QString("%1 edge by the tool alone: %2").arg(which, words(*tool.estimate))));
  };
  beside(f.toolEdges->under, f.latitude->edges.under, "lower");
  beside(f.toolEdges->over, f.latitude->edges.over, "upper");
}

// Where the range would end if it were as published: counted down from the clip that was measured.
void addClaim(RulerRow& row, const Finding& f) {
  if (!f.claimStops || !f.range || !f.range->aboveGrey) return;
  row.marks.push_back(stroke(f.range->aboveGrey->stops - *f.claimStops, "published",
                             QString("published: %1 stops, measured: %2")
                                 .arg(*f.claimStops, 0, 'f', 1)
                                 .arg(q(limitWords(f.range->headline)))));
}

}  // namespace

RulerRow rangeRow(const Finding& f, const QString& label) {
  RulerRow row;
  row.label = label;
  const auto s = spanOf(f);
  if (!s) {
    row.note = "not measured";
    return row;
  }
  row.note = q(limitWords(f.range->headline));
  const Limit below = {-f.range->belowGrey->stops, f.range->belowGrey->sigma, f.range->belowGrey->atLeast};
  row.bars.push_back({s->floor, s->usable, Pattern::Hatched, s->openLow, false, "noisy: luma SNR 1 to 2"});
  row.bars.push_back({s->usable, s->clip, Pattern::Solid, false, s->openHigh,
                      "usable: " + q(limitWords(f.range->headline))});
  row.edges.push_back({below.stops, below.sigma, below.atLeast, false, "luma SNR 2 at " + words(below)});
  row.edges.push_back({s->clip, f.range->aboveGrey->sigma, s->openHigh, true,
                       "first channel clips at " + words(*f.range->aboveGrey)});
  return row;
}

RulerRow latitudeRow(const Finding& f, const QString& label, const QString& selectedTake, bool withTakes) {
  RulerRow row;
  row.label = label;
  if (!f.latitude) {
    row.note = "not measured";
    return row;
  }
  row.note = q(limitWords(f.latitude->edges.latitude));
  addLatitudeBars(row, *f.latitude);
  addEdges(row, f.latitude->edges);
  if (!withTakes) return row;
  for (size_t i = 0; i < f.latitudeMeasure->takes.size(); ++i) {
    const TakeMetrics& t = f.latitudeMeasure->takes[i];
    RulerMark m;
    m.at = t.measured.value_or(t.planned), m.planned = t.planned;
    m.name = q(formatSigned(t.planned, 0));
    m.selected = q(t.name) == selectedTake;
    m.words = QString("take %1, planned %2, measured %3, %4")
                  .arg(q(t.name), q(formatSigned(t.planned, 1)),
                       t.measured ? q(formatSigned(*t.measured, 2)) : "unknown",
                       wordOf(f.latitude->judged[i].verdict));
    row.marks.push_back(m);
  }
  std::sort(row.marks.begin(), row.marks.end(),
            [](const RulerMark& a, const RulerMark& b) { return a.at < b.at; });
  return row;
}

RulerRow shifted(RulerRow row, double stops) {
  for (auto& bar : row.bars) {
    bar.from += stops;
    bar.to += stops;
  }
  for (auto& edge : row.edges) edge.at += stops;
  for (auto& mark : row.marks) {
    mark.at += stops;
    if (mark.planned) *mark.planned += stops;
  }
  return row;
}

RulerRow fromGrey(RulerRow row, const Finding& f) {
  return shifted(std::move(row), f.baseAboveGrey);
}

RulerRow boardRow(const Finding& f) {
  RulerRow row = fromGrey(latitudeRow(f, q(f.configuration.body), "", false), f);
  row.note = q(f.configuration.mode + " · ISO " + formatNumber(f.configuration.iso, 0));
  addToolEdges(row, f);
  addClaim(row, f);
  if (const auto s = spanOf(f)) {
    RulerBar bar = {s->usable,  s->clip,     Pattern::Hollow,
                    s->openLow, s->openHigh, "range " + q(limitWords(f.range->headline)),
                    true};
    row.bars.push_back(bar);
  }
  return row;
}

}  // namespace edge::app
