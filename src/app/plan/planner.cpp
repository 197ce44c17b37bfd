#include "plan/planner.h"

#include <QDir>

#include "base/error.h"
#include "base/files.h"
#include "paper/run_list_page.h"
#include "report/known.h"

namespace edge::app {

Planner::Planner(Document& document, QObject* parent) : QObject(parent), document_(document) {
  connect(&document_, &Document::recipeChanged, this, [this] {
    preview_ = nullptr;
    plan();
  });
  connect(&document_, &Document::opened, this, [this] {
    planned_.reset();
    plan();
  });
  // What was measured since then is better than what was published. Held against what was asked last: a plan
  // under way may know what was taken back meanwhile.
  connect(&document_, &Document::findingsChanged, this, [this] {
    if (asked_ && !(knowledgeOf(document_.findings()) == *asked_)) plan();
  });
  connect(&job_, &Job::finished, this, [this] {
    busy_ = false;
    if (again_)
      begin();
    else
      emit busyChanged();
  });
  connect(&job_, &Job::failed, this,
          [this](const QString& problem, const QString& where, const QString& remedy) {
            busy_ = false;
            contradiction_ = {problem, where, remedy};
            emit planChanged();
            if (again_) begin();
          });
}

void Planner::edit(const nlohmann::json& recipe, const QString& words) {
  document_.setRecipe(recipe, words);
}

void Planner::patch(const nlohmann::json& patch, const QString& words) {
  edit(document_.recipe().patch(patch), words);
}

void Planner::preview(const nlohmann::json& recipe) {
  preview_ = recipe;
  plan();
}

void Planner::importFile(const std::filesystem::path& file) {
  const nlohmann::json j = readRecipeJson(file);
  (void)recipeFromJson(j, file);  // refused before anything is changed
  edit(j, "recipe imported from " + QString::fromStdString(file.filename().string()));
}

void Planner::exportFile(const std::filesystem::path& file) const {
  nlohmann::json recipe = document_.recipe();
  if (const std::string words = notice(); !words.empty()) recipe["remark"] = words;
  writeFileAtomically(file, recipe.dump(2) + "\n");
}

std::string Planner::notice() const {
  if (contradiction_.isEmpty()) return {};
  return "Not current: the recipe contradicts itself (" + contradiction_.join(", ").toStdString() + ")";
}

const Planned& Planner::plannedOrThrow() const {
  if (!planned_)
    throw Error("there is no run list yet", "the recipe", "",
                contradiction_.isEmpty() ? "say what there is, and what is to be tested"
                                         : "mend first: " + contradiction_.join(", ").toStdString());
  return *planned_;
}

void Planner::writeCsv(const std::filesystem::path& file) const {
  const Planned& p = plannedOrThrow();
  writeFileAtomically(file, runListCsv(p.recipe, p.plan, p.known, notice()));
}

void Planner::writePdf(const std::filesystem::path& file) const {
  const Planned& p = plannedOrThrow();
  writeRunListPdf(file, p.recipe, p.plan, p.known, notice());
}

std::vector<Planner::Finer> Planner::finer() const {
  std::vector<Finer> out;
  if (!planned_) return out;
  for (const auto& row : planned_->plan.coverage) {
    const auto known = planned_->known.by.find(configurationKey(row.body, row.mode, row.iso, row.light));
    if (known == planned_->known.by.end()) continue;
    std::vector<double> asked;
    for (const auto& c : row.cells)
      if (c.state != CellState::NotAsked) asked.push_back(c.stops);
    const auto steps = finerSteps(known->second, asked);
    if (!asked.empty() && !steps.empty()) out.push_back({row.body, row.mode, row.light, row.iso, steps});
  }
  return out;
}

void Planner::plan() {
  if (!document_.isOpen()) return;
  if (busy_) {
    // Given up at its next step; its end begins the newest.
    again_ = true;
    job_.cancel();
    return;
  }
  begin();
}

void Planner::begin() {
  busy_ = true, again_ = false;
  emit busyChanged();
  const auto file = document_.project().folder() / "recipe.json";
  asked_ = knowledgeOf(document_.findings());
  job_.start("planning", [this, j = recipe(), file, known = *asked_](const Progress& progress,
                                                                     const Job::Deliver& deliver) {
    auto made = std::make_shared<Planned>();
    made->recipe = recipeFromJson(j, file);
    made->plan = makePlan(made->recipe, known, progress);
    made->known = known;
    made->lines = runLines(made->recipe, made->plan, known);
    deliver([this, made] {
      planned_ = made;
      contradiction_.clear();
      emit planChanged();
    });
  });
}

}  // namespace edge::app
