// A project made, opened, read: what is looked at before anything of it is believed.
#include <SQLiteCpp/Backup.h>
#include <fmt/format.h>
#include <sqlite3.h>

#include <algorithm>
#include <chrono>
#include <cstdlib>
#include <cstring>
#include <fstream>

#include "base/files.h"
#include "base/hash.h"
#include "project/project_store.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

constexpr int kApplicationId = 0x45445445;  // "EDTE": tells our files from other SQLite files

// One step a version; a project of version n has had the first n applied.
const std::vector<const char*>& migrations() {
  static const std::vector<const char*> steps = {
      R"sql(
      CREATE TABLE meta (key TEXT PRIMARY KEY, value TEXT NOT NULL);
      CREATE TABLE configuration (
        id INTEGER PRIMARY KEY, body TEXT NOT NULL, mode TEXT NOT NULL, iso REAL NOT NULL, light TEXT NOT NULL,
        decode TEXT NOT NULL, display TEXT NOT NULL, wedge_chart TEXT NOT NULL, bench_chart TEXT NOT NULL,
        regions TEXT NOT NULL);
      CREATE TABLE clip (
        id INTEGER PRIMARY KEY, configuration INTEGER NOT NULL REFERENCES configuration(id), kind TEXT NOT NULL,
        name TEXT NOT NULL, planned_stops REAL, path TEXT NOT NULL, hash TEXT NOT NULL);
      CREATE TABLE result (
        configuration INTEGER NOT NULL, kind TEXT NOT NULL, input_hash TEXT NOT NULL, value TEXT NOT NULL,
        PRIMARY KEY (configuration, kind));
      CREATE TABLE decision (
        configuration INTEGER NOT NULL, take TEXT NOT NULL, key TEXT NOT NULL, value TEXT NOT NULL,
        PRIMARY KEY (configuration, take, key));
      )sql",
      // A decision says why, and when.
      R"sql(
      ALTER TABLE decision ADD COLUMN reason TEXT NOT NULL DEFAULT '';
      ALTER TABLE decision ADD COLUMN decided TEXT NOT NULL DEFAULT '';
      )sql",
      // A clip knows the take it was planned as.
      R"sql(
      ALTER TABLE clip ADD COLUMN iso REAL NOT NULL DEFAULT 0;
      ALTER TABLE clip ADD COLUMN slate TEXT NOT NULL DEFAULT '';
      )sql",
      // The shoot is logged; a clip knows its steady part and why it is taken for its take.
      R"sql(
      CREATE TABLE log (
        id INTEGER PRIMARY KEY AUTOINCREMENT, at TEXT NOT NULL, slate TEXT NOT NULL, kind TEXT NOT NULL,
        value TEXT NOT NULL);
      ALTER TABLE clip ADD COLUMN first INTEGER NOT NULL DEFAULT 0;
      ALTER TABLE clip ADD COLUMN frames INTEGER NOT NULL DEFAULT 0;
      ALTER TABLE clip ADD COLUMN link TEXT NOT NULL DEFAULT 'null';
      )sql",
      // What a noise test was shot through, and before.
      R"sql(
      ALTER TABLE clip ADD COLUMN nd REAL NOT NULL DEFAULT 0;
      ALTER TABLE clip ADD COLUMN strobe_hz REAL NOT NULL DEFAULT 0;
      )sql"};
  return steps;
}

}  // namespace

[[noreturn]] void damaged(const fs::path& file, const std::string& detail) {
  throw Error("the project file is damaged: " + detail, file.string(), "",
              "open a copy from before; the clips themselves are untouched and can be measured again");
}

std::string markOf(const std::string& text) {
  std::string s = hashBytes(text).substr(0, 6);
  std::transform(s.begin(), s.end(), s.begin(), [](unsigned char c) { return std::toupper(c); });
  return s;
}

