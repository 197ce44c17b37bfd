// Inside of the project: its database, shared by opening (project_open.cpp) and by what is read and written
// (project.cpp).
#pragma once
#include <SQLiteCpp/SQLiteCpp.h>
#include <sqlite3.h>

#include <optional>

#include "project/project.h"

namespace edge {

struct Project::Store {
  Store(const std::string& name, int flags) : db(name, flags, 5000) {}
  SQLite::Database db;

  void prepare() {
    db.exec("PRAGMA journal_mode=WAL");
    db.exec("PRAGMA synchronous=FULL");
    db.exec("PRAGMA foreign_keys=ON");
    db.exec("PRAGMA trusted_schema=OFF");
  }

  // One change. Within another it is a part of that one, and stands or falls with it.
  class Change {
   public:
    explicit Change(Store& store) {
      if (sqlite3_get_autocommit(store.db.getHandle())) own_.emplace(store.db);
    }
    void commit() {
      if (own_) own_->commit();
    }

   private:
    std::optional<SQLite::Transaction> own_;
  };

  // What was read of it, for as long as nothing was written, by whatever connection.
  template <class Value>
  struct AsRead {
    std::optional<Value> value;
    std::pair<std::int64_t, std::int64_t> at;
  };
  std::int64_t elsewhere = 0;  // changes of this connection to tables that nothing is kept of
  AsRead<std::vector<Configuration>> configurations;
  AsRead<std::vector<Decision>> decisions;

  // Around such changes.
  class Elsewhere {
   public:
    explicit Elsewhere(Store& store) : store_(store), before_(store.db.getTotalChanges()) {}
    ~Elsewhere() { store_.elsewhere += store_.db.getTotalChanges() - before_; }
    Elsewhere(const Elsewhere&) = delete;
    Elsewhere& operator=(const Elsewhere&) = delete;

   private:
    Store& store_;
    std::int64_t before_;
  };

  // Read anew where that is over. Stands until the next reading.
  template <class Value, class Read>
  const Value& kept(AsRead<Value>& kept, Read read) {
    // What other connections wrote, and what this one did.
    const std::pair<std::int64_t, std::int64_t> now = {db.execAndGet("PRAGMA data_version").getInt64(),
                                                       db.getTotalChanges() - elsewhere};
    if (kept.value && kept.at == now) return *kept.value;
    kept.value = read();
    // Within a change it may still be taken back, and nothing would tell.
    kept.at = sqlite3_get_autocommit(db.getHandle()) ? now : std::pair<std::int64_t, std::int64_t>(-1, -1);
    return *kept.value;
  }

  std::vector<Configuration> readConfigurations(const std::filesystem::path& file);
  std::vector<Decision> readDecisions();
  void addClip(std::int64_t configuration, const ClipRecord& clip);

  int version() { return db.execAndGet("PRAGMA user_version").getInt(); }

  // Ours, of a version that can be read, and nothing in it that would run by itself. Throws Error.
  void check(const std::filesystem::path& file);
  void migrate();
};

[[noreturn]] void damaged(const std::filesystem::path& file, const std::string& detail);
// As what SQLite says is told to a person.
[[noreturn]] void cannotOpen(const std::filesystem::path& file, const SQLite::Exception& e);
// Two projects of one title must not read each other's slates: what marks them apart.
[[nodiscard]] std::string markOf(const std::string& text);

}  // namespace edge
