// Recipe files: what is refused and how it is said, what people type, what the document promises.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <fmt/ranges.h>

#include "base/error.h"
#include "base/files.h"
#include "plan/recipe_spec.h"
#include "plan/recipes.h"
#include "support/support.h"

namespace edge {
namespace {

using nlohmann::json;
using test::plainRecipe;

void expectRefused(json j, const std::string& place) {
  try {
    (void)recipeFromJson(j, "bad.json");
    ADD_FAILURE() << "accepted, though wrong at " << place;
  } catch (const Error& e) {
    EXPECT_EQ(e.subject(), "bad.json");
    EXPECT_NE(e.place().find(place), std::string::npos) << e.what();
    EXPECT_FALSE(e.remedy().empty()) << e.what();
  }
}

TEST(RecipeFile, BadValuesAreNamedWithTheirPlace) {
  const auto with = [](const char* pointer, json value) {
    json j = plainRecipe();
    j[json::json_pointer(pointer)] = std::move(value);
    return j;
  };
  expectRefused(json::array(), "format");
  expectRefused(with("/version", 2), "version");
  expectRefused(with("/lenses/0/widest", -2), "lenses[0].widest");
  expectRefused(with("/lenses/0/widest", "wide"), "lenses[0].widest");
  expectRefused(with("/lenses/0/closest", 1.4), "lenses[0].closest");
  expectRefused(with("/lamps/0/lux_at_1m", 1e300), "lamps[0].lux_at_1m");
  expectRefused(with("/lamps/0/distance_m", 9), "lamps[0].distance_m");
  expectRefused(with("/bodies/0/circuits/0/native_iso", nullptr), "bodies[0].circuits[0].native_iso");
  expectRefused(with("/bodies/0/circuits/0/last_iso", 100), "bodies[0].circuits[0]");
  expectRefused(with("/bodies/0/lens", "no such lens"), "bodies[0].lens");
  expectRefused(with("/bodies/0/modes/0/kind", "jelly"), "bodies[0].modes[0].kind");
  expectRefused(with("/bodies/0/headroom", 6), "bodies[0].headroom");
  expectRefused(with("/bodies/0/circuits/0/headroom_stops", {{"value", 6}, {"from", "hearsay"}}),
                "headroom_stops");
  expectRefused(with("/tests/0/controls", {"magic"}), "tests[0].controls");
  expectRefused(with("/tests/0/step", 0), "tests[0].step");
  expectRefused(with("/tests/0/kind", "guess"), "tests[0].kind");
  expectRefused(with("/base/shutter", "400deg"), "base.shutter");
  expectRefused(with("/base/offset_stops", 1), "base.offset_stops");
  expectRefused(with("/start", "25:99"), "start");
  expectRefused(with("/title", std::string(5000, 'x')), "title");
  json many = plainRecipe();
  for (int i = 0; i < 300; ++i) many["nd"].push_back({{"density", 0.3}});
  expectRefused(many, "nd");
  json twice = plainRecipe();
  twice["lamps"].push_back(twice["lamps"][0]);
  expectRefused(twice, "lamps[1].name");
}

TEST(RecipeFile, HostileFilesAreRefused) {
  const test::TempFolder folder;
  const auto refused = [&](const std::string& text) {
    test::writeText(folder / "r.json", text);
    EXPECT_THROW((void)recipeFromJson(readRecipeJson(folder / "r.json"), folder / "r.json"), Error)
        << text.substr(0, 40);
  };
  refused("");
  refused("{");
  refused(std::string(100000, '['));
  refused(R"({"format": "edge-test-recipe", "version": 1, "bodies": 7})");
  refused(R"({"format": "edge-test-recipe", "version": 1, "mains_hz": 1e999})");
}

TEST(RecipeFile, FieldsReadWhatPeopleType) {
  const FieldSpec* widest = recipeSpec().field("lenses")->item->field("widest");
  EXPECT_EQ(readField(*widest, "T2,8"), 2.8);
  EXPECT_NEAR(readField(*widest, "5.6 1/3").get<double>(), std::exp2(2.5 + 1.0 / 6), 1e-9);
  EXPECT_THROW((void)readField(*widest, "wide"), UsageError);
  const FieldSpec* isos = recipeSpec().field("bodies")->item->field("isos");
  EXPECT_EQ(readField(*isos, "400, 800 1600"), json({400.0, 800.0, 1600.0}));
  EXPECT_EQ(fieldText(*isos, json({400, 800})), "400 800");
  EXPECT_EQ(originOf(withOrigin(5, "measured")), "measured");
  EXPECT_EQ(plainValue(withOrigin(5, "measured")), 5);
  EXPECT_EQ(withOrigin(withOrigin(5, "measured"), "typed"), 5);
}

// docs/recipe.md is held to the field table: every key with its unit, range, choices and default.
void describe(const ObjectSpec& spec, const std::string& title, std::string& out) {
  out += "\n## " + title + "\n| key | what | values | default |\n|---|---|---|---|\n";
  std::vector<std::pair<const FieldSpec*, std::string>> below;
  for (const auto& f : spec.fields) {
    std::string values;
    switch (f.kind) {
      case FieldKind::Number:
        values = fmt::format("{:g} to {:g} {}", f.low, f.high, f.unit);
        break;
      case FieldKind::Numbers:
        values = fmt::format("list of {:g} to {:g} {}", f.low, f.high, f.unit);
        break;
      case FieldKind::Aperture:
        values = "stop as marked";
        break;
      case FieldKind::Shutter:
        values = "\"172.8deg\" or \"1/50\"";
        break;
      case FieldKind::Choice:
        values = fmt::format("{}", fmt::join(f.choices, ", "));
        break;
      case FieldKind::Toggle:
        values = "true, false";
        break;
      case FieldKind::Names:
        values = "list of texts";
        break;
      case FieldKind::Items:
        values = "list, below", below.emplace_back(&f, f.label);
        break;
      case FieldKind::Group:
        values = "object, below", below.emplace_back(&f, f.label);
        break;
      case FieldKind::Text:
        values = "text";
    }
    const bool plain = f.kind != FieldKind::Items && f.kind != FieldKind::Group &&
                       f.kind != FieldKind::Numbers && f.kind != FieldKind::Names;
    out += fmt::format("| `{}` | {}{} | {} | {} |\n", f.key, f.label, f.hint.empty() ? "" : ": " + f.hint,
                       values,
                       f.required                                         ? "needed"
                       : plain && !f.initial.is_null() && f.initial != "" ? f.initial.dump()
                                                                          : "");
  }
  for (const auto& [f, label] : below) describe(*f->item, fmt::format("{} (`{}`)", label, f->key), out);
}

TEST(RecipeFile, TheDocumentNamesEveryKey) {
  std::string expected;
  describe(recipeSpec(), "Recipe", expected);
  const std::string document = readText(std::filesystem::path(EDGE_REFERENCE) / "../../docs/recipe.md");
  const size_t at = document.find("\n## Recipe\n");
  ASSERT_NE(at, std::string::npos) << expected;
  EXPECT_EQ(document.substr(at), expected);
}

}  // namespace
}  // namespace edge
