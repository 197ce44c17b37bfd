#include "color/ocio.h"

#include <OpenColorIO/OpenColorIO.h>

#include "base/error.h"
#include "base/files.h"

namespace OCIO = OCIO_NAMESPACE;

namespace edge {
namespace {

OCIO::ConstCPUProcessorRcPtr open(const std::filesystem::path& file) {
  requireReadable(file);
  try {
    const auto config = OCIO::Config::CreateRaw();
    const auto transform = OCIO::FileTransform::Create();
    transform->setSrc(std::filesystem::absolute(file).c_str());
    transform->setInterpolation(OCIO::INTERP_BEST);
    return config->getProcessor(transform)->getOptimizedCPUProcessor(OCIO::OPTIMIZATION_LOSSLESS);
  } catch (const OCIO::Exception& e) {
    throw Error(std::string("the transform can't be read: ") + e.what(), file.string(), "",
                "check that the file is complete and of the kind its name says");
  }
}

}  // namespace

std::function<double(double)> openNeutralTransform(const std::filesystem::path& file) {
  return [processor = open(file)](double v) {
    float rgb[3] = {static_cast<float>(v), static_cast<float>(v), static_cast<float>(v)};
    processor->applyRGB(rgb);
    return static_cast<double>(rgb[1]);
  };
}

std::function<void(float*, int)> openTransform(const std::filesystem::path& file) {
  return [processor = open(file)](float* rgb, int pixels) {
    OCIO::PackedImageDesc image(rgb, pixels, 1, 3);
    processor->apply(image);
  };
}

}  // namespace edge
