#include "report/explain_noise.h"

#include <fmt/format.h>

#include <cmath>

#include "base/numbers.h"
#include "exposure/series.h"
#include "noise/more_light.h"

namespace edge {
namespace {

// Where a zone stops to be clean, in luma or chroma, whichever comes first.
std::optional<Crossing> usableIso(const std::vector<Crossing>& crossings, Zone zone,
                                  const CriteriaProfile& p) {
  std::optional<Crossing> worst;
  for (const auto& c : crossings) {
    const bool clean = (c.figure == LadderFigure::Luma && c.limit == p[Criterion::LumaNoise].clean) ||
                       (c.figure == LadderFigure::Chroma && c.limit == p[Criterion::ChromaNoise].clean);
    if (c.zone != zone || !clean) continue;
    const auto rank = [](const Crossing& x) {
      return x.end == Crossing::End::Always ? 0 : x.end == Crossing::End::Never ? 1e9 : x.iso;
    };
    if (!worst || rank(c) < rank(*worst)) worst = c;
  }
  return worst;
}

constexpr const char* kNothing = "–";

std::string isoWords(double iso) {
  return fmt::format("{:.0f}", iso);
}

// The last third of a stop that is still under it: interpolation knows no more.
double thirdBelow(double iso) {
  double best = iso;
  for (const auto& v : isoSeries(StepSize::Third))
    if (v.exact <= iso * 1.001) best = v.nominal;
  return best;
}

std::string crossingWords(const std::optional<Crossing>& c) {
  if (!c) return kNothing;
  if (c->end == Crossing::End::Always) return "under " + isoWords(c->iso);
  return c->end == Crossing::End::Never ? "≥ " + isoWords(c->iso) : isoWords(thirdBelow(c->iso));
}

NoiseWords isoPage(const NoiseFinding& f, const CriteriaProfile& profile) {
  NoiseWords w;
  if (f.sweep) {
    const SweepResult r = judgeSweep(*f.sweep);
    w.warnings = r.warnings;
    w.advice = r.advice;
    std::string natives;
    if (r.found)
      for (const auto& b : r.found->bands) natives += (natives.empty() ? "" : ", ") + isoWords(b.nativeIso);
    w.figures.push_back({"family", "Gain circuits",
                         !r.found                                       ? kNothing
                         : r.found->family == CircuitFamily::AllDigital ? "one"
                         : r.found->family == CircuitFamily::TwoCircuits
                             ? isoWords(static_cast<double>(r.found->bands.size()))
                             : "many steps",
                         "",
                         !r.found                                       ? "not told by this sweep"
                         : r.found->family == CircuitFamily::AllDigital ? "all gain is digital"
                                                                        : ""});
    w.figures.push_back({"natives", "Native ISO", natives.empty() ? kNothing : natives, "", ""});
    std::string published;
    for (double iso : f.published) published += (published.empty() ? "" : ", ") + isoWords(iso);
    if (!published.empty()) w.figures.push_back({"published", "Published native", published, "", ""});
    if (r.found && !r.found->steps.empty()) {
      const CircuitStep& s = r.found->steps.front();
      w.figures.push_back({"jump", "Cleaner by", formatNumber(s.stops, 2) + " ±" + formatNumber(s.sigma, 2),
                           "stops", "from ISO " + isoWords(s.iso) + " on"});
    }
  }
  if (f.sweep && !f.clips.empty()) {
    std::string stops, isos;
    for (const auto& [iso, clip] : f.clips) {
      stops +=
          (stops.empty() ? "" : ", ") + std::string(clip.atLeast ? "≥ " : "") + formatSigned(clip.stops, 1);
      isos += (isos.empty() ? "at ISO " : ", ") + isoWords(iso);
    }
    w.figures.push_back({"clip-above-grey", "Clip above grey", stops, "stops", isos});
  }
  if (f.ladder) {
    const auto crossings = crossingsOf(*f.ladder, profile);
    for (int i = 0; i < kZones; ++i) {
      const Zone zone = static_cast<Zone>(i);
      const auto c = usableIso(crossings, zone, profile);
      std::string note;
      if (c)
        for (double iso : overBelow(*f.ladder, *c))
          note += (note.empty() ? "but not " : ", ") + isoWords(iso);
      if (c && c->cleanedIso)
        note += (note.empty() ? "cleaned " : "; cleaned ") + (c->cleanedEnd == Crossing::End::Never
                                                                  ? "≥ " + isoWords(*c->cleanedIso)
                                                                  : isoWords(thirdBelow(*c->cleanedIso)));
      w.figures.push_back({fmt::format("usable-{}", wordOf(zone)),
                           fmt::format("Clean {}s up to", wordOf(zone)), crossingWords(c), "ISO", note});
    }
  }
  return w;
}

std::string floorWords(const std::optional<Limit>& l) {
  if (!l) return kNothing;
  return (l->atLeast ? "≥ " : "") + formatNumber(l->stops, 1) +
         (l->atLeast ? "" : " ±" + formatNumber(l->sigma, 1));
}

NoiseWords floorPage(const NoiseFinding& f, const CriteriaProfile& profile) {
  NoiseWords w;
  if (!f.ladder) return w;
  const ZonesOfTake* best = nullptr;
  for (const auto& t : f.ladder->takes)
    if (!best || t.iso < best->iso) best = &t;
  w.warnings = f.ladder->warnings;
  if (!best) return w;
  w.figures.push_back({"floor", "Floor, SNR 2", floorWords(best->floorBelowGrey[1]), "stops below grey",
                       "at ISO " + isoWords(best->iso)});
  w.figures.push_back({"floor1", "Floor, SNR 1", floorWords(best->floorBelowGrey[0]), "stops", "below grey"});
  w.figures.push_back({"floor-clip", "Clip to SNR 2", floorWords(best->floorBelowClip[1]),
                       best->floorBelowClip[1] ? "stops" : "",
                       best->floorBelowClip[1] ? "" : "the clip is not proved in this ladder"});
  const auto punch = largestPunchIn(*best, profile);
  w.figures.push_back(
      {"punch", "Punch-in, clean", punch ? fmt::format("{}", *punch) : kNothing, punch ? "%" : "",
       fmt::format("100 % is {} x {}", f.ladder->punchBase.width, f.ladder->punchBase.height)});
  const ZoneNoise& shadow = best->zones[0];
  w.figures.push_back({"grain", "Grain", shadow.grainPx ? formatNumber(*shadow.grainPx, 1) : kNothing, "px",
                       shadow.hue + (shadow.still ? ", still" : ", dancing")});
  return w;
}

NoiseWords pairPage(const NoiseFinding& f) {
  NoiseWords w;
  if (!f.pair) return w;
  w.warnings = f.pair->warnings;
  const auto p = pairOf(*f.pair);
  if (!p) return w;
  const auto &low = f.pair->takes[0], &high = f.pair->takes[1];
  const std::string names = fmt::format("ISO {:.0f} lifted against ISO {:.0f}", low.iso, high.iso);
  w.figures.push_back({"pair", "In the shadows",
                       p->differenceStops
                           ? formatSigned(*p->differenceStops, 2) + " ±" + formatNumber(p->sigma, 2)
                           : kNothing,
                       "stops", names});
  for (int i = 1; i < kZones; ++i)
    if (const auto& d = p->byZone[static_cast<size_t>(i)])
      w.figures.push_back({fmt::format("pair-{}", wordOf(static_cast<Zone>(i))),
                           i == 1 ? "At grey" : "In the highs", formatSigned(*d, 2), "stops", ""});
  if (!p->differenceStops) return w;
  if (p->byConstruction)
    w.advice = fmt::format(
        "Equal by construction: between {:.0f} and {:.0f} ISO is a multiplication; shoot the lower "
        "one and keep its headroom.",
        low.iso, high.iso);
  else if (p->cleaner == "equal")
    w.advice = "Equal within the error in the shadows.";
  else
    w.advice =
        *p->differenceStops > 0
            ? fmt::format("In this light set ISO {:.0f}: {} stop cleaner in the shadows than {:.0f} lifted.",
                          high.iso, formatNumber(*p->differenceStops, 1), low.iso)
            : fmt::format("ISO {:.0f} lifted is {} stop cleaner than {:.0f}.", low.iso,
                          formatNumber(-*p->differenceStops, 1), high.iso);
  return w;
}

NoiseWords lightPage(const NoiseFinding& f, const CriteriaProfile& profile) {
  NoiseWords w;
  const auto l = f.bracket ? moreLightOf(*f.bracket, f.bracketIso, profile) : std::nullopt;
  if (!l) return w;
  for (const auto& t : f.bracket->takes)
    if (!t.lossyCodec.empty()) {
      w.warnings.push_back(
          {"lossy-codec", t.lossyCodec + " changes noise: what light buys is that after coding", ""});
      break;
    }
  w.figures.push_back({"light", "Half a stop more buys",
                       l->steps[1].gainPerHalfStop ? formatNumber(*l->steps[1].gainPerHalfStop, 2) : kNothing,
                       "stops", "of luma noise, from the base up"});
  w.figures.push_back({"light-best", "Up to", "+" + formatNumber(l->bestStops, 1), "stops",
                       fmt::format("{} stops less noise", formatNumber(l->bestGain, 1))});
  w.figures.push_back({"light-ei", "As a rating", fmt::format("EI {:.0f}", l->bestEi), "",
                       fmt::format("at ISO {:.0f}", l->iso)});
  w.figures.push_back(
      {"light-flat", "Flattens at", l->flattensAt ? "+" + formatNumber(*l->flattensAt, 1) : kNothing,
       l->flattensAt ? "stops" : "", l->flattensAt ? "half as much from there on" : "not in this bracket"});
  w.advice =
      fmt::format("Rated EI {:.0f} the shadows get {} stops cleaner; highlights lose {} stops of headroom.",
                  l->bestEi, formatNumber(l->bestGain, 1), formatNumber(l->bestStops, 1));
  return w;
}

std::string electronWords(const std::optional<Estimate>& e, int digits) {
  return e ? formatNumber(e->value, digits) + " ±" +
                 formatNumber(std::max(e->sigma, std::pow(10, -digits)), digits)
           : kNothing;
}

NoiseWords transferPage(const NoiseFinding& f) {
  NoiseWords w;
  for (const auto& t : f.transfer) {
    const TransferChannel green = greenOf(t);
    const std::string at = "ISO " + isoWords(t.iso);
    w.figures.push_back({"read-noise-" + isoWords(t.iso), "Read noise, " + isoWords(t.iso),
                         electronWords(green.readNoiseE, 2), "e-", "green, " + at});
    w.figures.push_back(
        {"full-well-" + isoWords(t.iso), "Full well, " + isoWords(t.iso), electronWords(green.fullWellE, 0),
         "e-",
         fmt::format("{} numbers an electron{}",
                     green.gainDnPerE ? formatNumber(green.gainDnPerE->value, 3) : kNothing,
                     green.prnuPercent ? ", fixed pattern " + formatNumber(green.prnuPercent->value, 2) + " %"
                                       : "")});
    for (auto warning : green.warnings) {
      warning.where = at;
      w.warnings.push_back(std::move(warning));
    }
  }
  if (const auto g = gainBetween(f.transfer)) {
    const bool sure = g->quieter.value > 2 * g->quieter.sigma;
    w.advice =
        sure
            ? fmt::format(
                  "In electrons ISO {:.0f} reads {} stops quieter than {:.0f}; its well is {} stops smaller.",
                  g->to, formatNumber(g->quieter.value, 2), g->from, formatNumber(-g->wellStops.value, 2))
            : fmt::format("ISO {:.0f} reads no quieter than {:.0f} within the error.", g->to, g->from);
  }
  return w;
}

NoiseWords readoutPage(const NoiseFinding& f) {
  NoiseWords w;
  if (!f.strobe || !f.readout) {
    if (f.strobe)
      w.warnings.push_back({"no-strobe", "the recipe does not say how often the strobe flashes", ""});
    return w;
  }
  const Readout& r = *f.readout;
  w.warnings = r.warnings;
  w.figures.push_back({"readout", "Readout",
                       r.milliseconds ? formatNumber(*r.milliseconds, 2) + " ±" +
                                            formatNumber(std::max(0.01, r.millisecondsSigma), 2)
                                      : kNothing,
                       "ms", fmt::format("strobe of {} Hz", formatNumber(f.strobeHz, 1))});
  w.figures.push_back({"rows", "Rows a period",
                       r.rowsPerPeriod ? formatNumber(*r.rowsPerPeriod, 1) : kNothing, "",
                       fmt::format("of {}", f.strobe->rows)});
  w.figures.push_back({"direction", "Direction", r.direction ? wordOf(*r.direction) : kNothing, "",
                       r.direction ? "" : "bars that stand still don't tell"});
  if (f.strobe->fps > 0)
    w.figures.push_back({"frame", "A frame lasts", formatNumber(1000 / f.strobe->fps, 1), "ms",
                         "the readout must fit in it"});
  if (r.milliseconds)
    w.advice = fmt::format("A pan that crosses the frame in a second leans an upright by {} % of the width.",
                           formatNumber(*r.milliseconds / 10, 1));
  return w;
}

NoiseWords infraredPage(const NoiseFinding& f, const CriteriaProfile& profile) {
  NoiseWords w;
  if (!f.infrared) return w;
  const InfraredResult r = judgeInfrared(*f.infrared, profile);
  w.warnings = r.warnings;
  w.figures.push_back({"infrared", "Black stays black up to",
                       r.cleanUpTo ? (r.atLeast ? "≥ ND " : "ND ") + formatNumber(*r.cleanUpTo, 1) : kNothing,
                       "", fmt::format("{} against {}", f.infrared->black, f.infrared->white)});
  if (r.colourPerStop)
    w.figures.push_back(
        {"colour-per-stop", "From there on, a stop",
         formatSigned(r.colourPerStop->first, 1) + ", " + formatSigned(r.colourPerStop->second, 1), "a*, b*",
         r.words});
  if (r.cleanUpTo)
    w.advice = r.atLeast
                   ? "No filter of this set lets infrared show."
                   : fmt::format(
                         "Up to ND {} without care; beyond it put an infrared cut filter behind the last ND.",
                         formatNumber(*r.cleanUpTo, 1));
  return w;
}

}  // namespace

NoiseWords noiseWords(const NoiseFinding& f, NoisePage page, const CriteriaProfile& profile) {
  switch (page) {
    case NoisePage::Iso:
      return isoPage(f, profile);
    case NoisePage::Floor:
    case NoisePage::Look:
      return floorPage(f, profile);
    case NoisePage::Pair:
      return pairPage(f);
    case NoisePage::MoreLight:
      return lightPage(f, profile);
    case NoisePage::Transfer:
      return transferPage(f);
    case NoisePage::Readout:
      return readoutPage(f);
    case NoisePage::Infrared:
      return infraredPage(f, profile);
  }
  return {};
}

}  // namespace edge
