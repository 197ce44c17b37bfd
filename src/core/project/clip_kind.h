// What a clip of a configuration is for. Wedge, black, base and takes are measured; the other kinds are kept
// with their test.
#pragma once
#include <string>

#include "plan/blocks.h"

namespace edge {

enum class ClipKind {
  Wedge,
  Black,
  Base,
  BaseRepeat,
  Take,
  IsoLadder,
  IsoSweep,
  PushPair,
  HighlightPair,
  Twins,
  BodyMatch,
  RollingShutter,
  Infrared,
  ModePair,
  PhotonTransfer,
  Check
};
[[nodiscard]] const char* wordOf(ClipKind kind);  // in files: "base-repeat", "iso-ladder"
// Errors: a word that no version of the program wrote.
[[nodiscard]] ClipKind clipKindOf(const std::string& word);
// Of a test whose takes are neither a bracket nor a wedge.
[[nodiscard]] ClipKind clipKindOf(TestKind test);

}  // namespace edge
