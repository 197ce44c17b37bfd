#include "library/library.h"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <cstdlib>
#include <map>

#include "base/csv.h"
#include "base/error.h"
#include "base/files.h"
#include "base/hash.h"
#include "base/numbers.h"
#include "base/parallel.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

constexpr const char* kFormat = "edge-test-library-index";
constexpr int kIndexVersion = 4;
constexpr std::uintmax_t kMostIndexBytes = 1u << 30;

// Of the file and of the journal beside it, which holds what was written last.
std::string stampOf(const fs::path& file) {
  std::string s = methodVersion();
  for (const char* end : {"", "-wal"}) {
    std::error_code ec;
    const auto size = fs::file_size(file.string() + end, ec);
    if (ec) continue;
    s += fmt::format(" {} {}", size, fs::last_write_time(file.string() + end, ec).time_since_epoch().count());
  }
  return s;
}

// Names that are no UTF-8 can't be written to the index nor shown.
bool isUtf8(const std::string& s) {
  try {
    (void)json(s).dump();
    return true;
  } catch (const json::exception&) {
    return false;
  }
}

class Finder {
 public:
  explicit Finder(Library& library) : library_(library) {}

  void look(const fs::path& folder, int depth) {
    std::error_code ec;
    std::vector<fs::directory_entry> entries;
    for (fs::directory_iterator it(folder, ec), end; !ec && it != end; it.increment(ec))
      entries.push_back(*it);
    if (ec) return note(folder, "can't be read");
    std::sort(entries.begin(), entries.end());
    for (const auto& e : entries) {
      const std::string name = e.path().filename().string();
      if (name.starts_with(".") || e.is_symlink(ec)) continue;
      if (e.is_directory(ec)) {
        if (depth == kDeepest)
          note(e.path(), "lies too deep");
        else
          look(e.path(), depth + 1);
      } else if (e.path().extension() == ".edgetest" && e.is_regular_file(ec)) {
        add(e.path());
      }
    }
  }

 private:
  void add(const fs::path& file) {
    if (!isUtf8(file.string()))
      return note(file.parent_path(), "holds a project whose name is no UTF-8: rename it");
    if (library_.projects.size() == kMostProjects) {
      if (!full_) note(file, fmt::format("and others left out: more than {} projects", kMostProjects));
      full_ = true;
      return;
    }
    LibraryProject p;
    p.file = fs::relative(file, library_.folder).generic_string();
    p.stamp = stampOf(file);
    library_.projects.push_back(std::move(p));
  }
  void note(const fs::path& where, const std::string& words) {
    const std::string path = where.string();
    library_.notes.push_back((isUtf8(path) ? path : "a folder whose name is no UTF-8") + " " + words);
  }

  Library& library_;
  bool full_ = false;
};

json toJson(const LibraryProject& p) {
  json tested = json::array();
  for (const auto& t : p.tested) tested.push_back(toJson(t));
  return {{"file", p.file}, {"stamp", p.stamp},     {"title", p.title}, {"id", p.id},
          {"date", p.date}, {"problem", p.problem}, {"tested", tested}};
}

// All of it, or its problem alone.
LibraryProject readOne(const LibraryProject& found, const fs::path& folder) {
  LibraryProject p = found;
  try {
    const auto project = Project::read(folder / p.file);
    p.title = project->title(), p.id = project->id();
    p.tested = testedOf(*project, p.file);
    if (!p.tested.empty()) p.date = p.tested[0].date;
    (void)toJson(p).dump();  // texts that are no UTF-8 show here
    return p;
  } catch (const Error& e) {
    p.problem = e.problem();
  } catch (const std::exception& e) {
    p.problem = std::string("it holds what can't be read: ") + e.what();
  }
  LibraryProject failed = found;
  failed.problem = isUtf8(p.problem) ? p.problem : "it holds what can't be read";
  return failed;
}

std::map<std::string, LibraryProject> readIndex(const fs::path& index) {
  std::map<std::string, LibraryProject> known;
  std::error_code ec;
  if (index.empty() || !fs::exists(index, ec)) return known;
  try {
    const json j = json::parse(readText(index, kMostIndexBytes));
    if (j.at("format") != kFormat || j.at("version") != kIndexVersion) return known;
    for (const auto& e : j.at("projects")) {
      LibraryProject p;
      p.file = e.at("file"), p.stamp = e.at("stamp"), p.title = e.at("title"), p.id = e.at("id");
      p.date = e.at("date"), p.problem = e.at("problem");
      for (const auto& t : e.at("tested")) p.tested.push_back(testedFromJson(t));
      known.emplace(p.file, std::move(p));
    }
  } catch (const std::exception&) {
    known.clear();  // it is made again from the projects
  }
  return known;
}

