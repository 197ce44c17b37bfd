#include "color/display.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "color/ocio.h"

namespace edge {
namespace {

constexpr const char* kFirstShoulderName = "filmic";  // in files of the first versions
constexpr double kDisplayGamma = 2.4;                 // ITU-R BT.1886
const double kShoulderKnee = std::pow(0.75, 1.2);

double softShoulder(double x) {
  if (x <= 0) return 0;
  const double y = std::pow(x, 1.2);
  return std::pow(y / (y + kShoulderKnee), 1 / kDisplayGamma);
}

double bt709(double x) {
  return std::clamp(x < 0.018 ? 4.5 * x : 1.099 * std::pow(x, 0.45) - 0.099, 0.0, 1.0);
}

}  // namespace

std::string displayName(const std::string& given) {
  return given == kFirstShoulderName ? kSoftShoulder : given;
}

bool isDisplayFile(const std::string& nameOrFile) {
  return nameOrFile.find('.') != std::string::npos;
}

DisplayTransform::DisplayTransform(const std::string& nameOrFile) : name_(displayName(nameOrFile)) {
  if (name_ == kSoftShoulder)
    kind_ = Kind::SoftShoulder;
  else if (nameOrFile == "bt709")
    kind_ = Kind::Bt709;
  else {
    kind_ = Kind::File;
    if (!isDisplayFile(nameOrFile))
      throw UsageError("unknown display transform \"" + nameOrFile + "\"", "", "",
                       "use soft-shoulder, bt709 or a LUT file");
    lut_ = openTransform(nameOrFile);
  }
}

Vec3 DisplayTransform::code(const Vec3& x) const {
  if (kind_ == Kind::SoftShoulder) return {softShoulder(x[0]), softShoulder(x[1]), softShoulder(x[2])};
  if (kind_ == Kind::Bt709) return {bt709(x[0]), bt709(x[1]), bt709(x[2])};
  float rgb[3] = {static_cast<float>(x[0]), static_cast<float>(x[1]), static_cast<float>(x[2])};
  lut_(rgb, 1);
  return {std::clamp<double>(rgb[0], 0, 1), std::clamp<double>(rgb[1], 0, 1),
          std::clamp<double>(rgb[2], 0, 1)};
}

Vec3 DisplayTransform::lightOfCode(const Vec3& c) {
  const auto light = [](double v) { return std::pow(std::clamp(v, 0.0, 1.0), kDisplayGamma); };
  return {light(c[0]), light(c[1]), light(c[2])};
}

}  // namespace edge
