// The plan written backwards from a finished shoot: a recipe whose tests are those that were shot, so that
// board, proposals of finer steps and a second day work as if it had been planned.
#pragma once
#include "plan/plan.h"
#include "project/project.h"

namespace edge {

// What the clips of a configuration are, beside its records.
struct ShotWith {
  PixelFormat format;
  double fps = 0;
  double step = 0;              // of the exposures; 0: none fits
  std::vector<double> missing;  // steps that no clip has
};

// `shot`: of each configuration. Those of unknown ISO are left out: nothing can be planned for them. Lens and
// lamps are not known from clips: one lens is named as not said. The curve files are relative to the
// project's folder.
[[nodiscard]] nlohmann::json recipeOfShoot(const std::vector<Configuration>& configurations,
                                           const std::vector<ShotWith>& shot, const std::string& title);

// Gives every record without a slate that of its take in the plan, if no other has it; what has no place
// there keeps none. Returns how many got one.
size_t linkToPlan(std::vector<Configuration>& configurations, const Recipe& recipe, const Plan& plan);

}  // namespace edge
