// Readers of pictures, movies, looks and whole projects.
#include <zlib.h>

#include <cstring>
#include <fstream>
#include <functional>
#include <nlohmann/json.hpp>
#include <utility>

#include "base/error.h"
#include "color/curve_files.h"
#include "color/display.h"
#include "image/decode.h"
#include "match/clip_facts.h"
#include "match/slate_reader.h"
#include "media/clip.h"
#include "media/formats.h"
#include "media/jpeg_scan.h"
#include "media/readers.h"
#include "media/slice_sums.h"
#include "project/project.h"
#include "shoot/log.h"
#include "target.h"

namespace edge::fuzz {
namespace {

constexpr std::int64_t kFrames = 3;

// Tables of a decoder cost more than reading a small picture: made for one input in sixteen.
bool isChosen(std::string_view bytes) {
  return std::hash<std::string_view>{}(bytes) % 16 == 0;
}

void decode(const PixelFormat& format, const std::function<bool(Frame&)>& next) {
  const Decoder decoder(format, {"linear", {}, {}, {}});
  const auto width = static_cast<size_t>(decoder.developedWidth());
  std::vector<float> light(3 * width), code(3 * width);
  Frame frame;
  for (std::int64_t n = 0; n < kFrames && next(frame); ++n)
    for (int y = 0; y < decoder.developedHeight(); ++y)
      decoder.readRow(frame, y, 0, decoder.developedWidth(), light.data(), code.data(), true);
}

void readsStill(std::string_view bytes, const std::string& file) {
  DecodedStill still = clipFormatOf(file)->readStill(file, false);
  bool given = false;
  if (isChosen(bytes))
    decode(still.format, [&](Frame& frame) {
      if (!given) frame = std::move(still.frame);
      return !std::exchange(given, true);
    });
}

std::string bigEndian(std::uint32_t n) {
  return {static_cast<char>(n >> 24), static_cast<char>(n >> 16), static_cast<char>(n >> 8),
          static_cast<char>(n)};
}

std::string deflated(std::string_view bytes) {
  std::string out(compressBound(bytes.size()), '\0');
  uLongf size = out.size();
  promise(compress2(reinterpret_cast<Bytef*>(out.data()), &size, reinterpret_cast<const Bytef*>(bytes.data()),
                    bytes.size(), Z_BEST_SPEED) == Z_OK,
          "nothing can be compressed");
  return out.substr(0, size);
}

// A PNG whose checksums and streams are right, else hardly an input gets behind them: 13 bytes of IHDR, then
// chunks of a byte that names their type, two of their length, and what is in them.
void readsMadePng(std::string_view bytes, const std::string& file) {
  static constexpr const char* kTypes[] = {"IDAT", "PLTE", "tRNS", "tEXt", "zTXt", "iTXt", "iCCP", "gAMA",
                                           "sBIT", "bKGD", "hIST", "pHYs", "eXIf", "sPLT", "tIME", "ABCD"};
  std::string made = "\x89PNG\r\n\x1a\n";
  const auto chunk = [&](const std::string& type, const std::string& data) {
    const std::string summed = type + data;
    made += bigEndian(static_cast<std::uint32_t>(data.size())) + summed;
    made += bigEndian(static_cast<std::uint32_t>(
        crc32(0, reinterpret_cast<const Bytef*>(summed.data()), static_cast<uInt>(summed.size()))));
  };
  const size_t head = std::min<size_t>(13, bytes.size());
  chunk("IHDR", std::string(bytes.substr(0, head)));
  bytes.remove_prefix(head);
  while (bytes.size() >= 3) {
    const auto kind = static_cast<unsigned char>(bytes[0]);
    const size_t stated = static_cast<unsigned char>(bytes[1]) + 256u * static_cast<unsigned char>(bytes[2]),
                 size = std::min(bytes.size() - 3, stated);
    const auto data = bytes.substr(3, size);
    const char* type = kTypes[kind % std::size(kTypes)];
    // Half of the streams are deflated here, half are what the bytes say.
    chunk(type, kind < 128 && type == kTypes[0] ? deflated(data) : std::string(data));
    bytes.remove_prefix(3 + size);
  }
  chunk("IEND", "");
  std::ofstream(file, std::ios::binary) << made;
  readsStill(bytes, file);
}

void readsMovie(std::string_view bytes, const std::string& file) {
  const auto reader = openClip(file);
  (void)isoOf(reader->info()), (void)cameraOf(reader->info());
  Frame frame;
  const auto next = [&](Frame& f) { return reader->next(f); };
  if (isChosen(bytes)) return decode(reader->info().format, next);
  for (std::int64_t n = 0; n < kFrames && next(frame);) ++n;
}

void readsLook(std::string_view, const std::string& file) {
  try {
    (void)readCurveFile(file);
  } catch (const Error&) {
    (void)DisplayTransform(file);
    throw;
  }
}

void readsProject(std::string_view, const std::string& file) {
  const auto project = Project::read(file);
  (void)project->title(), (void)project->id(), (void)project->integrityProblems();
  (void)project->configurations(), (void)project->decisions();
  (void)foldLog(project->log());
}

// Packets of FFV1, as they lie in a file: two bytes of length before each.
void readsPackets(std::string_view bytes, const std::string&) {
  SliceSums sums;
  while (bytes.size() >= 2) {
    const size_t size = std::min<size_t>(
        bytes.size() - 2, static_cast<unsigned char>(bytes[0]) + 256u * static_cast<unsigned char>(bytes[1]));
    // Of its own, so that a byte too far is seen.
    std::vector<std::uint8_t> packet(size);
    if (size) std::memcpy(packet.data(), bytes.data() + 2, size);
    (void)sums.isWhole(packet.data(), packet.size());
    bytes.remove_prefix(2 + size);
  }
}

// A grey picture: side, then its levels.
void readsSlatePicture(std::string_view bytes, const std::string&) {
  if (bytes.size() < 2) return;
  GreyPicture picture;
  picture.width = 1 + static_cast<unsigned char>(bytes[0]) % 128;
  picture.height = static_cast<int>((bytes.size() - 1) / static_cast<size_t>(picture.width));
  if (picture.height < 1) return;
  for (int i = 0; i < picture.width * picture.height; ++i)
    picture.level.push_back(static_cast<float>(static_cast<unsigned char>(bytes[1 + i])) / 255);
  for (const auto& text : readQrTexts(picture, false)) (void)parseSlate(text);
}

}  // namespace

std::vector<Target> mediaTargets() {
  return {{"exr", Kind::Media, {".exr"}, readsStill},
          {"tiff", Kind::Media, {".tif"}, readsStill},
          {"dpx", Kind::Media, {".dpx"}, readsStill},
          {"png", Kind::Media, {".png"}, readsStill},
          {"png-made", Kind::Media, {".png"}, readsMadePng},
          {"dng", Kind::Media, {".dng"}, readsStill},
          {"jpeg-scan", Kind::Media, {}, [](auto bytes, const auto&) { (void)faultOfLosslessJpeg(bytes); }},
          {"movie", Kind::Media, {".mkv", ".mov"}, readsMovie},
          {"packets", Kind::Media, {}, readsPackets},
          {"look", Kind::Media, {".cube", ".clf", ".spi1d", ".cdl", ".csp"}, readsLook},
          {"slate-picture", Kind::Media, {}, readsSlatePicture},
          {"project", Kind::Media, {".edgetest"}, readsProject}};
}

}  // namespace edge::fuzz
