// The shape of noise in the block transforms that codecs quantise in (docs/method.md, "Lossy codecs").
#pragma once
#include <vector>

namespace edge {

// Moments of coefficients about nought, each by its own size: E c^4 / (E c^2)^2 and E |c| / sqrt(E c^2).
// Gaussian noise, white or filtered: 3 and sqrt(2/pi).
struct CoefficientMoments {
  double kurtosis = 0, absolute = 0;  // 0: not seen
  double sigma = 0;                   // of `absolute`, where the noise is Gaussian
};

// DCT-II coefficients of one rectangle over the frames of a clip, in blocks of 4, 8 and 16 samples aligned to
// the picture as codecs align theirs.
class CoefficientShape {
 public:
  // x, y: place of the rectangle's first sample in the picture.
  CoefficientShape(int x, int y, int width, int height);

  void add(const float* values, size_t count);  // width * height samples of the next frame
  // Of the size at which least is left between nought and the large ones: the codec's own.
  [[nodiscard]] CoefficientMoments moments() const;

 private:
  struct Size {
    int side = 0, x = 0, y = 0, across = 0, down = 0;
    std::vector<float> basis;  // side x side, a row for each coefficient
    // By coefficient; the first row and column, where shading lies, are left out.
    std::vector<double> sums, squares, fourths;
    double count = 0;  // blocks
    [[nodiscard]] CoefficientMoments moments() const;
  };
  void addBlock(Size& s, const float* block);

  int width_;
  float spread_ = 0;  // sd of this frame's samples
  std::vector<Size> sizes_;
  std::vector<float> half_, out_;
};

}  // namespace edge
