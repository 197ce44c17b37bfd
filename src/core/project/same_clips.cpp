#include "project/same_clips.h"

#include "media/known_hashes.h"

namespace fs = std::filesystem;

namespace edge {
SameClips::SameClips(const std::vector<ClipRecord>& clips, const fs::path& folder, const Progress& progress) {
  for (const auto& c : clips) {
    if (c.hash.empty()) continue;  // of a project that kept none
    progress.throwIfCancelled();
    const fs::path clip = folder / c.path;
    ClipInfo info = openClip(clip)->info();
    std::string stamp = stampOf(info);
    if (hashOnce(info, stamp) != c.hash)
      throw ClipChanged("the clip is not the one that was linked: its content changed", clip.string(), c.name,
                        "restore the original, or link it again in Match; nothing measured of it was stored");
    stamps_.emplace_back(std::move(info), std::move(stamp));
  }
}

void SameClips::stillSame() const {
  for (const auto& [info, stamp] : stamps_)
    if (stampOf(info) != stamp)
      throw ClipChanged("the clip changed while it was measured", info.path.string(), "",
                        "measure again once it is copied");
}

}  // namespace edge
