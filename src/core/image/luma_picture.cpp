#include "image/luma_picture.h"

#include <algorithm>

#include "base/parallel.h"

namespace edge {

LumaMean::LumaMean(const Decoder& decoder, int maxSide)
    : decoder_(decoder), weights_(lumaWeights(decoder.primaries())) {
  const int w = decoder.developedWidth(), h = decoder.developedHeight();
  block_ = std::max(1, (std::max(w, h) + maxSide - 1) / maxSide);
  width_ = w / block_, height_ = h / block_;
  reduction_ = static_cast<double>(block_) * decoder.format().width / w;
  for (auto& s : sum_) s.assign(static_cast<size_t>(width_) * height_, 0);
}

void LumaMean::add(const Frame& frame) {
  const int which = (count_[0] + count_[1]) & 1;
  ++count_[which];
  const int wide = width_ * block_;
  const float share = 1.0F / static_cast<float>(block_ * block_);
  const auto r = static_cast<float>(weights_[0]) * share, g = static_cast<float>(weights_[1]) * share,
             b = static_cast<float>(weights_[2]) * share;
  parallelFor(height_, [&](int y) {
    std::vector<float> row(3 * static_cast<size_t>(wide));
    float* out = sum_[which].data() + static_cast<size_t>(y) * width_;
    for (int j = 0; j < block_; ++j) {
      decoder_.readRow(frame, y * block_ + j, 0, wide, row.data(), nullptr, false);
      const float* p = row.data();
      for (int x = 0; x < width_; ++x)
        for (int i = 0; i < block_; ++i, p += 3) out[x] += r * p[0] + g * p[1] + b * p[2];
    }
  });
}

LumaPicture LumaMean::scaledBy(double f0, double f1) const {
  LumaPicture p{width_, height_, std::vector<float>(sum_[0].size())};
  for (size_t i = 0; i < p.luma.size(); ++i)
    p.luma[i] = static_cast<float>(f0 * sum_[0][i] + f1 * sum_[1][i]);
  return p;
}

LumaPicture LumaMean::mean() const {
  const double f = 1.0 / std::max(1, count_[0] + count_[1]);
  return scaledBy(f, f);
}

LumaPicture LumaMean::half(int which) const {
  if (count_[which] == 0) return {};
  return which == 0 ? scaledBy(1.0 / count_[0], 0) : scaledBy(0, 1.0 / count_[1]);
}

}  // namespace edge