namespace {

std::string newId(const std::string& title) {
  const auto now = std::chrono::system_clock::now().time_since_epoch().count();
  return markOf(title + std::to_string(now));
}

void requireProjectFile(const fs::path& file) {
  requireReadable(file);
  char head[16] = {};
  std::ifstream(file, std::ios::binary).read(head, sizeof head);
  if (std::string_view(head, 15) != "SQLite format 3")
    throw Error("this is no Edge Test project", file.string(), "first bytes", "choose a .edgetest file");
}

}  // namespace

namespace {
constexpr const char* kCodeInCheck = "error code=";  // as SQLite writes it into what a check found
}

void Project::Store::check(const fs::path& file) {
  if (db.execAndGet("PRAGMA application_id").getInt() != kApplicationId)
    throw Error("this is no Edge Test project", file.string(), "application id", "choose a .edgetest file");
  const int v = version();
  if (v > kSchemaVersion)
    throw Error(fmt::format("the project is of version {}, this program reads up to {}", v, kSchemaVersion),
                file.string(), "version", "open it with the newer program; nothing was changed");
  if (v < 1) damaged(file, fmt::format("its version reads {}", v));
  const std::string quick = db.execAndGet("PRAGMA quick_check(1)").getString();
  if (quick != "ok") {
    // "error code=N": a page could not be read, which says nothing of what is on it.
    const auto at = quick.find(kCodeInCheck);
    const int code = at == std::string::npos ? 0 : std::atoi(quick.c_str() + at + std::strlen(kCodeInCheck));
    if ((code & 0xff) == SQLITE_IOERR) throw SQLite::Exception(quick, SQLITE_IOERR);
    damaged(file, quick);
  }
  if (db.execAndGet("SELECT count(*) FROM sqlite_master WHERE type IN ('trigger','view')").getInt() > 0)
    throw Error("the project holds triggers or views, which none of ours has", file.string(), "schema",
                "ask whoever sent it for the file as the program saved it");
}

void Project::Store::migrate() {
  for (int v = version(); v < kSchemaVersion; ++v) {
    SQLite::Transaction transaction(db);
    db.exec(migrations()[static_cast<size_t>(v)]);
    db.exec(fmt::format("PRAGMA user_version={}", v + 1));
    transaction.commit();
  }
}

