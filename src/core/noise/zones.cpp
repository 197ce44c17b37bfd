#include "noise/zones.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/numbers.h"
#include "base/parallel.h"
#include "base/units.h"
#include "exposure/sums.h"
#include "measure/noise.h"
#include "recover/clip_decode.h"
#include "recover/reducer.h"

namespace edge {
namespace {

constexpr size_t kFewestGreys = 4;  // that Range can judge
constexpr double kStarved = 0.75;   // of green's SNR
constexpr double kFarFromZone = 1;  // stops
constexpr double kBentToe = 0.3;    // stops a stop

double root(double variance) {  // signed
  return std::copysign(std::sqrt(std::abs(variance)), variance);
}

std::vector<Patch> greysOf(const Chart& chart) {
  std::vector<Patch> greys;
  for (const auto& p : chart.patches)
    if (p.stops &&
        (p.role.empty() || p.role == "grey" || p.role == "white" || p.role == "black" || p.role == "dim"))
      greys.push_back(p);
  if (greys.empty())
    throw Error("a ladder needs grey patches whose stops are known", "", "chart",
                "name a chart of kind grey-scale or wedge");
  return greys;
}

struct ZonePatches {
  std::vector<Patch> greys;
  std::array<size_t, kZones> at{};  // of greys
  double grey = 0;                  // where 18 % lies on the chart's scale
};

ZonePatches zonePatches(const Chart& chart, double grey) {
  ZonePatches z{greysOf(chart), {}, grey};
  for (int k = 0; k < kZones; ++k) {
    const double wanted = grey + nominalStops(static_cast<Zone>(k));
    for (size_t i = 0; i < z.greys.size(); ++i)
      if (std::abs(*z.greys[i].stops - wanted) <
          std::abs(*z.greys[z.at[static_cast<size_t>(k)]].stops - wanted))
        z.at[static_cast<size_t>(k)] = i;
  }
  return z;
}

Chart chartOf(const Chart& of, std::vector<Patch> patches) {
  Chart c = of;
  c.kind = "grey-scale";
  c.patches = std::move(patches);
  c.grey.reset();
  return c;
}

// Relative standard error of a noise figure of this many samples.
double relativeSigma(const WedgeMeasure& w, const ChannelMeasure& m, int channel) {
  const double frames = std::max(1.0, static_cast<double>(w.frames) - 1);
  const double shared = std::max(1.0, w.filtering[channel].inflation);
  return std::sqrt(shared / (2 * std::max(1.0, m.samples * frames)));
}

// Signal of a patch: by the line through all greys, where Range has one, for a dark patch's own mean holds
// glare, pedestal and its own noise.
struct Signal {
  double light = 0, sigma = 0;
};
Signal signalOf(const WedgeMeasure& w, const std::optional<RangeResult>& r, const PatchMeasure& p,
                int channel) {
  constexpr double kLineSigma = 0.005;  // relative: greys that one take shows whole and another does not
  if (r && r->channel[channel].slope > 0)
    return {r->channel[channel].slope * std::exp2(p.stops),
            r->channel[channel].slope * std::exp2(p.stops) * kLineSigma};
  const ChannelMeasure& m = p.channel[channel];
  const double frames = std::max(1.0, static_cast<double>(w.frames));
  return {m.mean, std::sqrt(std::max(0.0, m.variance) / std::max(1.0, m.samples * frames))};
}

std::optional<double> snrOf(const WedgeMeasure& w, const std::optional<RangeResult>& r, const PatchMeasure& p,
                            int channel) {
  if (w.subsampled && channel != kY) return std::nullopt;
  const ChannelMeasure& m = p.channel[channel];
  const double variance = (m.variance - m.quantisationVariance) * std::exp(-m.secondOrder);
  if (w.frames < 2 || m.quantisation == Quantisation::Limited || !(variance > 0)) return std::nullopt;
  return signalOf(w, r, p, channel).light / std::sqrt(variance);
}

void readKinds(const ChannelMeasure& y, ZoneNoise& z) {
  const double mean = std::max(1e-12, y.mean);
  z.temporal = root(y.variance - y.quantisationVariance) / mean;
  z.row = root(y.rowVariance) / mean;
  z.column = root(y.columnVariance) / mean;
  if (y.fixedVariance) {
    z.fixed = root(*y.fixedVariance) / mean;
    z.still = *y.fixedVariance > y.variance - y.quantisationVariance;
  }
  if (y.fixedRowVariance) z.fixedRow = root(*y.fixedRowVariance) / mean;
  if (y.fixedColumnVariance) z.fixedColumn = root(*y.fixedColumnVariance) / mean;
}

void readSeen(const PatchSample& sample, double k, const DeliveredLook& look, ZoneNoise& z) {
  if (sample.frames.size() < 2) return;
  const PatchSample equal = corrected(sample, [k](const Vec3& v) {
    return Vec3{v[0] / k, v[1] / k, v[2] / k};
  });
  const CodeFrames codes = look.codeFrames(equal);
  const LabFrames lab = look.labOf(codes);
  z.seen = seenOf(lab);
  if (!z.seen || (z.seen->luma == 0 && z.seen->chroma == 0)) {
    z.seen.reset();
    return;
  }
  Grain grain = grainOf(lab, *z.seen);
  z.grainPx = grain.lumaPx;
  z.chromaGrainPx = grain.chromaPx;
  z.hue = std::move(grain.hue);
  for (const auto& rung : reducerLadder())
    z.cleaned.push_back(seenOf(look.labOf(reduced(codes, rung, true))));
}

// The headline's delivery, then 100, 200, 300 % of its raster, or of HD.
std::vector<Delivery> deliveriesOf(const Series& s, const Decoder& decoder, LadderMeasure& m) {
  const int width = decoder.developedWidth(), height = decoder.developedHeight();
  const Raster base = s.delivery.raster.value_or(kPunchRaster);
  std::vector<Delivery> list = {s.delivery};
  for (int punch = 0; punch < kPunches; ++punch)
    list.push_back(servedBy({Raster{base.width * (punch + 1), base.height * (punch + 1)}, s.delivery.chroma},
                            width, height));
  m.punchBase = list[1].raster.value_or(Raster{width, height});
  return list;
}

// Rasters that the clip serves alike are worked out once.
void readPunched(const TakeStats& t, size_t patch, double k, const DeliveredLook& own, ZoneNoise& z) {
  const PatchSample& sample = t.samples[patch];
  if (sample.frames.size() < 2 || !z.seen) return;
  const PatchSample equal = corrected(sample, [k](const Vec3& v) {
    return Vec3{v[0] / k, v[1] / k, v[2] / k};
  });
  for (size_t punch = 0; punch < kPunches; ++punch) {
    const auto& [delivery, factor] = t.deliveries[punch + 1];
    if (punch > 0 && delivery == t.deliveries[punch].first)
      z.punched[punch] = z.punched[punch - 1];
    else
      z.punched[punch] =
          seenOf(DeliveredLook{own.display, own.primaries, delivery.chroma, factor}.labFrames(equal));
  }
}

// The median over greys that are clear of their noise and of the top.
double brightnessOf(const WedgeMeasure& take, const WedgeMeasure& first) {
  std::vector<double> ratios;
  double top = 0;
  for (const auto& p : take.patches) top = std::max(top, p.channel[kY].mean);
  for (size_t i = 0; i < take.patches.size(); ++i) {
    const ChannelMeasure &a = take.patches[i].channel[kY], &b = first.patches[i].channel[kY];
    const auto clear = [](const ChannelMeasure& m) { return m.mean > std::sqrt(std::max(0.0, m.variance)); };
    const bool last = a.mean > 0.9 * top && take.patches.size() > 2;  // may be clipped
    if (clear(a) && clear(b) && !last) ratios.push_back(a.mean / b.mean);
  }
  if (ratios.empty()) return 1;
  std::nth_element(ratios.begin(), ratios.begin() + static_cast<std::ptrdiff_t>(ratios.size() / 2),
                   ratios.end());
  return ratios[ratios.size() / 2];
}

std::optional<Limit> below(const Limit& upper, const Limit& lower) {
  if (upper.atLeast) return std::nullopt;
  return Limit{upper.stops - lower.stops, std::hypot(upper.sigma, lower.sigma), lower.atLeast};
}

// Place of the clip on the chart's scale: proved by a patch, or known from the file where it is raw.
std::optional<Limit> clipOf(const WedgeMeasure& w, const RangeResult& r) {
  const ChannelRange& y = r.channel[kY];
  if (!y.clip.atLeast && y.slope > 0) return y.clip;
  const ChannelRange& green = r.channel[kG];
  if (!w.mosaic || !(green.slope > 0) || !(green.offset < 1)) return std::nullopt;
  return Limit{std::log2((1 - green.offset) / green.slope), green.slopeSigma / green.slope / std::log(2.0),
               false};
}

void readFloors(const WedgeMeasure& w, const RangeResult& r, double grey, ZonesOfTake& t) {
  const auto clip = clipOf(w, r);
  constexpr double kSnr[2] = {1, 2};
  for (size_t i = 0; i < 2; ++i) {
    const auto at = r.channel[kY].lower.find(kSnr[i]);
    if (at == r.channel[kY].lower.end()) continue;
    t.floorBelowGrey[i] = below({grey, 0, false}, at->second);
    if (clip) t.floorBelowClip[i] = below(*clip, at->second);
  }
}

struct Opened {
  std::unique_ptr<ClipReader> reader;
  DecodeOptions decode;
};
Opened openTake(const Series& s, const std::filesystem::path& clip) {
  auto reader = openClip(clip);
  DecodeOptions decode = resolved(s.decode, reader->info());
  return {std::move(reader), std::move(decode)};
}

std::string wordsOf(const PixelFormat& f) {
  std::string words = fmt::format("{} x {}, {} bit", f.width, f.height, f.bitDepth);
  if (f.subsampled()) words += f.chromaShiftY ? ", 4:2:0" : ", 4:2:2";
  return f.matrix ? words + ", matrix " + nameOf(*f.matrix) : words;
}

// Only like with like, or all on one delivery.
void requireAlike(const PixelFormat& first, const PixelFormat& f, const Series& s, const TakeSpec& t) {
  const bool alike =
      first.sameAs(f) && first.chromaShiftX == f.chromaShiftX && first.chromaShiftY == f.chromaShiftY;
  if (alike || (s.delivery.raster && first.layout == f.layout)) return;
  throw Error(fmt::format("this take is {}, the first is {}: noise of the two can't be compared", wordsOf(f),
                          wordsOf(first)),
              t.clip.string(), "take " + t.name, "judge both at one delivery: --raster and --chroma");
}

// In the first take, where the chart's stops count from something else.
double greyOf(const Chart& chart, const WedgeMeasure& first) {
  if (const auto known = chart.greyStops()) return *known;
  double best = 0, off = 1e9;
  for (size_t i = 0; i < first.patches.size(); ++i) {
    const double level = first.patches[i].channel[kY].mean;
    if (!(level > 0)) continue;
    const double stops = std::log2(level / kMiddleGrey);
    if (std::abs(stops) < off) {
      off = std::abs(stops);
      best = first.patches[i].stops - stops;
    }
  }
  return best;
}

// Noise that is cut off at black leans to the bright side; photons alone lean by less than this where a pixel
// sees its noise's worth of light (docs/method.md, "Clamped black").
bool isClamped(const ChannelMeasure& y) {
  constexpr double kLeans = 0.5, kDark = 2.5;  // SNR above which black is out of reach
  return y.variance > 0 && y.mean < kDark * std::sqrt(y.variance) && y.skewness > kLeans;
}

// What Range says of a patch holds for a zone as well.
ZoneDoubt doubtOf(const WedgeMeasure& w, const std::optional<RangeResult>& r, size_t patch) {
  const ChannelMeasure& y = w.patches[patch].channel[kY];
  if (isClamped(y)) return ZoneDoubt::CutOff;
  if (w.frames > 1 && !(y.variance > 0)) return ZoneDoubt::Removed;
  if (y.quantisation == Quantisation::Limited) return ZoneDoubt::Quantised;
  if (!r) return ZoneDoubt::None;
  if (r->states[patch] <= PatchState::Rebuilt) return ZoneDoubt::Clipped;
  return r->channel[kY].trust[patch] == NoiseTrust::Removed ? ZoneDoubt::Removed : ZoneDoubt::None;
}

ZoneNoise zoneOf(Zone zone, const WedgeMeasure& w, const std::optional<RangeResult>& r,
                 const ZonePatches& z) {
  const size_t at = z.at[static_cast<size_t>(zone)];
  const PatchMeasure& p = w.patches[at];
  ZoneNoise n;
  n.zone = zone;
  n.patch = p.name;
  n.stops = p.stops - z.grey;
  n.level = p.channel[kY].mean;
  n.doubt = doubtOf(w, r, at);
  n.sigma = relativeSigma(w, p.channel[kY], kY);
  if (n.doubt != ZoneDoubt::None) return n;
  for (int c = 0; c < kMeasured; ++c) n.snr[static_cast<size_t>(c)] = snrOf(w, r, p, c);
  if (const Signal y = signalOf(w, r, p, kY); y.light > 0) n.signalSigma = y.sigma / y.light;
  readKinds(p.channel[kY], n);
  return n;
}

// Stops that the decoded picture shows for a stop of the chart about the shadow zone: 1 where the curve is
// right, less where black is crushed, which hides noise and is not clean.
double toeOf(const WedgeMeasure& w, const PatchMeasure& shadow) {
  const PatchMeasure *darker = nullptr, *brighter = nullptr;
  for (const auto& p : w.patches) {
    if (p.stops < shadow.stops && (!darker || p.stops > darker->stops)) darker = &p;
    if (p.stops > shadow.stops && (!brighter || p.stops < brighter->stops)) brighter = &p;
  }
  const PatchMeasure &low = darker ? *darker : shadow, &high = brighter ? *brighter : shadow;
  const double from = low.channel[kY].mean, to = high.channel[kY].mean;
  return from > 0 && to > from ? std::log2(to / from) / (high.stops - low.stops) : 1;
}

void warnOf(const WedgeMeasure& w, const std::optional<RangeResult>& r, const ZonesOfTake& t,
            LadderMeasure& m) {
  const std::string where = "take " + t.name;
  if (r && (r->filtered || r->sharpened))
    m.warnings.push_back({r->filtered ? "filtered" : "sharpened",
                          "the picture was filtered: SNR and noise are as delivered, not the sensor's",
                          where});
  if (w.repeatedFrames + w.nearRepeats > 0)
    m.warnings.push_back(
        {"repeated-frames",
         fmt::format("{} frames repeat the one before: they count once", w.repeatedFrames + w.nearRepeats),
         where});
  warnOf(w.missing, where, m.warnings);
  const auto &blue = t.zones[0].snr[kB], &green = t.zones[0].snr[kG];
  if (blue && green && *blue > 0 && *blue < kStarved * *green)
    m.warnings.push_back(
        {"blue-starved",
         fmt::format("blue has {} stops less SNR than green; of light at 3200 K a black body sends {} "
                     "stops less blue (Planck), at 5600 K {}",
                     formatNumber(std::log2(*green / *blue), 1),
                     formatNumber(-blueAgainstGreen(3200).value(), 1),
                     formatNumber(-blueAgainstGreen(5600).value(), 1)),
         where});
  for (const auto& z : t.zones)
    if (std::abs(z.stops - nominalStops(z.zone)) > kFarFromZone)
      m.warnings.push_back(
          {"zone-off",
           fmt::format("no grey lies near {} stops: the {} zone is the one at {}",
                       formatSigned(nominalStops(z.zone), 0), wordOf(z.zone), formatSigned(z.stops, 1)),
           where});
  if (!t.lossyCodec.empty())
    m.warnings.push_back(
        {"lossy-codec", t.lossyCodec + " changes noise: figures are those after coding", where});
  if (t.frames < 2)
    m.warnings.push_back({"few-frames", "one frame only: nothing can be said of noise", where});
  else if (t.frames < kFramesForFixed)
    m.warnings.push_back(
        {"few-frames", "fewer than eight frames: fixed pattern is not told from moving noise", where});
  if (std::abs(t.toeSlope - 1) > kBentToe)
    m.warnings.push_back(
        {"crushed",
         fmt::format("a stop of the chart is {} stops in the shadows: black is crushed or the curve is "
                     "wrong; what is hidden is not clean",
                     formatNumber(t.toeSlope, 2)),
         where});
  for (const auto& z : t.zones)
    if (z.doubt != ZoneDoubt::None)
      m.warnings.push_back({specOf(z.doubt).code,
                            fmt::format("the {} zone {}", wordOf(z.zone), specOf(z.doubt).words), where});
}

}  // namespace

const DoubtSpec& specOf(ZoneDoubt doubt) {
  static constexpr DoubtSpec kDoubts[] = {
      {ZoneDoubt::None, "", "", ""},
      {ZoneDoubt::CutOff, "clamped-black", "cut off",
       "is so dark that its noise is cut off at black: it can't be told"},
      {ZoneDoubt::Clipped, "one-channel-clipped", "clipped", "clips: its noise says nothing"},
      {ZoneDoubt::Removed, "noise-removed", "removed",
       "has lost its noise to a filter or codec: it is unknown, not small"},
      {ZoneDoubt::Quantised, "quantised", "in codes", "has less noise than the codes can show"}};
  return kDoubts[static_cast<size_t>(doubt)];
}

const char* wordOf(Zone zone) {
  constexpr const char* kWords[kZones] = {"shadow", "mid", "high"};
  return kWords[static_cast<size_t>(zone)];
}

double nominalStops(Zone zone) {
  constexpr double kStops[kZones] = {-3, 0, 2};
  return kStops[static_cast<size_t>(zone)];
}

namespace {

// The take to whose brightness all are brought comes first: of a pair the native one, else the higher ISO,
// whichever way round they are listed; of a ladder the first.
std::vector<const TakeSpec*> byReference(const Series& s) {
  std::vector<const TakeSpec*> order;
  for (const auto& t : s.takes)
    if (t.role != "black") order.push_back(&t);
  if (s.kind != "pair" || order.empty()) return order;
  const auto first = std::max_element(order.begin(), order.end(), [](const TakeSpec* a, const TakeSpec* b) {
    return std::pair(a->native, a->iso.value_or(0)) < std::pair(b->native, b->iso.value_or(0));
  });
  std::rotate(order.begin(), first, first + 1);
  return order;
}

// In the order of the series, brightness against its first take.
void asListed(const Series& s, LadderMeasure& m) {
  const auto place = [&](const ZonesOfTake& t) {
    return std::find_if(s.takes.begin(), s.takes.end(),
                        [&](const TakeSpec& spec) {
                          return spec.name == t.name && spec.iso.value_or(0) == t.iso && spec.role != "black";
                        }) -
           s.takes.begin();
  };
  std::stable_sort(m.takes.begin(), m.takes.end(),
                   [&](const ZonesOfTake& a, const ZonesOfTake& b) { return place(a) < place(b); });
  const double from = m.takes.front().brightness;
  for (auto& t : m.takes) t.brightness -= from;
}

}  // namespace

LadderMeasure measureLadder(const Series& s, const Progress& progress) {
  LadderMeasure m;
  m.chroma = s.delivery.chroma;
  m.display = s.display;
  const DisplayTransform display(s.display);
  const DisplayTable table(display);
  const Chart all = chartOf(s.chart, greysOf(s.chart));
  std::optional<PixelFormat> format;
  std::optional<WedgeMeasure> first;
  std::optional<ZonePatches> zones;
  double done = 0;
  const Progress quiet([&progress](double, const std::string&) { progress.throwIfCancelled(); });
  const std::vector<const TakeSpec*> order = byReference(s);
  for (const auto* take : order) {
    const TakeSpec& spec = *take;
    progress.report(done++ / static_cast<double>(s.takes.size()), spec.name);
    Opened clip = openTake(s, spec.clip);
    if (format)
      requireAlike(*format, clip.reader->info().format, s, spec);
    else
      format = clip.reader->info().format;
    const FrameWindow window = spec.window.value_or(s.window);
    const WedgeMeasure w = measureWedge(*clip.reader, clip.decode, all, window, quiet);
    if (!first) {
      first = w;
      zones = zonePatches(s.chart, greyOf(s.chart, w));
    }
    ZonesOfTake t;
    t.name = spec.name;
    t.iso = spec.iso.value_or(0);
    t.stops = spec.plannedStops.value_or(0);
    t.native = spec.native;
    t.frames = w.frames;
    t.lossyCodec = w.lossyCodec;
    const double k = brightnessOf(w, *first);
    t.brightness = std::log2(k);
    std::vector<Patch> chosen;
    for (size_t at : zones->at) chosen.push_back(zones->greys[at]);
    Opened again = openTake(s, spec.clip);
    const Decoder decoder(again.reader->info().format, again.decode);
    const auto deliveries = deliveriesOf(s, decoder, m);
    const TakeStats stats = measureTake(*again.reader, again.decode, chartOf(s.chart, chosen), {}, window,
                                        quiet, nullptr, deliveries);
    const DeliveredLook look{table, decoder.primaries(), s.delivery.chroma, stats.deliveries[0].second};
    std::optional<RangeResult> range;
    if (w.patches.size() >= kFewestGreys && w.frames > 1) {
      RangeOptions o;
      o.grey = zones->grey;
      range = analyseRange(w, o);
      readFloors(w, *range, zones->grey, t);
    }
    for (int i = 0; i < kZones; ++i) t.zones.push_back(zoneOf(static_cast<Zone>(i), w, range, *zones));
    parallelFor(kZones, [&](int i) {
      const auto at = static_cast<size_t>(i);
      if (t.zones[at].doubt != ZoneDoubt::None) return;
      readSeen(stats.samples[at], k, look, t.zones[at]);
      readPunched(stats, at, k, look, t.zones[at]);
    });
    t.toeSlope = toeOf(w, w.patches[zones->at[0]]);
    m.rasterWidth = static_cast<int>(decoder.developedWidth() / look.factor.x + 1e-9);
    m.rasterHeight = static_cast<int>(decoder.developedHeight() / look.factor.y + 1e-9);
    warnOf(w, range, t, m);
    m.takes.push_back(std::move(t));
  }
  if (m.takes.empty()) throw Error("no take in this series", "", "takes", "list the takes");
  asListed(s, m);
  progress.report(1, "done");
  return m;
}

}  // namespace edge
