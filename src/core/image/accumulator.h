// Streaming statistics of one channel of one rectangle over the frames of a clip: one pass, bounded memory,
// all sums needed for temporal noise, the three-way split and the correlation of the noise (docs/method.md,
// "Noise of a patch").
#pragma once
#include <vector>

namespace edge {

inline constexpr int kTimeLags = 4;

// Sums of squares of the three-way layout frame (t) x row (v) x column (h), after each frame's mean is
// removed.
struct NoiseSums {
  int frames = 0, rows = 0, columns = 0;
  double level = 0;                        // mean over frames of the frame means, without defect pixels
  double frameMeanSquares = 0;             // sum over t of (frame mean - level)^2
  double total = 0;                        // sum of y^2, y = value - frame mean
  double pixelMeans = 0;                   // sum over pixels of (sum over t of y)^2 / N
  double rowFrames = 0;                    // sum over t, v of (row mean of y)^2, times columns
  double columnFrames = 0;                 // sum over t, h of (column mean of y)^2, times rows
  double plainRows = 0, plainColumns = 0;  // sums of squares of the mean frame's rows and columns
  double fixedRows = 0, fixedColumns = 0,
         fixedPixels = 0;      // sums of squares of the mean frame, polynomial removed
  double spatialResidual = 0;  // sum of squares of the mean frame, polynomial removed (one-frame noise)
  // y without defect pixels, those beyond kDefectSds of the first frame's own sd.
  double plainCount = 0, plainSum = 0, plainSquares = 0, plainCubes = 0;
  // Of differences of neighbouring frames, likewise without defects: shows noise that was cut or cored.
  double changeCount = 0, changeSquares = 0, changeFourths = 0;
  double changeDefects = 0;  // differences set apart
  // Of differences of neighbours along a row within a frame, likewise: shows filters that are not linear.
  double edgeCount = 0, edgeSquares = 0, edgeFourths = 0;
  // By lag 1 to kTimeLags, by first frame t: mean square of y(t + lag) - y(t).
  std::vector<double> changeByLag[kTimeLags];
};
inline constexpr double kDefectSds = 6;

// Autocovariance of the temporal residual (differences of neighbouring frames, the frame's mean removed) at
// dx 0..kLagReach and dy -kLagReach..kLagReach, as sums of products and their counts.
inline constexpr int kLagReach = 10;
struct LagSums {
  double product[kLagReach + 1][2 * kLagReach + 1] = {};
  double count[kLagReach + 1][2 * kLagReach + 1] = {};
  int columns = 0, rows = 0;          // of the smallest rectangle
  int areaColumns = 0, areaRows = 0;  // of the smallest area whose mean was taken off

  void add(const LagSums& other);
  void scale(double factor);
  [[nodiscard]] double at(int dx, int dy) const {
    return product[dx][dy + kLagReach] / count[dx][dy + kLagReach];
  }
  [[nodiscard]] bool empty() const { return count[0][kLagReach] == 0; }
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
  void addPlain(const std::vector<float>& y);
  void addChanges(const std::vector<float>& y);
  void addEdges(const std::vector<float>& y);
  [[nodiscard]] int lagPairs() const;
  void addLags(const std::vector<float>& y);
  void finishFixed(NoiseSums& s) const;

  int width_, height_, frames_ = 0;
  double reference_ = 0, meanSum_ = 0, meanSquares_ = 0, total_ = 0, rowSquares_ = 0, columnSquares_ = 0;
  float plainLimit_ = 0, changeLimit_ = 0, edgeLimit_ = 0;  // beyond it a value is a defect
  NoiseSums sums_;                                          // the parts that need no finishing
  std::vector<float> sum_, work_;
  std::vector<float> previous_[kTimeLags];  // the frames before, newest first
  LagSums lags_;
};

}  // namespace edge
