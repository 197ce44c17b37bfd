#include "recover/picture.h"

#include "base/parallel.h"
#include "color/display_table.h"
#include "media/clip.h"
#include "recover/series.h"

namespace edge {
Picture renderPicture(const std::filesystem::path& clip, const DecodeOptions& options, std::int64_t number,
                      double k, double q, const std::string& display, const Progress& progress) {
  const auto reader = openClip(clip);
  DecodeOptions decode = options;
  if (decode.curve.empty()) decode.curve = defaultCurve(reader->info());
  const Decoder decoder(reader->info().format, decode);
  const DisplayTransform transform(display);
  const DisplayTable shown(transform);
  Picture p{decoder.developedWidth(), decoder.developedHeight(), {}};
  p.rgb.resize(3 * static_cast<size_t>(p.width) * p.height);
  forEachFrame(*reader, {number, 1}, progress, [&](const Frame& frame) {
    parallelFor(p.height, [&](int y) {
      std::vector<float> row(3 * static_cast<size_t>(p.width));
      decoder.readRow(frame, y, 0, p.width, row.data(), nullptr, false);
      for (auto& v : row) v = static_cast<float>((v - q) / k);
      std::uint8_t* out = p.rgb.data() + 3 * static_cast<size_t>(y) * p.width;
      for (size_t x = 0; x < row.size(); x += 3) {
        float code[3];
        shown.code(row.data() + x, code);
        for (size_t c = 0; c < 3; ++c) out[x + c] = static_cast<std::uint8_t>(255 * code[c] + 0.5F);
      }
    });
  });
  return p;
}

}  // namespace edge
