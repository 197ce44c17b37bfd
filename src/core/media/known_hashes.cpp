#include "media/known_hashes.h"

#include <map>
#include <mutex>

namespace edge {
namespace {

struct Known {
  std::string stamp, hash;
};

}  // namespace

std::string hashOnce(const ClipInfo& info, const std::string& stamp) {
  static std::mutex mutex;
  static std::map<std::string, Known> known;
  const std::string clip = std::filesystem::absolute(info.path).lexically_normal().string();
  {
    const std::lock_guard lock(mutex);
    const auto at = known.find(clip);
    if (at != known.end() && at->second.stamp == stamp) return at->second.hash;
  }
  const std::string hash = hashClip(info);
  const std::lock_guard lock(mutex);
  known[clip] = {stamp, hash};
  return hash;
}

}  // namespace edge
