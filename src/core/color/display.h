// The one fixed display transform under which takes are scored and shown: scene-linear to display code and
// light.
//   soft-shoulder: per channel y = x^1.2, code = (y / (y + 0.75^1.2))^(1/2.4)   (grey 46 %, one stop over
//   grey 60 %) bt709:  OETF of ITU-R BT.709 clipped to 0..1;   both: light = code^2.4 (ITU-R BT.1886) or a
//   LUT file (scene-linear in, display code out).
#pragma once
#include <functional>
#include <string>

#include "color/primaries.h"

namespace edge {

inline constexpr const char* kSoftShoulder = "soft-shoulder";
// Files of the first versions have another name for it.
[[nodiscard]] std::string displayName(const std::string& given);
// A LUT's path, not one of the names.
[[nodiscard]] bool isDisplayFile(const std::string& nameOrFile);

class DisplayTransform {
 public:
  explicit DisplayTransform(const std::string& nameOrFile);  // Errors: unknown name, unreadable file

  [[nodiscard]] const std::string& name() const { return name_; }
  // Each channel by itself: what a table can carry.
  [[nodiscard]] bool perChannel() const { return kind_ != Kind::File; }
  // Display code 0..1 of scene-linear R, G, B.
  [[nodiscard]] Vec3 code(const Vec3& sceneLinear) const;
  // Light 0..1 the display emits for it.
  [[nodiscard]] Vec3 light(const Vec3& sceneLinear) const { return lightOfCode(code(sceneLinear)); }
  // ITU-R BT.1886, black at nought.
  [[nodiscard]] static Vec3 lightOfCode(const Vec3& displayCode);

 private:
  enum class Kind { SoftShoulder, Bt709, File };
  std::string name_;
  Kind kind_ = Kind::SoftShoulder;
  std::function<void(float*, int)> lut_;
};

}  // namespace edge
