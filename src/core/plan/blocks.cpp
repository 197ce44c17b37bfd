#include "plan/blocks.h"

#include "base/error.h"

namespace edge {
namespace {

const char* kDark =
    "Dark set: tape cables, light the way out, say when the lights go down; nobody walks alone.";
const char* kEyes = "A sitter's eyes: raise the light slowly, ask before bright steps, let them look away.";
const char* kStrobe =
    "Strobing light can trigger seizures: warn everyone in the room, no sitter before it, off at once if "
    "asked.";

std::vector<BlockTemplate> build() {
  const std::vector<std::string> light = {"light", "nd", "iris", "shutter"};
  return {{TestKind::Bracket,
           "Exposure bracket, chart and face",
           "Finds how far over and under the base a clip can still be graded back.",
           "It can't tell dynamic range, and says nothing about steps it has no takes for.",
           light,
           5,
           6,
           1,
           true,
           true,
           Scene::Bench,
           {kEyes}},
          {TestKind::Wedge,
           "Step wedge",
           "Finds dynamic range and noise floor from a back-lit wedge in the dark.",
           "It can't show what a face keeps of its colour, and ends where the wedge's steps end.",
           {"iris", "nd", "shutter"},
           0,
           0,
           1,
           false,
           true,
           Scene::Wedge,
           {kDark}},
          {TestKind::IsoLadder,
           "ISO ladder at constant exposure",
           "Finds how noise and headroom move with ISO when every ISO gets the light it asks for.",
           "It can't find the native ISOs: light and gain change together.",
           light,
           0,
           0,
           1,
           false,
           true,
           Scene::Bench,
           {}},
          {TestKind::IsoSweep,
           "ISO sweep in constant dim light",
           "Finds the native ISOs and the family of gain circuits.",
           "It can't rate an ISO for normal light: the scene is far under on purpose.",
           light,
           0,
           6,
           1,
           false,
           true,
           Scene::Bench,
           {kDark}},
          {TestKind::PushPair,
           "Push pair",
           "Finds which is cleaner in the same light: the lower ISO lifted, or the native one.",
           "It can't tell anything about more light, because both get the same.",
           light,
           0,
           0,
           1,
           false,
           true,
           Scene::Bench,
           {}},
          {TestKind::HighlightPair,
           "Highlight recovery pair",
           "Finds what highlight recovery brings back above the clip of white cloth.",
           "It can't widen the colour-complete range: what is rebuilt is kept apart.",
           light,
           0,
           0,
           1,
           false,
           true,
           Scene::Bench,
           {kEyes}},
          {TestKind::Twins,
           "Raw and log twins",
           "Finds what the codec costs: the same exposure in both modes, one after the other.",
           "It can't separate codec from in-camera processing.",
           light,
           2,
           2,
           2,
           false,
           true,
           Scene::Bench,
           {}},
          {TestKind::BodyMatch,
           "Body match",
           "Finds the colour difference between bodies under the same light, and a match.",
           "It can't speak for other lenses or other light.",
           light,
           2,
           2,
           2,
           false,
           true,
           Scene::Bench,
           {}},
          {TestKind::RollingShutter,
           "Rolling shutter",
           "Finds the readout time from the bars of a strobe of known frequency.",
           "It can't speak for other rasters or frame rates.",
           {"shutter"},
           0,
           0,
           1,
           false,
           true,
           Scene::Strobe,
           {kStrobe}},
          {TestKind::Infrared,
           "Infrared against ND",
           "Finds from which density on black cloth turns against white.",
           "It can't speak for lamps that send no infrared: use a filament lamp or the sun.",
           {"light", "iris", "shutter"},
           0,
           0,
           1,
           false,
           true,
           Scene::Bench,
           {"Sun: never point a lens or finder at it without protection; filament lamps stay hot, let them "
            "cool."}},
          {TestKind::ModePair,
           "Mode pair",
           "Finds what a setting does: two modes of a body at the same exposure.",
           "It can't say which of several settings did it, if more than one differs.",
           light,
           1,
           1,
           1,
           false,
           true,
           Scene::Bench,
           {}},
          {TestKind::PhotonTransfer,
           "Photon transfer",
           "Finds read noise, gain and full well of raw, in electrons, from an even field out of focus.",
           "It can't speak for a picture: a field has no colour, no detail and no face.",
           {"shutter", "light", "nd", "iris"},
           0,
           6,
           1,
           false,
           true,
           Scene::Field,
           {}},
          {TestKind::Check,
           "Guided check",
           "Keeps a look at focus, aliasing or sound as evidence.",
           "It measures nothing.",
           {},
           0,
           0,
           1,
           false,
           false,
           Scene::Bench,
           {}}};
}

}  // namespace

const std::vector<BlockTemplate>& blockTemplates() {
  static const std::vector<BlockTemplate> all = build();
  return all;
}

const BlockTemplate& blockOf(TestKind kind) {
  return blockTemplates()[static_cast<size_t>(kind)];
}

const char* wordOf(TestKind kind) {
  static constexpr const char* words[] = {
      "bracket",        "wedge",           "iso-ladder", "iso-sweep",       "push-pair",
      "highlight-pair", "twins",           "body-match", "rolling-shutter", "infrared",
      "mode-pair",      "photon-transfer", "check"};
  return words[static_cast<size_t>(kind)];
}

std::optional<TestKind> parseTestKind(const std::string& word) {
  for (const auto& b : blockTemplates())
    if (word == wordOf(b.kind)) return b.kind;
  return std::nullopt;
}

TestKind testKindOf(const std::string& word) {
  if (const auto kind = parseTestKind(word)) return *kind;
  throw Error("there is no test of the kind \"" + word + "\"", "", "tests", "choose one of the listed kinds");
}

const char* wordOf(Scene scene) {
  constexpr const char* kWords[] = {"bench", "wedge", "strobe", "even field"};
  return kWords[static_cast<int>(scene)];
}

const std::string& cautionDeferral() {
  static const std::string words =
      "Local codes and licensed practice stand above this plan; mains work belongs to licensed people.";
  return words;
}

}  // namespace edge
