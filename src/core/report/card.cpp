#include <fmt/format.h>

#include <cmath>

#include "base/numbers.h"
#include "report/findings.h"

namespace edge {
namespace {

std::string greyLevel(const Finding& f) {
  const std::string& curve = f.configuration.decode.curve;
  if (f.configuration.mode == "raw" || curve == "linear" || !isCurveName(curve)) return "";
  const double code = makeCurve(curve).curve->toCode(0.18);
  return formatNumber(100 * code, 1) + " % of " +
         (f.configuration.decode.range == Range::Legal ? "legal" : "full") + " range";
}

void addRange(const Finding& f, ExposureCard& card) {
  if (!f.range) {
    card.notEstablished.push_back("dynamic range: no wedge was measured");
    return;
  }
  const RangeResult& r = *f.range;
  card.lines.push_back({"Dynamic range", limitWords(r.headline), r.headlineLabel});
  card.lines.push_back({"Above grey", limitWords(r.aboveGrey), "to the first channel that clips"});
  card.lines.push_back({"Below grey", limitWords(r.belowGrey), "to luma SNR 2"});
  card.lines.push_back({"Noise floor below grey", limitWords(r.noiseFloorBelowGrey), "luma SNR 1"});
  for (const auto& w : r.warnings)
    card.notEstablished.push_back(w.message + (w.where.empty() ? "" : " (" + w.where + ")"));
}

std::string edgeNote(const EdgeLimit& e) {
  if (!e.estimate) return "the base itself fails: " + wordsOf(e.cause);
  if (e.estimate->atLeast) return "the bracket ended before the picture did";
  return fmt::format("good at {}, not at {}: {}", formatSigned(e.lastGood.value_or(0), 1),
                     formatSigned(*e.firstBad, 1), wordsOf(e.cause));
}

void addLatitude(const Finding& f, ExposureCard& card) {
  if (!f.latitude) {
    card.notEstablished.push_back("latitude: no bracket was measured");
    return;
  }
  const Edges& e = f.latitude->edges;
  card.lines.push_back({"Upper edge", limitWords(e.over.estimate, true), edgeNote(e.over)});
  card.lines.push_back({"Lower edge", limitWords(e.under.estimate, true), edgeNote(e.under)});
  card.lines.push_back({"Latitude", limitWords(e.latitude), "clean, by exposure alone, no noise reduction"});
  card.lines.push_back({"With clean-up", limitWords(f.latitude->cleaned.latitude), "until lost"});
  for (const auto& w : f.latitude->warnings)
    card.notEstablished.push_back(w.where + (w.where.empty() ? "" : ": ") + w.message);
}

// Rating from the edges: hold the face as far from the nearer edge as from the other, within a third of a
// stop.
void addAdvice(const Finding& f, ExposureCard& card) {
  if (!f.latitude) return;
  const Edges& e = f.latitude->edges;
  if (!e.over.estimate || !e.under.estimate) {
    card.advice.push_back("No rating advice: the base itself fails. Choose another base, or more light.");
    return;
  }
  if (e.over.estimate->atLeast || e.under.estimate->atLeast) {
    card.advice.push_back("No rating advice: an edge was not reached. Repeat with takes further out.");
    return;
  }
  const double middle = (e.over.estimate->stops + e.under.estimate->stops) / 2;
  const double thirds = std::round(middle * 3) / 3;
  const double ei = f.configuration.iso / std::exp2(thirds);
  card.advice.push_back(
      thirds == 0
          ? fmt::format("Both edges are equally far from the base: rate it at EI {}.", formatNumber(ei, 0))
          : fmt::format("Both edges are equally far at {} stops from the base: EI {} rates it there.",
                        formatSigned(thirds, 1), formatNumber(ei, 0)));
  card.advice.push_back(
      fmt::format("A face may burn {} stops over base before it must be saved, and sink {} under.",
                  formatNumber(e.over.estimate->stops, 1), formatNumber(-e.under.estimate->stops, 1)));
  if (f.range && f.range->aboveGrey && !f.range->aboveGrey->atLeast)
    card.advice.push_back(fmt::format("A window holds colour up to {} stops over grey by the spot meter.",
                                      formatNumber(f.range->aboveGrey->stops, 1)));
  if (f.range && f.range->headline && !f.range->headline->atLeast) {
    const double difference = f.range->headline->stops - e.latitude->stops;
    if (difference < 2 || difference > 7)
      card.advice.push_back(fmt::format(
          "Range and latitude lie {} stops apart; about 4 is usual (common practice): look twice.",
          formatNumber(difference, 1)));
  }
}

}  // namespace

ExposureCard cardOf(const Finding& f) {
  ExposureCard card;
  const Configuration& c = f.configuration;
  card.title = c.label();
  if (const auto level = greyLevel(f); !level.empty())
    card.lines.push_back({"Grey card at", level, "published level of the curve"});
  addRange(f, card);
  addLatitude(f, card);
  addAdvice(f, card);
  card.notEstablished.push_back(
      "fixed pattern and loss of detail are not judged in the latitude by this version");
  return card;
}

}  // namespace edge
