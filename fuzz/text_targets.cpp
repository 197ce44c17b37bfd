// Readers of text: charts, series, recipes, densities, curves, profiles, readings, slates, names, fields.
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>

#include "advise/readings.h"
#include "base/csv.h"
#include "base/error.h"
#include "base/json_file.h"
#include "base/numbers.h"
#include "chart/chart.h"
#include "chart/densities.h"
#include "color/curve_files.h"
#include "exposure/sum_sheets.h"
#include "match/name_stops.h"
#include "plan/recipe.h"
#include "plan/recipe_spec.h"
#include "recover/criteria.h"
#include "recover/series.h"
#include "shoot/reading.h"
#include "shoot/slate_code.h"
#include "target.h"

namespace edge::fuzz {
namespace {

void readsChart(std::string_view, const std::string& file) {
  const Chart chart = readChart(file);
  for (const auto& p : chart.patches)
    promise(!p.stops || std::isfinite(*p.stops), "a patch's stops are no number");
  const Chart again = chartFromJson(toJson(chart), file);
  promise(again.patches.size() == chart.patches.size(), "a chart written and read again has other patches");
}

void readsRecipe(std::string_view, const std::string& file) {
  const Recipe recipe = recipeFromJson(readRecipeJson(file), file);
  (void)recipeFromJson(recipe.source, file);
}

void readsDensities(std::string_view, const std::string& file) {
  for (const auto& p : readDensities(file)) promise(std::isfinite(p.stops), "a density is no number");
}

void readsCurve(std::string_view, const std::string& file) {
  const auto curve = readCurveFile(file);
  for (const double code : {-0.1, 0.0, 0.25, 0.5, 1.0, 1.1})
    promise(std::isfinite(curve->toLinear(code)), "a curve gives no number");
  for (const double light : {-0.1, 0.0, 0.18, 1.0, 50.0})
    promise(std::isfinite(curve->toCode(light)), "a curve gives no code");
}

void readsProfile(std::string_view, const std::string& file) {
  const CriteriaProfile profile = readProfile(file);
  (void)criteriaProfileFrom(toJson(profile));
}

void readsScene(std::string_view, const std::string& file) {
  for (const auto& r : readReadings(file).readings)
    promise(std::fabs(r.stops) <= kFarthestTone, "a tone is absurd");
}

// What is typed somewhere: the first byte says where.
void readsTyped(std::string_view bytes, const std::string&) {
  if (bytes.empty()) return;
  const std::string text(bytes.substr(1));
  switch (static_cast<unsigned char>(bytes[0]) % 7) {
    case 0: {
      const MeterReading r = readReading(text);
      promise(std::isfinite(r.value), "a reading is no number");
      (void)luxOf(r, {}, Stops(0.2)), (void)luminanceOf(r, {}, Stops(0));
      break;
    }
    case 1:
      promise(std::isfinite(stopsOfReading(text, std::nullopt)), "a tone is no number");
      break;
    case 2:
      (void)sceneExposure(text);
      break;
    case 3:
      (void)readingsFromText(text, std::nullopt);
      break;
    case 4:
      for (const auto& p : typedDensities(text)) promise(std::isfinite(p.stops), "a density is no number");
      break;
    case 5:
      if (const auto s = stopsInName(text)) promise(std::isfinite(*s), "stops in a name are no number");
      (void)namedStops(text);
      break;
    default:
      if (const auto v = parseNumber(text)) promise(std::isfinite(*v), "a number is not finite");
      (void)kelvinOf(text), (void)levelScaleOf(text);
  }
}

void readsSlate(std::string_view bytes, const std::string&) {
  const std::string text(bytes);
  (void)isNewerSlate(text);
  const auto slate = parseSlate(text);
  if (!slate) return;
  const auto again = parseSlate(slateText(*slate));
  promise(again && again->take == slate->take && again->attempt == slate->attempt,
          "a slate written and read again is another");
}

void readsTable(std::string_view bytes, const std::string&) {
  std::string written;
  const auto rows = readCsv(std::string(bytes));
  for (const auto& row : rows) written += csvLine(row);
  (void)readCsv(written);
}

// Every field of a recipe and every sum: the first byte says which, the rest is what is typed.
void collect(const ObjectSpec& spec, std::vector<const FieldSpec*>& fields, int depth) {
  for (const auto& f : spec.fields) {
    if (f.item && depth < 4)
      collect(*f.item, fields, depth + 1);
    else
      fields.push_back(&f);
  }
}

void readsField(std::string_view bytes, const std::string&) {
  static const std::vector<const FieldSpec*> fields = [] {
    std::vector<const FieldSpec*> list;
    collect(recipeSpec(), list, 0);
    return list;
  }();
  if (bytes.empty()) return;
  const FieldSpec& field = *fields[static_cast<unsigned char>(bytes[0]) % fields.size()];
  const auto value = readField(field, std::string(bytes.substr(1)));
  (void)fieldText(field, value);
}

void runsSum(std::string_view bytes, const std::string&) {
  if (bytes.empty()) return;
  const auto& sheets = sumSheets();
  const SumSheet& sheet = sheets[static_cast<unsigned char>(bytes[0]) % sheets.size()];
  const auto typed = split(bytes.substr(1), ';');
  std::map<std::string, std::string> values;
  for (size_t i = 0; i < sheet.fields.size(); ++i)
    values[sheet.fields[i].key] = i < typed.size() && !typed[i].empty() ? typed[i] : sheet.fields[i].initial;
  for (const auto& answer : sheet.run(values).answers)
    promise(answer.value.find("nan") == std::string::npos && answer.value.find("inf") == std::string::npos,
            "a sum answers with no number");
}

}  // namespace

std::vector<Target> textTargets() {
  return {{"chart", Kind::Text, {".json"}, readsChart},
          {"series", Kind::Text, {".json"}, [](auto, const auto& f) { (void)readSeries(f); }},
          {"recipe", Kind::Text, {".json"}, readsRecipe},
          {"densities", Kind::Text, {".csv", ".txt"}, readsDensities},
          {"curve", Kind::Text, {".csv", ".json"}, readsCurve},
          {"profile", Kind::Text, {".json"}, readsProfile},
          {"scene", Kind::Text, {".csv", ".json"}, readsScene},
          {"typed", Kind::Text, {}, readsTyped},
          {"field", Kind::Text, {}, readsField},
          {"sum", Kind::Text, {}, runsSum},
          {"slate", Kind::Text, {}, readsSlate},
          {"table", Kind::Text, {}, readsTable}};
}

}  // namespace edge::fuzz
