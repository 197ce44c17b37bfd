// What the tests found, as rows and cards: the edge board, CSV, JSON. No drawing here.
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "project/noise_project.h"

namespace edge {

// A labelled figure of a card: "Dynamic range", "12.3 ±0.1 stops", small print below.
struct CardLine {
  std::string label, value, note;
};

// One configuration with all that is known of it.
struct Finding {
  Configuration configuration;
  std::optional<WedgeMeasure> wedge;
  std::optional<RangeResult> range;
  std::optional<WedgeMeasure> black;  // cap-on, at the places of the wedge
  // The same clip at the project's delivery raster, where one was chosen and measured.
  std::optional<WedgeMeasure> rasterWedge;
  std::optional<RangeResult> rasterRange;
  std::optional<double> claimStops;  // what was published of it, typed in
  std::optional<int> ownCount;       // steps a person sees
  std::optional<LatitudeMeasure> latitudeMeasure;
  std::optional<LatitudeResult> latitude;
  std::optional<Edges> toolEdges;  // before a person's verdicts, where there are such
  CriteriaProfile profile;         // by which it was judged
  // Stops by which the base was metered over grey, as the plan says: latitude counts from the base, range
  // from grey.
  double baseAboveGrey = 0;
  std::optional<double> baseAperture;  // T-stop of the base, as the plan has it
  std::optional<double> greyCode;      // 0..1, of 18 % by the clip's log curve; nothing: linear or not known
  std::vector<CardLine> fromNoise;     // what the noise of its body and mode says, for its card (addNoise)
};

[[nodiscard]] std::vector<Finding> collectFindings(const Project& project);
// One of them, as stored; its range is yet to be worked out (analyseRanges).
[[nodiscard]] Finding collectFinding(const Project& project, Configuration configuration);
// Claim, own count, criteria and verdicts as they are now; what was measured stays.
void decideAgain(const Project& project, Finding& finding);
// Of a project that is only looked at: its figures as they were stored, no other file read. fits: they are
// of this method and of what the project holds.
[[nodiscard]] Finding recordedFinding(const Project& project, Configuration configuration, bool* fits);
// Native ISOs, clean zones, ND and punch-in of each finding's body and mode.
void addNoise(std::vector<Finding>& findings, const std::vector<NoiseFinding>& noise);
// The arithmetic of all ranges again, for other options.
void analyseRanges(std::vector<Finding>& findings, const RangeOptions& options);
void analyseRanges(Finding& finding, const RangeOptions& options);

// A card for the cart: what is read at arm's length, then the rest. Stops from grey.
struct ExposureCard {
  std::string title;
  std::vector<CardLine> large;  // lower edge, upper edge, clip, rating
  std::vector<CardLine> lines;
  std::vector<std::string> advice;
  std::vector<std::string> notEstablished;  // what this test does not show
};
[[nodiscard]] ExposureCard cardOf(const Finding& finding);

// "12.3 ±0.1 stops", "at least 5.0 stops", "not measured".
[[nodiscard]] std::string limitWords(const std::optional<Limit>& limit, bool sign = false);
// The same without the unit.
[[nodiscard]] std::string limitFigure(const std::optional<Limit>& limit, bool sign = false);

// Edge board as CSV (RFC 4180) with a header line.
[[nodiscard]] std::string boardCsv(const std::vector<Finding>& findings);
[[nodiscard]] std::string takesCsv(const std::vector<Finding>& findings);
[[nodiscard]] nlohmann::json findingsJson(const std::vector<Finding>& findings);

}  // namespace edge
