// What stage Latitude looks at: the current configuration's bracket by the chosen branch, counted from the
// chosen base. Worked out once for all its parts; nothing is stored.
#pragma once
#include "recover/restate.h"
#include "shell/document.h"

namespace edge::app {

struct BracketView {
  const Finding* finding = nullptr;  // nullptr: nothing measured
  Branch branch = Branch::Exposure;
  NewBase base;                           // what stops count from
  std::array<LatitudeResult, 4> results;  // by branch, counted from the bracket's own base
  std::vector<size_t> order;              // takes by planned stops, darkest first

  [[nodiscard]] const LatitudeMeasure& measure() const { return *finding->latitudeMeasure; }
  [[nodiscard]] const LatitudeResult& result() const { return results[static_cast<size_t>(branch)]; }
  // The take by the branch; by exposure alone where that could not be solved.
  [[nodiscard]] const TakeMetrics& take(size_t i) const {
    const TakeMetrics* m = measure().of(i, branch);
    return m ? *m : measure().takes[i];
  }
  [[nodiscard]] int indexOf(const QString& take) const;  // -1: there is none
};

[[nodiscard]] BracketView bracketViewOf(const Document& document, Branch branch, const QString& base);

}  // namespace edge::app
