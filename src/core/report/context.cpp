#include "report/context.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/csv.h"
#include "base/error.h"
#include "base/numbers.h"

using nlohmann::json;

namespace edge {
namespace {

bool sane(double v, const ContextFieldSpec& field) {
  return std::isfinite(v) && v >= 0 && v <= field.high;
}

std::string plain(double v) {
  return fmt::format("{:.10g}", v);
}

}  // namespace

const std::array<ContextFieldSpec, kContextFields>& contextFields() {
  static const std::array<ContextFieldSpec, kContextFields> list = {
      {{ContextField::Price, "price", "Price", false, 1e9},
       {ContextField::WeightKg, "weight_kg", "Weight, kg", false, 1000},
       {ContextField::SensorWidthMm, "sensor_width_mm", "Sensor width, mm", false, 200},
       {ContextField::SensorHeightMm, "sensor_height_mm", "Sensor height, mm", false, 200},
       {ContextField::DataRateMBs, "data_rate_mb_s", "Data rate, MB/s", true, 1e5}}};
  return list;
}

std::optional<double> Context::get(const std::string& body, const std::string& mode,
                                   const ContextFieldSpec& field) const {
  const auto row = values_.find({body, field.ofMode ? mode : ""});
  if (row == values_.end()) return std::nullopt;
  const auto at = row->second.find(field.key);
  return at == row->second.end() ? std::nullopt : std::optional(at->second);
}

void Context::set(const std::string& body, const std::string& mode, const ContextFieldSpec& field,
                  std::optional<double> value) {
  const std::pair<std::string, std::string> row{body, field.ofMode ? mode : ""};
  if (value && !sane(*value, field))
    throw UsageError(fmt::format("{} runs from 0 to {}", field.words, plain(field.high)), plain(*value), "",
                     "write the number alone");
  if (value) {
    values_[row][field.key] = *value;
  } else if (const auto at = values_.find(row); at != values_.end()) {
    at->second.erase(field.key);
    if (at->second.empty()) values_.erase(at);
  }
}

json Context::toJson() const {
  json list = json::array();
  for (const auto& [row, fields] : values_)
    list.push_back({{"body", row.first}, {"mode", row.second}, {"values", fields}});
  return list;
}

Context Context::from(const json& j) {
  Context c;
  if (!j.is_array()) return c;
  for (const auto& row : j) {
    if (!row.is_object() || !row.contains("body") || !row["body"].is_string() || !row.contains("mode") ||
        !row["mode"].is_string() || !row.contains("values") || !row["values"].is_object())
      continue;
    for (const auto& field : contextFields())
      if (const auto v = row["values"].find(field.key); v != row["values"].end() && v->is_number())
        if (const double number = v->get<double>(); sane(number, field))
          c.set(row["body"], row["mode"], field, number);
  }
  return c;
}

Context contextOf(const Project& project) {
  const auto d = project.decision(0, "", kContextKey);
  return d ? Context::from(d->value) : Context();
}

std::vector<ContextRow> contextRows(const std::vector<Finding>& findings, const Context& context) {
  std::vector<ContextRow> rows;
  for (const auto& f : findings) {
    const Configuration& c = f.configuration;
    auto at = std::find_if(rows.begin(), rows.end(),
                           [&](const ContextRow& r) { return r.body == c.body && r.mode == c.mode; });
    if (at == rows.end()) {
      at = rows.insert(rows.end(), {c.body, c.mode, {}, {}});
      for (const auto& field : contextFields())
        at->values[static_cast<size_t>(field.id)] = context.get(c.body, c.mode, field);
    }
    if (f.range && f.range->headline) at->ranges.emplace_back(c.iso, *f.range->headline);
  }
  return rows;
}

std::string rangeWords(const ContextRow& row) {
  if (row.ranges.empty()) return "not measured";
  const auto [low, high] =
      std::minmax_element(row.ranges.begin(), row.ranges.end(),
                          [](const auto& a, const auto& b) { return a.second.stops < b.second.stops; });
  const auto words = [](const auto& r) {
    return limitFigure(r.second) + (r.first > 0 ? fmt::format(" at ISO {:g}", r.first) : "");
  };
  return low == high ? words(*low) : words(*low) + " to " + words(*high);
}

std::string contextCsv(const std::vector<ContextRow>& rows) {
  std::vector<std::string> head = {"body", "mode", "range"};
  for (const auto& field : contextFields()) head.emplace_back(field.key);
  std::string s = csvLine(head);
  for (const auto& r : rows) {
    std::vector<std::string> line = {r.body, r.mode, rangeWords(r)};
    for (const auto& v : r.values) line.push_back(v ? plain(*v) : "");
    s += csvLine(line);
  }
  return s;
}

json contextJson(const std::vector<ContextRow>& rows) {
  json list = json::array();
  for (const auto& r : rows) {
    json j = {{"body", r.body}, {"mode", r.mode}};
    for (const auto& field : contextFields()) {
      const auto& v = r.values[static_cast<size_t>(field.id)];
      j[field.key] = v ? json(*v) : json();
    }
    list.push_back(j);
  }
  return list;
}

}  // namespace edge
