// The corrections of a bracket as files for a grading room: one a take and branch, log code in and out
// (docs/formats.md, "Corrections").
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "recover/latitude.h"

namespace edge {

enum class CorrectionFormat { Cdl, Clf, Cube };

struct CorrectionFiles {
  std::vector<std::filesystem::path> written;
  std::vector<Warning> warnings;  // corrections that the format can't carry
};
// "m3-exposure.cdl", whatever the take is called.
[[nodiscard]] std::string correctionFileName(const std::string& take, Branch branch, CorrectionFormat format);

// Makes the folder. Takes without a measured offset have no correction. `logEncoding`: of logEncodingOf, as
// it can be read now: the measure remembers where it was read then. Takes whose names give one file name
// count on. CDL: also one collection of all, corrections.ccc. What is no slope and offset on this encoding
// within half a ten-bit code is not written as CDL, and said.
[[nodiscard]] CorrectionFiles writeCorrections(const std::filesystem::path& folder, CorrectionFormat format,
                                               const LatitudeMeasure& measure,
                                               const std::string& logEncoding);

}  // namespace edge
