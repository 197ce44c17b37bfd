#include "measure/step_look.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "image/accumulator.h"

namespace edge {
namespace {

constexpr size_t kMaxBins = 64;

StepHistogram histogramOf(const std::vector<float>& values, double levels) {
  StepHistogram h;
  if (values.empty()) return h;
  const double scale = levels > 0 ? levels : 1;
  const auto [low, high] = std::minmax_element(values.begin(), values.end());
  const double from = *low * scale, to = *high * scale;
  // Whole codes where there are few of them: the comb of a quantised step must show.
  h.binWidth = levels > 0 ? std::max(1.0, std::ceil((to - from + 1) / kMaxBins))
                          : std::max(1e-9, (to - from) / kMaxBins);
  h.low = levels > 0 ? std::floor(from + 0.5) - 0.5 : from;
  h.share.assign(std::min(kMaxBins + 1, static_cast<size_t>((to - h.low) / h.binWidth) + 1), 0);
  for (float v : values) {
    const auto bin = static_cast<size_t>(std::max(0.0, (v * scale - h.low) / h.binWidth));
    h.share[std::min(bin, h.share.size() - 1)] += 1.0 / static_cast<double>(values.size());
  }
  return h;
}

double sdOf(const std::vector<double>& v) {
  double squares = 0;
  for (double x : v) squares += x * x;
  return v.empty() ? 0 : std::sqrt(squares / static_cast<double>(v.size()));
}

std::vector<float> inSds(const std::vector<double>& v, double sd) {
  std::vector<float> out;
  for (double x : v) out.push_back(sd > 0 ? static_cast<float>(x / sd) : 0.0F);
  return out;
}

}  // namespace

StepLook lookAtStep(ClipReader& reader, const DecodeOptions& options, const Chart& chart,
                    const std::string& name, FrameWindow window, const Progress& progress) {
  const Patch* patch = chart.find(name);
  if (!patch) throw Error("the chart has no such step", "", "step " + name, "choose one of its steps");
  const Decoder decoder(reader.info().format, options);
  const Rect area = measuredRect(*patch, chart, decoder);
  if (area.pixels() == 0 || area.x < 0 || area.y < 0 || area.x + area.width > decoder.format().width ||
      area.y + area.height > decoder.format().height)
    throw Error("the step is too small to look at or lies outside the picture", "", "step " + name,
                "correct its corners");
  StepLook look;
  look.levels = decoder.levels();
  std::vector<float> values[3], last;
  std::vector<double> sum;
  Block block;
  const Channel order[3] = {Channel::R, Channel::G, Channel::B};
  const FramesRead read = forEachFrame(reader, window, progress, [&](const Frame& frame) {
    decoder.readBlock(frame, area, block, true);
    last = block.linear[static_cast<int>(Channel::Y)];
    sum.resize(last.size());
    for (size_t i = 0; i < last.size(); ++i) sum[i] += last[i];
    for (int c = 0; c < 3; ++c) {
      const auto& code = block.code[static_cast<int>(order[c])];
      const auto& from = code.empty() ? block.linear[static_cast<int>(order[c])] : code;
      values[c].insert(values[c].end(), from.begin(), from.end());
    }
  });
  look.width = block.width, look.height = block.height;
  for (int c = 0; c < 3; ++c) look.histogram[c] = histogramOf(values[c], look.levels);
  std::vector<double> moving(sum.size()), mean(sum.size());
  const double frames = std::max<double>(1, static_cast<double>(read.frames));
  for (size_t i = 0; i < sum.size(); ++i) mean[i] = sum[i] / frames, moving[i] = last[i] - mean[i];
  removePolynomial(mean, look.width, look.height);
  // The mean of all frames takes 1/N of the moving noise off.
  look.movingSd = sdOf(moving) / std::sqrt(std::max(1e-9, 1 - 1 / frames)), look.standingSd = sdOf(mean);
  look.moving = inSds(moving, look.movingSd),
  look.standing = inSds(mean, look.movingSd > 0 ? look.movingSd : look.standingSd);
  return look;
}

}  // namespace edge
