// What the stage says of brackets that went wrong on the day: a bad base, a take left out, a wrong label, one
// channel of a face that clips alone, a lamp that flickers, a sitter who moved. Plain cameras of closed form,
// a real encoder, no src/simulate.
#include <gtest/gtest.h>

#include "recover/plain_bracket.h"

namespace edge {
namespace {

using namespace test;

const std::vector<double> kStops = {-6, -5, -4, -3, -2, -1, 1, 2, 3, 4};

PlainScene sound() {
  PlainScene s;
  s.camera.well = 20000, s.camera.read = 3, s.camera.frames = 8;
  s.brightest = 0.2, s.face = 0.1;
  return s;
}

Judged bracket(const PlainScene& s, const std::vector<double>& stops,
               const std::function<void(Footage&, double)>& spoil) {
  const TempFolder folder;
  return shoot(s, stops, lossless(10, Sampling::Full444), folder.path(), spoil);
}
void asItIs(Footage&, double) {}

void everyPixel(Footage& f, const std::function<void(int x, int y, float* rgb)>& act) {
  for (auto& frame : f.frames)
    for (int y = 0; y < f.height; ++y)
      for (int x = 0; x < f.width; ++x)
        act(x, y,
            &frame[3 * (static_cast<size_t>(y) * static_cast<size_t>(f.width) + static_cast<size_t>(x))]);
}

// Freckles of five pixels on the face, so that detail has something to hold on to; moved by so many pixels.
void freckle(Footage& f, int moved) {
  constexpr int kSize = 5;
  everyPixel(f, [moved](int x, int y, float* rgb) {
    if (y < kSide) return;
    std::mt19937 spot(static_cast<unsigned>((x + moved) / kSize * 977 + y / kSize));
    const double k = spot() % 2 ? 0.75 : 1.25;
    for (int c = 0; c < 3; ++c) rgb[c] = static_cast<float>(rgb[c] * k);
  });
}

const TakeMetrics& at(const Judged& j, double stops) {
  for (const auto& t : j.measure.takes)
    if (t.planned == stops) return t;
  throw std::runtime_error("no such take");
}

TEST(Said, ASoundBracketHasNothingToSay) {
  const Judged j = bracket(sound(), kStops, asItIs);
  for (const auto& w : j.result.warnings) ADD_FAILURE() << w.code << ": " << w.message;
  ASSERT_TRUE(j.result.edges.latitude);
  EXPECT_FALSE(j.result.edges.latitude->atLeast);
}

TEST(Said, ABaseShotFarTooBrightIsSaidFirst) {
  PlainScene s = sound();
  s.brightest *= 16, s.face *= 16;
  const Judged j = bracket(s, {-6, -5, -4, -3, -2, -1}, asItIs);
  ASSERT_FALSE(j.result.warnings.empty());
  EXPECT_EQ(j.result.warnings.front().code, "base-fails");
  EXPECT_NE(j.result.base.verdict, Verdict::Clean);
  EXPECT_FALSE(j.result.edges.latitude);
}

TEST(Said, WithoutATakeTheBracketIsWiderAndTheEstimateStaysInIt) {
  const Judged whole = bracket(sound(), kStops, asItIs);
  const auto& edge = whole.result.edges.over;
  ASSERT_TRUE(edge.lastGood && edge.firstBad && edge.estimate);
  std::vector<double> without;
  for (double e : kStops)
    if (std::abs(e - *edge.lastGood) > 0.2) without.push_back(e);
  const Judged j = bracket(sound(), without, asItIs);
  const auto& wide = j.result.edges.over;
  ASSERT_TRUE(wide.lastGood && wide.firstBad && wide.estimate);
  EXPECT_NEAR(*wide.firstBad - *wide.lastGood, *edge.firstBad - *edge.lastGood + 1, 0.05);
  EXPECT_NEAR(wide.estimate->stops, edge.estimate->stops, 2 * wide.estimate->sigma);
}

TEST(Said, AWrongLabelIsNamedAndTheEdgeStandsOnWhatWasMeasured) {
  const PlainScene s = sound();
  const Judged j = bracket(s, kStops, [&s](Footage& f, double stops) {
    if (stops == -2) f = take(s, -2.6, 99);  // the iris stood elsewhere than the slate says
  });
  ASSERT_TRUE(j.warns("exposure-mismatch"));
  for (const auto& w : j.result.warnings)
    if (w.code == "exposure-mismatch") {
      EXPECT_NE(w.where.find("-2"), std::string::npos) << w.where;
    }
  EXPECT_NEAR(at(j, -2).measured.value(), -2.6, 0.03);
  const Judged right = bracket(s, kStops, asItIs);
  EXPECT_NEAR(j.result.edges.over.estimate->stops, right.result.edges.over.estimate->stops, 0.05);
  EXPECT_NEAR(j.result.edges.under.estimate->stops, right.result.edges.under.estimate->stops, 0.1);
}

TEST(Said, OneChannelThatClipsAloneIsNamed) {
  const Judged j = bracket(sound(), kStops, [](Footage& f, double) {
    const auto end = static_cast<float>(f.camera.scale);
    everyPixel(f, [end](int, int y, float* rgb) {
      if (y >= kSide) rgb[0] = std::min(end, 2 * rgb[0]);  // a warm face: red a stop over green
    });
  });
  const auto& over = j.result.edges.over;
  ASSERT_TRUE(over.estimate && over.firstBad);
  EXPECT_EQ(over.cause.criterion, Criterion::HighlightGone);
  // Red is at its end a stop before the scene's own face is.
  PlainScene warm = sound();
  warm.face *= 2;
  double low = -2, high = 6;
  while (high - low > 1e-3) {
    const double middle = (low + high) / 2;
    (warm.clipped(middle) > CriteriaProfile()[Criterion::HighlightGone].clean ? high : low) = middle;
  }
  EXPECT_NEAR(over.estimate->stops, high, 0.1);
  bool red = false;
  for (size_t t = 0; t < kStops.size(); ++t)
    for (const auto& r : j.result.verdicts[t].reasons)
      if (r.criterion == Criterion::HighlightGone && kStops[t] > 0) {
        red = true;
        EXPECT_EQ(r.channel.rfind("red", 0), 0U) << r.channel;
        break;
      }
  EXPECT_TRUE(red);
}

TEST(Said, FlickerIsTheReasonOfItsTake) {
  const Judged j = bracket(sound(), kStops, [](Footage& f, double stops) {
    if (stops != -1) return;
    for (size_t n = 0; n < f.frames.size(); ++n)
      for (float& v : f.frames[n]) v *= n % 2 ? 0.9F : 1.1F;
  });
  for (size_t t = 0; t < kStops.size(); ++t) {
    const auto& reasons = j.result.verdicts[t].reasons;
    const bool said = std::any_of(reasons.begin(), reasons.end(),
                                  [](const Reason& r) { return r.criterion == Criterion::Flicker; });
    EXPECT_EQ(said, kStops[t] == -1) << kStops[t];
  }
}

TEST(Said, ASitterWhoMovedIsSaidAndNotJudgedByDetail) {
  const Judged j =
      bracket(sound(), kStops, [](Footage& f, double stops) { freckle(f, stops == -2 ? 23 : 0); });
  ASSERT_TRUE(j.warns("moved"));
  for (const auto& w : j.result.warnings)
    if (w.code == "moved") {
      EXPECT_NE(w.where.find("-2"), std::string::npos) << w.where;
    }
  EXPECT_TRUE(at(j, -2).moved);
  EXPECT_FALSE(at(j, -2)[Criterion::Detail]);
  EXPECT_TRUE(at(j, -1)[Criterion::Detail]);
}

}  // namespace
}  // namespace edge
