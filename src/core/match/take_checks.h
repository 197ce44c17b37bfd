// Checks of one copied take against its base and against what was planned (docs/method.md, "Checks of a
// take"). Pure arithmetic on evidence that was streamed once.
#pragma once
#include <nlohmann/json.hpp>

#include "chart/registration.h"
#include "recover/bring_back.h"

namespace edge {

// Frames looked at of a clip: large ones cost ten times as much and hold ten times as many pixels.
inline constexpr std::int64_t kCheckFrames = 24, kCheckFramesLarge = 4, kLargePixels = 4'000'000;

struct TakeEvidence {
  TakeStats stats;             // patches and regions
  std::vector<Patch> regions;  // as followed
  LumaPicture mean;            // scene-linear luma, reduced to at most 960 pixels a side
  LumaPicture half[2];         // means of even and odd frames; empty with one frame
  double reduction = 1;        // pixels of the clip to one of these
  PixelFormat format;
  std::string coding;  // how its file holds it: kind, pixels, a lossy codec
  double fps = 0;
};
// `base`: first picture of the base, to follow the framing; nullptr: chart and regions stay. Errors as
// measureTake.
[[nodiscard]] TakeEvidence gatherTake(const std::filesystem::path& clip, const DecodeOptions& decode,
                                      const Chart& chart, const std::vector<Patch>& regions,
                                      FrameWindow window, const Progress& progress,
                                      const LumaPicture* base = nullptr);

struct TakeExpectation {
  double plannedStops = 0;
  bool base = false;                                // a repeat of the base
  double bits = 0, width = 0, height = 0, fps = 0;  // of the recipe's mode; 0: not said
  std::optional<bool> raw;                          // nothing: no plan says
  // Of a ladder or pair: its ISO over the first one's, in stops. Raw whose ISO is only noted is darker by as
  // much, and right.
  std::optional<double> isoStops;
};

struct TakeCheck {
  std::string code;  // "exposure", "base-differs", "drift", "flicker", "balance", "ratio", "clipped",
                     // "black", "framing", "focus", "scene", "vignetting", "format", "truncated", "uneven",
                     // "filtered", "white-balance"; by kind (kind_checks.h): "too-dark", "not-black",
                     // "too-bright", "unequal", "unreadable"
  double figure = 0, tolerance = 0;
  std::string unit;
  bool pass = true;
  bool told = true;  // false: the evidence is too weak to say
  std::string words;
  // What it was seen by: {"kind": "curve", "x", "y", "x_label", "y_label"} or {"kind": "place", "x0", "y0",
  // "x1", "y1"} (shares of the picture); null: nothing to show.
  nlohmann::json evidence{};
};

// `plateau` of the configuration, from findPlateau.
[[nodiscard]] std::vector<TakeCheck> checkTake(const TakeEvidence& take, const TakeEvidence& base,
                                               const Chart& chart, const Plateau& plateau,
                                               const TakeExpectation& expected);

[[nodiscard]] nlohmann::json toJson(const TakeCheck& check);
[[nodiscard]] TakeCheck takeCheckFromJson(const nlohmann::json& j);

}  // namespace edge
