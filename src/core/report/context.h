// What a choice of camera also weighs: price, weight, sensor, data rate, typed by a person. Shown and sorted
// beside what was measured, never part of a verdict or a recommendation: nothing that judges includes this.
#pragma once
#include <array>
#include <map>

#include "report/findings.h"

namespace edge {

enum class ContextField { Price, WeightKg, SensorWidthMm, SensorHeightMm, DataRateMBs };
inline constexpr size_t kContextFields = 5;
struct ContextFieldSpec {
  ContextField id;
  const char *key, *words;
  bool ofMode;  // else of the body, in all its modes
  double high;  // from 0
};
[[nodiscard]] const std::array<ContextFieldSpec, kContextFields>& contextFields();

class Context {
 public:
  [[nodiscard]] std::optional<double> get(const std::string& body, const std::string& mode,
                                          const ContextFieldSpec& field) const;
  // nothing: forgotten. Errors: UsageError where it lies outside 0 to the field's highest.
  void set(const std::string& body, const std::string& mode, const ContextFieldSpec& field,
           std::optional<double> value);
  [[nodiscard]] bool empty() const { return values_.empty(); }
  [[nodiscard]] nlohmann::json toJson() const;
  [[nodiscard]] static Context from(const nlohmann::json& j);  // what can't be read is left out

 private:
  std::map<std::pair<std::string, std::string>, std::map<std::string, double>> values_;  // of a body: mode ""
};
[[nodiscard]] Context contextOf(const Project& project);

// Bodies and modes in the order they were tested, with the ranges of their ISOs.
struct ContextRow {
  std::string body, mode;
  std::vector<std::pair<double, Limit>> ranges;  // ISO and headline
  std::array<std::optional<double>, kContextFields> values;
};
[[nodiscard]] std::vector<ContextRow> contextRows(const std::vector<Finding>& findings,
                                                  const Context& context);
[[nodiscard]] std::string rangeWords(
    const ContextRow& row);  // "12.3 ±0.1 at ISO 800 to 13.0 ±0.1 at ISO 200"
[[nodiscard]] std::string contextCsv(const std::vector<ContextRow>& rows);
[[nodiscard]] nlohmann::json contextJson(const std::vector<ContextRow>& rows);

}  // namespace edge
