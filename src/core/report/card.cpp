#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/numbers.h"
#include "exposure/series.h"
#include "exposure/sums.h"
#include "report/explain_noise.h"
#include "report/reach.h"

namespace edge {
namespace {

std::string greyLevel(const Finding& f) {
  if (!f.greyCode) return "";
  return formatNumber(100 * *f.greyCode, 1) + " % of " +
         (f.configuration.decode.range == Range::Legal ? "legal" : "full") + " range";
}

// What a spot meter shows of a tone that many stops from grey, at the light and settings of the base.
std::string spotWords(const Finding& f, double stops) {
  if (!f.baseAperture) return "";
  const TStop base = readTStop(*f.baseAperture).exact;
  return "spot meter " + meterNotation(TStop(base.value() * std::exp2(stops / 2)));
}

// "−3.3", "beyond −6.0"
std::string bigWords(const std::optional<Limit>& l) {
  if (!l) return "–";
  return (l->atLeast ? "beyond " : "") + formatSigned(l->stops, 1);
}

// Rating from the edges: hold the face as far from the nearer edge as from the other, to a third of a stop.
// Nothing: the ISO or an edge is not known, or was not reached.
std::optional<double> ratingOf(const Finding& f) {
  if (!f.latitude || f.configuration.iso <= 0) return std::nullopt;
  const auto &over = f.latitude->edges.over.estimate, &under = f.latitude->edges.under.estimate;
  if (!over || !under || over->atLeast || under->atLeast) return std::nullopt;
  return std::round((over->stops + under->stops) / 2 * 3) / 3;
}

// What is read at arm's length.
void addLarge(const Finding& f, ExposureCard& card) {
  const Reach r = reachOf(f);
  const auto tone = [&](const char* label, const std::optional<Limit>& l) {
    card.large.push_back({label, bigWords(l), l ? spotWords(f, l->stops) : "not measured"});
  };
  tone("Sinks to", r.cleanUnder), tone("Burns to", r.cleanOver), tone("Clips at", r.clip);
  const auto rating = ratingOf(f);
  card.large.push_back({"Rate", rating ? eiWords(f.configuration.iso / std::exp2(*rating)) : "–",
                        !rating ? "no advice: see below"
                        : *rating == 0
                            ? "as tested"
                            : formatStops(*rating) + (*rating > 0 ? ", more light" : ", less light")});
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
  const Edges &e = f.latitude->edges, &cleaned = f.latitude->cleaned;
  card.lines.push_back({"Upper edge", limitWords(e.over.estimate, true), edgeNote(e.over)});
  card.lines.push_back({"Lower edge", limitWords(e.under.estimate, true), edgeNote(e.under)});
  card.lines.push_back({"Latitude", limitWords(e.latitude), "clean, by exposure alone, no noise reduction"});
  card.lines.push_back(
      {"With clean-up", limitWords(cleaned.latitude),
       "from " + bigWords(cleaned.under.estimate) + " to " + bigWords(cleaned.over.estimate)});
  for (const auto& w : f.latitude->warnings)
    card.notEstablished.push_back(w.where + (w.where.empty() ? "" : ": ") + w.message);
}

void addAdvice(const Finding& f, ExposureCard& card) {
  if (!f.latitude) return;
  const Edges& e = f.latitude->edges;
  if (!e.over.estimate || !e.under.estimate) {
    card.advice.push_back("No rating advice: the base itself fails. Choose another base, or more light.");
    return;
  }
  const auto rating = ratingOf(f);
  if (!rating && f.configuration.iso <= 0) {
    card.advice.push_back("No rating advice: the ISO is not known. Say it in Match.");
    return;
  }
  if (!rating) {
    card.advice.push_back("No rating advice: an edge was not reached. Repeat with takes further out.");
    return;
  }
  const std::string ei = eiWords(f.configuration.iso / std::exp2(*rating));
  card.advice.push_back(
      *rating == 0 ? fmt::format("Both edges are equally far from the base: rate it at {}.", ei)
                   : fmt::format("Both edges are equally far at {} stops from the base: {} rates it there.",
                                 formatSigned(*rating, 1), ei));
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
  card.title = f.configuration.label();
  addLarge(f, card);
  if (const auto level = greyLevel(f); !level.empty())
    card.lines.push_back({"Grey card at", level, "published level of the curve"});
  addRange(f, card);
  addLatitude(f, card);
  card.lines.insert(card.lines.end(), f.fromNoise.begin(), f.fromNoise.end());
  addAdvice(f, card);
  for (const auto& w : reachOf(f).warnings)
    if (w.code == "base-grey") card.notEstablished.push_back(w.message);
  if (f.fromNoise.empty())
    card.notEstablished.push_back("native ISOs, ND and punch-in: no sweep, ladder or filters were measured");
  return card;
}

void addNoise(std::vector<Finding>& findings, const std::vector<NoiseFinding>& noise) {
  // By page and key of its figures; the label where that of the page would not be understood alone.
  static constexpr struct {
    NoisePage page;
    const char *key, *label;
  } kWanted[] = {{NoisePage::Iso, "natives", "Native ISO"},
                 {NoisePage::Iso, "usable-shadow", ""},
                 {NoisePage::Floor, "punch", ""},
                 {NoisePage::Infrared, "infrared", "ND, black stays black"},
                 {NoisePage::Readout, "readout", "Readout"}};
  for (auto& f : findings) {
    f.fromNoise.clear();
    for (const auto& n : noise) {
      if (!n.subject.holds(f.configuration)) continue;
      NoiseWords words;
      for (size_t i = 0; i < std::size(kWanted); ++i) {
        const auto& w = kWanted[i];
        if (i == 0 || w.page != kWanted[i - 1].page) words = noiseWords(n, w.page, f.profile);
        for (const auto& figure : words.figures)
          if (figure.key == w.key)
            f.fromNoise.push_back({*w.label ? w.label : figure.label,
                                   figure.value + (figure.unit.empty() ? "" : " " + figure.unit),
                                   figure.note});
      }
    }
  }
}

}  // namespace edge