void writeIndex(const fs::path& index, const Library& library) {
  if (index.empty()) return;
  json projects = json::array();
  for (const auto& p : library.projects) projects.push_back(toJson(p));
  try {
    fs::create_directories(index.parent_path());
    writeFileAtomically(index,
                        json{{"format", kFormat}, {"version", kIndexVersion}, {"projects", projects}}.dump());
  } catch (const std::exception&) {
    return;  // a full or forbidden cache costs the next start its time, nothing else
  }
}

}  // namespace

fs::path indexOf(const fs::path& folder) {
  const char* cache = std::getenv("XDG_CACHE_HOME");
  const char* home = std::getenv("HOME");
  const fs::path base = cache && *cache ? fs::path(cache)
                        : home && *home ? fs::path(home) / ".cache"
                                        : fs::path();
  if (base.empty()) return {};
  const std::string key = hashBytes(fs::absolute(folder).lexically_normal().string()).substr(0, 16);
  return base / "edge-test" / ("library-" + key + ".json");
}

Library readLibrary(const fs::path& folder, const fs::path& index, bool rebuild, const Progress& progress) {
  Library library;
  library.folder = fs::absolute(folder).lexically_normal();
  std::error_code ec;
  if (!fs::is_directory(library.folder, ec))
    throw Error("no such folder", folder.string(), "", "choose the folder your projects lie in");
  Finder(library).look(library.folder, 0);
  auto known = rebuild ? std::map<std::string, LibraryProject>() : readIndex(index);
  std::vector<size_t> anew;
  for (size_t i = 0; i < library.projects.size(); ++i) {
    LibraryProject& p = library.projects[i];
    const auto at = known.find(p.file);
    if (at != known.end() && at->second.stamp == p.stamp)
      p = std::move(at->second);
    else
      anew.push_back(i);
  }
  std::atomic<size_t> done = 0;
  parallelFor(static_cast<int>(anew.size()), [&](int i) {
    progress.throwIfCancelled();
    LibraryProject& p = library.projects[anew[static_cast<size_t>(i)]];
    p = readOne(p, library.folder);
    progress.report(static_cast<double>(++done) / static_cast<double>(anew.size()), p.file);
  });
  library.readAnew = anew.size();
  if (!anew.empty() || known.size() != library.projects.size()) writeIndex(index, library);
  return library;
}

namespace {

// Somewhere in the text; a number as a whole one: 500 is not in 2500.
bool standsIn(const std::string& text, const std::string& word) {
  const auto digit = [](char c) { return c >= '0' && c <= '9'; };
  const bool number = std::all_of(word.begin(), word.end(), digit);
  for (size_t at = text.find(word); at != std::string::npos; at = text.find(word, at + 1)) {
    const bool inside =
        (at > 0 && digit(text[at - 1])) || (at + word.size() < text.size() && digit(text[at + word.size()]));
    if (!number || !inside) return true;
  }
  return false;
}

}  // namespace

std::vector<LibraryRow> searchLibrary(const Library& library, const std::string& words) {
  const auto wanted = splitWords(lower(words));
  const auto holds = [&](const std::string& text) {
    const std::string all = lower(text);
    return std::all_of(wanted.begin(), wanted.end(), [&](const auto& w) { return standsIn(all, w); });
  };
  std::vector<LibraryRow> rows;
  for (size_t i = 0; i < library.projects.size(); ++i) {
    const LibraryProject& p = library.projects[i];
    const std::string head = p.title + " " + p.file + " " + p.date + " ";
    if (p.tested.empty() && holds(head + p.problem)) rows.push_back({i, std::nullopt});
    for (size_t k = 0; k < p.tested.size(); ++k)
      if (holds(head + p.tested[k].label())) rows.push_back({i, k});
  }
  std::stable_sort(rows.begin(), rows.end(), [&](const LibraryRow& a, const LibraryRow& b) {
    return library.projects[a.project].date > library.projects[b.project].date;
  });
  return rows;
}

std::string libraryCsv(const Library& library, const std::vector<LibraryRow>& rows) {
  std::vector<std::string> head = {"tested", "project", "file", "body", "mode", "iso", "light"};
  for (const auto& f : testedFigures()) head.insert(head.end(), {f.key, std::string(f.key) + "_sigma"});
  head.insert(head.end(), {"fits", "problem"});
  std::string s = csvLine(head);
  for (const auto& row : rows) {
    const LibraryProject& p = library.projects[row.project];
    const Tested t = row.tested ? p.tested[*row.tested] : Tested();
    std::vector<std::string> line = {
        p.date, p.title, p.file, t.body, t.mode, t.iso > 0 ? formatNumber(t.iso, 0) : "", t.light};
    for (const auto& f : testedFigures()) {
      const auto& l = t[f.id];
      line.push_back(l ? (l->atLeast ? ">=" : "") + formatNumber(l->stops, 3) : "");
      line.push_back(l && !l->atLeast ? formatNumber(l->sigma, 3) : "");
    }
    line.insert(line.end(), {row.tested ? (t.fits ? "yes" : "no") : "", p.problem});
    s += csvLine(line);
  }
  return s;
}

}  // namespace edge
