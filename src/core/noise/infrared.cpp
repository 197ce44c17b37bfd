#include "noise/infrared.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/json_numbers.h"
#include "base/numbers.h"
#include "color/lab.h"
#include "recover/bring_back.h"
#include "recover/clip_decode.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr double kDensityPerStop = 0.30102999566398120;  // log10 of 2
constexpr double kOtherLight = 0.5;  // stops by which a white may stand elsewhere without a word
constexpr double kTinted = 6;  // a*, b* of a filter's own, beyond which black and white can't be compared
constexpr double kClippedShare = 0.01;

const AreaStats* withRole(const TakeStats& t, const char* role) {
  for (const auto* list : {&t.regions, &t.patches})
    for (const auto& a : *list)
      if (a.role == role) return &a;
  return nullptr;
}

struct Seen {
  Lab lab;
  double sigma = 0;  // of a*, b* together
};

// Mean colour after display, and what its standard error comes to there.
Seen seenOf(const AreaStats& area, double k, double frames, const DisplayTransform& display,
            Primaries primaries) {
  const auto labAt = [&](const Vec3& v) {
    return labOfDisplayLight(display.light({v[0] / k, v[1] / k, v[2] / k}), primaries);
  };
  Seen s{labAt(area.mean)};
  const double error = std::sqrt(std::max(0.0, area.lumaVariance) / (area.pixels * std::max(1.0, frames)));
  double squares = 0;
  for (size_t c = 0; c < 3; ++c) {
    Vec3 moved = area.mean;
    moved[c] += error;
    const Lab there = labAt(moved);
    squares += std::pow(there.a - s.lab.a, 2) + std::pow(there.b - s.lab.b, 2);
  }
  s.sigma = std::sqrt(squares);
  return s;
}

}  // namespace

InfraredMeasure measureInfrared(const Series& s, const Progress& progress) {
  std::vector<const TakeSpec*> specs;
  for (const auto& t : s.takes)
    if (t.nd && t.role != "black") specs.push_back(&t);
  if (specs.size() < 2)
    throw Error("fewer than two takes have a density", "", "takes",
                "give each take its \"nd\", the first without filter 0");
  std::stable_sort(specs.begin(), specs.end(), [](const auto* a, const auto* b) { return *a->nd < *b->nd; });
  InfraredMeasure m;
  m.display = s.display;
  const DisplayTransform display(s.display);
  double firstWhite = 0;
  Seen firstBlack, firstWhiteSeen;
  double done = 0;
  for (const auto* spec : specs) {
    progress.report(done++ / static_cast<double>(specs.size()), spec->name);
    const auto reader = openClip(spec->clip);
    const DecodeOptions decode = resolved(s.decode, reader->info());
    const Decoder decoder(reader->info().format, decode);
    const Progress quiet([&progress](double, const std::string&) { progress.throwIfCancelled(); });
    Chart chart = s.chart;
    if (s.chartFile.empty()) {
      chart.referenceWidth = reader->info().format.width;
      chart.referenceHeight = reader->info().format.height;
    }
    const TakeStats t =
        measureTake(*reader, decode, chart, s.regions, spec->window.value_or(s.window), quiet);
    const AreaStats *black = withRole(t, "black"), *white = withRole(t, "white");
    if (!black || !white)
      throw Error("black and white cloth are not marked", spec->clip.string(), "regions",
                  "mark one region with the role black and one with the role white");
    if (!(white->luma > 0))
      throw Error("the white is black here", spec->clip.string(), white->name, "check the take");
    m.black = black->name;
    m.white = white->name;
    InfraredTake take;
    take.name = spec->name;
    take.nd = *spec->nd;
    take.missing = t.missing;
    if (m.takes.empty()) firstWhite = white->luma;
    take.brightness = std::log2(white->luma / firstWhite);
    const double k = white->luma / firstWhite;
    const auto frames = static_cast<double>(t.frames);
    const Seen b = seenOf(*black, k, frames, display, decoder.primaries()),
               w = seenOf(*white, k, frames, display, decoder.primaries());
    if (m.takes.empty()) {
      firstBlack = b;
      firstWhiteSeen = w;
    }
    const Lab &b0 = firstBlack.lab, &w0 = firstWhiteSeen.lab;
    take.a = (b.lab.a - w.lab.a) - (b0.a - w0.a);
    take.b = (b.lab.b - w.lab.b) - (b0.b - w0.b);
    take.sigma = m.takes.empty()
                     ? 0
                     : std::sqrt(b.sigma * b.sigma + w.sigma * w.sigma + firstBlack.sigma * firstBlack.sigma +
                                 firstWhiteSeen.sigma * firstWhiteSeen.sigma);
    take.whiteA = w.lab.a - w0.a;
    take.whiteB = w.lab.b - w0.b;
    const double top = 1 - CodeDistribution::codesAt(1, kAtEnd);
    for (const auto& codes : white->codes)
      take.whiteClips = take.whiteClips || (decoder.levels() > 0 && codes.shareFrom(top) > kClippedShare);
    m.takes.push_back(take);
  }
  progress.report(1, "done");
  return m;
}

