// The decision table: usual situations as scenes, each answered from what was measured (scene_check.h), each
// to be overruled by a person with a reason. What the situations ask is common practice, written out tone by
// tone.
#pragma once
#include "advise/scene_check.h"

namespace edge {

struct Situation {
  const char* key;    // in files
  const char* words;  // "day exterior, hot windows"
  const char* why;    // what it asks, and where that comes from
  SceneReadings scene;
};
[[nodiscard]] const std::vector<Situation>& situations();

// A person's answer instead of the table's.
struct Overruled {
  std::int64_t configuration = 0;
  double ei = 0;
  std::string reason;
};
using OverruledBySituation = std::map<std::string, Overruled>;
[[nodiscard]] OverruledBySituation overruledFrom(const nlohmann::json& j);  // what can't be read is left out
[[nodiscard]] nlohmann::json toJson(const OverruledBySituation& overruled);

struct DecisionRow {
  const Situation* situation = nullptr;
  SceneResult result;
  std::optional<Overruled> overruled;               // of a configuration that is there
  std::string configuration, rating, reason, cost;  // as the table says them
};
[[nodiscard]] std::vector<DecisionRow> decisionTable(const std::vector<Reach>& reaches,
                                                     const OverruledBySituation& overruled);
// RFC 4180, with a header.
[[nodiscard]] std::string decisionCsv(const std::vector<DecisionRow>& rows);
[[nodiscard]] nlohmann::json decisionJson(const std::vector<DecisionRow>& rows);

}  // namespace edge
