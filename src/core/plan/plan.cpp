#include "plan/plan.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "base/error.h"
#include "base/numbers.h"
#include "plan/order.h"

namespace edge {
namespace {

// Counted before anything is solved, so that an absurd recipe is refused at once.
size_t roughCount(const Recipe& r) {
  double count = 0;
  for (const auto& t : r.tests) {
    const double steps =
        blockOf(t.kind).onRuler ? (t.over + t.under) / t.step + static_cast<double>(t.extra.size()) + 4 : 4;
    for (const auto& b : r.bodies) {
      const auto isos =
          static_cast<double>(std::max<size_t>(1, t.isos.empty() ? b.circuits.size() : t.isos.size()));
      count += steps * isos * static_cast<double>(b.modes.size());
    }
  }
  return static_cast<size_t>(count);
}

double edgeError(double step) {
  return step / std::sqrt(12.0);  // an edge lies anywhere between two takes
}

class Planner {
 public:
  Planner(const Recipe& recipe, const Knowledge& known, const Progress& progress)
      : recipe_(recipe), known_(known), progress_(progress) {}

  Plan run() {
    const size_t count = roughCount(recipe_);
    if (count > kTakesLimit)
      throw Error(fmt::format("this plan would have about {} takes; {} is the most", count, kTakesLimit),
                  recipe_.file, "tests", "use larger steps, fewer ISOs, or several recipes");
    for (size_t t = 0; t < recipe_.tests.size(); ++t) {
      progress_.report(0.6 * static_cast<double>(t) / static_cast<double>(recipe_.tests.size()),
                       "finding settings");
      auto series = seriesOfTest(recipe_, t, known_);
      std::move(series.begin(), series.end(), std::back_inserter(plan_.series));
    }
    fit();
    progress_.report(0.9, "checking");
    plan_.coverage = coverageOf(recipe_, plan_, known_);
    plan_.checklist = checklistOf(recipe_);
    plan_.protocol = protocolOf(recipe_);
    plan_.problems = guardsOf(recipe_, plan_, known_);
    return std::move(plan_);
  }

 private:
  void arrange(const Thinning& thinning) {
    plan_.takes = takesOf(recipe_, plan_.series, thinning);
    orderTakes(recipe_, plan_, progress_);
  }

  [[nodiscard]] bool fits() const {
    return !recipe_.budgetMinutes || plan_.totals.seconds <= *recipe_.budgetMinutes * 60;
  }

  // A time budget is met by leaving out what costs least precision first, and says what it costs.
  void fit() {
    Thinning thin;
    arrange(thin);
    if (fits()) return;
    thin.middleBases = false;
    arrange(thin);
    plan_.shortened.push_back(
        "no base in the middle of a series: a drift of the light shows only between start and end");
    double finest = 1e9;
    for (const auto& t : recipe_.tests)
      if (blockOf(t.kind).onRuler) finest = std::min(finest, t.step);
    for (double step : {1.0, 2.0}) {
      if (fits()) return;
      if (finest >= step) continue;
      thin.step = step;
      arrange(thin);
      plan_.shortened.push_back(fmt::format(
          "steps of {:g} instead of {:g} stop: an edge is known to \u00b1{:.2f} instead of \u00b1{:.2f} stop",
          step, finest, edgeError(step), edgeError(finest)));
    }
    for (size_t keep = recipe_.tests.size(); keep > 1 && !fits();) {
      thin.tests = --keep;
      arrange(thin);
      const TestSpec& t = recipe_.tests[keep];
      plan_.shortened.push_back("left out: " + blockOf(t.kind).title +
                                ", with what it finds: " + blockOf(t.kind).finds);
    }
    if (!fits()) plan_.shortened.push_back("even so it takes longer than the time budget");
  }

  const Recipe& recipe_;
  const Knowledge& known_;
  const Progress& progress_;
  Plan plan_;
};

std::string controlWords(const SolvedStep& s) {
  std::string words;
  for (auto c : s.changed) words += (words.empty() ? "" : "+") + std::string(wordOf(c));
  return words.empty() ? "base" : words;
}

CoverageCell cellOf(const Recipe& recipe, const TestSeries& s, const SolvedStep& step,
                    const std::string& label) {
  CoverageCell c;
  c.stops = step.planned;
  if (const Skip* skip = skippedBy(recipe, label, step.planned)) {
    c.state = CellState::Skipped, c.reason = skip->reason;
  } else if (!step.possible) {
    c.state = CellState::Impossible;
    c.reason =
        step.shortBy > 0 ? fmt::format("{:.1f} stops short: {}", step.shortBy, step.limit) : step.limit;
  } else {
    c.state = CellState::Planned;
    c.control = controlWords(step);
    if (s.route.bases.size() > 1) c.reason = step.setup == 0 ? "over set-up" : "under set-up";
  }
  return c;
}

}  // namespace

Plan makePlan(const Recipe& recipe, const Knowledge& known, const Progress& progress) {
  return Planner(recipe, known, progress).run();
}

const Take* takeOfSlate(const Plan& plan, const std::string& slate) {
  for (const auto& t : plan.takes)
    if (t.slate == slate) return &t;
  return nullptr;
}

std::string CoverageRow::note() const {
  return fmt::format("{} · ISO {:g}{}", mode, iso, light.empty() ? "" : " · " + light);
}

std::vector<CoverageRow> coverageOf(const Recipe& recipe, const Plan& plan, const Knowledge& known) {
  std::vector<CoverageRow> rows;
  std::set<double> columns;
  for (const auto& s : plan.series)
    if (blockOf(s.kind).onRuler)
      for (const auto& step : s.route.steps) columns.insert(step.planned);
  for (size_t i = 0; i < plan.series.size(); ++i) {
    const TestSeries& s = plan.series[i];
    const BodySpec& body = recipe.bodies[s.body];
    const std::string label = s.label(recipe);
    auto row = std::find_if(rows.begin(), rows.end(), [&](const CoverageRow& r) { return r.label == label; });
    if (row == rows.end()) {
      rows.push_back({label,
                      body.name,
                      body.modes[s.mode].name,
                      s.light(recipe),
                      s.iso,
                      headroomAt(body, body.modes[s.mode], s.iso, known),
                      {}});
      row = rows.end() - 1;
      for (double c : columns)
        row->cells.push_back({c, CellState::NotAsked, "", "not asked for by any test", -1});
    }
    if (!blockOf(s.kind).onRuler) continue;
    for (const auto& step : s.route.steps)
      for (auto& cell : row->cells)
        if (cell.stops == step.planned && cell.state != CellState::Planned)
          cell = cellOf(recipe, s, step, label);
    for (size_t t = 0; t < plan.takes.size(); ++t) {
      const Take& take = plan.takes[t];
      if (take.series != i || take.role == TakeRole::Check) continue;
      for (auto& cell : row->cells)
        if (cell.stops == take.plannedStops && cell.take < 0) cell.take = static_cast<int>(t);
    }
    for (auto& cell : row->cells)
      if (cell.state == CellState::Planned && cell.take < 0)
        cell.state = CellState::Skipped, cell.reason = "left out for the time budget";
  }
  return rows;
}

}  // namespace edge
