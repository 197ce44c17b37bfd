// The shape of a recipe file as a table: every field with label, unit, range, choices and default. It checks
// files from outside, drives the editor and is printed in docs/formats.md.
#pragma once
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

namespace edge {

enum class FieldKind { Text, Number, Choice, Toggle, Aperture, Shutter, Numbers, Names, Items, Group };

struct ObjectSpec;

struct FieldSpec {
  std::string key, label, unit;
  FieldKind kind = FieldKind::Text;
  nlohmann::json initial;  // what a new item starts with; null: left out
  double low = 0, high = 0;
  std::vector<std::string> choices;
  std::string hint;
  const ObjectSpec* item = nullptr;  // of Items and Group
  bool required = false;
  // May say where it came from.
  [[nodiscard]] bool isNumber() const { return kind == FieldKind::Number || kind == FieldKind::Aperture; }
};

struct ObjectSpec {
  std::string name;  // "body": for "Add a body"
  std::vector<FieldSpec> fields;
  [[nodiscard]] const FieldSpec* field(const std::string& key) const;
};

inline constexpr size_t kItemsLimit = 200;  // items of one list
inline constexpr size_t kTextLimit = 200;   // characters of one text

[[nodiscard]] const ObjectSpec& recipeSpec();

// A new item with its initial values.
[[nodiscard]] nlohmann::json newItem(const ObjectSpec& spec);

// The item with every field: what is left out or null is what a new item starts with. The only defaults of a
// recipe are those of the table.
[[nodiscard]] nlohmann::json filledIn(const ObjectSpec& spec, nlohmann::json item);

// A number is written plainly, or with where it came from: {"value": 500, "from": "published"}.
inline constexpr const char* kOrigins[] = {"typed", "published", "measured"};
[[nodiscard]] const nlohmann::json& plainValue(const nlohmann::json& value);
[[nodiscard]] std::string originOf(const nlohmann::json& value);
[[nodiscard]] nlohmann::json withOrigin(const nlohmann::json& value, const std::string& origin);

// Structure, types, ranges. Throws Error naming file and place ("bodies[1].circuits[0].native_iso").
void checkRecipeShape(const nlohmann::json& recipe, const std::string& file);

// One field's typed text as JSON of its kind, or UsageError with the remedy.
[[nodiscard]] nlohmann::json readField(const FieldSpec& field, const std::string& text);
[[nodiscard]] std::string fieldText(const FieldSpec& field, const nlohmann::json& value);

}  // namespace edge
