// The highest codes of an area, channel by channel: whether its pixels pile up on one value there, and
// whether those that do stand still while the ones just below them move. Both together are the end of a
// channel (docs/method.md, "Where a channel ends").
#pragma once
#include <vector>

namespace edge {

// Of one channel. Shares 0..1 of the area's pixels.
struct AreaTop {
  double code = 0;     // the value with most pixels among the highest
  double excess = 0;   // on it, beyond what the density of the codes below leads one to expect
  bool piled = false;  // the excess is more than chance
  double noise = 0;    // sd of a pixel's mean over the frames just below it, in ten-bit codes
  bool still = false;  // pixels on it change from frame to frame far less than those below do
};

// codes: by pixel, mean over the frames; variances: of its codes from frame to frame (empty: one frame).
// Of fewer than 200 pixels nothing is told.
[[nodiscard]] AreaTop topOf(const std::vector<float>& codes, const std::vector<float>& variances,
                            double frames);

}  // namespace edge
