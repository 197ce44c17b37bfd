#include "plan/usual.h"

#include <fmt/format.h>

#include <algorithm>
#include <vector>

#include "plan/recipe_spec.h"

using nlohmann::json;

namespace edge {
namespace {

// The list may stand anywhere in the recipe: its spec is found by name.
const ObjectSpec* specOfList(const ObjectSpec& in, const std::string& list) {
  for (const auto& f : in.fields) {
    if (f.kind == FieldKind::Items && f.key == list) return f.item;
    if (f.item)
      if (const ObjectSpec* found = specOfList(*f.item, list)) return found;
  }
  return nullptr;
}

bool taken(const json& existing, const std::string& name) {
  return std::any_of(existing.begin(), existing.end(),
                     [&](const json& e) { return e.value("name", "") == name; });
}

std::string freeName(const json& existing, const std::string& wanted) {
  std::string name = wanted;
  for (int n = 2; taken(existing, name); ++n) name = fmt::format("{} {}", wanted, n);
  return name;
}

}  // namespace

json starterItem(const std::string& list, const json& existing) {
  const ObjectSpec* spec = specOfList(recipeSpec(), list);
  json item = spec ? newItem(*spec) : json::object();
  const json siblings = existing.is_array() ? existing : json::array();
  if (list == "bodies") {
    item["circuits"] = json::array({{{"native_iso", 800}}});
    json raw = newItem(*specOfList(recipeSpec(), "modes"));
    json log = raw;
    raw["name"] = raw["kind"] = "raw", raw["bits"] = 12;
    item["modes"] = json::array({log, raw});
  }
  if (list == "nd") item["density"] = 0.3 * static_cast<double>(std::min<size_t>(siblings.size() + 1, 7));
  if (list == "lamps" && !siblings.empty()) item["role"] = "fill", item["ratio_stops"] = -2;
  if (item.contains("name") && list != "modes") item["name"] = freeName(siblings, item["name"]);
  if (list == "modes") item["name"] = freeName(siblings, taken(siblings, "log") ? "raw" : "log");
  return item;
}

json withUsualDay(json r) {
  const auto fill = [&](const char* list, const std::vector<json>& items) {
    if (r.contains(list) && !r[list].empty()) return;
    r[list] = items;
  };
  const auto starter = [](const char* list) { return starterItem(list, json::array()); };
  fill("bodies", {starter("bodies")});
  fill("lenses", {starter("lenses")});
  json lamp = starter("lamps");
  lamp["name"] = "Key lamp", lamp["nearest_m"] = 1.2, lamp["farthest_m"] = 4;
  fill("lamps", {lamp});
  fill("nd", {{{"density", 0.3}}, {{"density", 0.6}}, {{"density", 0.9}}, {{"density", 1.2}}});
  fill("charts", {starter("charts")});
  fill("sitters", {starter("sitters")});
  fill("media", {starter("media")});
  fill("tests", {{{"kind", "wedge"}}, {{"kind", "bracket"}}});
  return r;
}

}  // namespace edge
