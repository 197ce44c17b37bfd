// What is measured must be what was linked. Clips are hashed when they are read, once as long as no file of
// theirs changes its size or time; another content is said and never stored as the result of what was linked.
#pragma once
#include "base/error.h"
#include "media/clip.h"
#include "project/project.h"

namespace edge {

class ClipChanged : public Error {
 public:
  using Error::Error;
};

class SameClips {
 public:
  // Throws ClipChanged where a clip is not the one that its record names; Error where it can't be opened.
  SameClips(const std::vector<ClipRecord>& clips, const std::filesystem::path& folder,
            const Progress& progress);
  // Throws ClipChanged where a file changed since.
  void stillSame() const;

 private:
  std::vector<std::pair<ClipInfo, std::string>> stamps_;
};

}  // namespace edge
