#include "media/sequence.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <optional>

#include "base/error.h"
#include "base/files.h"
#include "media/formats.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

constexpr size_t kMaxFrames = 1'000'000;

struct Numbered {
  std::string head, tail;  // around the last run of digits
  long number = -1;
  size_t digits = 0;
};

std::optional<Numbered> splitNumber(const std::string& name) {
  const auto dot = name.find_last_of('.');
  size_t end = dot;
  while (end > 0 && !std::isdigit(static_cast<unsigned char>(name[end - 1]))) --end;
  size_t begin = end;
  while (begin > 0 && std::isdigit(static_cast<unsigned char>(name[begin - 1]))) --begin;
  if (begin == end || end - begin > 12) return std::nullopt;
  return Numbered{name.substr(0, begin), name.substr(end), std::stol(name.substr(begin, end - begin)),
                  end - begin};
}

using Series = std::map<std::pair<std::string, std::string>, std::map<long, fs::path>>;

std::vector<fs::path> inOrder(const fs::path& clip, const std::map<long, fs::path>& frames) {
  std::vector<fs::path> files;
  long expected = frames.begin()->first;
  for (const auto& [number, file] : frames) {
    if (number != expected)
      throw Error(
          fmt::format("frame {} is missing", expected), clip.string(),
          fmt::format("between {} and {}", expected - 1, number),
          "copy the missing frames, or measure the parts with --first and --frames from separate folders");
    files.push_back(file);
    ++expected;
  }
  return files;
}

std::vector<fs::path> framesOfFolder(const fs::path& folder) {
  Series series;
  std::vector<fs::path> single;
  std::error_code ec;
  size_t seen = 0;
  for (const auto& entry : fs::directory_iterator(folder, ec)) {
    const std::string name = entry.path().filename().string();
    if (name.front() == '.' || !isStill(entry.path())) continue;
    if (++seen > kMaxFrames)
      throw Error("too many files in one folder", folder.string(), "", "split the clip");
    if (const auto n = splitNumber(name))
      series[{n->head, n->tail}][n->number] = entry.path();
    else
      single.push_back(entry.path());
  }
  if (ec) throw Error("can't list the folder: " + ec.message(), folder.string(), "", "allow reading it");
  if (series.empty() && single.empty())
    throw Error("no frames in this folder", folder.string(), "",
                "name a folder with OpenEXR, TIFF, DPX, PNG or DNG frames, or a movie file");
  if (series.size() + single.size() > 1) {
    const std::string one = series.empty() ? single[0].filename().string()
                                           : series.begin()->second.begin()->second.filename().string();
    const std::string two = !single.empty()
                                ? single.back().filename().string()
                                : std::next(series.begin())->second.begin()->second.filename().string();
    throw Error("more than one clip in this folder", folder.string(), one + " and " + two,
                "give the clip as a pattern such as \"name.%04d.exr\"");
  }
  return series.empty() ? single : inOrder(folder, series.begin()->second);
}

std::vector<fs::path> framesOfPattern(const fs::path& pattern) {
  const std::string name = pattern.filename().string();
  const auto percent = name.find('%');
  size_t end = percent + 1;
  while (end < name.size() && std::isdigit(static_cast<unsigned char>(name[end]))) ++end;
  if (end >= name.size() || name[end] != 'd' || name.find('%', end) != std::string::npos)
    throw Error("the pattern can't be read", pattern.string(), "", "use one %d or %04d");
  const std::string head = name.substr(0, percent), tail = name.substr(end + 1);
  const std::string width = name.substr(percent + 1, end - percent - 1);
  const size_t digits = width.empty() ? 0 : std::min<size_t>(12, std::stoul(width.substr(0, 3)));
  const fs::path folder = pattern.has_parent_path() ? pattern.parent_path() : fs::path(".");
  std::map<long, fs::path> frames;
  std::error_code ec;
  for (const auto& entry : fs::directory_iterator(folder, ec)) {
    const std::string f = entry.path().filename().string();
    if (f.size() <= head.size() + tail.size() || f.rfind(head, 0) != 0) continue;
    if (f.substr(f.size() - tail.size()) != tail) continue;
    const std::string middle = f.substr(head.size(), f.size() - head.size() - tail.size());
    if (middle.size() < digits || middle.size() > 12 || !std::all_of(middle.begin(), middle.end(), ::isdigit))
      continue;
    frames[std::stol(middle)] = entry.path();
  }
  if (frames.empty()) throw Error("no file fits the pattern", pattern.string(), "", "check folder and name");
  return inOrder(pattern, frames);
}

}  // namespace

std::vector<fs::path> framesOf(const fs::path& clip) {
  std::error_code ec;
  if (fs::is_directory(clip, ec)) return framesOfFolder(clip);
  if (!fs::exists(clip, ec) && clip.filename().string().find('%') != std::string::npos)
    return framesOfPattern(clip);
  requireReadable(clip);
  return {clip};
}

std::vector<fs::path> runsIn(const fs::path& folder) {
  // A number of one or two digits is more often a name (p1, p2) than a frame's.
  constexpr size_t kFrameDigits = 3, kLongRun = 8;
  struct Run {
    size_t digits = 12;
    std::vector<fs::path> files;
  };
  std::map<std::pair<std::string, std::string>, Run> runs;
  std::vector<fs::path> out;
  std::error_code ec;
  size_t seen = 0;
  for (auto i = fs::directory_iterator(folder, fs::directory_options::skip_permission_denied, ec);
       !ec && i != fs::directory_iterator(); i.increment(ec)) {
    const fs::path& file = i->path();
    const std::string name = file.filename().string();
    std::error_code each;
    if (name.front() == '.' || !isStill(file) || i->is_symlink(each)) continue;
    if (++seen > kMaxFrames)
      throw Error("too many files in one folder", folder.string(), "", "split the clip");
    const auto n = splitNumber(name);
    if (!n || n->head.find('%') != std::string::npos) {
      out.push_back(file);
      continue;
    }
    Run& run = runs[{n->head, n->tail}];
    run.digits = std::min(run.digits, n->digits);
    run.files.push_back(file);
  }
  if (ec) throw Error("can't list the folder: " + ec.message(), folder.string(), "", "allow reading it");
  for (auto& [around, run] : runs) {
    const bool numbered =
        run.files.size() > 1 && (run.digits >= kFrameDigits || run.files.size() >= kLongRun);
    if (!numbered)
      out.insert(out.end(), run.files.begin(), run.files.end());
    else if (runs.size() == 1 && out.empty())
      out.push_back(folder);
    else
      out.push_back(folder / fmt::format("{}%0{}d{}", around.first, run.digits, around.second));
  }
  std::sort(out.begin(), out.end());
  return out;
}

}  // namespace edge
