#include "recover/propose.h"

#include <algorithm>
#include <cmath>

namespace edge {
namespace {

constexpr double kWide = 0.5;      // stops between good and bad that are worth another take
constexpr double kAlready = 0.17;  // nearer than half a third to a take that was shot: it tells nothing new

void addBetween(double good, double bad, std::vector<double>& takes) {
  const double low = std::min(good, bad), high = std::max(good, bad);
  for (double third = std::ceil(low * 3); third <= high * 3; ++third)
    if (third / 3 > low + kAlready && third / 3 < high - kAlready) takes.push_back(third / 3);
}

}  // namespace

std::vector<double> finerTakes(const Edges& e) {
  std::vector<double> takes;
  for (const auto& [edge, sign] : {std::pair(&e.under, -1.0), std::pair(&e.over, 1.0)}) {
    if (!edge->estimate) continue;  // the base fails there: no take helps
    const double good = edge->lastGood.value_or(0);
    if (edge->firstBad && std::abs(*edge->firstBad - good) > kWide)
      addBetween(good, *edge->firstBad, takes);
    else if (edge->estimate->atLeast)
      for (const double beyond : {1.0, 2.0}) takes.push_back(std::round(3 * (good + sign * beyond)) / 3);
  }
  std::sort(takes.begin(), takes.end());
  return takes;
}

}  // namespace edge
