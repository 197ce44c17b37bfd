#include "recover/picture.h"

#include <algorithm>

#include "base/parallel.h"
#include "color/display_table.h"
#include "media/clip.h"
#include "recover/series.h"

namespace edge {
namespace {

// A correction for whole pictures: what works on log code goes through tables.
class FastCorrection {
 public:
  FastCorrection(const Correction& c, const std::string& curveName, const Curve& curve)
      : correction_(c), coded_(logEncodingOf(curveName) == curveName) {
    logSide_ = c.branch == Branch::Grade || c.branch == Branch::LogOffset;
    if (!coded_ && logSide_) log_ = makeCurve(logEncodingOf(curveName)).curve;
    if (!coded_ || !logSide_) return;
    for (int i = 0; i <= kSteps; ++i)
      linear_.push_back(static_cast<float>(curve.toLinear(static_cast<double>(i) / kSteps)));
  }
  [[nodiscard]] bool wantsCode() const { return coded_ && logSide_; }

  void apply(float* linear, const float* code) const {
    Vec3 v{};
    if (wantsCode()) {
      v = correction_.branch == Branch::Grade
              ? correction_.cdl.apply({code[0], code[1], code[2]})
              : Vec3{code[0] + correction_.codeOffset, code[1] + correction_.codeOffset,
                     code[2] + correction_.codeOffset};
      for (size_t c = 0; c < 3; ++c) {
        const double at = std::clamp(v[c], 0.0, 1.0) * kSteps;
        const auto i = std::min(static_cast<size_t>(at), static_cast<size_t>(kSteps - 1));
        v[c] = linear_[i] + (at - static_cast<double>(i)) * (linear_[i + 1] - linear_[i]);
      }
    } else if (logSide_) {
      v = correction_.light({linear[0], linear[1], linear[2]}, *log_);
    } else {
      v = correction_.back.apply({linear[0], linear[1], linear[2]});
      for (size_t c = 0; c < 3; ++c) v[c] *= correction_.gains[c];
    }
    for (size_t c = 0; c < 3; ++c) linear[c] = static_cast<float>(v[c]);
  }

 private:
  static constexpr int kSteps = 8192;
  const Correction& correction_;
  bool coded_, logSide_ = false;
  std::shared_ptr<const Curve> log_;
  std::vector<float> linear_;  // of code
};

}  // namespace

Picture renderPicture(const std::filesystem::path& clip, const DecodeOptions& options, std::int64_t number,
                      const Correction& correction, const std::string& display, const Progress& progress) {
  const auto reader = openClip(clip);
  DecodeOptions decode = options;
  if (decode.curve.empty()) decode.curve = defaultCurve(reader->info());
  const Decoder decoder(reader->info().format, decode);
  const DisplayTransform transform(display);
  const DisplayTable shown(transform);
  const FastCorrection corrected(correction, decode.curve, decoder.curve());
  Picture p{decoder.developedWidth(), decoder.developedHeight(), {}};
  p.rgb.resize(3 * static_cast<size_t>(p.width) * p.height);
  forEachFrame(*reader, {number, 1}, progress, [&](const Frame& frame) {
    parallelFor(p.height, [&](int y) {
      std::vector<float> row(3 * static_cast<size_t>(p.width)), codes(corrected.wantsCode() ? row.size() : 0);
      decoder.readRow(frame, y, 0, p.width, row.data(), codes.empty() ? nullptr : codes.data(), false);
      std::uint8_t* out = p.rgb.data() + 3 * static_cast<size_t>(y) * p.width;
      for (size_t x = 0; x < row.size(); x += 3) {
        corrected.apply(row.data() + x, codes.empty() ? nullptr : codes.data() + x);
        float code[3];
        shown.code(row.data() + x, code);
        for (size_t c = 0; c < 3; ++c) out[x + c] = static_cast<std::uint8_t>(255 * code[c] + 0.5F);
      }
    });
  });
  return p;
}

Picture renderPicture(const std::filesystem::path& clip, const DecodeOptions& options, std::int64_t number,
                      double k, double q, const std::string& display, const Progress& progress) {
  Correction c;
  c.back.k = k;
  c.back.q = q;
  return renderPicture(clip, options, number, c, display, progress);
}

}  // namespace edge
