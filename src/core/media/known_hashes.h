// Hashes of clips that this process has read already: computed again when a file's size or time is another.
#pragma once
#include <string>

#include "media/clip.h"

namespace edge {

// stamp: of stampOf, taken before. From any thread.
[[nodiscard]] std::string hashOnce(const ClipInfo& info, const std::string& stamp);

}  // namespace edge
