// A layer between SQLite and the file system, in this process: it fails the n-th call that changes something,
// or models a power cut: what was not synced is lost, whole, in part or not at all.
#pragma once
#include <sqlite3.h>

#include <cstdint>
#include <filesystem>
#include <functional>

namespace edge::test {

enum class Call { Write, Sync, Read };

class FailingVfs {
 public:
  // Made SQLite's own for all files that are opened from here on.
  static void install();

  // From the n-th of these calls on (0: the first) each returns `code`; `once`: only that one.
  static void failAt(Call call, std::int64_t n, int code, bool once = false);
  // Every changing call fails from the n-th on, and nothing that happened afterwards counts.
  static void cutAt(std::int64_t n);
  // All calls go through again; returns whether a fault was met.
  static bool heal();

  // The files as a disk may hold them after the cut, in another folder: what was synced, and of each later
  // write, drawn by lot, all, some sectors or nothing.
  static void afterCut(const std::filesystem::path& from, const std::filesystem::path& to,
                       std::uint64_t seed);
};

// SQLite's memory: the n-th request fails (-1: none). Installed before the first database is opened; false:
// too late.
[[nodiscard]] bool installFailingMemory();
void failMemoryAt(std::int64_t n, bool once);
bool healMemory();

}  // namespace edge::test
