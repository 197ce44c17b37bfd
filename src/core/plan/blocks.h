// The tests one can ask for, each a template: what it finds out, what it can't, sensible defaults, cautions.
#pragma once
#include <optional>
#include <string>
#include <vector>

namespace edge {

enum class TestKind {
  Bracket,
  Wedge,
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
[[nodiscard]] const char* wordOf(TestKind kind);  // in files: "iso-ladder"
[[nodiscard]] std::optional<TestKind> parseTestKind(const std::string& word);
[[nodiscard]] TestKind testKindOf(const std::string& word);  // throws Error where there is none

enum class Scene { Bench, Wedge, Strobe, Field };  // what stands before the lens
[[nodiscard]] const char* wordOf(Scene scene);

struct BlockTemplate {
  TestKind kind;
  std::string title;
  std::string finds, cannot;  // one sentence each
  std::vector<std::string> controls;
  double over = 0, under = 0, step = 1;
  bool onRuler = false;  // its steps are exposures from base: cells of the coverage board
  bool measured = true;  // false: a guided check with an evidence slot
  Scene scene = Scene::Bench;
  std::vector<std::string> cautions;
};

// In the order of TestKind.
[[nodiscard]] const std::vector<BlockTemplate>& blockTemplates();
[[nodiscard]] const BlockTemplate& blockOf(TestKind kind);

// Shown with every caution: local codes and licensed practice stand above this program.
[[nodiscard]] const std::string& cautionDeferral();

}  // namespace edge
