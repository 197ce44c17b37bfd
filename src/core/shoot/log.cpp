#include "shoot/log.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "base/csv.h"
#include "base/error.h"
#include "base/json_numbers.h"

using nlohmann::json;

namespace edge {
namespace {

std::string textOf(const json& v, const char* key) {
  return v.is_object() && v.contains(key) && v[key].is_string() ? v[key].get<std::string>() : std::string();
}

void forgetReadings(TakeLog& t) {
  t.readings.clear(), t.levels.clear(), t.stays.clear(), t.evidence.reset();
}

class Folder {
 public:
  ShootLog run(const std::vector<LogEntry>& entries) {
    std::set<std::int64_t> undone;
    for (const auto& e : entries)
      if (e.kind == "undo" && e.value.is_object() && e.value.contains("entry"))
        if (const auto entry = optionalWhole<std::int64_t>(e.value["entry"])) undone.insert(*entry);
    for (const auto& e : entries) {
      log_.authors.push_back(log_.who);
      if (e.kind == "undo" || undone.count(e.id)) continue;
      try {
        one(e);
        log_.lastEntry = e.id;
      } catch (const Error& problem) {
        log_.unreadable.push_back(e.at + " " + e.kind + ": " + problem.problem());
      } catch (const json::exception&) {
        log_.unreadable.push_back(e.at + " " + e.kind + ": not what an entry of this kind holds");
      }
    }
    return std::move(log_);
  }

 private:
  void one(const LogEntry& e) {
    if (e.kind == "instrument") {
      log_.instrument = e.value.at("name");
      log_.instruments[log_.instrument] = e.value.at("offset_stops");
      return;
    }
    if (e.kind == "who") {
      log_.who = log_.authors.back() = e.value.at("name");
      return;
    }
    TakeLog& t = log_.takes[e.slate];
    if (e.kind == "done") {
      t.state = TakeState::Done, t.doneAt = e.at, t.settings = textOf(e.value, "settings"),
      t.doneBy = log_.who;
      if (t.settings.empty()) t.settings = t.adopted;
      log_.lastDone = e.slate, log_.order.push_back(e.slate);
    } else if (e.kind == "redo") {
      if (t.state == TakeState::Done) ++t.attempt;
      t.state = TakeState::Open, t.reason = textOf(e.value, "reason"), t.settings.clear(), t.adopted.clear();
      forgetReadings(t);
    } else if (e.kind == "skip") {
      t.state = TakeState::Skipped, t.reason = textOf(e.value, "reason");
    } else if (e.kind == "note") {
      t.notes.push_back(textOf(e.value, "text"));
    } else if (e.kind == "evidence") {
      t.evidence = Evidence{e.value.at("holds"), textOf(e.value, "text"), textOf(e.value, "file")};
      t.stays.clear();
    } else if (e.kind == "adopt") {
      t.adopted = textOf(e.value, "settings");
    } else if (e.kind == "stays") {
      for (const std::string code : e.value.at("codes")) t.stays[code] = textOf(e.value, "reason");
    } else if (e.kind == "reading") {
      MeterNote n{e.id,
                  e.at,
                  e.value.at("position"),
                  textOf(e.value, "instrument"),
                  e.value.at("text"),
                  e.value.value("spot", false),
                  {}};
      n.reading = readReading(n.text);
      t.readings.push_back(std::move(n)), t.stays.clear();
    } else if (e.kind == "level") {
      const auto scale = levelScaleOf(e.value.at("scale"));
      if (!scale) throw Error("a level without a named scale", "log", "", "");
      t.levels.push_back({e.id, e.value.at("position"), e.value.at("value"), *scale});
      t.stays.clear();
    } else {
      throw Error("unknown kind", "log", "", "");
    }
  }

  ShootLog log_;
};

}  // namespace

const TakeLog& ShootLog::of(const std::string& slate) const {
  static const TakeLog none;
  const auto i = takes.find(slate);
  return i == takes.end() ? none : i->second;
}

double ShootLog::offsetOf(const std::string& instrument) const {
  const auto i = instruments.find(instrument);
  return i == instruments.end() ? 0 : i->second;
}

ShootLog foldLog(const std::vector<LogEntry>& entries) {
  return Folder().run(entries);
}

std::string logKindWords(const LogEntry& e) {
  static const std::map<std::string, const char*> words = {
      {"done", "shot"},        {"redo", "again"},      {"skip", "skipped"},
      {"note", "note"},        {"reading", "reading"}, {"level", "level on the camera"},
      {"instrument", "meter"}, {"undo", "taken back"}, {"adopt", "made up for"},
      {"stays", "may stay"},   {"who", "who writes"},  {"evidence", "what was seen"}};
  if (e.kind == "reading" && e.value.is_object() && e.value.value("spot", json()) == true)
    return "spot reading";
  const auto known = words.find(e.kind);
  return known == words.end() ? e.kind : known->second;
}

std::string logWords(const LogEntry& e) {
  if (!e.value.is_object()) return "";
  std::string out;
  const auto add = [&](const std::string& text) { out += (out.empty() || text.empty() ? "" : " ") + text; };
  if (e.kind == "evidence" && e.value.value("holds", json()) == false) add("fails:");
  for (const char* key : {"position", "name", "text", "file", "settings", "reason"})
    if (e.value.contains(key) && e.value[key].is_string()) add(e.value[key]);
  if (e.value.contains("value") && e.value["value"].is_number())
    add(fmt::format("{:g}", e.value["value"].get<double>()));
  if (e.value.contains("scale") && e.value["scale"].is_string())
    for (const auto& s : levelScales())
      if (e.value["scale"] == s.key) add(s.words);
  if (e.value.contains("offset_stops") && e.value["offset_stops"].is_number())
    add(fmt::format("{:+.2f} stops", e.value["offset_stops"].get<double>()));
  if (e.value.contains("entry")) add(fmt::format("entry {}", e.value["entry"].dump()));
  return out;
}

std::string logCsv(const std::vector<LogEntry>& entries) {
  std::string out = csvLine({"id", "at", "who", "take", "kind", "value"});
  const auto authors = foldLog(entries).authors;
  for (size_t i = 0; i < entries.size(); ++i) {
    const LogEntry& e = entries[i];
    out += csvLine(
        {std::to_string(e.id), e.at, authors[i], e.slate, e.kind, e.value.is_null() ? "" : e.value.dump()});
  }
  return out;
}

}  // namespace edge
