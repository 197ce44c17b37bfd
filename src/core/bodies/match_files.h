// The match of two bodies as files for a grading room: log code of B in and out (docs/formats.md,
// "Corrections").
#pragma once
#include <filesystem>
#include <vector>

#include "bodies/two_bodies.h"
#include "recover/correction_files.h"

namespace edge {

// Makes the folder. CDL and CLF hold the CDL; .cube holds the matrix ("b-to-a-matrix.cube") and the CDL
// ("b-to-a-cdl.cube"). What could not be solved is not written.
[[nodiscard]] std::vector<std::filesystem::path> writeMatch(const std::filesystem::path& folder,
                                                            CorrectionFormat format, const TwoBodies& bodies);

}  // namespace edge
