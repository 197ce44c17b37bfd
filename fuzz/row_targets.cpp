// What a project holds: decisions, the log, measured results. A row may be damaged or written by another
// hand.
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/json_file.h"
#include "library/tested.h"
#include "match/take_checks.h"
#include "measure/wedge.h"
#include "noise/store.h"
#include "project/analysis.h"
#include "project/decisions.h"
#include "project/decode_json.h"
#include "project/match_project.h"
#include "recover/curve_fit.h"
#include "recover/latitude.h"
#include "report/protocols.h"
#include "review/session.h"
#include "shoot/log.h"
#include "target.h"

using nlohmann::json;

namespace edge::fuzz {
namespace {

constexpr int kDeepRow = 64;  // of results, which the program wrote itself

// Results may also throw the parser's exceptions: their callers drop them (Project::resultAs).
template <class Read>
void asResult(std::string_view bytes, Read read) {
  const json j = parseJson(std::string(bytes), "row", kDeepRow);
  try {
    read(j);
  } catch (const json::exception&) {
  }
}

using Reader = void (*)(const json&);
// What is read is written and read again where it can be written.
template <auto read>
void there(const json& j) {
  (void)read(j);
}
template <auto read>
void thereAndBack(const json& j) {
  (void)read(toJson(read(j)));
}

constexpr Reader kResults[] = {
    thereAndBack<latitudeFromJson>, thereAndBack<wedgeFromJson>,    thereAndBack<sweepFromJson>,
    thereAndBack<ladderFromJson>,   thereAndBack<infraredFromJson>, thereAndBack<tracesFromJson>,
    thereAndBack<readoutFromJson>,  thereAndBack<transferFromJson>, thereAndBack<takeCheckFromJson>,
    there<curveFitFromJson>,        there<checkedFromJson>,         there<testedFromJson>,
    there<protocolFromJson>,        there<decodeFromJson>};

void readsResult(std::string_view bytes, const std::string&) {
  if (bytes.empty()) return;
  asResult(bytes.substr(1), kResults[static_cast<unsigned char>(bytes[0]) % std::size(kResults)]);
}

// KEY, a line end, its value.
void readsDecision(std::string_view bytes, const std::string&) {
  const size_t end = bytes.find('\n');
  if (end == std::string_view::npos) return;
  Decision d{1, "take", std::string(bytes.substr(0, end)), {}, "reason"};
  d.value = parseJson(std::string(bytes.substr(end + 1)), "row", kDeepRow);
  (void)problemOf(d);
}

// A list of entries: they are folded, told in words and written as a table; none may cost the others.
void readsLog(std::string_view bytes, const std::string&) {
  const json j = parseJson(std::string(bytes), "row", kDeepRow);
  if (!j.is_array()) return;
  std::vector<LogEntry> entries;
  const auto word = [](const json& e, const char* key) {
    return e.is_object() && e.contains(key) && e[key].is_string() ? e[key].get<std::string>() : std::string();
  };
  for (const auto& e : j) {
    LogEntry entry{
        static_cast<std::int64_t>(entries.size() + 1), word(e, "at"), word(e, "slate"), word(e, "kind"), {}};
    if (e.is_object() && e.contains("value")) entry.value = e["value"];
    entries.push_back(entry);
  }
  (void)foldLog(entries);
  for (const auto& e : entries) (void)logKindWords(e), (void)logWords(e);
  (void)logCsv(entries);
}

}  // namespace

int resultReaders() {
  return static_cast<int>(std::size(kResults));
}

bool resultReads(int reader, const json& value) {
  try {
    kResults[reader](value);
    return true;
  } catch (const json::exception&) {
  } catch (const Error&) {
  }
  return false;
}

std::vector<Target> rowTargets() {
  return {{"result", Kind::Text, {}, readsResult},
          {"decision", Kind::Text, {}, readsDecision},
          {"shoot-log", Kind::Text, {}, readsLog}};
}

}  // namespace edge::fuzz
