#include "support/failing_vfs.h"

#include <cstring>
#include <fstream>
#include <map>
#include <random>
#include <string>
#include <vector>

namespace fs = std::filesystem;

namespace edge::test {
namespace {

constexpr int kSector = 512;

struct Change {
  sqlite3_int64 offset = 0;
  std::string bytes;
  bool truncates = false;
};

struct Kept {
  std::string durable;
  std::vector<Change> pending;
  bool deleted = false;  // without the folder having been synced
};

struct State {
  sqlite3_vfs* real = nullptr;
  std::map<std::string, Kept> files;
  Call call = Call::Write;
  std::int64_t left = -1;  // calls until the fault; -1: none is planned
  int code = SQLITE_IOERR;
  bool once = false, cut = false, met = false;

  // The code to return instead of doing it; SQLITE_OK: do it.
  int step(Call what) {
    const bool counts = cut ? what != Call::Read : what == call;
    if (!counts || left < 0) return SQLITE_OK;
    if (left > 0) return --left, SQLITE_OK;
    if (once && met) return SQLITE_OK;
    met = true;
    return code;
  }
};
State state;

struct File {
  sqlite3_file base;
  sqlite3_file* real;
  Kept* kept;  // null: shared memory and the like
};
File& of(sqlite3_file* f) {
  return *reinterpret_cast<File*>(f);
}

void apply(std::string& bytes, const Change& c) {
  if (c.truncates) {
    bytes.resize(static_cast<size_t>(c.offset));
    return;
  }
  const auto end = static_cast<size_t>(c.offset) + c.bytes.size();
  if (bytes.size() < end) bytes.resize(end);
  std::memcpy(bytes.data() + c.offset, c.bytes.data(), c.bytes.size());
}

int closes(sqlite3_file* f) {
  return of(f).real->pMethods ? of(f).real->pMethods->xClose(of(f).real) : SQLITE_OK;
}
int reads(sqlite3_file* f, void* to, int n, sqlite3_int64 at) {
  if (const int code = state.step(Call::Read)) return code;
  return of(f).real->pMethods->xRead(of(f).real, to, n, at);
}
int writes(sqlite3_file* f, const void* from, int n, sqlite3_int64 at) {
  if (const int code = state.step(Call::Write)) return code;
  if (of(f).kept)
    of(f).kept->pending.push_back({at, std::string(static_cast<const char*>(from), static_cast<size_t>(n))});
  return of(f).real->pMethods->xWrite(of(f).real, from, n, at);
}
int truncates(sqlite3_file* f, sqlite3_int64 size) {
  if (const int code = state.step(Call::Write)) return code;
  if (of(f).kept) of(f).kept->pending.push_back({size, "", true});
  return of(f).real->pMethods->xTruncate(of(f).real, size);
}
int syncs(sqlite3_file* f, int flags) {
  if (const int code = state.step(Call::Sync)) return code;
  if (Kept* k = of(f).kept) {
    for (const auto& c : k->pending) apply(k->durable, c);
    k->pending.clear();
  }
  return of(f).real->pMethods->xSync(of(f).real, flags);
}
int sizes(sqlite3_file* f, sqlite3_int64* size) {
  return of(f).real->pMethods->xFileSize(of(f).real, size);
}
int locks(sqlite3_file* f, int kind) {
  return of(f).real->pMethods->xLock(of(f).real, kind);
}
int unlocks(sqlite3_file* f, int kind) {
  return of(f).real->pMethods->xUnlock(of(f).real, kind);
}
int isReserved(sqlite3_file* f, int* out) {
  return of(f).real->pMethods->xCheckReservedLock(of(f).real, out);
}
int controls(sqlite3_file* f, int op, void* arg) {
  return of(f).real->pMethods->xFileControl(of(f).real, op, arg);
}
int sectorOf(sqlite3_file*) {
  return kSector;
}
int traitsOf(sqlite3_file*) {
  return 0;  // nothing is promised: writes may be torn and come in any order
}
int maps(sqlite3_file* f, int page, int size, int extend, void volatile** out) {
  return of(f).real->pMethods->xShmMap(of(f).real, page, size, extend, out);
}
int shares(sqlite3_file* f, int offset, int n, int flags) {
  return of(f).real->pMethods->xShmLock(of(f).real, offset, n, flags);
}
void barrier(sqlite3_file* f) {
  of(f).real->pMethods->xShmBarrier(of(f).real);
}
int unmaps(sqlite3_file* f, int alsoDelete) {
  return of(f).real->pMethods->xShmUnmap(of(f).real, alsoDelete);
}
const sqlite3_io_methods kMethods = {2,      closes,  reads,      writes,   truncates, syncs,    sizes,
                                     locks,  unlocks, isReserved, controls, sectorOf,  traitsOf, maps,
                                     shares, barrier, unmaps,     nullptr,  nullptr};

int opens(sqlite3_vfs*, const char* name, sqlite3_file* f, int flags, int* out) {
  File& file = of(f);
  file.real = reinterpret_cast<sqlite3_file*>(&file + 1);
  file.kept = nullptr;
  file.base.pMethods = nullptr;
  const int code = state.real->xOpen(state.real, name, file.real, flags, out);
  if (file.real->pMethods) file.base.pMethods = &kMethods;
  if (code != SQLITE_OK || !name) return code;
  const auto [at, isNew] = state.files.try_emplace(name);
  file.kept = &at->second;
  if (isNew || at->second.deleted) {
    std::ifstream in(name, std::ios::binary);
    at->second = {std::string(std::istreambuf_iterator<char>(in), {}), {}, false};
  }
  return code;
}
int deletes(sqlite3_vfs*, const char* name, int syncFolder) {
  if (const int code = state.step(Call::Write)) return code;
  if (const auto at = state.files.find(name); at != state.files.end()) at->second.deleted = true;
  return state.real->xDelete(state.real, name, syncFolder);
}

}  // namespace

void FailingVfs::install() {
  if (state.real) return;
  state.real = sqlite3_vfs_find(nullptr);
  static sqlite3_vfs layer = *state.real;
  layer.zName = "failing";
  layer.szOsFile = static_cast<int>(sizeof(File)) + state.real->szOsFile;
  layer.xOpen = opens, layer.xDelete = deletes;
  sqlite3_vfs_register(&layer, 1);
}

void FailingVfs::failAt(Call call, std::int64_t n, int code, bool once) {
  state.call = call, state.left = n, state.code = code, state.once = once, state.cut = state.met = false;
}

void FailingVfs::cutAt(std::int64_t n) {
  state.left = n, state.code = SQLITE_IOERR, state.once = false, state.cut = true, state.met = false;
}

bool FailingVfs::heal() {
  state.left = -1;
  state.cut = false;
  return std::exchange(state.met, false);
}

void FailingVfs::afterCut(const fs::path& from, const fs::path& to, std::uint64_t seed) {
  std::mt19937_64 random(seed);
  for (const auto& [name, kept] : state.files) {
    if (fs::path(name).parent_path() != from || name.ends_with("-shm")) continue;
    if (kept.deleted && random() % 2) continue;
    std::string bytes = kept.durable;
    for (const Change& c : kept.pending) {
      const auto lot = random() % 3;
      if (lot == 0) continue;
      if (lot == 1 || c.truncates) {
        apply(bytes, c);
        continue;
      }
      for (size_t s = 0; s < c.bytes.size(); s += kSector)
        if (random() % 2)
          apply(bytes, {c.offset + static_cast<sqlite3_int64>(s), c.bytes.substr(s, kSector), false});
    }
    std::ofstream(to / fs::path(name).filename(), std::ios::binary) << bytes;
  }
  state.files.clear();
}

namespace {

sqlite3_mem_methods realMemory;
struct {
  std::int64_t left = -1;
  bool once = false, met = false;
} memory;

bool fails() {
  if (memory.left < 0) return false;
  if (memory.left > 0) return --memory.left, false;
  if (memory.once && memory.met) return false;
  return memory.met = true;
}
void* allocates(int n) {
  return fails() ? nullptr : realMemory.xMalloc(n);
}
void* allocatesAnew(void* p, int n) {
  return fails() ? nullptr : realMemory.xRealloc(p, n);
}

}  // namespace

bool installFailingMemory() {
  if (sqlite3_shutdown() != SQLITE_OK || sqlite3_config(SQLITE_CONFIG_GETMALLOC, &realMemory) != SQLITE_OK)
    return false;
  static sqlite3_mem_methods layer = realMemory;
  layer.xMalloc = allocates, layer.xRealloc = allocatesAnew;
  // Small pieces would come from a store of SQLite's own otherwise.
  return sqlite3_config(SQLITE_CONFIG_MALLOC, &layer) == SQLITE_OK &&
         sqlite3_config(SQLITE_CONFIG_LOOKASIDE, 0, 0) == SQLITE_OK && sqlite3_initialize() == SQLITE_OK;
}

void failMemoryAt(std::int64_t n, bool once) {
  memory = {n, once, false};
}

bool healMemory() {
  memory.left = -1;
  return std::exchange(memory.met, false);
}

}  // namespace edge::test
