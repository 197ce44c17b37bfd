// Will a scene hold? Its readings on what every configuration holds; which configuration, rated how; or which
// light must change. Rules, on tones placed by reach.h:
// - offset: the least change of exposure, in thirds within three stops, that does the least harm and keeps
//   kSafe of room; where none keeps it, that with the most room. Harm is counted: tones that clip, then lost
//   ones and such as nothing is known of, then those that need clean-up, each beyond what is asked for.
// - recommended: least harm, then most room over all offsets, among rows of one protocol. Rooms within two
//   standard errors are ties, and said.
// - changes of light: fewest tones changed, then fewest stops, then the smallest offset.
#pragma once
#include "advise/readings.h"

namespace edge {

inline constexpr double kSafe = 1.0 / 3;        // stops of room: the finest step a lens is set by
inline constexpr double kOffsetReach = 3;       // stops, either way
inline constexpr double kOffsetStep = 1.0 / 3;  // stops
inline constexpr size_t kMostChanges = 3;       // that are offered

struct Harm {
  int clips = 0, lost = 0, cleanable = 0;
  friend auto operator<=>(const Harm&, const Harm&) = default;
  [[nodiscard]] bool none() const { return *this == Harm{}; }
};

struct ToneStep {
  size_t reading = 0;
  double stops = 0;   // rounded away from nothing to a tenth
  std::string words;  // "window −1.3: ND gel 0.4"
};
struct LightChange {
  double offset = 0;  // stops, of the exposure that goes with it
  std::vector<ToneStep> steps;
  [[nodiscard]] double stops() const;
};

struct SceneOn {
  Reach reach;
  double offset = 0;               // stops, + is more light
  std::optional<double> ei;        // ISO / 2^offset; nothing: the ISO is not known
  std::optional<double> aperture;  // T-stop at the scene's shutter and light, where its exposure was given
  std::vector<Placed> readings;
  Harm harm;
  // The smallest margin of the tones that do no harm, at the best offset; nothing: none does, or none is
  // known.
  std::optional<Limit> room;
  std::vector<LightChange> changes;  // none where nothing is to be changed, or nothing helps
};

struct SceneResult {
  std::vector<SceneOn> configurations;  // as given
  std::optional<size_t> recommended;
  std::vector<size_t> ties;  // as good as that
  std::string reason;
  std::vector<Warning> warnings;
};

[[nodiscard]] SceneResult checkScene(const SceneReadings& scene, const std::vector<Reach>& reaches);
// One configuration at an offset that is given.
[[nodiscard]] SceneOn sceneOn(const SceneReadings& scene, const Reach& reach, double offset);

// "EI 640"; "+1/3" where the ISO is not known.
[[nodiscard]] std::string ratingWords(const SceneOn& on);
[[nodiscard]] nlohmann::json toJson(const SceneReadings& scene, const SceneResult& result);

}  // namespace edge
