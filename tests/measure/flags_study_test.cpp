// Every flag of the range: how often it is raised on wedges that have the fault, and on sound ones. Simulated
// cameras of all kinds; truth by construction. EDGE_FLAGS=40 runs the full set, EDGE_FLAG=glare one of them,
// EDGE_FLAGS_TABLE=FILE keeps the table for docs/method.md.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cstdlib>
#include <fstream>
#include <functional>
#include <map>

#include "measure/wedge_camera.h"

namespace edge {
namespace {

struct Fault {
  const char* flag;
  const char* words;
  std::function<void(Wedge&, RandomStream&)> make;
};

const std::vector<Fault>& faults() {
  static const std::vector<Fault> kFaults = {
      {"clamped-black", "black cut at nought", [](Wedge& w, RandomStream&) { w.clamp = true; }},
      {"filtered", "blur of 0.5 to 0.9 pixels",
       [](Wedge& w, RandomStream& r) { w.blur = 0.5 + 0.4 * r.uniform(); }},
      {"unreliable", "blurred, then black cut at nought",
       [](Wedge& w, RandomStream&) { w.blur = 0.7, w.clamp = true; }},
      {"glare", "veiling light of 3 to 8 times the read noise",
       [](Wedge& w, RandomStream& r) { w.glare = w.read / w.well * (3 + 5 * r.uniform()); }},
      {"rebuilt-highlights", "rebuilt to grey, a step well inside",
       [](Wedge& w, RandomStream& r) {
         if (w.recording == Recording::Movie) w.recording = Recording::Log10;  // 4:2:2 says it can't tell

         w.making = Making::RebuiltGrey, w.over = 0.4 + 0.3 * r.uniform(), w.step = 0.97;
       }},
      {"one-channel-clipped", "green ends a stop before red",
       [](Wedge& w, RandomStream&) { w.recording = Recording::Raw; }},
      {"upper-not-reached", "brightest step 0.5 to 1.5 stops under the clip",
       [](Wedge& w, RandomStream& r) { w.over = -0.5 - r.uniform(); }},
      {"lower-not-reached", "seven steps", [](Wedge& w, RandomStream&) { w.steps = 7; }},
      {"quantised", "eight-bit log",
       [](Wedge& w, RandomStream&) { w.recording = Recording::Log8, w.well *= 4; }},
      {"flicker", "light changing by 2 %", [](Wedge& w, RandomStream&) { w.flicker = 0.02; }},
      {"soft-knee", "shoulder from 35 to 55 % of the clip on, half-stop steps",
       [](Wedge& w, RandomStream& r) {
         w.shoulder = 0.35 + 0.2 * r.uniform(), w.step = 0.5, w.steps = 30, w.over = 2.2;
       }},
      {"chart-scatter", "steps off by 0.1 stop, stated 0.01",
       [](Wedge& w, RandomStream&) { w.chartError = 0.1, w.sigma = 0.01; }},
      {"wrong-curve", "read by another log curve",
       [](Wedge& w, RandomStream&) { w.recording = Recording::Log16, w.decodeAs = "acescct"; }},
      {"few-frames", "four frames", [](Wedge& w, RandomStream&) { w.frames = 4; }},
  };
  return kFaults;
}

Wedge soundCamera(RandomStream& random, int i) {
  constexpr Recording kKinds[] = {Recording::Exr, Recording::Log16, Recording::Log10Tiff, Recording::Log10,
                                  Recording::Movie};
  Wedge w;
  do {
    w.well = std::exp2(12 + 4 * random.uniform()), w.read = 1 + 5 * random.uniform();
  } while (w.read / w.well > 5e-4);
  w.over = 0.6 + 2 * random.uniform(), w.step = 0.9 + 0.1 * random.uniform(),
  w.scale = 3 + 2 * random.uniform();
  w.sigma = w.chartError = 0.015, w.frames = 16, w.steps = 20, w.black = true, w.side = 42;
  w.recording = kKinds[i % 5], w.seed = static_cast<std::uint64_t>(i) + 77;
  return w;
}

bool raised(const RangeResult& r, const char* flag) {
  return std::any_of(r.warnings.begin(), r.warnings.end(), [&](const Warning& w) { return w.code == flag; });
}

TEST(FlagStudy, FlagsAreRaisedForTheirFaultsAndForNothingElse) {
  const char* wanted = std::getenv("EDGE_FLAGS");
  const int n = wanted ? std::atoi(wanted) : 1;
  const test::TempFolder folder;
  WedgeMeasure m;
  std::map<std::string, int> falseAlarms;
  RandomStream random(23, 1, 1);
  for (int i = 0; i < n; ++i) {
    const RangeResult r = analyse(soundCamera(random, i), folder / "w", &m);
    for (const Fault& f : faults()) falseAlarms[f.flag] += raised(r, f.flag);
  }
  std::string table = "| flag | fault | found | false alarms on sound wedges |\n|---|---|---|---|\n";
  const char* only = std::getenv("EDGE_FLAG");
  for (const Fault& f : faults()) {
    if (only && std::string(only) != f.flag) continue;
    int hits = 0;
    for (int i = 0; i < n; ++i) {
      Wedge w = soundCamera(random, i);
      w.frames = 12;
      f.make(w, random);
      const RangeResult r = analyse(w, folder / "w", &m);
      hits += raised(r, f.flag);
    }
    table += fmt::format("| `{}` | {} | {} of {} | {} of {} |\n", f.flag, f.words, hits, n,
                         falseAlarms[f.flag], n);
    EXPECT_GE(hits, n < 10 ? n : 0.9 * n) << f.flag;
    EXPECT_EQ(falseAlarms[f.flag], 0) << f.flag;
  }
  std::printf("%s", table.c_str());
  if (const char* file = std::getenv("EDGE_FLAGS_TABLE")) std::ofstream(file) << table;
}

}  // namespace
}  // namespace edge
