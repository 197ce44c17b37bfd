#include "project/same_clips.h"

#include <map>
#include <mutex>

namespace fs = std::filesystem;

namespace edge {
namespace {

struct Known {
  std::string stamp, hash;
};

// Of this process: a clip is hashed again when its stamp is another.
std::string hashOnce(const fs::path& clip, const ClipInfo& info, const std::string& stamp) {
  static std::mutex mutex;
  static std::map<std::string, Known> known;
  {
    const std::lock_guard lock(mutex);
    const auto at = known.find(clip.string());
    if (at != known.end() && at->second.stamp == stamp) return at->second.hash;
  }
  const std::string hash = hashClip(info);
  const std::lock_guard lock(mutex);
  known[clip.string()] = {stamp, hash};
  return hash;
}

}  // namespace

SameClips::SameClips(const std::vector<ClipRecord>& clips, const fs::path& folder, const Progress& progress) {
  for (const auto& c : clips) {
    if (c.hash.empty()) continue;  // of a project that kept none
    progress.throwIfCancelled();
    const fs::path clip = folder / c.path;
    ClipInfo info = openClip(clip)->info();
    std::string stamp = stampOf(info);
    if (hashOnce(clip, info, stamp) != c.hash)
      throw Error("the clip is not the one that was linked: its content changed", clip.string(), c.name,
                  "restore the original, or link it again in Match; nothing measured of it was stored");
    stamps_.emplace_back(std::move(info), std::move(stamp));
  }
}

void SameClips::stillSame() const {
  for (const auto& [info, stamp] : stamps_)
    if (stampOf(info) != stamp)
      throw Error("the clip changed while it was measured", info.path.string(), "",
                  "measure again once it is copied");
}

}  // namespace edge
