// Ranges of several configurations beside each other: differences with their errors, what changes from ISO to
// ISO, claims and own counts against what was measured.
#pragma once
#include "report/findings.h"

namespace edge {

// a - b. Equal within error: less than two standard errors apart.
struct RangeDifference {
  double stops = 0, sigma = 0;
  bool known = false;                    // false: not measured, or both ends open
  bool atLeast = false, atMost = false;  // one of the two is "at least"
  bool equal = false;
};
[[nodiscard]] RangeDifference difference(const std::optional<Limit>& a, const std::optional<Limit>& b);
[[nodiscard]] std::string wordsOf(
    const RangeDifference& d);  // "+0.4 ±0.1", "equal within error", "at least +0.4"

// From one ISO to the next of the same body and mode. Within one gain circuit the room above grey grows and
// the room below shrinks by the ISO's ratio (docs/method.md, "Stops"); what is beyond that is another
// circuit.
struct IsoStep {
  size_t from = 0, to = 0;            // findings
  double ratioStops = 0;              // log2 of the ISOs' ratio
  std::optional<Limit> above, below;  // change of the room
  std::optional<Limit> jump;          // below, beyond what one circuit would give
  bool circuit = false;               // the jump is larger than half a stop and three standard errors
  std::string words;
};
[[nodiscard]] std::vector<IsoStep> isoSteps(const std::vector<Finding>& findings);

// "Corvane 35 log 500".
[[nodiscard]] std::string shortLabel(const Configuration& c);

// How the figure is named by convention, and which of them is the headline here.
struct Convention {
  std::string key, name;  // key as in explain()
  std::optional<Limit> limit;
  bool chosen = false;
  std::string note;
};
[[nodiscard]] std::vector<Convention> conventionsOf(const Finding& finding, const RangeOptions& options);

// Claim and count of a person against the measured figures.
[[nodiscard]] std::string claimWords(const Finding& finding);
[[nodiscard]] std::string countWords(const Finding& finding);

// The comparison as CSV, differences against the finding `reference`.
[[nodiscard]] std::string compareCsv(const std::vector<Finding>& findings, size_t reference);

}  // namespace edge
