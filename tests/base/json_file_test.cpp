// JSON from outside: refused before it costs anything, with the place in it.
#include "base/json_file.h"

#include <gtest/gtest.h>

#include "base/error.h"
#include "chart/chart.h"
#include "support/support.h"

namespace edge {
namespace {

std::string errorOf(const std::string& text) {
  try {
    (void)parseJson(text, "a.json");
  } catch (const Error& e) {
    return e.what();
  }
  return "";
}

TEST(JsonFile, SaysLineAndColumn) {
  EXPECT_NE(errorOf("{\n  \"a\": 1,\n  \"b\" 2\n}").find("line 3, column 7"), std::string::npos)
      << errorOf("{\n  \"a\": 1,\n  \"b\" 2\n}");
  EXPECT_NE(errorOf("[1,,2]").find("line 1, column 4"), std::string::npos) << errorOf("[1,,2]");
  EXPECT_NE(errorOf("").find("a.json"), std::string::npos);
  EXPECT_NE(errorOf("{\"a\": 1e999}").find("a.json"), std::string::npos);
  EXPECT_EQ(errorOf("{\"a\": \"[[[[[[[[[[[[[[[[[[[[[[[[[[[[[[\"}"), "") << "brackets in a text are no depth";
  EXPECT_EQ(errorOf("{\"a\": \"\\\"[[[[[[[[[[[[[[[[[[[[[[[[[[[[\"}"), "");
  EXPECT_NE(errorOf(std::string(17, '[')).find("line 1, column 17"), std::string::npos);
}

TEST(JsonFile, ThirtyMegabytesOfBracketsAreRefusedAtOnce) {
  const test::TempFolder folder;
  test::writeText(folder / "big.json", std::string(30u << 20, '['));
  test::writeText(folder / "deep.json", std::string(3u << 20, '['));
  for (const char* name : {"big.json", "deep.json"}) {
    const test::Ran ran = test::runCli("range x.exr --curve linear --chart " + (folder / name).string());
    EXPECT_EQ(ran.exit, 1);
  }
  EXPECT_THROW((void)readChart(folder / "big.json"), Error);
  EXPECT_THROW((void)readChart(folder / "deep.json"), Error);
}

TEST(Errors, AreOneLineOfAtMostFourHundredCharacters) {
  const Error e(fmt::format("{:a>300}\n{:b>300}", "", ""), std::string(4000, 'p'), "line\n3",
                "the remedy stays");
  const std::string line = e.what();
  EXPECT_LE(line.size(), 400U);
  EXPECT_EQ(line.find('\n'), std::string::npos);
  EXPECT_NE(line.find("the remedy stays"), std::string::npos);
  // Cut between letters: every byte of "ä" has its other half.
  std::string umlauts;
  for (int i = 0; i < 500; ++i) umlauts += "\xc3\xa4";
  const std::string cut = Error(umlauts, "", "", "").what();
  EXPECT_NO_THROW((void)nlohmann::json(cut).dump());
}

}  // namespace
}  // namespace edge