InfraredResult judgeInfrared(const InfraredMeasure& m, const CriteriaProfile& profile) {
  InfraredResult r;
  const double limit = profile[Criterion::ColourShift].clean;
  const auto size = [](const InfraredTake& t) { return std::hypot(t.a, t.b); };
  for (const auto& t : m.takes) {
    const std::string where = "take " + t.name;
    if (std::abs(t.brightness) > kOtherLight)
      r.warnings.push_back(
          {"unequal-brightness",
           fmt::format("the white stands {} stops elsewhere: was the light raised by the filter's "
                       "density? It was brought to equal brightness",
                       formatSigned(t.brightness, 2)),
           where});
    warnOf(t.missing, where, r.warnings);
    if (t.whiteClips)
      r.warnings.push_back({"one-channel-clipped", "the white clips: its colour is not known", where});
    if (std::hypot(t.whiteA, t.whiteB) > kTinted)
      r.warnings.push_back(
          {"nd-tint",
           fmt::format("the filter tints the white by {}, {}: part of the shift may be its own colour",
                       formatSigned(t.whiteA, 1), formatSigned(t.whiteB, 1)),
           where});
  }
  size_t bad = 0;
  while (bad < m.takes.size() && size(m.takes[bad]) <= limit) ++bad;
  if (bad == m.takes.size()) {
    r.cleanUpTo = m.takes.back().nd;
    r.atLeast = true;
    return r;
  }
  r.words = shiftWords(m.takes.back().a, m.takes.back().b);
  if (bad == 0) return r;  // the weakest filter is the measure of all: it can't fail
  const InfraredTake &good = m.takes[bad - 1], &first = m.takes[bad];
  const double share = (limit - size(good)) / std::max(1e-9, size(first) - size(good));
  r.cleanUpTo = good.nd + share * (first.nd - good.nd);
  // Least squares over the densities from there on, the last clean one as their start.
  double n = 0, x = 0, xx = 0, a = 0, b = 0, xa = 0, xb = 0;
  for (size_t i = bad - 1; i < m.takes.size(); ++i) {
    const double stops = m.takes[i].nd / kDensityPerStop;
    n += 1;
    x += stops;
    xx += stops * stops;
    a += m.takes[i].a;
    b += m.takes[i].b;
    xa += stops * m.takes[i].a;
    xb += stops * m.takes[i].b;
  }
  const double det = n * xx - x * x;
  if (det > 0) r.colourPerStop = {(n * xa - x * a) / det, (n * xb - x * b) / det};
  return r;
}

json infraredJson(const InfraredMeasure& m, const InfraredResult& r) {
  json j = {{"takes", json::array()}, {"display", m.display}, {"black", m.black}, {"white", m.white}};
  for (const auto& t : m.takes)
    j["takes"].push_back({{"name", t.name},
                          {"nd", t.nd},
                          {"shift", {{"a", t.a}, {"b", t.b}, {"words", shiftWords(t.a, t.b)}}},
                          {"white_shift", {{"a", t.whiteA}, {"b", t.whiteB}}},
                          {"brightness", t.brightness},
                          {"sigma", t.sigma}});
  j["clean_up_to_nd"] = nullptr;
  if (r.cleanUpTo && r.atLeast)
    j["clean_up_to_nd"] = {{"at_least", *r.cleanUpTo}};
  else if (r.cleanUpTo)
    j["clean_up_to_nd"] = *r.cleanUpTo;
  j["colour_per_stop"] =
      r.colourPerStop ? json{{"a", r.colourPerStop->first}, {"b", r.colourPerStop->second}} : json();
  j["words"] = r.words.empty() ? json() : json(r.words);
  j["warnings"] = toJson(r.warnings);
  return j;
}

}  // namespace edge