std::unique_ptr<Project> Project::create(const fs::path& file, const std::string& title,
                                         const std::string& id, const Fill& fill) {
  if (fs::exists(file))
    throw Error("there is a file of this name already", file.string(), "", "choose another name or open it");
  try {
    auto store = std::make_unique<Store>(":memory:", SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
    store->db.exec(fmt::format("PRAGMA application_id={}", kApplicationId));
    store->migrate();
    {
      SQLite::Statement insert(store->db, "INSERT INTO meta VALUES ('title', ?), ('id', ?)");
      insert.bind(1, title);
      insert.bind(2, id.empty() ? newId(title) : id);
      insert.exec();
    }
    // Made in memory and written at once: a killed process or a full disk leaves no half project.
    Project made(fs::absolute(file), std::move(store));
    if (fill) fill(made);
    // What can't be read back is not put in place.
    writeFileAtomically(file, [&](const fs::path& temporary) {
      made.writeTo(temporary);
      try {
        (void)read(temporary);
      } catch (const Error& e) {
        throw Error("the project would not open again: " + e.problem(), file.string(), e.place(), e.remedy());
      }
    });
  } catch (const SQLite::Exception& e) {
    cannotOpen(file, e);
  }
  return open(file);
}

[[noreturn]] void cannotOpen(const fs::path& file, const SQLite::Exception& e) {
  switch (e.getErrorCode()) {
    case SQLITE_READONLY:
    case SQLITE_CANTOPEN:
      throw Error("the project can't be opened for writing", file.string(), "",
                  "allow writing to the file and its folder");
    case SQLITE_BUSY:
    case SQLITE_LOCKED:
      throw Error("the project is in use by another program", file.string(), "", "close it there first");
    case SQLITE_FULL:
      throw Error("no room left to write the project", file.string(), "",
                  "free some space and repeat; what was stored before is safe");
    case SQLITE_IOERR:
      throw Error(std::string("the disk fails: ") + e.what(), file.string(), "",
                  "check the disk and its room, copy the project elsewhere; what was stored before is safe");
    case SQLITE_NOMEM:
      throw Error("not enough memory for the project", file.string(), "", "close other programs");
    default:
      damaged(file, e.what());
  }
}

namespace {

// A file name in an URI (RFC 3986): everything but plain letters by its code.
std::string uriOf(const fs::path& file, const char* query) {
  std::string s = "file:";
  for (const unsigned char c : fs::absolute(file).string())
    s += std::isalnum(c) || c == '/' || c == '.' || c == '-' || c == '_'
             ? std::string(1, static_cast<char>(c))
             : fmt::format("%{:02X}", c);
  return s + query;
}

// Of a file nobody is writing to, without a lock and without a file beside it; else with the journal.
void copyInto(SQLite::Database& memory, const fs::path& file) {
  const auto copy = [&](const char* query) {
    SQLite::Database from(uriOf(file, query), SQLite::OPEN_READONLY | SQLite::OPEN_URI, 5000);
    SQLite::Backup(memory, from).executeStep(-1);
  };
  std::error_code ec;
  const auto journal = fs::file_size(file.string() + "-wal", ec);
  if (ec || journal == 0) return copy("?immutable=1");
  try {
    copy("?mode=ro");
  } catch (const SQLite::Exception& e) {
    if (e.getErrorCode() != SQLITE_CANTOPEN && e.getErrorCode() != SQLITE_READONLY) throw;
    copy("?immutable=1");  // a journal on media that can't be written to
  }
}

constexpr std::uintmax_t kMostBytesInMemory = 512u << 20;

}  // namespace

std::unique_ptr<Project> Project::checked(const fs::path& file, std::unique_ptr<Store> store) {
  store->check(file);
  store->prepare();
  store->migrate();
  auto project = std::unique_ptr<Project>(new Project(fs::absolute(file), std::move(store)));
  (void)project->configurations();  // unreadable content is found here, not in the middle of work
  project->setApartDamaged();
  return project;
}

std::unique_ptr<Project> Project::open(const fs::path& file) {
  requireProjectFile(file);
  try {
    return checked(file, std::make_unique<Store>(file.string(), SQLite::OPEN_READWRITE));
  } catch (const SQLite::Exception& e) {
    if (e.getErrorCode() != SQLITE_READONLY && e.getErrorCode() != SQLITE_CANTOPEN) cannotOpen(file, e);
    auto project = read(file);  // on media that can't be written to
    project->readOnly_ = true;
    return project;
  } catch (const json::exception& e) {
    damaged(file, e.what());
  }
}

std::unique_ptr<Project> Project::read(const fs::path& file) {
  requireProjectFile(file);
  if (fs::file_size(file) > kMostBytesInMemory)
    throw Error("the project is too large to be read beside others", file.string(),
                fmt::format("{} MB", fs::file_size(file) >> 20), "open it by itself");
  try {
    auto store = std::make_unique<Store>(":memory:", SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
    copyInto(store->db, file);
    return checked(file, std::move(store));
  } catch (const SQLite::Exception& e) {
    cannotOpen(file, e);
  } catch (const json::exception& e) {
    damaged(file, e.what());
  }
}

std::unique_ptr<Project> Project::copyInMemory() const try {
  auto store = std::make_unique<Store>(":memory:", SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
  SQLite::Backup(store->db, store_->db).executeStep(-1);
  return std::unique_ptr<Project>(new Project(file_, std::move(store)));
} catch (const SQLite::Exception& e) {
  cannotOpen(file_, e);
}

}  // namespace edge
