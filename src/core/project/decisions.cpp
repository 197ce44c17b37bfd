#include "project/decisions.h"

#include <cmath>
#include <functional>

#include "base/error.h"
#include "base/json_numbers.h"
#include "project/analysis.h"
#include "project/match_project.h"
#include "review/session.h"

using nlohmann::json;

namespace edge {
namespace {

using Test = std::function<bool(const json&)>;

bool isNumber(const json& v) {
  return v.is_number() && std::isfinite(v.get<double>());
}
bool isText(const json& v) {
  return v.is_string();
}
bool isList(const json& v) {
  return v.is_array();
}
bool isObject(const json& v) {
  return v.is_object();
}
bool isTexts(const json& v) {
  return v.is_object() && std::all_of(v.begin(), v.end(), isText);
}
// Recipes are checked field by field where they are planned; only what is none at all is set apart.
bool isRecipe(const json& v) {
  return v.is_object();
}
bool isCount(const json& v) {
  return optionalWhole<int>(v).has_value();
}
bool isRaster(const json& v) {
  return v.is_array() && v.size() == 2 && isCount(v[0]) && isCount(v[1]);
}

struct Kind {
  const char* key;
  const char* needs;
  Test holds;
};

const std::vector<Kind>& kinds() {
  static const std::vector<Kind> list = {
      {kHeadlineSnrKey, "a number over 0", [](const json& v) { return isNumber(v) && v.get<double>() > 0; }},
      {kOverrideKey, "a verdict", [](const json& v) { return v.is_string() && parseVerdict(v); }},
      {kCriteriaKey, "limits", [](const json& v) { return (void)criteriaProfileFrom(v), true; }},
      {kRecipeKey, "a recipe", isRecipe},
      {kChecklistKey, "times by item", isTexts},
      {kByHandKey, "slates by clip", isTexts},
      {kClaimKey, "a number", isNumber},
      {kOwnCountKey, "a whole number", isCount},
      {kRasterKey, "width and height", isRaster},
      {kScenesKey, "a list", isList},
      {kSituationsKey, "answers by situation", isObject},
      {kContextKey, "a list", isList},
      {kRepeatsKey, "a project", isObject},
      {kLookKey, "a path", isText}};
  return list;
}

}  // namespace

std::string problemOf(const Decision& d) {
  try {
    if (d.key.starts_with(kReviewKey)) return (void)sessionFromJson(d.value), "";
    for (const auto& k : kinds())
      if (d.key == k.key && !k.holds(d.value)) return std::string("not ") + k.needs;
    return "";
  } catch (const Error& e) {
    return e.problem();
  } catch (const json::exception&) {
    return "not what a decision of this kind holds";
  }
}

}  // namespace edge
