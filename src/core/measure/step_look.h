// One step of a wedge to look at: its histogram in codes and its noise as a picture.
#pragma once
#include "measure/wedge.h"

namespace edge {

struct StepHistogram {
  double low = 0, binWidth = 1;  // in codes of the recording, or scene-linear where it has none
  std::vector<double> share;     // of pixels, by bin
};

struct StepLook {
  int width = 0, height = 0;
  double levels = 0;           // codes from 0 to 1; 0: scene-linear
  StepHistogram histogram[3];  // R, G, B
  // Luma of one frame minus the mean of all, in standard deviations: noise that moves; and the mean minus a
  // smooth surface: noise that stands. Row by row.
  std::vector<float> moving, standing;
  double movingSd = 0, standingSd = 0;  // scene-linear
};

// Errors: no such patch; as measureWedge.
[[nodiscard]] StepLook lookAtStep(ClipReader& reader, const DecodeOptions& decode, const Chart& chart,
                                  const std::string& patch, FrameWindow window, const Progress& progress);

}  // namespace edge
