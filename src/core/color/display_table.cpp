#include "color/display_table.h"

#include <algorithm>
#include <cmath>

namespace edge {

DisplayTable::DisplayTable(const DisplayTransform& transform) : transform_(transform) {
  for (int i = 0; i <= kSteps; ++i) {
    const double t = static_cast<double>(i) / kSteps;
    light_.push_back(static_cast<float>(DisplayTransform::lightOfCode({t, 0, 0})[0]));
    if (transform.perChannel()) table_.push_back(static_cast<float>(transform.code({t * t * kTop, 0, 0})[0]));
  }
}

void DisplayTable::byTransform(const float* linear, float* code) const {
  const Vec3 v = transform_.code({linear[0], linear[1], linear[2]});
  for (size_t c = 0; c < 3; ++c) code[c] = static_cast<float>(v[c]);
}

void DisplayTable::lab(const float* code, Primaries primaries, float* lab) const {
  Vec3 light{};
  for (size_t c = 0; c < 3; ++c) light[c] = interpolated(light_, std::max(0.0F, code[c]));
  const Lab v = labOfDisplayLight(light, primaries);
  lab[0] = static_cast<float>(v.L);
  lab[1] = static_cast<float>(v.a);
  lab[2] = static_cast<float>(v.b);
}

}  // namespace edge
