// Which files make up a clip of stills.
#pragma once
#include <filesystem>
#include <vector>

namespace edge {

// The frames of a folder, of a printf pattern ("a.%04d.exr") or one file, in order.
// Errors: none found, a gap in numbering (names the missing number), two sequences in one folder, mixed
// kinds.
[[nodiscard]] std::vector<std::filesystem::path> framesOf(const std::filesystem::path& clip);

// The clips of stills that lie in a folder itself: runs of numbered frames and single ones. A run that is
// alone there is named by the folder, others by their printf pattern. A folder that may not be read has none.
// Errors: the folder can't be listed for another reason.
[[nodiscard]] std::vector<std::filesystem::path> runsIn(const std::filesystem::path& folder);

}  // namespace edge
