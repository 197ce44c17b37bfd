#include "measure/chroma.h"

#include <algorithm>

namespace edge {

void ChromaStream::add(const std::vector<float>& r, const std::vector<float>& g,
                       const std::vector<float>& b) {
  const size_t n = r.size();
  if (frames_++ == 0)
    for (int k = 0; k < 2; ++k) sum_[k].assign(n, 0), squares_[k].assign(n, 0);
  const double cbScale = 1 / (2 * (1 - weights_[2])), crScale = 1 / (2 * (1 - weights_[0]));
  for (size_t i = 0; i < n; ++i) {
    const double y = weights_[0] * r[i] + weights_[1] * g[i] + weights_[2] * b[i];
    const double c[2] = {(b[i] - y) * cbScale, (r[i] - y) * crScale};
    for (int k = 0; k < 2; ++k) {
      sum_[k][i] += c[k], squares_[k][i] += c[k] * c[k];
      total_[k] += c[k];
    }
  }
}

double ChromaStream::count() const {
  return std::max(1.0, static_cast<double>(frames_) * static_cast<double>(sum_[0].size()));
}

double ChromaStream::variance() const {
  const auto n = static_cast<double>(sum_[0].size());
  double v = 0;
  for (int k = 0; k < 2; ++k) {
    double within = 0, all = 0;
    for (size_t i = 0; i < sum_[k].size(); ++i)
      within += squares_[k][i] - sum_[k][i] * sum_[k][i] / std::max(1, frames_), all += squares_[k][i];
    v +=
        frames_ > 1 ? within / (n * (frames_ - 1)) : (all - total_[k] * total_[k] / n) / std::max(1.0, n - 1);
  }
  return std::max(0.0, v);
}

}  // namespace edge
