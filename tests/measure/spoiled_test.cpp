// Footage that lies: every figure is right within its error, or warned of by a code that names the fault, or
// absent; and nothing is said of sound footage. The footage is made in tests/support/spoiled.cpp (closed-form
// noise, real encoders), with random parameters. EDGE_SPOILED=20 runs the full set, EDGE_SOUND=200 the sound
// clips, EDGE_FAULT_NAME=coring one fault, EDGE_SPOILED_TABLE=FILE keeps the table for docs/studies.md.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cstdlib>
#include <fstream>

#include "media/clip.h"
#include "recover/take.h"
#include "support/spoiled.h"
#include "support/support.h"

namespace edge {
namespace {

using test::Encoder;
using test::Footage;
using test::PlainCamera;
using test::Sampling;

struct Draw {
  std::mt19937_64 random;
  double operator()(double low, double high) {
    return std::uniform_real_distribution<double>(low, high)(random);
  }
  bool coin() { return (*this)(0, 1) < 0.5; }
};

struct Fault {
  const char* name;
  std::vector<const char*> named;  // codes that name it
  std::function<Encoder(Footage&, Draw&)> make;
  bool open = false;  // its true answer is "at least"
};

Encoder codec(const char* name, std::vector<std::pair<std::string, std::string>> options, int bits,
              Sampling s, int group) {
  Encoder e{name, std::move(options)};
  e.bits = bits, e.sampling = s, e.group = group;
  return e;
}
// Constant quality; the fast presets only save time.
Encoder h26x(bool h265, double quality, int bits, int group) {
  std::vector<std::pair<std::string, std::string>> o = {{"preset", "ultrafast"},
                                                        {"crf", fmt::format("{:.0f}", quality)}};
  if (h265) o.emplace_back("x265-params", "log-level=none");
  return codec(h265 ? "libx265" : "libx264", o, bits, bits == 8 ? Sampling::Quarter420 : Sampling::Half422,
               group);
}

const std::vector<Fault>& faults() {
  static const std::vector<Fault> kFaults = {
      {"coring",
       {"noise-removed"},
       [](Footage& f, Draw& d) {
         test::core(f, d(1, 5), d.coin());
         return test::lossless();
       }},
      {"no noise",
       {"noise-removed", "repeated-frames"},
       [](Footage& f, Draw& d) {
         test::withoutNoise(f);
         return d.coin() ? test::lossless() : test::lossless(8, Sampling::Quarter420);
       }},
      {"one frame again and again",
       {"repeated-frames"},
       [](Footage& f, Draw&) {
         test::stand(f);
         return test::lossless();
       }},
      {"frames doubled or tripled",
       {"repeated-frames"},
       [](Footage& f, Draw& d) {
         test::repeat(f, d.coin() ? 2 : 3);
         return test::lossless();
       }},
      {"pulled down",
       {"repeated-frames"},
       [](Footage& f, Draw&) {
         test::pullDown(f);
         return test::lossless();
       }},
      {"temporal filter, to 0.7",
       {"filtered"},
       [](Footage& f, Draw& d) {
         test::recursive(f, d(0.15, 0.7));
         return test::lossless();
       }},
      {"temporal filter, above",
       {"filtered"},
       [](Footage& f, Draw& d) {
         test::recursive(f, d(0.7, 0.92));
         return test::lossless();
       }},
      {"blur",
       {"filtered"},
       [](Footage& f, Draw& d) {
         const double s = d(0.5, 2.5);
         test::blur(f, s, s);
         return test::lossless();
       }},
      {"blur along one axis",
       {"filtered"},
       [](Footage& f, Draw& d) {
         const double s = d(0.5, 2);
         d.coin() ? test::blur(f, s, 0) : test::blur(f, 0, s);
         return test::lossless();
       }},
      {"median",
       {"filtered"},
       [](Footage& f, Draw&) {
         test::median3(f);
         return test::lossless();
       }},
      {"sharpening",
       {"sharpened"},
       [](Footage& f, Draw& d) {
         test::unsharp(f, d(0.3, 1.2), d(0.5, 2));
         return test::lossless();
       }},
      {"first step dimmer than stated",
       {"chart-scatter", "uneven"},
       [](Footage& f, Draw& d) {
         test::dimFirstStep(f, d(0.06, 0.3));
         return test::lossless();
       },
       true},
      {"range tagged wrongly",
       {"range-tag"},
       [](Footage&, Draw& d) {
         Encoder e = test::lossless(10, d.coin() ? Sampling::Full444 : Sampling::Half422);
         (d.coin() ? e.legal : e.taggedLegal) = false;
         return e;
       }},
      {"H.264 intra, ten bits",
       {"lossy-codec"},
       [](Footage&, Draw& d) { return h26x(false, d(0, 12), 10, 1); }},
      {"H.264 long, eight bits",
       {"lossy-codec"},
       [](Footage&, Draw& d) { return h26x(false, d(4, 28), 8, 12); }},
      {"H.264 long, ten bits",
       {"lossy-codec"},
       [](Footage&, Draw& d) { return h26x(false, d(4, 24), 10, 12); }},
      {"H.265 intra, ten bits",
       {"lossy-codec"},
       [](Footage&, Draw& d) { return h26x(true, d(0, 14), 10, 1); }},
      {"H.265 long, ten bits",
       {"lossy-codec"},
       [](Footage&, Draw& d) { return h26x(true, d(4, 24), 10, 12); }},
      {"VC-3, ten bits",
       {"lossy-codec"},
       [](Footage&, Draw&) {
         return codec(test::kVc3, {{"profile", "4"}}, 10, Sampling::Half422, 1);
       }},
      {"coded, then stored without loss",
       {"lossy-codec"},
       [](Footage&, Draw& d) {
         Encoder e = d.coin() ? h26x(d.coin(), d(0, 8), 10, 1)
                              : codec(test::kVc3, {{"profile", "4"}}, 10, Sampling::Half422, 1);
         e.transcoded = true;
         return e;
       }},
      {"temporal filter, then H.264 intra",
       {"lossy-codec", "filtered"},
       [](Footage& f, Draw& d) {
         test::recursive(f, d(0.15, 0.8));
         return h26x(false, d(0, 8), 10, 1);
       }},
      {"blur, then H.264 intra",
       {"lossy-codec", "filtered"},
       [](Footage& f, Draw& d) {
         const double s = d(0.3, 1.5);
         test::blur(f, s, s);
         return h26x(false, d(0, 8), 10, 1);
       }},
      {"coring, then H.264 intra",
       {"lossy-codec", "noise-removed"},
       [](Footage& f, Draw& d) {
         test::core(f, d(1, 5), d.coin());
         return h26x(false, d(0, 8), 10, 1);
       }},
      {"frames doubled, then H.264 intra",
       {"repeated-frames"},
       [](Footage& f, Draw& d) {
         test::repeat(f, 2);
         return h26x(false, d(0, 8), 10, 1);
       }},
      {"JPEG, eight bits",
       {"lossy-codec"},
       [](Footage&, Draw& d) {
         return codec("mjpeg", {{"qmin", "1"}, {"qmax", fmt::format("{:.0f}", d(1, 6))}}, 8,
                      Sampling::Half422, 1);
       }},
  };
  return kFaults;
}

constexpr double kAmple = 2;  // bits a pixel, of a camera's better modes

struct Tally {
  int cases = 0, given = 0, right = 0, open = 0, warned = 0, silent = 0;
  int corrected = 0, within = 0, one = 0, two = 0;  // figures before filtering or coding
  int ample = 0, ampleWithin = 0;                   // of them at kAmple and more
};

int wanted(const char* variable, int usual) {
  const char* text = std::getenv(variable);
  return text ? std::atoi(text) : usual;
}

void judge(const std::map<double, Limit>& range, const PlainCamera& camera, bool open, bool named,
           double bits, bool before, Tally& t) {
  for (const double snr : {1.0, 2.0, 10.0}) {
    const auto at = range.find(snr);
    if (at == range.end()) {
      ++t.open;
      continue;
    }
    const Limit& l = at->second;
    const double truth = open ? 100 : camera.trueRange(snr), error = l.stops - truth,
                 allowed = std::max(0.1, 2.5 * l.sigma);
    if (before && !l.atLeast) {
      ++t.corrected, t.within += std::abs(error) < 0.15;
      if (bits >= kAmple) ++t.ample, t.ampleWithin += std::abs(error) < 0.15;
      t.one += std::abs(error) <= l.sigma, t.two += std::abs(error) <= 2 * l.sigma;
    }
    if (l.atLeast ? error <= allowed : std::abs(error) <= allowed)
      ++(l.atLeast ? t.open : t.right);
    else
      ++(named && !before ? t.warned : t.silent);
    t.given += !l.atLeast;
  }
}

// What a silent error looks like, to be understood.
void describe(const char* fault, int i, const PlainCamera& camera, bool named,
              const test::Recording& recording, const RangeResult& r) {
  const WedgeMeasure& m = recording.wedge;
  std::printf("%s %d: well %.0f read %.1f, %.2f bits, named %d\n", fault, i, camera.well, camera.read,
              recording.bitsPerPixel, named);
  for (const double snr : {1.0, 2.0, 10.0}) {
    for (const auto* list : {&r.channel[kY].range, &r.corrected[kY]})
      if (const auto at = list->find(snr); at != list->end())
        std::printf("  SNR %g: %s%.2f +-%.2f (true %.2f)", snr, at->second.atLeast ? "at least " : "",
                    at->second.stops, at->second.sigma, camera.trueRange(snr));
    std::printf("\n");
  }
  for (const auto& w : r.warnings) std::printf("  %s: %s\n", w.code.c_str(), w.message.c_str());
  for (size_t k = 0; k < m.patches.size(); ++k) {
    const ChannelMeasure& y = m.patches[k].channel[kY];
    std::printf(
        "  %s: K %.2f SNR %.2f, sd %.2f codes, %s, kurtosis %.2f +-%.2f, lags %.2f %.2f, skewness %.2f %.2f "
        "%.2f "
        "%.2f\n",
        m.patches[k].name.c_str(), m.patches[k].coefficients.kurtosis, r.channel[kY].snr[k],
        y.step > 0 ? std::sqrt(y.variance) / y.step : 0, wordOf(r.channel[kY].trust[k]), y.kurtosis,
        y.kurtosisSigma, y.verticalLag, y.horizontalLag, m.patches[k].channel[kR].skewness,
        m.patches[k].channel[kG].skewness, m.patches[k].channel[kB].skewness, y.skewness);
  }
}

TEST(SpoiledStudy, NoFigureIsSilentlyWrong) {
  const int n = wanted("EDGE_SPOILED", 1);
  const char* only = std::getenv("EDGE_FAULT_NAME");
  const test::TempFolder folder;
  std::string table =
      "| fault | clips | figures right | open or absent | warned of | silently wrong | before it: within "
      "0.15, "
      "1 sigma, 2 sigma | at 2 bits a pixel and more, within 0.15 |\n|---|---|---|---|---|---|---|---|\n";
  for (const Fault& fault : faults()) {
    if (only && !std::string(fault.name).starts_with(only)) continue;
    Tally t;
    Draw draw{std::mt19937_64(std::hash<std::string>{}(fault.name))};
    for (int i = 0; i < n; ++i) {
      PlainCamera camera = test::randomCamera(draw.random);
      if (fault.open) camera.over = draw(-1.5, -0.3);
      Footage f = test::expose(camera);
      const Encoder encoder = fault.make(f, draw);
      if (!test::isThere(encoder)) continue;
      ++t.cases;
      test::Recording m;
      const RangeResult r = test::measured(f, folder.path(), encoder, &m);
      const bool named = std::any_of(fault.named.begin(), fault.named.end(),
                                     [&](const char* c) { return test::warns(r, c); });
      const int silent = t.silent;
      judge(r.channel[kY].range, camera, fault.open, named, m.bitsPerPixel, false, t);
      judge(r.corrected[kY], camera, fault.open, named, m.bitsPerPixel, true, t);
      if (t.silent > silent || std::getenv("EDGE_ALL")) describe(fault.name, i, camera, named, m, r);
    }
    const auto of = [](int k, int n) {
      return n ? fmt::format("{:.0f} %", 100.0 * k / n) : std::string("-");
    };
    const auto share = [&](int k) { return of(k, t.corrected); };
    const std::string row =
        fmt::format("| {} | {} | {} | {} | {} | {} | {}: {}, {}, {} | {}: {} |\n", fault.name, t.cases,
                    t.right, t.open, t.warned, t.silent, t.corrected, share(t.within), share(t.one),
                    share(t.two), t.ample, of(t.ampleWithin, t.ample));
    std::printf("%s", row.c_str());
    std::fflush(stdout);
    table += row;
    EXPECT_EQ(t.silent, 0) << fault.name;
  }
  if (const char* file = std::getenv("EDGE_SPOILED_TABLE")) std::ofstream(file) << table;
}

// Said of nothing that is sound. Not counted: what is true of a sound clip (its chart ends, its codes are
// coarse).
TEST(SpoiledStudy, SoundFootageRaisesNoAlarm) {
  const int n = wanted("EDGE_SOUND", 3);
  const test::TempFolder folder;
  std::map<std::string, int> alarms;
  int wrong = 0, figures = 0, one = 0, two = 0;
  Draw draw{std::mt19937_64(77)};
  for (int i = 0; i < n; ++i) {
    const PlainCamera camera = test::randomCamera(draw.random);
    Footage f = test::expose(camera);
    const bool hot = i % 4 == 3;
    if (hot) test::hotPixels(f, 2);
    const Sampling sampling = i % 3 == 0   ? Sampling::Full444
                              : i % 3 == 1 ? Sampling::Half422
                                           : Sampling::Quarter420;
    test::Recording m;
    const RangeResult r = test::measured(f, folder.path(), test::lossless(10, sampling), &m);
    for (const auto& w : r.warnings) {
      if (w.code == "rebuilt-undetermined" || w.code == "lower-not-reached" || w.code == "quantised")
        continue;
      if (alarms[w.code]++ == 0) describe("sound", i, camera, false, m, r);
    }
    for (const double snr : {1.0, 2.0, 10.0})
      if (const auto at = r.channel[kY].range.find(snr);
          at != r.channel[kY].range.end() && !at->second.atLeast) {
        const double error = std::abs(at->second.stops - camera.trueRange(snr));
        ++figures, one += error <= at->second.sigma, two += error <= 2 * at->second.sigma;
        wrong += error > std::max(0.1, 2.5 * at->second.sigma);
      }
  }
  std::printf("%d sound clips, %d figures, %d wrong, %.0f %% within one sigma, %.0f %% within two\n", n,
              figures, wrong, 100.0 * one / std::max(1, figures), 100.0 * two / std::max(1, figures));
  EXPECT_TRUE(alarms.empty());
  EXPECT_EQ(wrong, 0);
}

PlainCamera usual() {
  PlainCamera c;
  c.seed = 5;
  return c;
}

// "Never above it" and "above it at the end of the chart" are two answers.
TEST(Spoiled, AThresholdThatIsNeverReachedIsAbsentNotAtLeast) {
  PlainCamera c = usual();
  c.over = -12, c.steps = 8, c.step = 0.5;
  const test::TempFolder folder;
  const RangeResult r = test::measured(test::expose(c), folder.path(), test::lossless());
  EXPECT_EQ(r.channel[kY].range.count(10), 0U);
}

// Noise of whole rows is the sensor's own: neither sharpened nor given back as range. Truth: the row noise adds to the
// read noise of every pixel (luma: all channels move together).
TEST(Spoiled, RowNoiseIsNoSharpening) {
  const test::TempFolder folder;
  std::mt19937_64 random(17);
  for (const double reads : {0.45, 1.0, 2.0})
    for (const int side : {32, 48}) {
      PlainCamera c = usual();
      c.read = 4;
      c.side = side;
      Footage f = test::expose(c);
      test::rowNoise(f, reads, random);
      const RangeResult r = test::measured(f, folder.path(), test::lossless(10, Sampling::Full444));
      EXPECT_FALSE(r.sharpened) << reads << " " << side;
      EXPECT_FALSE(test::warns(r, "sharpened")) << reads << " " << side;
      EXPECT_TRUE(r.corrected[kY].empty()) << reads << " " << side;
    }
}

TEST(Spoiled, NoNoiseGivesNoFigure) {
  const test::TempFolder folder;
  Footage f = test::expose(usual());
  test::withoutNoise(f);
  const RangeResult r = test::measured(f, folder.path(), test::lossless(8, Sampling::Quarter420));
  EXPECT_TRUE(r.channel[kY].range.empty());
  EXPECT_FALSE(r.headline);
  EXPECT_TRUE(test::warns(r, "noise-removed"));
}

TEST(Spoiled, RepeatedFramesCountOnce) {
  const test::TempFolder folder;
  Footage f = test::expose(usual());
  test::Recording plain, doubled;
  const RangeResult a = test::measured(f, folder.path(), test::lossless(), &plain);
  test::repeat(f, 2);
  const RangeResult b = test::measured(f, folder.path(), test::lossless(), &doubled);
  EXPECT_EQ(doubled.wedge.frames, plain.wedge.frames);
  EXPECT_EQ(doubled.wedge.repeatedFrames, plain.wedge.frames);
  EXPECT_DOUBLE_EQ(a.headline->stops, b.headline->stops);
  EXPECT_TRUE(test::warns(b, "repeated-frames"));
}

// The same of a bracket's take: doubled frames must not halve its noise, nor a codec pass unsaid.
TEST(Spoiled, TakesOfABracketCountRepeatsOnceAndNameTheirCodec) {
  const test::TempFolder folder;
  test::writeLogCurve(folder / "log.json");
  const DecodeOptions decode{(folder / "log.json").string(), {}, {}, {}};
  const auto taken = [&](const Footage& f, const Encoder& e) {
    test::record(f, folder / "take.mkv", e);
    const auto reader = openClip(folder / "take.mkv");
    return measureTake(*reader, decode, f.chart, {}, {}, Progress());
  };
  Footage f = test::expose(usual());
  const TakeStats plain = taken(f, test::lossless());
  Footage doubled = f, still = f;
  test::repeat(doubled, 2), test::stand(still);
  const TakeStats twice = taken(doubled, test::lossless());
  EXPECT_EQ(twice.frames, plain.frames);
  EXPECT_EQ(twice.repeatedFrames, plain.frames);
  for (size_t i = 0; i < plain.patches.size(); ++i)
    EXPECT_DOUBLE_EQ(twice.patches[i].lumaVariance, plain.patches[i].lumaVariance);
  EXPECT_TRUE(taken(still, test::lossless()).still());
  EXPECT_EQ(plain.lossyCodec, "");
  EXPECT_NE(taken(f, h26x(false, 6, 10, 1)).lossyCodec, "");
}

// ITU-T H.264, 7.3.2.1.1 and H.265, 7.3.2.3.1: a codec that can do both says which.
TEST(Spoiled, LosslessModesOfLossyCodecsAreNoAlarm) {
  const test::TempFolder folder;
  const Footage f = test::expose(usual());
  Encoder h264 = h26x(false, 0, 10, 1), h265 = h26x(true, 0, 10, 1);
  h264.options = {{"preset", "ultrafast"}, {"qp", "0"}};
  h265.options = {{"preset", "ultrafast"}, {"x265-params", "lossless=1:log-level=none"}};
  for (const Encoder& e : {h264, h265}) {
    const RangeResult r = test::measured(f, folder.path(), e);
    EXPECT_FALSE(test::warns(r, "lossy-codec")) << e.name;
  }
}

TEST(Spoiled, OneHotPixelIsNoClamp) {
  const test::TempFolder folder;
  Footage f = test::expose(usual());
  test::hotPixels(f, 2);
  const RangeResult r = test::measured(f, folder.path(), test::lossless());
  EXPECT_FALSE(test::warns(r, "clamped-black"));
}

TEST(Spoiled, CodesOfTheOtherRangeAreSaid) {
  const test::TempFolder folder;
  Encoder full = test::lossless();
  full.legal = false;
  const RangeResult r = test::measured(test::expose(usual()), folder.path(), full);
  EXPECT_TRUE(test::warns(r, "range-tag"));
  EXPECT_FALSE(
      test::warns(test::measured(test::expose(usual()), folder.path(), test::lossless()), "range-tag"));
}

// ITU-R BT.709 sampling 4:2:0 in a lossless codec: luma as in 4:4:4.
TEST(Spoiled, QuarterSamplingKeepsLuma) {
  const test::TempFolder folder;
  const PlainCamera c = usual();
  for (const Sampling s : {Sampling::Full444, Sampling::Half422, Sampling::Quarter420}) {
    const RangeResult r = test::measured(test::expose(c), folder.path(), test::lossless(10, s));
    EXPECT_NEAR(r.channel[kY].range.at(2).stops, c.trueRange(2), 0.03);
    EXPECT_EQ(r.channel[kG].usable, s == Sampling::Full444);
  }
}

}  // namespace
}  // namespace edge
