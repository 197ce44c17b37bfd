// The sums as sheets: named fields as typed, answers in words, and the working with the user's own numbers.
// A window or a script shows them; the arithmetic is in sums.h, meter.h and settings.h.
#pragma once
#include <functional>
#include <map>
#include <string>
#include <vector>

namespace edge {

struct SumField {
  std::string key, label, unit, initial;
  std::vector<std::string> choices;  // empty: free text
};

struct SumAnswer {
  std::string label, value;
};

// A figure of an answer that has a place in a recipe.
enum class RecipeFigure {
  Aperture,     // of the base, T-stop
  DataRate,     // Mb/s
  Nd,           // density
  KeyDistance,  // m
  KeyColour,    // K
  BaseShutter,  // degrees
  BaseOffset    // stops against the meter
};
struct SumForPlan {
  std::string words;  // "base aperture T2.8"
  RecipeFigure figure;
  double value = 0;
};

struct SumResult {
  std::vector<SumAnswer> answers;  // the first is the headline
  std::string working;             // "2 log2(2.83 / 4.00) = -1.00"
  std::string warning;             // limits of the sum, mistakes caught; empty: none
  std::vector<SumForPlan> forPlan;
};

struct SumSheet {
  std::string id, title, hint;
  std::vector<SumField> fields;
  // Throws UsageError naming the field that can't be read.
  std::function<SumResult(const std::map<std::string, std::string>&)> run;
};

[[nodiscard]] const std::vector<SumSheet>& sumSheets();

}  // namespace edge
