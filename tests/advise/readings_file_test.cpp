// Readings from outside: every fault is named with file and place, nothing is guessed.
#include <gtest/gtest.h>

#include "advise/readings.h"
#include "base/csv.h"
#include "base/error.h"
#include "base/files.h"
#include "support/support.h"

namespace edge {
namespace {

TEST(ReadingsFile, TablesAreRead) {
  const test::TempFolder folder;
  writeFileAtomically(folder / "scene.csv",
                      "\xEF\xBB\xBFname;stops;lux;iso;shutter;t;may\r\nexposure;;;800;1/48;2,8;\r\n"
                      "\"window; left\";4,5;;;;;\r\nwall;;240;;;;\r\nlamp;9;;;;;clips\r\n");
  const SceneReadings s = readReadings(folder / "scene.csv");
  ASSERT_EQ(s.readings.size(), 3u);
  EXPECT_EQ(s.readings[0].name, "window; left");
  EXPECT_NEAR(s.readings[0].stops, 4.5, 1e-9);
  EXPECT_NEAR(s.readings[1].stops, 1, 1e-6);  // 240 of 120 lux
  EXPECT_EQ(s.readings[2].may, Held::Clips);
  writeFileAtomically(folder / "plain.csv", "name,lux\nwall,60\n");
  EXPECT_THROW((void)readReadings(folder / "plain.csv"), Error);
  EXPECT_NEAR(readReadings(folder / "plain.csv", sceneExposure("T2.8 1/48 ISO800")).readings[0].stops, -1,
              1e-6);
}

TEST(ReadingsFile, FaultsAreNamedWithTheirPlace) {
  const test::TempFolder folder;
  const std::string head = R"({"format": "edge-test-readings", "version": 1, )";
  const struct {
    std::string text, place;
  } cases[] = {
      {"{", "line 1, column 2"},
      {R"({"format": "other"})", "format"},
      {head + R"("readings": []})", "readings"},
      {head + R"("readings": 3})", "readings"},
      {head + R"("readings": [{"name": "a"}]})", "readings[0]"},
      {head + R"("readings": [{"name": "a", "stops": 1, "lux": 3}]})", "readings[0]"},
      {head + R"("readings": [{"name": "a", "stops": "1"}]})", "readings[0].stops"},
      {head + R"("readings": [{"name": "a", "stops": 1e300}]})", "readings[0]"},
      {head + R"("readings": [{"name": "a", "stops": 1e999}]})", ""},
      {head + R"("readings": [{"name": "a", "lux": 100}]})", "readings[0]"},
      {head + R"("exposure": {"iso": 800, "t": 2.8}, "readings": [{"lux": 100}]})", "exposure"},
      {head + R"("exposure": {"iso": -800, "shutter": "1/48", "t": 2.8}, "readings": [{"lux": 1}]})",
       "exposure"},
      {head + R"("exposure": {"iso": 800, "shutter": "1/48", "t": 2.8}, "readings": [{"lux": 0}]})",
       "readings[0]"},
      {head + R"("exposure": {"iso": 800, "shutter": "T4", "t": 2.8}, "readings": [{"lux": 1}]})",
       "exposure"},
      {head + R"("readings": [{"name": "a", "stops": 1, "may": "burn"}]})", "may"},
      {head + R"("readings": [{"name": 7, "stops": 1}]})", "name"},
      {head + R"("readings": [[[[[[[[[[[[1]]]]]]]]]]]]})", "line 1, column"},
  };
  for (const auto& c : cases) {
    writeFileAtomically(folder / "bad.json", c.text);
    try {
      (void)readReadings(folder / "bad.json");
      ADD_FAILURE() << c.text;
    } catch (const Error& e) {
      EXPECT_NE(std::string(e.what()).find("bad.json"), std::string::npos) << e.what();
      EXPECT_NE(e.place().find(c.place), std::string::npos) << c.text << " said " << e.what();
      EXPECT_FALSE(e.remedy().empty());
    }
  }
}

// RFC 4180, section 2, and what spreadsheets run (OWASP, "CSV Injection": = + - @ tab carriage return; from
// memory).
TEST(Csv, FormulasAreDisarmedAndNumbersStayNumbers) {
  EXPECT_EQ(csvLine({"=1+1", "+A1", "-2+3", "@x", "\tx", "-2.5", "+1.0", "a,b", "say \"so\""}),
            "'=1+1,'+A1,'-2+3,'@x,'\tx,-2.5,+1.0,\"a,b\",\"say \"\"so\"\"\"\r\n");
  const auto rows = readCsv("a,\"b\"\"c\nd\",e\r\n\r\nf,,\n");
  ASSERT_EQ(rows.size(), 2u);
  EXPECT_EQ(rows[0], (std::vector<std::string>{"a", "b\"c\nd", "e"}));
  EXPECT_EQ(rows[1], (std::vector<std::string>{"f", "", ""}));
  EXPECT_TRUE(readCsv("").empty());
}

}  // namespace
}  // namespace edge
