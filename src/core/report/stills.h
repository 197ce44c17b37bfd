// Pictures that go into a report: base, and at both edges the last good take and the first bad one, as shot
// and brought back. Which ones, not how they look.
#pragma once
#include "report/review_pool.h"

namespace edge {

struct Still {
  std::int64_t configuration = 0;
  Shown shown;
  std::string identity;     // burnt in: body, mode, ISO, take, and what it stands for
  std::vector<Point> face;  // corners of the first face, 0..1 of the frame; empty: none was marked
};
[[nodiscard]] std::vector<Still> stillsOf(const Finding& finding, const std::filesystem::path& folder);

// Luma SNR of every step of the wedge, where it is known: stops from grey and log2 SNR, brightest last.
[[nodiscard]] std::vector<std::pair<double, double>> snrCurve(const Finding& finding);

}  // namespace edge
