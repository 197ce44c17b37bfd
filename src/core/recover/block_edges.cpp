#include "recover/block_edges.h"

#include <cmath>

namespace edge {
namespace {

constexpr int kBlock = 8;
constexpr double kSure = 2;  // standard errors

struct Squares {
  double sum = 0, fourths = 0, count = 0;
  void add(double difference) {
    const double square = difference * difference;
    sum += square;
    fourths += square * square;
    count += 1;
  }
  [[nodiscard]] double mean() const { return sum / count; }
  [[nodiscard]] double errorSquared() const { return (fourths / count - mean() * mean()) / count; }
};

}  // namespace

std::optional<double> blockStepOf(const LightnessFrames& area, int x0, int y0) {
  Squares atEdge, elsewhere;
  for (const auto& frame : area.frames) {
    const auto at = [&](int x, int y) { return frame[static_cast<size_t>(y) * area.width + x]; };
    for (int y = 0; y < area.height; ++y)
      for (int x = 0; x + 1 < area.width; ++x)
        ((x0 + x + 1) % kBlock == 0 ? atEdge : elsewhere).add(at(x + 1, y) - at(x, y));
    for (int y = 0; y + 1 < area.height; ++y)
      for (int x = 0; x < area.width; ++x)
        ((y0 + y + 1) % kBlock == 0 ? atEdge : elsewhere).add(at(x, y + 1) - at(x, y));
  }
  if (atEdge.count == 0 || elsewhere.count == 0) return std::nullopt;
  const double excess = atEdge.mean() - elsewhere.mean();
  const double error = std::sqrt(atEdge.errorSquared() + elsewhere.errorSquared());
  return excess > kSure * error ? std::sqrt(excess) : 0.0;
}

}  // namespace edge
