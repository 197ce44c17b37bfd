// Shoots of closed form to be begun from: bodies, brackets, wedges, cap-on clips under names that say
// nothing.
#pragma once
#include <fmt/format.h>

#include "begin/begin_project.h"
#include "recover/plain_bracket.h"

namespace edge::test {

struct Shot {
  std::string name;
  ClipRole role = ClipRole::Take;
  double stops = 0;
};

struct Body {
  PlainScene scene;
  Encoder encoder = lossless(10, Sampling::Full444);
  std::vector<Shot> shots;
};

// Grey lies at 0.18 in its base, its clip five and a half stops above.
inline Body plainBody() {
  Body b;
  b.scene.camera.frames = 4, b.scene.camera.scale = 8, b.scene.brightest = 0.11, b.scene.face = 0.04;
  return b;
}

// Steps of a stop in a row, on black.
inline Footage wedgeOf(const PlainCamera& camera, std::mt19937_64& random) {
  constexpr int kSteps = 14, kHigh = 24;
  Footage f;
  f.camera = camera, f.width = kWide, f.height = kSide + kFaceRows;
  photograph(f, random, [](int x, int y) {
    const bool inside = y > 30 && y < 30 + kHigh && x > 16 && x < kWide - 16;
    return inside ? std::exp2(1 - (x - 16) * kSteps / (kWide - 32)) : 0;
  });
  return f;
}

class Shoot {
 public:
  Shoot(const fs::path& folder, std::mt19937_64& random) : folder_(folder), random_(random) {}

  // Names are numbers in a shuffled order.
  void names(size_t n) {
    for (size_t i = 0; i < n; ++i) names_.push_back(fmt::format("clip{}", 100 + i));
    std::shuffle(names_.begin(), names_.end(), random_);
  }
  std::string record(const Body& b, const Footage& f) {
    const std::string name = names_.back();
    names_.pop_back();
    if (b.scene.raw)
      recordRaw(f, folder_ / name);
    else
      test::record(f, folder_ / (name + ".mkv"), b.encoder);
    return name;
  }
  void bracket(Body& b, const std::vector<double>& stops, double irisSigma) {
    std::normal_distribution<double> normal(0, irisSigma);
    for (const double e : stops) {
      const double at = e == 0 ? 0 : e + normal(random_);
      b.shots.push_back(
          {record(b, take(b.scene, at, random_())), e == 0 ? ClipRole::Base : ClipRole::Take, at});
    }
  }
  void wedge(Body& b) {
    b.shots.push_back({record(b, wedgeOf(b.scene.camera, random_)), ClipRole::Wedge, 0});
  }
  void black(Body& b) {
    Footage f;
    f.camera = b.scene.camera, f.width = kWide, f.height = kSide + kFaceRows;
    photograph(f, random_, [](int, int) { return 0.0; });
    b.shots.push_back({record(b, f), ClipRole::Black, 0});
  }

 private:
  fs::path folder_;
  std::mt19937_64& random_;
  std::vector<std::string> names_;
};

inline const SortedClip* clipNamed(const SortedShoot& s, const std::vector<ClipLook>& looks,
                                   const std::string& name, size_t* group = nullptr) {
  for (size_t g = 0; g < s.groups.size(); ++g)
    for (const auto& c : s.groups[g].clips)
      if (looks[c.look].clip.stem() == name) {
        if (group) *group = g;
        return &c;
      }
  return nullptr;
}

inline SortOptions known(const fs::path& folder) {
  writeLogCurve(folder / "log.json");
  SortOptions o;
  o.decode.curve = (folder / "log.json").string(), o.decode.range = Range::Legal;
  return o;
}

}  // namespace edge::test
