// A folder of project files is the library: no server, no file of ours among them. What was read of each
// project is kept in an index that can be thrown away at any time; a project is read again when its size or
// time changed. Somebody else's projects are read, never opened: Project::read.
#pragma once
#include <filesystem>

#include "library/tested.h"

namespace edge {

struct LibraryProject {
  std::string file;   // from the library's folder
  std::string stamp;  // size and time it was read at
  std::string title, id, date;
  std::string problem;  // why nothing could be read of it; empty: it could
  std::vector<Tested> tested;
};

struct Library {
  std::filesystem::path folder;
  std::vector<LibraryProject> projects;  // by file
  std::vector<std::string> notes;        // what was left out of the search for files, and why
  size_t readAnew = 0;                   // projects that were not taken from the index
};

inline constexpr size_t kMostProjects = 20000;
inline constexpr int kDeepest = 8;  // folders below the library's

// Links are not followed, hidden folders are left out. `index`: read and written; empty: none is kept.
// rebuild: it is not read. Errors: the folder can't be read. A damaged index is as none.
[[nodiscard]] Library readLibrary(const std::filesystem::path& folder, const std::filesystem::path& index,
                                  bool rebuild, const Progress& progress);
// Where the index of a folder is kept: the user's cache.
[[nodiscard]] std::filesystem::path indexOf(const std::filesystem::path& folder);

struct LibraryRow {
  size_t project = 0;
  std::optional<size_t> tested;  // nothing: a project without a configuration, or one that can't be read
  friend bool operator==(const LibraryRow&, const LibraryRow&) = default;
};
// Rows in which every word stands, in title, file, body, mode, ISO, light or date, any case; newest first.
[[nodiscard]] std::vector<LibraryRow> searchLibrary(const Library& library, const std::string& words);
// RFC 4180, figures in stops.
[[nodiscard]] std::string libraryCsv(const Library& library, const std::vector<LibraryRow>& rows);

}  // namespace edge
