#include "report/range_compare.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "base/csv.h"
#include "base/numbers.h"

namespace edge {
namespace {

constexpr double kCircuitStops = 0.5;

std::optional<Limit> at(const std::map<double, Limit>& m, double threshold) {
  const auto i = m.find(threshold);
  return i == m.end() ? std::nullopt : std::optional(i->second);
}

std::string figure(double stops, double sigma) {
  return fmt::format("{} ±{}", formatSigned(stops, 1),
                     formatNumber(std::max(0.1, std::ceil(sigma * 10 - 0.5) / 10), 1));
}

Limit changeOf(const Limit& from, const Limit& to) {
  return {to.stops - from.stops, std::hypot(from.sigma, to.sigma), from.atLeast || to.atLeast};
}

IsoStep stepBetween(const std::vector<Finding>& findings, size_t a, size_t b) {
  const Finding &from = findings[a], &to = findings[b];
  IsoStep s{a, b, std::log2(to.configuration.iso / from.configuration.iso), {}, {}, {}, false, ""};
  if (!from.range || !to.range || !from.range->aboveGrey || !to.range->aboveGrey || !from.range->belowGrey ||
      !to.range->belowGrey)
    return s;
  s.above = changeOf(*from.range->aboveGrey, *to.range->aboveGrey);
  s.below = changeOf(*from.range->belowGrey, *to.range->belowGrey);
  s.jump = Limit{s.below->stops + s.ratioStops, s.below->sigma, s.below->atLeast};
  s.circuit = !s.jump->atLeast && s.jump->stops > std::max(kCircuitStops, 3 * s.jump->sigma);
  const std::string isos = fmt::format("ISO {} to {}", formatNumber(from.configuration.iso, 0),
                                       formatNumber(to.configuration.iso, 0));
  s.words = s.jump->atLeast
                ? isos + ": an end was not reached, so no jump can be told"
                : fmt::format(
                      "{} ({} stops): above grey {}, below grey {}; {}", isos, formatSigned(s.ratioStops, 1),
                      formatSigned(s.above->stops, 1), formatSigned(s.below->stops, 1),
                      s.circuit ? fmt::format("the floor is {} stops better than one circuit would give: "
                                              "another circuit starts here",
                                              figure(s.jump->stops, s.jump->sigma))
                                : "as one gain circuit gives");
  return s;
}

}  // namespace

RangeDifference difference(const std::optional<Limit>& a, const std::optional<Limit>& b) {
  RangeDifference d;
  if (!a || !b || (a->atLeast && b->atLeast)) return d;
  d.known = true, d.stops = a->stops - b->stops, d.sigma = std::hypot(a->sigma, b->sigma);
  d.atLeast = a->atLeast, d.atMost = b->atLeast;
  d.equal = !d.atLeast && !d.atMost && std::abs(d.stops) <= 2 * d.sigma;
  return d;
}

std::string wordsOf(const RangeDifference& d) {
  if (!d.known) return "not known";
  if (d.atLeast) return "at least " + formatSigned(d.stops, 1);
  if (d.atMost) return "at most " + formatSigned(d.stops, 1);
  if (d.equal) return "equal within error";
  // Small but told apart: a second decimal, or it would read as nothing.
  if (std::abs(d.stops) < 0.1)
    return fmt::format("{} ±{}", formatSigned(d.stops, 2), formatNumber(std::max(0.01, d.sigma), 2));
  return figure(d.stops, d.sigma);
}

std::vector<IsoStep> isoSteps(const std::vector<Finding>& findings) {
  std::map<std::string, std::vector<size_t>> groups;
  for (size_t i = 0; i < findings.size(); ++i) {
    const Configuration& c = findings[i].configuration;
    if (findings[i].range) groups[c.body + "\n" + c.mode + "\n" + c.light].push_back(i);
  }
  std::vector<IsoStep> steps;
  for (auto& [key, list] : groups) {
    std::stable_sort(list.begin(), list.end(), [&](size_t a, size_t b) {
      return findings[a].configuration.iso < findings[b].configuration.iso;
    });
    for (size_t i = 1; i < list.size(); ++i)
      if (findings[list[i]].configuration.iso > findings[list[i - 1]].configuration.iso)
        steps.push_back(stepBetween(findings, list[i - 1], list[i]));
  }
  return steps;
}

std::string shortLabel(const Configuration& c) {
  return fmt::format("{} {} {}", c.body, c.mode, formatNumber(c.iso, 0));
}

std::vector<Convention> conventionsOf(const Finding& f, const RangeOptions& o) {
  std::vector<Convention> list;
  if (!f.range) return list;
  const RangeResult& r = *f.range;
  const ChannelRange& y = r.channel[kY];
  list.push_back({"headline", "Colour-complete to SNR " + formatNumber(o.headlineSnr, 1), r.headline, true,
                  "to the first channel that ends"});
  for (const double t : {1.0, 2.0, 10.0})
    list.push_back({fmt::format("snr{:g}", t), fmt::format("Luma to SNR {:g}", t), at(y.range, t), false,
                    "to where luma ends"});
  if (!r.total.empty())
    list.push_back({"total", "With fixed pattern, SNR 2", at(r.total, 2), false, "all noise counted"});
  if (!r.corrected[kY].empty())
    list.push_back(
        {"corrected", "Before filter or codec, SNR 2", at(r.corrected[kY], 2), false, "noise as before it"});
  if (f.rasterRange)
    list.push_back({"raster",
                    fmt::format("At {} x {}", f.rasterWedge->developedWidth, f.rasterWedge->developedHeight),
                    f.rasterRange->headline, false, "resampled in scene-linear, then as the headline"});
  if (r.rebuiltStops)
    list.push_back({"rebuilt", "Rebuilt highlights above", r.rebuiltStops, false, "no colour: not counted"});
  return list;
}

std::string claimWords(const Finding& f) {
  if (!f.claimStops) return "";
  if (!f.range) return "not measured yet";
  const Limit claim{*f.claimStops, 0, false};
  const RangeDifference d = difference(f.range->headline, claim);
  const auto snr1 = at(f.range->channel[kY].range, 1);
  std::string s = d.equal ? "measured: equal within error" : "measured: " + wordsOf(d) + " stops";
  if (snr1 && difference(snr1, claim).equal) s += "; the claim fits SNR 1 with all luma counted";
  return s;
}

std::string countWords(const Finding& f) {
  if (!f.ownCount || !f.range) return "";
  const int more = *f.ownCount - f.range->stepsVisible;
  if (more < 0) return fmt::format("{} fewer than SNR 1 allows: lift the shadows and look again", -more);
  if (more <= 4) return fmt::format("{} more than SNR 1 counts; 2 to 4 are usual", more);
  return fmt::format("{} more than SNR 1 counts: steps guessed from their neighbours?", more);
}

std::string compareCsv(const std::vector<Finding>& findings, size_t reference) {
  std::string s =
      csvLine({"body", "mode", "iso", "headline", "sigma", "difference", "difference_sigma", "equal",
               "above_grey", "below_grey", "snr1", "snr10", "claim", "own_count", "steps"});
  const auto plain = [](const std::optional<Limit>& l) {
    return l ? (l->atLeast ? ">=" : "") + formatNumber(l->stops, 3) : std::string();
  };
  for (const auto& f : findings) {
    if (!f.range) continue;
    const RangeDifference d =
        difference(f.range->headline, reference < findings.size() && findings[reference].range
                                          ? findings[reference].range->headline
                                          : std::nullopt);
    const auto& y = f.range->channel[kY].range;
    s +=
        csvLine({f.configuration.body, f.configuration.mode, formatNumber(f.configuration.iso, 0),
                 plain(f.range->headline), f.range->headline ? formatNumber(f.range->headline->sigma, 3) : "",
                 d.known ? formatNumber(d.stops, 3) : "", d.known ? formatNumber(d.sigma, 3) : "",
                 d.equal ? "yes" : "no", plain(f.range->aboveGrey), plain(f.range->belowGrey),
                 plain(at(y, 1)), plain(at(y, 10)), f.claimStops ? formatNumber(*f.claimStops, 1) : "",
                 f.ownCount ? std::to_string(*f.ownCount) : "", std::to_string(f.range->stepsVisible)});
  }
  return s;
}

}  // namespace edge
