#include "match/clip_facts.h"

#include <algorithm>
#include <chrono>

#include "base/error.h"
#include "base/files.h"
#include "base/hash.h"
#include "base/numbers.h"
#include "media/formats.h"
#include "media/known_hashes.h"
#include "media/sequence.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

constexpr int kDeep = 6;  // folders below the given one
std::int64_t secondsOf(fs::file_time_type t) {
  return std::chrono::duration_cast<std::chrono::seconds>(
             std::chrono::file_clock::to_sys(t).time_since_epoch())
      .count();
}

// Links to elsewhere are not followed.
void addBelow(const fs::path& folder, int depth, std::vector<fs::path>& out) {
  for (auto& clip : runsIn(folder)) out.push_back(std::move(clip));
  std::error_code ec;
  for (fs::directory_iterator i(folder, fs::directory_options::skip_permission_denied, ec);
       !ec && i != fs::directory_iterator() && out.size() <= kClipsLimit; i.increment(ec)) {
    const std::string name = i->path().filename().string();
    std::error_code each;
    if (name.empty() || name[0] == '.' || i->is_symlink(each)) continue;
    if (i->is_directory(each)) {
      if (depth < kDeep) addBelow(i->path(), depth + 1, out);
      continue;
    }
    const ClipFormat* format = clipFormatOf(i->path());
    if (format && !format->readStill && i->is_regular_file(each)) out.push_back(i->path());
  }
}

std::optional<double> numberIn(const std::map<std::string, std::string>& metadata,
                               std::initializer_list<const char*> keys) {
  for (const auto& [key, value] : metadata)
    for (const char* wanted : keys)
      if (lower(key) == wanted)
        if (const auto v = parseNumber(value); v && *v > 0) return v;
  return std::nullopt;
}

}  // namespace

std::vector<fs::path> clipsIn(const fs::path& folder) {
  std::error_code ec;
  if (!fs::is_directory(folder, ec))
    throw Error("there is no such folder", folder.string(), "",
                "choose the folder that the cards were copied to");
  std::vector<fs::path> out;
  addBelow(folder, 0, out);
  std::sort(out.begin(), out.end());
  if (out.size() > kClipsLimit)
    throw Error(std::to_string(out.size()) + " clips are more than are looked at together", folder.string(),
                "", "choose a folder of one shooting day");
  return out;
}

std::uintmax_t bytesOf(const fs::path& clip) {
  std::error_code ec;
  if (fs::is_regular_file(clip, ec)) {
    const auto bytes = fs::file_size(clip, ec);
    return ec ? 0 : bytes;
  }
  std::uintmax_t sum = 0;
  const bool pattern = clip.filename().string().find('%') != std::string::npos;
  const fs::path folder = pattern && !fs::is_directory(clip, ec) ? clip.parent_path() : clip;
  for (fs::directory_iterator i(folder, ec); !ec && i != fs::directory_iterator(); i.increment(ec)) {
    std::error_code each;
    if (const auto bytes = i->file_size(each); !each) sum += bytes;
  }
  return sum;
}

std::optional<double> isoOf(const ClipInfo& info) {
  return numberIn(info.metadata, {"iso", "exif:photographicsensitivity", "exif:isospeedratings", "isospeed"});
}

std::string cameraOf(const ClipInfo& info) {
  for (const char* wanted : {"model", "exif:model", "cameramodel", "camera model", "camera"})
    for (const auto& [key, value] : info.metadata)
      if (lower(key) == wanted && !trim(value).empty()) return trim(value);
  return {};
}

ClipFacts readFacts(const fs::path& clip, const Progress& progress) {
  ClipFacts f;
  f.path = clip;
  try {
    const auto reader = openClip(clip);
    const ClipInfo info = reader->info();
    f.kind = info.kind, f.pixels = info.pixelFormatName, f.width = info.format.width,
    f.height = info.format.height;
    f.format = info.format;
    f.bits = info.format.bitDepth, f.mosaic = info.format.layout == Layout::Cfa, f.fps = info.fps,
    f.frames = info.frames;
    f.iso = isoOf(info);
    f.model = cameraOf(info);
    f.fNumber = numberIn(info.metadata, {"fnumber", "exif:fnumber", "aperture", "tstop"});
    f.shutterSeconds = numberIn(info.metadata, {"exposuretime", "exif:exposuretime"});
    for (const auto& [key, value] : info.metadata) {
      if (!f.noted) f.noted = parseSlate(trim(value));
    }
    std::error_code ec;
    for (const auto& file : info.files)
      if (const auto t = fs::last_write_time(file, ec); !ec) f.modified = std::max(f.modified, secondsOf(t));
    const std::string before = stampOf(info);
    f.hash = hashOnce(info, before);
    f.slate = findSlate(*reader, kSlateSeconds, progress);
    // One that grows has a hash of one moment and pictures of another.
    if (stampOf(info) != before)
      throw Error("the clip is still being written", clip.string(), "",
                  "wait until it is copied, then look again");
  } catch (const Error& e) {
    f = {};
    f.path = clip, f.problem = e.problem(), f.remedy = e.remedy();
  }
  return f;
}

std::string manifestOf(const std::vector<fs::path>& clips, const fs::path& folder, const Progress& progress) {
  std::string out;
  for (size_t i = 0; i < clips.size(); ++i) {
    progress.report(static_cast<double>(i) / static_cast<double>(clips.size()), clips[i].filename().string());
    const auto reader = openClip(clips[i]);
    for (const auto& file : reader->info().files)
      out += hashFile(file) + "  " + fs::relative(file, folder).generic_string() + "\n";
  }
  return out;
}

}  // namespace edge
