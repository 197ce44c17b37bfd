// The log of a shoot: entries that are only ever added. What stands is folded from them; an undo is an entry
// as well, a retake supersedes and deletes nothing.
#pragma once
#include <cstdint>
#include <map>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "base/units.h"
#include "shoot/reading.h"

namespace edge {

// Kinds and their values:
//   done       {"settings": text typed where it differs from the plan, else null}
//   redo       {"reason"}         the last attempt is superseded
//   skip       {"reason"}
//   note       {"text"}
//   reading    {"position", "spot": bool, "instrument", "text"}
//   level      {"position", "value", "scale"}
//   adopt      {"settings"}       what makes up for light that can't be had: it is shot with these
//   stays      {"codes", "reason"}  what is off at this take may stay; a new reading or a redo asks again
//   instrument {"name", "offset_stops"}   slate empty; readings that follow are taken with it
//   who        {"name"}           slate empty: who writes from here on
//   evidence   {"holds": bool, "text", "file"}   what was seen at a guided check; the last one counts
//   undo       {"entry": id}
struct LogEntry {
  std::int64_t id = 0;
  std::string at;     // UTC, "2026-11-25T11:02:04.123Z"
  std::string slate;  // of the take it is about; empty: of the shoot
  std::string kind;
  nlohmann::json value;
};

struct MeterNote {
  std::int64_t entry = 0;
  std::string at, position, instrument, text;
  bool spot = false;
  MeterReading reading;
};
struct LevelNote {
  std::int64_t entry = 0;
  std::string position;
  double value = 0;
  LevelScale scale = LevelScale::LegalPercent;
};

// Of a guided check, which measures nothing: what a person saw, and a picture or sound of it.
struct Evidence {
  bool holds = true;
  std::string text, file;  // file empty: none
};

enum class TakeState { Open, Done, Skipped };
struct TakeLog {
  TakeState state = TakeState::Open;
  int attempt = 1;                           // the one to be slated now, or the one that counts when done
  std::string doneAt;                        // of the attempt that counts
  std::string settings;                      // as typed or adopted, where they were not those of the plan
  std::string adopted;                       // to be shot with; empty: as planned
  std::string doneBy;                        // who logged the attempt that counts; empty: not said
  std::map<std::string, std::string> stays;  // code of what is off to the reason why it may stay
  std::string reason;                        // of a skip or of the last redo
  std::vector<std::string> notes;
  std::vector<MeterNote> readings;  // since the last redo
  std::vector<LevelNote> levels;
  std::optional<Evidence> evidence;  // since the last redo
};

struct ShootLog {
  std::map<std::string, TakeLog> takes;       // by slate
  std::map<std::string, double> instruments;  // offset in stops: + reads too bright
  std::string instrument;                     // that readings are taken with now; empty: not said
  std::string who;                            // writes the log now; empty: not said
  std::vector<std::string> authors;           // of each entry, as given
  std::string lastDone;                       // slate of the take shot last
  std::vector<std::string> order;             // slates in the order they were done
  std::int64_t lastEntry = 0;                 // that can be undone; 0: none
  std::vector<std::string> unreadable;        // entries that make no sense, in words; they are kept

  [[nodiscard]] const TakeLog& of(const std::string& slate) const;
  [[nodiscard]] double offsetOf(const std::string& instrument) const;
};

[[nodiscard]] ShootLog foldLog(const std::vector<LogEntry>& entries);

// What an entry is, and what it says, for people: "spot reading", "forehead T4 1/3".
[[nodiscard]] std::string logKindWords(const LogEntry& entry);
[[nodiscard]] std::string logWords(const LogEntry& entry);

// RFC 4180: id, at, who, take, kind, value as stored.
[[nodiscard]] std::string logCsv(const std::vector<LogEntry>& entries);

}  // namespace edge
