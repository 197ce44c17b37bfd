// Before the set is struck: what is missing, doubtful or drifting, from the log and from clips already
// copied.
#pragma once
#include <map>
#include <string>
#include <vector>

#include "shoot/judge.h"

namespace edge {

// What the copied clip of a take says; by slate.
struct ClipTrouble {
  std::string code, words;  // "exposure", "1.0 stop under what was planned"
  bool operator==(const ClipTrouble&) const = default;
};
struct ClipWord {
  std::string clip;
  std::vector<ClipTrouble> troubles;  // empty and checked: sound
  bool checked = false;               // by the checks of Match
  bool operator==(const ClipWord&) const = default;
};
using ClipWords = std::map<std::string, ClipWord>;

enum class GateKind { Missing, Redo, Doubt, NoClip, Unchecked, Skipped, Stays };
[[nodiscard]] const char* wordOf(GateKind kind);  // on screen
struct GateItem {
  GateKind kind = GateKind::Missing;
  std::string slate, words, todo;
  std::string code;  // of what is off: it may stay, with a reason (log "stays"); empty: it may not
};

struct Gate {
  std::vector<GateItem> items;  // worst first
  bool safe = false;            // nothing is left but skips and what may stay, with reasons
  bool clipsSeen = false;       // at least one clip was copied and looked at
  std::string words;            // "Safe to move on" or what to do first
};

// `body` empty: the whole plan; else only that body's takes, before it is put away.
[[nodiscard]] Gate gateOf(const Recipe& recipe, const Plan& plan, const Knowledge& known, const ShootLog& log,
                          const ClipWords& clips, const std::string& body = "");

}  // namespace edge
