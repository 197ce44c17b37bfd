// The plan: tests of a recipe become series, series become takes with settings, takes become a run order,
// with everything that stands in the way or wants care. Pure: same recipe, same plan.
#pragma once
#include <string>
#include <vector>

#include "base/progress.h"
#include "plan/blocks.h"
#include "plan/forecast.h"
#include "plan/route.h"

namespace edge {

inline constexpr size_t kTakesLimit = 20000;

enum class TakeRole { Base, Step, Wedge, Black, Check };

struct Take {
  int number = 0;  // in run order, from 1
  size_t series = 0;
  TakeRole role = TakeRole::Step;
  int baseIndex = -1;       // of bases: 0 first, 1 middle, 2 last of its set-up
  std::string name;         // "p3", "m0.33", "base", "base-mid", "iso1000", "wedge"
  std::string slate;        // what is written on the slate
  double plannedStops = 0;  // light from the base
  double iso = 0;           // of this take
  int setup = 0;
  TakeSettings settings;
  double lightStops = 0, gainStops = 0;  // recomputed from settings against its base
  double errorStops = 0;
  std::vector<Control> changed;
  std::string note;
  double startSeconds = 0, seconds = 0;  // filled by the order
  double bytes = 0;
};

// One test in one configuration: takes that are compared with each other.
struct TestSeries {
  size_t test = 0, body = 0, mode = 0;
  double iso = 0;  // as named; base of the series
  TestKind kind = TestKind::Bracket;
  Route route;
  RouteRequest request;
  [[nodiscard]] std::string label(
      const Recipe& recipe) const;  // "Corvane 35 · log · ISO 500", "... · 3200 K"
  [[nodiscard]] std::string light(const Recipe& recipe) const;  // "3200 K"; empty: no light of its own
};

enum class Severity { Caution, Warning, Stop };  // Stop: that take can't be shot as asked

struct Problem {
  std::string code;  // "impossible-step", "gain-not-exposure", "flicker", ...
  Severity severity = Severity::Caution;
  std::string where;  // configuration or part of the recipe
  std::string words;
  double shortBy = 0;
  std::vector<Rescue> remedies;
};

enum class CellState { Planned, Impossible, Skipped, NotAsked };
struct CoverageCell {
  double stops = 0;
  CellState state = CellState::NotAsked;
  std::string control;  // "light", "light+nd", "base"
  std::string reason;   // why it is empty
  int take = -1;        // index in Plan::takes
};
struct CoverageRow {
  std::string label, body, mode, light;
  double iso = 0;
  std::optional<Headroom> headroom;
  std::vector<CoverageCell> cells;         // by stops, rising
  [[nodiscard]] std::string note() const;  // "log · ISO 500", "... · 3200 K"
};

struct CardUse {
  std::string body;
  double bytes = 0;
  double minutes = 0;
  int cards = 0;              // 0: no card is listed
  double minutesPerCard = 0;  // at the mean data rate of its takes, less what is kept free
};

struct Totals {
  double seconds = 0, bytes = 0;
  int relights = 0, bodyChanges = 0, cardChanges = 0, chartChanges = 0, modeChanges = 0, dims = 0;
  std::vector<CardUse> cards;
};

struct ProtocolLine {
  std::string question, answer;
};
struct Protocol {
  int version = 1;
  std::vector<ProtocolLine> lines;
  std::string key;  // equal keys: results may be compared
};

struct Plan {
  std::vector<TestSeries> series;
  std::vector<Take> takes;  // in run order
  std::vector<Problem> problems;
  std::vector<std::string> shortened;  // what the time budget cost
  std::vector<CoverageRow> coverage;
  std::vector<std::string> checklist;
  Totals totals;
  Protocol protocol;
};

// Errors: more takes than kTakesLimit. Everything else that is wrong with a plan is a Problem in it.
[[nodiscard]] Plan makePlan(const Recipe& recipe, const Knowledge& known = {}, const Progress& progress = {});

// nullptr: the plan has no such take.
[[nodiscard]] const Take* takeOfSlate(const Plan& plan, const std::string& slate);

// TestSeries of one test, solved; not yet takes.
[[nodiscard]] std::vector<TestSeries> seriesOfTest(const Recipe& recipe, size_t test, const Knowledge& known);
// What a time budget may leave out.
struct Thinning {
  bool middleBases = true;
  double step = 0;      // steps of brackets that are no multiples of it are left out; 0: all are kept
  size_t tests = 1000;  // tests kept, in the order of the recipe
};
// Takes of all series in the order of the tests, as a person would list them.
[[nodiscard]] std::vector<Take> takesOf(const Recipe& recipe, const std::vector<TestSeries>& series,
                                        const Thinning& thinning);
[[nodiscard]] const Skip* skippedBy(const Recipe& recipe, const std::string& label, double stops);

// Of the recipe, with the remedies tried out.
[[nodiscard]] std::vector<Problem> guardsOf(const Recipe& recipe, const Plan& plan, const Knowledge& known);
[[nodiscard]] std::vector<CoverageRow> coverageOf(const Recipe& recipe, const Plan& plan,
                                                  const Knowledge& known);
[[nodiscard]] std::vector<std::string> checklistOf(const Recipe& recipe);
[[nodiscard]] Protocol protocolOf(const Recipe& recipe);
// Where two protocols differ, in words; empty: comparable.
[[nodiscard]] std::vector<std::string> protocolDifferences(const Protocol& a, const Protocol& b);

// Steps of a bracket: -under .. +over in steps from 0, both ends and extras included, rising.
[[nodiscard]] std::vector<double> stepsOf(const TestSpec& test);
[[nodiscard]] std::string takeName(double stops);  // "p3", "m0.33", "base"

// Light of the fixed lamps against the subject at this take: + means they creep up.
struct FixedRise {
  std::string lamp;
  double stops = 0;
};
[[nodiscard]] std::vector<FixedRise> fixedLampRise(const Recipe& recipe, const TestSeries& series,
                                                   const Take& take);
// What this take's controls do besides exposure.
[[nodiscard]] std::vector<std::string> sideEffectsOf(const Recipe& recipe, const Plan& plan,
                                                     const Take& take);
[[nodiscard]] std::vector<std::string> cautionsOf(const Recipe& recipe, const Plan& plan, const Take& take);

// Grey level to expect on the camera, with its scale: "41 %" of "log code"; nullopt where nothing is known.
struct ExpectedLevel {
  double percent = 0;
  std::string scale;
  bool clips = false;  // the tone stands at the clip, as far as that is known
};
[[nodiscard]] std::optional<ExpectedLevel> expectedGrey(const Recipe& recipe, const Plan& plan,
                                                        const Take& take, const Knowledge& known);
// As above, of a tone so many stops from grey.
[[nodiscard]] std::optional<ExpectedLevel> expectedLevel(const Recipe& recipe, const Plan& plan,
                                                         const Take& take, const Knowledge& known,
                                                         double toneStops);
// Tones a level or spot meter is held against: "grey card", "face: Ada", "white". nullopt: no tone of these.
[[nodiscard]] std::optional<double> toneStops(const Recipe& recipe, const std::string& position);
[[nodiscard]] std::vector<std::string> tonePositions(const Recipe& recipe);

}  // namespace edge
