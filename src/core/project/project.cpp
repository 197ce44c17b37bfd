#include "project/project.h"

#include <fmt/format.h>

#include <algorithm>
#include <any>
#include <cmath>

#include "base/error.h"
#include "project/decisions.h"
#include "project/decode_json.h"
#include "project/project_store.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

// decode, display, wedge, bench, regions from this parameter on.
void bindSetup(SQLite::Statement& s, int from, const Configuration& c) {
  json regions = json::array();
  for (const auto& r : c.regions) regions.push_back(toJson(r));
  json decode = toJson(c.decode);
  if (!c.ask.empty()) decode["ask"] = c.ask;
  s.bind(from, decode.dump()), s.bind(from + 1, c.display);
  s.bind(from + 2, toJson(c.wedge).dump()), s.bind(from + 3, toJson(c.bench).dump());
  s.bind(from + 4, regions.dump());
}

// What is no number is written as null: read back it is another value.
bool isFinite(const json& j) {
  if (j.is_structured())
    return std::all_of(j.begin(), j.end(), [](const json& part) { return isFinite(part); });
  return !j.is_number_float() || std::isfinite(j.get<double>());
}

// What stands beside figures and may be lost without them: nothing where it is damaged.
json parsedOrNull(const std::string& text) {
  json j = json::parse(text, nullptr, false);
  return j.is_discarded() ? json() : j;
}

// A configuration whose chart was not placed yet has none.
Chart storedChart(const std::string& text, const fs::path& file) {
  const json j = json::parse(text);
  const json patches = j.value("patches", json());
  if (!patches.is_array() || !patches.empty()) return chartFromJson(j, file, ChartLight::Found);
  Chart none;
  none.referenceWidth = j.at("reference").at("width"), none.referenceHeight = j.at("reference").at("height");
  return none;
}

}  // namespace

void Project::Store::addClip(std::int64_t configuration, const ClipRecord& clip) {
  SQLite::Statement row(
      db,
      "INSERT INTO clip (configuration, kind, name, planned_stops, path, hash, iso, slate, first, "
      "frames, link, nd, strobe_hz) VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?)");
  row.bind(1, configuration), row.bind(2, wordOf(clip.kind)), row.bind(3, clip.name);
  if (clip.plannedStops) row.bind(4, *clip.plannedStops);
  row.bind(5, clip.path), row.bind(6, clip.hash), row.bind(7, clip.iso), row.bind(8, clip.slate);
  row.bind(9, clip.first), row.bind(10, clip.frames), row.bind(11, clip.link.dump());
  row.bind(12, clip.nd);
  row.bind(13, clip.strobeHz);
  row.exec();
}

std::string Configuration::label() const {
  std::string words = body + " · " + mode;
  if (iso > 0) words += fmt::format(" · ISO {:g}", iso);
  return light.empty() ? words : words + " · " + light;
}

const ClipRecord* Configuration::clipOfKind(ClipKind kind) const {
  for (const auto& c : clips)
    if (c.kind == kind) return &c;
  return nullptr;
}

Project::Project(fs::path file, std::unique_ptr<Store> store)
    : file_(std::move(file)), store_(std::move(store)) {}
Project::~Project() = default;

std::int64_t Project::writes() const {
  return store_->db.getTotalChanges();
}

