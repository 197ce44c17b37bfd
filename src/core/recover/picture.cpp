#include "recover/picture.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"
#include "color/display.h"
#include "media/clip.h"
#include "recover/series.h"

namespace edge {
namespace {

// Per-channel transforms go through a table, even in the square root of light up to 64 times white.
class FastDisplay {
 public:
  explicit FastDisplay(const std::string& name)
      : transform_(name), perChannel_(transform_.name() == kSoftShoulder || name == "bt709") {
    if (!perChannel_) return;
    for (int i = 0; i <= kSteps; ++i) {
      const double t = static_cast<double>(i) / kSteps;
      table_.push_back(
          static_cast<std::uint8_t>(std::lround(255 * transform_.code({t * t * kTop, 0, 0})[0])));
    }
  }
  void apply(const float* linear, std::uint8_t* out) const {
    if (perChannel_) {
      for (int c = 0; c < 3; ++c) {
        const float t = std::sqrt(std::clamp(linear[c] / static_cast<float>(kTop), 0.0F, 1.0F));
        out[c] = table_[static_cast<size_t>(t * kSteps + 0.5F)];
      }
      return;
    }
    const Vec3 code = transform_.code({linear[0], linear[1], linear[2]});
    for (int c = 0; c < 3; ++c) out[c] = static_cast<std::uint8_t>(std::lround(255 * code[c]));
  }

 private:
  static constexpr int kSteps = 16384;
  static constexpr double kTop = 64;
  DisplayTransform transform_;
  bool perChannel_;
  std::vector<std::uint8_t> table_;
};

}  // namespace

Picture renderPicture(const std::filesystem::path& clip, const DecodeOptions& options, std::int64_t number,
                      double k, double q, const std::string& display, const Progress& progress) {
  const auto reader = openClip(clip);
  DecodeOptions decode = options;
  if (decode.curve.empty()) decode.curve = defaultCurve(reader->info());
  const Decoder decoder(reader->info().format, decode);
  const FastDisplay shown(display);
  Picture p{decoder.developedWidth(), decoder.developedHeight(), {}};
  p.rgb.resize(3 * static_cast<size_t>(p.width) * p.height);
  forEachFrame(*reader, {number, 1}, progress, [&](const Frame& frame) {
    parallelFor(p.height, [&](int y) {
      std::vector<float> row(3 * static_cast<size_t>(p.width));
      decoder.readRow(frame, y, 0, p.width, row.data(), nullptr, false);
      for (auto& v : row) v = static_cast<float>((v - q) / k);
      for (int x = 0; x < p.width; ++x)
        shown.apply(row.data() + 3 * x, p.rgb.data() + 3 * (static_cast<size_t>(y) * p.width + x));
    });
  });
  return p;
}

}  // namespace edge
