#include <fmt/format.h>

#include "base/numbers.h"
#include "recover/reducer.h"
#include "report/explain_noise.h"

namespace edge {

Explanation explainNoise(const NoiseFinding& f, const std::string& key, const CriteriaProfile& p) {
  Explanation e;
  const auto starts = [&](const char* with) { return key.rfind(with, 0) == 0; };
  if ((key == "family" || key == "natives" || key == "published" || key == "jump") && f.sweep) {
    e.title = "Gain circuits";
    e.paragraphs = {
        "Temporal noise of the dim patch, divided by the ISO ratio: within a circuit it is level, where a "
        "quieter "
        "one takes over it drops. Change points by exact search; drops of 3 % and 2.5 sigma count. The first "
        "ISO "
        "of a band is its native one."};
    if (key == "published")
      e.paragraphs.push_back(
          "Published: as the plan's recipe has it; where the two differ, trust the sweep.");
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
  } else if (key == "clip-above-grey" && !f.clips.empty()) {
    e.title = "Clip point of the circuits";
    e.paragraphs = {
        "From the wedge at each native ISO, stage Range. A circuit that takes over puts the clip back where "
        "it "
        "was above grey; ISO that multiplies numbers lowers it by its own stops."};
  } else if ((starts("read-noise") || starts("full-well")) && !f.transfer.empty()) {
    e.title = "Photon transfer";
    e.paragraphs = {
        "An even field out of focus, raw, from just over the clip downward, and the cap on. Variance v = v0 "
        "+ k "
        "m over the takes below 70 % of the plateau gives the gain k in numbers per electron; read noise is "
        "that of the capped take, a twelfth of a number squared taken off, over k; full well the plateau "
        "over "
        "dark, over k; fixed pattern from the means of eight frames and more (EMVA 1288 R4.0).",
        "Green of the mosaic, the central quarter of the frame. It holds for untouched raw only: log, "
        "demosaiced or filtered frames are refused."};
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
  if (page == NoisePage::Transfer)
    for (const auto& t : f.transfer) {
      text += fmt::format("ISO {:.0f}\tsignal e-\tnoise e-\n", t.iso);
      for (const auto& point : electronsOf(t))
        text += fmt::format("\t{:.2f}\t{:.3f}\n", point.signal, point.noise);
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
