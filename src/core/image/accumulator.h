// Streaming statistics of one channel of one rectangle over the frames of a clip: one pass, bounded memory,
// all sums needed for temporal noise, the three-way split and the correlation of the noise (2-measurement,
// section 2).
#pragma once
#include <vector>

namespace edge {

// Sums of squares of the three-way layout frame (t) x row (v) x column (h), after each frame's mean is
// removed.
struct NoiseSums {
  int frames = 0, rows = 0, columns = 0;
  double level = 0;                        // mean over frames of the frame means
  double frameMeanSquares = 0;             // sum over t of (frame mean - level)^2
  double total = 0;                        // sum of y^2, y = value - frame mean
  double pixelMeans = 0;                   // sum over pixels of (sum over t of y)^2 / N
  double rowFrames = 0;                    // sum over t, v of (row mean of y)^2, times columns
  double columnFrames = 0;                 // sum over t, h of (column mean of y)^2, times rows
  double plainRows = 0, plainColumns = 0;  // sums of squares of the mean frame's rows and columns
  double fixedRows = 0, fixedColumns = 0,
         fixedPixels = 0;      // sums of squares of the mean frame, polynomial removed
  double cube = 0;             // sum of y^3
  double lagTime = 0;          // sum over pixels of the lag-1 products of the temporal residual
  double spatialResidual = 0;  // sum of squares of the mean frame, polynomial removed (one-frame noise)
};

// Autocovariance of the temporal residual (differences of neighbouring frames), row means removed,
// at dx 0..3 and dy -3..3, as sums of products and their counts.
struct LagSums {
  double product[4][7] = {};
  double count[4][7] = {};
  int columns = 0;

  void add(const LagSums& other);
  [[nodiscard]] double at(int dx, int dy) const { return product[dx][dy + 3] / count[dx][dy + 3]; }
  [[nodiscard]] bool empty() const { return count[0][3] == 0; }
};

// A second-order polynomial in x and y, by least squares, taken off: shading is not noise.
void removePolynomial(std::vector<double>& image, int width, int height);

class RegionAccumulator {
 public:
  RegionAccumulator(int width, int height);

  void add(const float* values);  // width * height samples of the next frame
  [[nodiscard]] int frames() const { return frames_; }
  [[nodiscard]] NoiseSums sums() const;
  [[nodiscard]] const LagSums& lags() const { return lags_; }

 private:
  void addRowsAndColumns(const std::vector<float>& y);
  void addLags(const std::vector<float>& y);
  void finishFixed(NoiseSums& s) const;

  int width_, height_, frames_ = 0;
  double reference_ = 0, meanSum_ = 0, meanSquares_ = 0, total_ = 0, cube_ = 0, rowSquares_ = 0,
         columnSquares_ = 0;
  double neighbourProducts_ = 0;
  std::vector<float> sum_, first_, previous_, work_;
  LagSums lags_;
};

}  // namespace edge
