// The tests one can ask for, each a template: what it finds out, what it can't, sensible defaults, cautions.
#pragma once
#include <string>
#include <vector>

namespace edge {

struct BlockTemplate {
  std::string kind, title;
  std::string finds, cannot;  // one sentence each
  std::vector<std::string> controls;
  double over = 0, under = 0, step = 1;
  bool onRuler = false;  // its steps are exposures from base: cells of the coverage board
  bool measured = true;  // false: a guided check with an evidence slot
  std::string scene;     // "bench", "wedge", "strobe": what stands before the lens
  std::vector<std::string> cautions;
};

[[nodiscard]] const std::vector<BlockTemplate>& blockTemplates();
// Throws Error for an unknown kind.
[[nodiscard]] const BlockTemplate& blockOf(const std::string& kind);

// Shown with every caution: local codes and licensed practice stand above this program.
[[nodiscard]] const std::string& cautionDeferral();

}  // namespace edge
