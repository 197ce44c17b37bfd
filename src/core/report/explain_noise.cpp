#include "report/explain_noise.h"

#include <fmt/format.h>

#include "base/numbers.h"
#include "exposure/series.h"
#include "noise/more_light.h"
#include "recover/reducer.h"

namespace edge {
namespace {

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
                         "", r.found ? std::string(wordOf(r.found->family)) : "not told by this sweep"});
    w.figures.push_back({"natives", "Native ISO", natives.empty() ? kNothing : natives, "", "measured"});
    if (r.found && !r.found->steps.empty()) {
      const CircuitStep& s = r.found->steps.front();
      w.figures.push_back({"jump", "Cleaner by", formatNumber(s.stops, 2) + " ±" + formatNumber(s.sigma, 2),
                           "stops", "from ISO " + isoWords(s.iso) + " on"});
    }
  }
  if (f.ladder)
    for (int i = 0; i < kZones; ++i) {
      const Zone zone = static_cast<Zone>(i);
      const auto c = usableIso(*f.ladder, zone, profile);
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

std::optional<Crossing> usableIso(const LadderMeasure& ladder, Zone zone, const CriteriaProfile& p) {
  std::optional<Crossing> worst;
  for (const auto& c : crossingsOf(ladder, p)) {
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
    case NoisePage::Readout:
      return readoutPage(f);
    case NoisePage::Infrared:
      return infraredPage(f, profile);
  }
  return {};
}

Explanation explainNoise(const NoiseFinding& f, const std::string& key, const CriteriaProfile& p) {
  Explanation e;
  const auto starts = [&](const char* with) { return key.rfind(with, 0) == 0; };
  if ((key == "family" || key == "natives" || key == "jump") && f.sweep) {
    e.title = "Gain circuits";
    e.paragraphs = {
        "Temporal noise of the dim patch, divided by the ISO ratio: within a circuit it is level, where a "
        "quieter "
        "one takes over it drops. Change points by exact search; drops of 3 % and 2.5 sigma count. The first "
        "ISO "
        "of a band is its native one."};
    const SweepResult r = judgeSweep(*f.sweep);
    e.paragraphs.push_back(fmt::format("Patch {}, {} takes, {} of them used.", f.sweep->patch,
                                       f.sweep->points.size(), r.noise.size()));
    if (r.found)
      for (const auto& s : r.found->steps)
        e.paragraphs.push_back(fmt::format("At ISO {:.0f} noise falls by {} ±{} stops.", s.iso,
                                           formatNumber(s.stops, 2), formatNumber(s.sigma, 2)));
  } else if (starts("usable") && f.ladder) {
    e.title = "Highest clean ISO of a zone";
    e.paragraphs = {
        fmt::format("The lowest ISO from which luma noise stays over {} or chroma noise over {} (profile {}) "
                    "up to the "
                    "end of the ladder; noise is taken as a power of ISO between two takes.",
                    formatNumber(p[Criterion::LumaNoise].clean, 1),
                    formatNumber(p[Criterion::ChromaNoise].clean, 1), p.name),
        fmt::format(
            "Seen at {} x {}, {}. Cleaned: after the strongest rung of the reducer ({}); it costs detail, "
            "and denoised is not well exposed.",
            f.ladder->rasterWidth, f.ladder->rasterHeight, wordOf(f.ladder->chroma),
            reducerLadder().back().words)};
  } else if (starts("floor") && f.ladder) {
    e.title = "Noise floor";
    e.paragraphs = {
        "Where luma's temporal SNR is 2 and 1, on the greys of the ladder's take, by the arithmetic of "
        "Range. Where the "
        "darkest grey is still cleaner, the floor lies at least there: the wedge of stage Range goes "
        "deeper."};
  } else if (key == "punch" && f.ladder) {
    e.title = "Punch-in";
    e.paragraphs = {
        "The noise of every zone seen at 100, 200 and 300 % of the delivery's raster (at most the clip's own "
        "pixels), "
        "against the profile's clean limits; the largest at which all zones are clean."};
  } else if (key == "grain" && f.ladder) {
    e.title = "Grain";
    e.paragraphs = {
        "Square root of the summed autocorrelation of what changes between frames: 1 for white noise, 2 "
        "where four "
        "pixels hang together. Hue: the longer axis of a*, b* noise."};
  } else if (starts("pair") && f.pair) {
    e.title = "Push pair";
    e.paragraphs = {
        "Both takes in the same light; SNR of luma, the higher ISO's over the lower one's, in stops. "
        "Brightness cancels. "
        "Equal in every zone within 0.05 stop or two sigma: ISO is then a multiplication there."};
  } else if (starts("light") && f.bracket) {
    e.title = "More light";
    e.paragraphs = {
        "Luma noise of the face's grey in the over takes of the bracket, brought back, against the base: "
        "what half a stop "
        "more light takes away. Photons alone would give a quarter of a stop each half stop; read noise "
        "more. The last "
        "step counts at which the faces are whole by the profile's clean limit; EI = ISO / 2^stops."};
  } else if ((key == "readout" || key == "rows" || key == "direction" || key == "frame") && f.strobe) {
    e.title = "Readout";
    e.paragraphs = {
        "Rows of the picture over rows of a strobe period, over the strobe's frequency. The period is fitted "
        "to the mean of "
        "every row, frame by frame; nothing is averaged over time, because a strobe at a multiple of the "
        "frame rate "
        "stands still."};
  } else if ((key == "infrared" || key == "colour-per-stop") && f.infrared) {
    e.title = "Infrared";
    e.paragraphs = {
        fmt::format("Black cloth less white cloth in a*, b*, each take at the white's brightness of the "
                    "weakest filter, less "
                    "the same there. Clean up to where it meets {} (colour shift of profile {}).",
                    formatNumber(p[Criterion::ColourShift].clean, 1), p.name)};
  }
  if (e.title.empty()) e = {"Not measured yet", {"Nothing of this was measured with this body and mode."}};
  return e;
}

std::string noiseTable(const NoiseFinding& f, NoisePage page, const CriteriaProfile& p) {
  std::string text;
  for (const auto& figure : noiseWords(f, page, p).figures)
    text += fmt::format("{}\t{}\t{}\t{}\n", figure.label, figure.value, figure.unit, figure.note);
  const auto number = [](const std::optional<double>& v) { return v ? formatNumber(*v, 3) : std::string(); };
  if ((page == NoisePage::Iso || page == NoisePage::Floor) && f.ladder) {
    text += "ISO\tzone\tstops\tSNR\tluma\tchroma\tmoving\tfixed\trows\tcolumns\tgrain px\thue\n";
    for (const auto& t : f.ladder->takes)
      for (const auto& z : t.zones)
        text += fmt::format("{:.0f}\t{}\t{}\t{}\t{}\t{}\t{}\t{}\t{}\t{}\t{}\t{}\n", t.iso, wordOf(z.zone),
                            formatNumber(z.stops, 2), number(z.snr[kY]),
                            z.seen ? formatNumber(z.seen->luma, 3) : "",
                            z.seen ? formatNumber(z.seen->chroma, 3) : "", formatNumber(z.temporal, 4),
                            number(z.fixed), number(z.row), number(z.column), number(z.grainPx), z.hue);
  }
  if (page == NoisePage::Iso && f.sweep) {
    text += "ISO\tnoise at equal brightness\tsigma\n";
    for (const auto& n : judgeSweep(*f.sweep).noise)
      text += fmt::format("{:.0f}\t{:.6g}\t{:.3g}\n", n.iso, n.noise, n.sigma * n.noise);
  }
  if (page == NoisePage::Infrared && f.infrared) {
    text += "ND\ta*\tb*\tsigma\n";
    for (const auto& t : f.infrared->takes)
      text += fmt::format("{}\t{}\t{}\t{}\n", formatNumber(t.nd, 2), formatSigned(t.a, 2),
                          formatSigned(t.b, 2), formatNumber(t.sigma, 2));
  }
  return text;
}

}  // namespace edge
