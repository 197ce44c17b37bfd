// Plan: ingredients, the coverage board on the stop ruler, what stands in the way, the run list.
#pragma once
#include <QButtonGroup>
#include <QLabel>
#include <QListView>
#include <QPushButton>
#include <QScrollArea>
#include <QStackedWidget>
#include <QTableView>
#include <QTextBrowser>

#include "plan/planner.h"
#include "plan/problem_list.h"
#include "plan/recipe_tree.h"
#include "plan/run_table.h"
#include "plan/take_panel.h"
#include "ruler/ruler_widget.h"
#include "shell/stage.h"
#include "widgets/when_seen.h"

namespace edge::app {

class PlanStage : public Stage {
  Q_OBJECT
 public:
  explicit PlanStage(Document& document, QWidget* parent = nullptr);
  [[nodiscard]] QString name() const override { return "Plan"; }
  [[nodiscard]] QString state() const override;
  [[nodiscard]] std::vector<Command> commands() override;
  void setTheme(const Theme& theme) override;

  [[nodiscard]] Planner& planner() { return planner_; }
  [[nodiscard]] RecipeTree& tree() { return *tree_; }
  void importRecipe(const std::filesystem::path& file);
  enum class Export { Pdf, Csv, Recipe };
  void exportTo(Export kind, const std::filesystem::path& file);
  void choose(int row, int cell);
  void askImport();
  void showPage(int page);  // 0 problems, 1 run list, 2 checklist, 3 protocol

 protected:
  void keyPressEvent(QKeyEvent* event) override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  QWidget* buildHead();
  QWidget* buildPages();
  void refresh();
  void refreshBoard();
  void refreshHead();
  void refreshPages();
  void refreshChecks();
  void skipCell();
  void askReason(const nlohmann::json& recipe, const QString& what);
  void addFiner();
  void ask(Export kind);
  void guarded(const std::function<void()>& body);

  Document& document_;
  Planner planner_;
  RulerWidget* board_;
  QScrollArea* scroll_;
  QLabel *headline_, *totals_;
  QPushButton *usual_, *finer_;
  RecipeTree* tree_;
  QButtonGroup* pageGroup_;
  QStackedWidget* pages_;
  ProblemList* problems_;
  QTableView* runTable_;
  RunModel run_;
  QListView* checkView_;
  ChecklistModel checks_;
  QTextBrowser *protocol_, *light_;
  WhenSeen *protocolSeen_, *lightSeen_;
  TakePanel* take_;
  int row_ = -1, cell_ = -1;
};

}  // namespace edge::app
