// Charts and wedges found by looking, where nobody has marked them yet. What light the patches have is
// never guessed: a wedge without its steps waits for them (hasWedge in analysis.h).
#pragma once
#include "chart/lattice.h"
#include "project/project.h"

namespace edge {

struct LookedFor {
  std::optional<FoundLattice> wedge;  // where there is a wedge clip and one was seen
  std::optional<FoundLattice> chart;  // of the base; of a chart of 24 patches only rows and patches
};

// Marks what `c` lacks: the wedge on its clip; chart and its neutral patches on the base. The curve may be
// unknown. `step`: stops from patch to patch of the wedge, as a person says; nothing: left open.
LookedFor placeByLooking(Configuration& c, const std::filesystem::path& folder, std::optional<double> step,
                         const Progress& progress);

// The wedge alone or the chart alone, in place of what was marked. nullopt: nothing certain is seen.
[[nodiscard]] std::optional<FoundLattice> lookForWedge(const Configuration& c,
                                                       const std::filesystem::path& folder,
                                                       const Progress& progress);
[[nodiscard]] std::optional<FoundLattice> lookForChart(const Configuration& c,
                                                       const std::filesystem::path& folder,
                                                       const Progress& progress);

// stops of patch k = -k step, k from 0. No step is known, or all are as setSteps made them: isEvenlyStepped.
void setSteps(Chart& wedge, double step);
[[nodiscard]] bool isEvenlyStepped(const Chart& wedge);
// The usual step nearest to what the clip shows, where its curve is known and one fits; a proposal.
[[nodiscard]] std::optional<double> usualStep(const FoundLattice& wedge);

}  // namespace edge
