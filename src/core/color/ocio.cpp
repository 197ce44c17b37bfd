#include "color/ocio.h"

#include <OpenColorIO/OpenColorIO.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <mutex>

#include "base/error.h"
#include "base/files.h"
#include "base/hash.h"
#include "base/numbers.h"

namespace OCIO = OCIO_NAMESPACE;

namespace edge {
namespace {

// A cube of 90 steps as text; the library takes long over what is larger.
constexpr std::uintmax_t kMostTableBytes = 24u << 20;

// The library tells at length what it tried before it comes to what is wrong.
std::string reasonIn(const std::string& words) {
  size_t reason = 0;
  for (const std::string before : {"failed with: ", "Error is: ", "gave the error:"})
    if (const auto at = words.rfind(before); at != std::string::npos)
      reason = std::max(reason, at + before.size());
  return trim(words.substr(reason));
}

// The library keeps every file it has read, by its path, for as long as the process lives: a table written
// anew under the same name would be taken for the old one.
void forgetWhatChanged(const std::filesystem::path& absolute) {
  static std::mutex mutex;
  static std::map<std::filesystem::path, std::string> contents;
  const std::lock_guard lock(mutex);
  std::string& known = contents[absolute];
  std::string now = hashFile(absolute);
  if (!known.empty() && known != now) OCIO::ClearAllCaches();
  known = std::move(now);
}

OCIO::ConstCPUProcessorRcPtr open(const std::filesystem::path& file) {
  requireReadable(file);
  if (const auto bytes = std::filesystem::file_size(file); bytes > kMostTableBytes)
    throw Error(
        "the table is too large", file.string(), fmt::format("{} MB", bytes >> 20),
        fmt::format("tables of up to {} MB are read: export it with fewer steps", kMostTableBytes >> 20));
  const auto absolute = std::filesystem::absolute(file);
  forgetWhatChanged(absolute);
  try {
    const auto config = OCIO::Config::CreateRaw();
    const auto transform = OCIO::FileTransform::Create();
    transform->setSrc(absolute.c_str());
    transform->setInterpolation(OCIO::INTERP_BEST);
    transform->setCCCId("0");  // of a file of several CDLs the first
    return config->getProcessor(transform)->getOptimizedCPUProcessor(OCIO::OPTIMIZATION_LOSSLESS);
  } catch (const OCIO::Exception& e) {
    throw Error("the transform can't be read: " + reasonIn(e.what()), file.string(), "",
                "check that the file is complete and of the kind its name says");
  }
}

// Response to neutral input.
std::function<double(double)> neutral(OCIO::ConstCPUProcessorRcPtr processor) {
  return [processor = std::move(processor)](double v) {
    float rgb[3] = {static_cast<float>(v), static_cast<float>(v), static_cast<float>(v)};
    processor->applyRGB(rgb);
    return static_cast<double>(rgb[1]);
  };
}

// From codes to light: rising over 0..1, and much more in its upper half than in its lower.
bool opensUp(const std::function<double(double)>& f) {
  double last = f(0);
  for (int i = 1; i <= 64; ++i) {
    const double v = f(i / 64.0);
    if (!std::isfinite(v) || v <= last) return false;
    last = v;
  }
  return f(1) - f(0.5) > 3 * (f(0.5) - f(0));
}

}  // namespace

std::function<double(double)> openNeutralTransform(const std::filesystem::path& file) {
  return neutral(open(file));
}

std::function<double(double)> openLibraryTransform(const std::string& name) {
  try {
    const auto transform = OCIO::BuiltinTransform::Create();
    transform->setStyle(name.c_str());
    return neutral(OCIO::Config::CreateRaw()->getProcessor(transform)->getOptimizedCPUProcessor(
        OCIO::OPTIMIZATION_LOSSLESS));
  } catch (const OCIO::Exception& e) {
    throw Error("the installed colour library has no such transform", name, "",
                "choose one that it lists, or give a curve file");
  }
}

std::vector<LibraryTransform> libraryTransforms() {
  std::vector<LibraryTransform> out;
  const auto registry = OCIO::BuiltinTransformRegistry::Get();
  for (size_t i = 0; i < registry->getNumBuiltins(); ++i) {
    const std::string name = registry->getBuiltinStyle(i);
    try {
      if (opensUp(openLibraryTransform(name))) out.push_back({name, registry->getBuiltinDescription(i)});
    } catch (const Error&) {  // listed but not to be had in this build
    }
  }
  return out;
}

std::function<void(float*, int)> openTransform(const std::filesystem::path& file) {
  return [processor = open(file)](float* rgb, int pixels) {
    OCIO::PackedImageDesc image(rgb, pixels, 1, 3);
    processor->apply(image);
  };
}

}  // namespace edge
