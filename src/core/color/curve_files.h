// Curves kept in files: .csv (header "linear,code"), 1D .cube and .spi1d and .clf (code to linear), .json
// parameters.
#pragma once
#include <filesystem>
#include <memory>

#include "color/curve.h"

namespace edge {

// Errors: missing, not a curve file, not rising, not finite, fewer than two rows, three different channels.
[[nodiscard]] std::shared_ptr<const Curve> readCurveFile(const std::filesystem::path& file);

// A transform that the installed colour library brings itself, by its name there.
[[nodiscard]] std::shared_ptr<const Curve> readLibraryCurve(const std::string& name);

}  // namespace edge