std::string Project::title() const try {
  SQLite::Statement q(store_->db, "SELECT value FROM meta WHERE key='title'");
  return q.executeStep() ? q.getColumn(0).getString() : file_.stem().string();
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

std::string Project::id() const try {
  SQLite::Statement q(store_->db, "SELECT value FROM meta WHERE key='id'");
  if (q.executeStep()) return q.getColumn(0).getString();
  return markOf(title());  // projects from before version 4
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

void Project::atomically(const std::function<void()>& change) try {
  struct Forgetting {  // results that are taken back with it
    decltype(kept_)& kept;
    bool done = false;
    ~Forgetting() {
      if (!done) kept.clear();
    }
  } unless{kept_};
  Store::Change all(*store_);
  change();
  all.commit();
  unless.done = true;
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

std::int64_t Project::addConfiguration(const Configuration& c) try {
  Store::Change change(*store_);
  SQLite::Statement insert(store_->db,
                           "INSERT INTO configuration (body, mode, iso, light, decode, display, wedge_chart, "
                           "bench_chart, regions) VALUES (?,?,?,?,?,?,?,?,?)");
  insert.bind(1, c.body), insert.bind(2, c.mode), insert.bind(3, c.iso), insert.bind(4, c.light);
  bindSetup(insert, 5, c);
  insert.exec();
  const std::int64_t id = store_->db.getLastInsertRowid();
  for (const auto& clip : c.clips) store_->addClip(id, clip);
  change.commit();
  return id;
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

std::vector<Configuration> Project::configurations() const try {
  return store_->kept(store_->configurations, [&] { return store_->readConfigurations(file_); });
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

std::vector<Configuration> Project::Store::readConfigurations(const fs::path& file) {
  std::vector<Configuration> list;
  SQLite::Statement q(db,
                      "SELECT id, body, mode, iso, light, decode, display, wedge_chart, bench_chart, regions "
                      "FROM configuration ORDER BY id");
  while (q.executeStep()) {
    Configuration c;
    c.id = q.getColumn(0).getInt64();
    c.body = q.getColumn(1).getString(), c.mode = q.getColumn(2).getString(),
    c.iso = q.getColumn(3).getDouble();
    c.light = q.getColumn(4).getString();
    const json decode = json::parse(q.getColumn(5).getString());
    c.decode = decodeFromJson(decode);
    if (decode.contains("ask")) c.ask = decode["ask"].get<std::vector<std::string>>();
    c.display = displayName(q.getColumn(6).getString());
    c.wedge = storedChart(q.getColumn(7).getString(), file);
    c.bench = storedChart(q.getColumn(8).getString(), file);
    c.regions = readRegions(json::parse(q.getColumn(9).getString()), file, c.bench.referenceWidth,
                            c.bench.referenceHeight);
    list.push_back(std::move(c));
  }
  SQLite::Statement clips(db,
                          "SELECT id, configuration, kind, name, planned_stops, path, hash, iso, slate, "
                          "first, frames, link, nd, strobe_hz FROM clip "
                          "ORDER BY id");
  while (clips.executeStep()) {
    ClipRecord r;
    r.id = clips.getColumn(0).getInt64();
    r.kind = clipKindOf(clips.getColumn(2).getString()), r.name = clips.getColumn(3).getString();
    if (!clips.getColumn(4).isNull()) r.plannedStops = clips.getColumn(4).getDouble();
    r.path = clips.getColumn(5).getString(), r.hash = clips.getColumn(6).getString();
    r.iso = clips.getColumn(7).getDouble(), r.slate = clips.getColumn(8).getString();
    r.first = clips.getColumn(9).getInt64(), r.frames = clips.getColumn(10).getInt64();
    r.link = parsedOrNull(clips.getColumn(11).getString());
    r.nd = clips.getColumn(12).getDouble();
    r.strobeHz = clips.getColumn(13).getDouble();
    for (auto& c : list)
      if (c.id == clips.getColumn(1).getInt64()) c.clips.push_back(r);
  }
  return list;
}

void Project::setSetup(const Configuration& c) try {
  SQLite::Statement put(
      store_->db,
      "UPDATE configuration SET decode=?, display=?, wedge_chart=?, bench_chart=?, regions=? "
      "WHERE id=?");
  bindSetup(put, 1, c);
  put.bind(6, c.id);
  if (put.exec() != 1)
    throw Error("there is no such configuration in the project", file_.string(), c.label(), "open it again");
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

void Project::setClips(std::int64_t configuration, const std::vector<ClipRecord>& clips) try {
  Store::Change change(*store_);
  SQLite::Statement remove(store_->db, "DELETE FROM clip WHERE configuration=?");
  remove.bind(1, configuration);
  remove.exec();
  for (const auto& clip : clips) store_->addClip(configuration, clip);
  change.commit();
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

std::int64_t Project::appendLog(const LogEntry& entry) try {
  const Store::Elsewhere log(*store_);
  SQLite::Statement put(store_->db,
                        "INSERT INTO log (at, slate, kind, value) VALUES (CASE WHEN ?1='' THEN "
                        "strftime('%Y-%m-%dT%H:%M:%fZ','now') ELSE ?1 END, ?2, ?3, ?4)");
  put.bind(1, entry.at), put.bind(2, entry.slate), put.bind(3, entry.kind), put.bind(4, entry.value.dump());
  put.exec();
  return store_->db.getLastInsertRowid();
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

std::vector<LogEntry> Project::log() const try {
  std::vector<LogEntry> list;
  SQLite::Statement q(store_->db, "SELECT id, at, slate, kind, value FROM log ORDER BY id");
  while (q.executeStep())
    list.push_back({q.getColumn(0).getInt64(), q.getColumn(1).getString(), q.getColumn(2).getString(),
                    q.getColumn(3).getString(), parsedOrNull(q.getColumn(4).getString())});
  return list;
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

namespace {

constexpr const char* kDecisionColumns = "SELECT configuration, take, key, value, reason FROM decision ";
constexpr const char* kSetApart = "set apart: ";  // before the key of a decision that can't be read

Decision decisionFrom(SQLite::Statement& q) {
  return {q.getColumn(0).getInt64(), q.getColumn(1).getString(), q.getColumn(2).getString(),
          parsedOrNull(q.getColumn(3).getString()), q.getColumn(4).getString()};
}

}  // namespace

// Whatever could be decided anew is; what stood there is kept under another key.
void Project::setApartDamaged() {
  std::vector<Decision> damaged;
  SQLite::Statement q(store_->db, std::string(kDecisionColumns) + "ORDER BY configuration, take, key");
  while (q.executeStep()) {
    const Decision d = decisionFrom(q);
    if (d.key.starts_with(kSetApart)) continue;
    const std::string problem = d.value.is_null() ? "damaged" : problemOf(d);
    if (problem.empty()) continue;
    setApart_.push_back(d.key + (d.take.empty() ? "" : " of " + d.take) + ": " + problem);
    damaged.push_back(d);
  }
  if (damaged.empty()) return;
  Store::Change change(*store_);
  for (const auto& d : damaged) {
    SQLite::Statement put(store_->db,
                          "UPDATE OR REPLACE decision SET key=? WHERE configuration=? AND take=? AND key=?");
    put.bind(1, kSetApart + d.key), put.bind(2, d.configuration), put.bind(3, d.take), put.bind(4, d.key);
    put.exec();
  }
  change.commit();
}

std::optional<Decision> Project::decision(std::int64_t configuration, const std::string& take,
                                          const std::string& key) const try {
  const auto& all = decisions();
  const auto at = std::find_if(all.begin(), all.end(), [&](const Decision& d) {
    return d.configuration == configuration && d.take == take && d.key == key;
  });
  return at == all.end() ? std::nullopt : std::optional(*at);
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

const std::vector<Decision>& Project::decisions() const try {
  return store_->kept(store_->decisions, [&] { return store_->readDecisions(); });
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

std::vector<Decision> Project::Store::readDecisions() {
  std::vector<Decision> list;
  SQLite::Statement q(db, std::string(kDecisionColumns) + "ORDER BY configuration, take, key");
  while (q.executeStep())
    if (Decision d = decisionFrom(q); !d.key.starts_with(kSetApart)) list.push_back(std::move(d));
  return list;
}

void Project::setDecision(const Decision& d) try {
  Store::Change change(*store_);
  if (d.value.is_null()) {
    SQLite::Statement remove(store_->db, "DELETE FROM decision WHERE configuration=? AND take=? AND key=?");
    remove.bind(1, d.configuration), remove.bind(2, d.take), remove.bind(3, d.key);
    remove.exec();
  } else {
    SQLite::Statement put(
        store_->db,
        "INSERT OR REPLACE INTO decision (configuration, take, key, value, reason, decided) "
        "VALUES (?,?,?,?,?,datetime('now'))");
    put.bind(1, d.configuration), put.bind(2, d.take), put.bind(3, d.key), put.bind(4, d.value.dump()),
        put.bind(5, d.reason);
    put.exec();
  }
  change.commit();
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

void Project::storeResult(std::int64_t configuration, const std::string& kind, const std::string& inputHash,
                          const json& result) {
  storeText(configuration, kind, inputHash, result.dump());
  // It is read next, so it alone is kept.
  std::erase_if(kept_, [](const auto& k) { return std::any_cast<json>(&k.second.value) != nullptr; });
  if (isFinite(result)) kept_[{configuration, kind}] = {inputHash, result};
}

void Project::storeText(std::int64_t configuration, const std::string& kind, const std::string& inputHash,
                        const std::string& text) try {
  kept_.erase({configuration, kind});
  const Store::Elsewhere results(*store_);
  Store::Change change(*store_);
  SQLite::Statement put(
      store_->db, "INSERT OR REPLACE INTO result (configuration, kind, input_hash, value) VALUES (?,?,?,?)");
  put.bind(1, configuration), put.bind(2, kind), put.bind(3, inputHash), put.bindNoCopy(4, text);
  put.exec();
  change.commit();
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

std::optional<json> Project::result(std::int64_t configuration, const std::string& kind,
                                    const std::string& inputHash) const try {
  if (const auto kept = kept_.find({configuration, kind});
      kept != kept_.end() && kept->second.inputHash == inputHash)
    if (const auto* value = std::any_cast<json>(&kept->second.value)) return *value;
  SQLite::Statement q(store_->db,
                      "SELECT value FROM result WHERE configuration=? AND kind=? AND input_hash=?");
  q.bind(1, configuration), q.bind(2, kind), q.bind(3, inputHash);
  if (!q.executeStep()) return std::nullopt;
  json value = parsedOrNull(q.getColumn(0).getString());
  if (!value.is_null()) return value;
  dropResult(configuration, kind);
  return std::nullopt;
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

void Project::dropResult(std::int64_t configuration, const std::string& kind) const try {
  kept_.erase({configuration, kind});
  SQLite::Statement remove(store_->db, "DELETE FROM result WHERE configuration=? AND kind=?");
  remove.bind(1, configuration), remove.bind(2, kind);
  remove.exec();
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

std::optional<Project::Stored> Project::anyResult(std::int64_t configuration, const std::string& kind) const
    try {
  SQLite::Statement q(store_->db, "SELECT input_hash, value FROM result WHERE configuration=? AND kind=?");
  q.bind(1, configuration), q.bind(2, kind);
  if (!q.executeStep()) return std::nullopt;
  return Stored{q.getColumn(0).getString(), parsedOrNull(q.getColumn(1).getString())};
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

bool Project::hasResult(std::int64_t configuration, const std::string& kind,
                        const std::string& inputHash) const try {
  SQLite::Statement q(store_->db, "SELECT 1 FROM result WHERE configuration=? AND kind=? AND input_hash=?");
  q.bind(1, configuration);
  q.bind(2, kind);
  q.bind(3, inputHash);
  return q.executeStep();
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

void Project::writeTo(const fs::path& file) const try {
  SQLite::Statement q(store_->db, "VACUUM INTO ?");
  q.bind(1, file.string());
  q.exec();
} catch (const SQLite::Exception& e) {
  std::error_code ec;
  fs::remove(file.string() + "-journal", ec);  // of what was not finished
  cannotOpen(file, e);
}

std::vector<std::string> Project::integrityProblems() const try {
  std::vector<std::string> problems;
  SQLite::Statement q(store_->db, "PRAGMA integrity_check(20)");
  while (q.executeStep())
    if (const std::string line = q.getColumn(0).getString(); line != "ok") problems.push_back(line);
  return problems;
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

}  // namespace edge
