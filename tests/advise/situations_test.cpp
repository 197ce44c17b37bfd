// The decision table and the order of the board, on rows whose answers can be seen by eye.
#include "advise/situations.h"

#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "report/board.h"

namespace edge {
namespace {

Reach reach(std::int64_t id, double under, double over, double clip) {
  Reach r;
  r.id = id, r.label = std::string(1, static_cast<char>('A' + id - 1)), r.iso = 800;
  r.cleanUnder = Limit{under, 0.1, false}, r.lostUnder = Limit{under - 2, 0.1, false};
  r.cleanOver = Limit{over, 0.1, false}, r.lostOver = Limit{over + 1, 0.1, false};
  r.clip = Limit{clip, 0.01, false};
  return r;
}

const DecisionRow& rowOf(const std::vector<DecisionRow>& rows, const std::string& key) {
  return *std::find_if(rows.begin(), rows.end(),
                       [&](const DecisionRow& r) { return key == r.situation->key; });
}

// A holds far up, B far down: windows ask for A, a dim room and punched-in shadows for B.
TEST(Situations, TheBodyThatHoldsIsTaken) {
  const auto rows = decisionTable({reach(1, -2.5, 6, 7), reach(2, -5.5, 3.2, 5)}, {});
  ASSERT_EQ(rows.size(), situations().size());
  EXPECT_EQ(rowOf(rows, "day-windows").configuration, "A");
  EXPECT_EQ(rowOf(rows, "dim-interior").configuration, "B");
  EXPECT_EQ(rowOf(rows, "fast").configuration, "B");
  for (const auto& r : rows) {
    EXPECT_FALSE(r.reason.empty());
    EXPECT_FALSE(r.cost.empty());
    EXPECT_EQ(r.rating.rfind("EI ", 0), 0U) << r.rating;
  }
}

TEST(Situations, APersonsAnswerStandsWithItsCost) {
  const std::vector<Reach> reaches = {reach(1, -2.5, 6, 7), reach(2, -5.5, 3.2, 5)};
  const OverruledBySituation own = {{"dim-interior", {1, 400, "lenses are here"}},
                                    {"candle", {99, 400, "gone"}}};
  const auto rows = decisionTable(reaches, overruledFrom(toJson(own)));
  const DecisionRow& dim = rowOf(rows, "dim-interior");
  ASSERT_TRUE(dim.overruled);
  EXPECT_EQ(dim.configuration, "A");
  EXPECT_EQ(dim.rating, "EI 400");
  EXPECT_EQ(dim.reason, "lenses are here");
  // One over: the wall at −2 holds on −2.5, the corner at −3.5 may need clean-up; a stop of light is the
  // price.
  EXPECT_EQ(dim.cost, "1.0 stops more light");
  EXPECT_FALSE(rowOf(rows, "candle").overruled) << "of a configuration that is not there";
  EXPECT_TRUE(
      overruledFrom(nlohmann::json::parse(R"({"candle": {"configuration": "x"}, "fast": 3})")).empty());
  EXPECT_TRUE(overruledFrom(nlohmann::json::array()).empty());
}

TEST(Situations, WithoutEdgesNothingIsRecommended) {
  Reach only;
  only.id = 1, only.label = "A", only.iso = 800, only.clip = Limit{6, 0.1, false};
  for (const auto& r : decisionTable({only}, {})) EXPECT_EQ(r.configuration, "–");
}

Finding finding(const char* body, double iso, double latitude, const char* protocol) {
  Finding f;
  f.configuration.body = body, f.configuration.mode = "log", f.configuration.iso = iso;
  f.latitude.emplace();
  f.latitude->edges.latitude = Limit{latitude, 0.1, false};
  ClipRecord base;
  base.kind = ClipKind::Base;
  base.link = {
      {"protocol",
       {{"version", 1}, {"key", protocol}, {"lines", {{{"question", "raster"}, {"answer", protocol}}}}}}};
  f.configuration.clips.push_back(base);
  return f;
}

TEST(Board, UnlikeRowsStandApartAndAreNeverRanked) {
  std::vector<Finding> rows = {finding("Tarn M1", 400, 7, "1920"), finding("Corvane 35", 500, 12, "960"),
                               finding("Pellam S6", 640, 9, "1920")};
  rows.push_back(finding("Corvane 35", 2500, 0, "1920"));
  rows.back().latitude.reset();
  const auto groups = boardOf(rows, BoardSort::Latitude, "");
  ASSERT_EQ(groups.size(), 2U);
  EXPECT_EQ(groups[0].rows, (std::vector<size_t>{2, 0, 3})) << "best first, what was not measured last";
  EXPECT_EQ(groups[1].rows, std::vector<size_t>{1}) << "the longest latitude, of another raster";
  EXPECT_NE(groups[1].differs.find("raster"), std::string::npos) << groups[1].differs;
  EXPECT_EQ(boardOf(rows, BoardSort::AsTested, "corvane 2500").at(0).rows, std::vector<size_t>{3});
  EXPECT_TRUE(boardOf(rows, BoardSort::AsTested, "nothing").empty());
}

}  // namespace
}  // namespace edge
