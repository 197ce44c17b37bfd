// JSON from outside: refused before it costs anything, with the place in it.
#include "base/json_file.h"

#include <gtest/gtest.h>

#include "base/error.h"
#include "base/json_numbers.h"
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

// Found by fuzzing: "frames": 8e69 of a stored result was undefined, and 4294967297 became 1. The bounds are
// those of the types (ISO/IEC 14882, [basic.fundamental]); no other source is needed.
TEST(WholeNumber, IsReadExactlyOrRefused) {
  using nlohmann::json;
  const auto read = [](auto type, const char* text) {
    return optionalWhole<decltype(type)>(json::parse(text));
  };
  EXPECT_EQ(read(int{}, "12"), 12);
  EXPECT_EQ(read(int{}, "-12"), -12);
  EXPECT_EQ(read(int{}, "12.0"), 12);
  EXPECT_EQ(read(int{}, "2147483647"), 2147483647);
  EXPECT_EQ(read(int{}, "-2147483648.0"), -2147483647 - 1);
  EXPECT_EQ(read(std::int64_t{}, "9223372036854775807"), INT64_MAX);
  EXPECT_EQ(read(std::uint64_t{}, "18446744073709551615"), UINT64_MAX);
  EXPECT_EQ(read(size_t{}, "0"), 0U);
  for (const char* text : {"2147483648", "4294967297", "-2147483649", "2147483648.0", "8e69", "-8e69", "12.5",
                           "null", "true", "\"12\"", "[12]", "{}"})
    EXPECT_FALSE(read(int{}, text)) << text;
  for (const char* text : {"9223372036854775808", "9223372036854775808.0", "1e19", "0.1"})
    EXPECT_FALSE(read(std::int64_t{}, text)) << text;
  for (const char* text : {"-1", "-1.0", "18446744073709551616", "1e300"})
    EXPECT_FALSE(read(size_t{}, text)) << text;
}

}  // namespace
}  // namespace edge
