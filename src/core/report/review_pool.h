// Everything measured that can be looked at and judged by eye: bases, takes as shot and brought back, ISOs of
// a ladder at equal brightness, bare and cleaned by the neutral reducer.
#pragma once
#include "media/delivered.h"
#include "project/noise_project.h"
#include "recover/picture.h"
#include "report/findings.h"

namespace edge {

enum class ShownKind { Base, AsShot, BroughtBack, Ladder };

struct Shown {
  ShownKind kind = ShownKind::Base;
  std::string key;    // of its content and of what is done to it: stays as long as both do
  std::string name;   // "−3 brought back"
  std::string group;  // "Corvane 35 · log · ISO 500"
  std::string body;
  std::filesystem::path clip;
  DecodeOptions decode;
  FrameWindow window;
  Correction correction;
  const Rung* cleanedBy = nullptr;  // a rung of the neutral reducer's ladder; nothing: bare
  std::string display;
  double stops = 0;                                        // planned, from the base; ladder: 0
  bool equalBrightness = false;                            // brought to that of its base
  std::array<std::optional<double>, kCriteria> figures{};  // of what it is judged by

  [[nodiscard]] std::string title() const { return group + ", " + name; }
};
// In the order of configurations and exposure; clips that are linked, measured or not.
[[nodiscard]] std::vector<Shown> shownOf(const std::vector<Finding>& findings,
                                         const std::vector<NoiseFinding>& noise,
                                         const std::filesystem::path& folder);
// A frame of it as everybody sees it.
[[nodiscard]] Picture renderShown(const Shown& shown, const Progress& progress);
// The same after an encode at this rate, late among the frames that were encoded with it. `came`: the rate
// that came out. For looking: nothing is ever judged by it.
[[nodiscard]] Picture renderEncoded(const Shown& shown, Encode encode, double megabits, double* came,
                                    const Progress& progress);

}  // namespace edge
