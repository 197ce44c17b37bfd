#include "begin/clip_look.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <numbers>
#include <set>

#include "base/error.h"
#include "base/parallel.h"
#include "image/luma_picture.h"
#include "match/clip_facts.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

constexpr int kSide = 160;           // blocks, the longer side
constexpr std::int64_t kFrames = 6;  // read

double meanOf(const std::vector<float>& v) {
  double sum = 0;
  for (float x : v) sum += x;
  return v.empty() ? 0 : sum / static_cast<double>(v.size());
}

// Nothing to compare with: noise from neighbours, most of which lie on one object.
void oneFrame(const LumaPicture& p, ClipLook& look) {
  std::vector<float> steps;
  for (int y = 0; y < p.height; ++y)
    for (int x = 1; x < p.width; ++x) steps.push_back(std::abs(p.at(x, y) - p.at(x - 1, y)));
  look.structure = 1;
  if (steps.empty()) return;
  const auto middle = steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2);
  std::nth_element(steps.begin(), middle, steps.end());
  look.noise = *middle / (0.6745 * std::numbers::sqrt2);  // normal distribution
}

// Halves are of independent noise: what they share is the picture.
void splitHalves(const LumaPicture& a, const LumaPicture& b, ClipLook& look) {
  if (b.luma.empty()) return oneFrame(a, look);
  const double ma = meanOf(a.luma), mb = meanOf(b.luma);
  double aa = 0, bb = 0, ab = 0, dd = 0;
  for (size_t i = 0; i < a.luma.size(); ++i) {
    const double x = a.luma[i] - ma, y = b.luma[i] - mb;
    aa += x * x, bb += y * y, ab += x * y, dd += (x - y) * (x - y);
  }
  look.structure = aa > 0 && bb > 0 ? ab / std::sqrt(aa * bb) : 0;
  // Of the mean of both halves.
  look.noise = std::sqrt(dd / static_cast<double>(a.luma.size())) / 2;
}

void findBars(const LumaPicture& p, ClipLook& look) {
  std::vector<float> rows(static_cast<size_t>(p.height));
  const double mean = meanOf(p.luma);
  double all = 0, between = 0;
  for (int y = 0; y < p.height; ++y) {
    double sum = 0;
    for (int x = 0; x < p.width; ++x) {
      sum += p.at(x, y);
      all += (p.at(x, y) - mean) * (p.at(x, y) - mean);
    }
    rows[static_cast<size_t>(y)] = static_cast<float>(sum / p.width);
    between += p.width * (sum / p.width - mean) * (sum / p.width - mean);
  }
  look.barred = all > 0 ? between / all : 0;
  for (size_t y = 1; y < rows.size(); ++y) look.crossings += (rows[y] > mean) != (rows[y - 1] > mean);
}

void readPictures(ClipReader& reader, const DecodeOptions& known, const Progress& progress, ClipLook& look) {
  DecodeOptions plain = known;
  plain.curve = "linear";
  const Decoder codes(look.format, plain);
  LumaMean code(codes, kSide);
  std::vector<double> levels;    // by frame
  std::optional<LumaMean> last;  // of the frames read: a slate stands before them
  std::optional<Decoder> decoder;
  std::optional<LumaMean> light;
  if (!look.linear() && !known.curve.empty()) light.emplace(decoder.emplace(look.format, known), kSide);
  // Its first third is passed over where that is known: whoever still walks out is in it.
  const std::int64_t first = std::max(look.steady.first, reader.info().frames / 3);
  bool begun = false;
  forEachFrame(reader, {first, kFrames}, progress, [&](const Frame& f) {
    code.add(f);
    last.emplace(codes, kSide).add(f);
    levels.push_back(meanOf(last->mean().luma));
    begun = true;
    if (light) light->add(f);
  });
  if (!begun) throw Error("no frames", look.clip.string(), "", "copy the clip again");
  const LumaPicture mean = code.mean();
  look.width = mean.width, look.height = mean.height, look.code = mean.luma;
  if (look.linear()) look.light = mean.luma;
  if (light) look.light = light->mean().luma;
  for (float v : look.code)
    if (!std::isfinite(v))
      throw Error("samples that are no numbers", look.clip.string(), "", "export the frames again");
  splitHalves(code.half(0), code.half(1), look);
  if (!(look.noise > 0)) oneFrame(mean, look);  // the same frame again and again tells no noise
  // The middle one of the steps from frame to frame: a slate or a blink is one of them.
  std::vector<double> steps;
  for (size_t n = 1; n < levels.size(); ++n) steps.push_back(std::abs(levels[n] - levels[n - 1]));
  std::sort(steps.begin(), steps.end());
  if (!steps.empty()) look.jump = steps[(steps.size() - 1) / 2];
  findBars(last->mean(), look);
}

}  // namespace

std::vector<fs::path> unplannedClips(const std::vector<fs::path>& folders) {
  std::set<fs::path> out;
  for (const auto& folder : folders)
    for (auto& clip : clipsIn(fs::absolute(folder).lexically_normal())) out.insert(std::move(clip));
  return {out.begin(), out.end()};
}

ClipLook lookAt(const fs::path& clip, const DecodeOptions& decode, const Progress& progress) {
  ClipLook look;
  look.clip = clip;
  try {
    const auto reader = openClip(clip);
    const ClipInfo& info = reader->info();
    look.format = info.format, look.fps = info.fps;
    look.camera = cameraOf(info), look.iso = isoOf(info);
    look.codec = info.pixelFormatName + (info.lossyCodec.empty() ? "" : ", " + info.lossyCodec);
    look.hash = hashClip(info);
    look.steady = findSlate(clip, kSlateSeconds, progress).steady;
    DecodeOptions own = decode;
    if (look.linear()) own.curve = "linear";
    readPictures(*reader, own, progress, look);
  } catch (const Error& e) {
    look = {};
    look.clip = clip, look.problem = e.problem(), look.remedy = e.remedy();
  }
  return look;
}

std::vector<ClipLook> lookAtAll(const std::vector<fs::path>& clips, const DecodeOptions& decode,
                                const Progress& progress) {
  std::vector<ClipLook> looks(clips.size());
  std::atomic<size_t> done = 0;
  parallelFor(static_cast<int>(clips.size()), [&](int i) {
    const auto k = static_cast<size_t>(i);
    const Progress quiet([&progress](double, const std::string&) { progress.throwIfCancelled(); });
    looks[k] = lookAt(clips[k], decode, quiet);
    const size_t n = ++done;
    progress.report(static_cast<double>(n) / static_cast<double>(clips.size()), clips[k].filename().string());
  });
  return looks;
}

}  // namespace edge
