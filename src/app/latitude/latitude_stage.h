// Stage Latitude: the bracket on the ruler and as a contact strip; base, as shot and brought back side by
// side; verdicts by branch and profile, reasons, the person's own; the two edges.
#pragma once
#include <QButtonGroup>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QStackedWidget>
#include <QTableView>

#include "latitude/choice_bar.h"
#include "latitude/compare_panel.h"
#include "latitude/contact_strip.h"
#include "latitude/criteria_panel.h"
#include "latitude/stress_panel.h"
#include "latitude/take_pictures.h"
#include "latitude/take_table.h"
#include "latitude/trace_panel.h"
#include "ruler/ruler_widget.h"
#include "shell/stage.h"
#include "widgets/explain_panel.h"
#include "widgets/figure_row.h"

namespace edge::app {

class LatitudeStage : public Stage {
  Q_OBJECT
 public:
  explicit LatitudeStage(Document& document, QWidget* parent = nullptr);

  [[nodiscard]] QString name() const override { return "Latitude"; }
  [[nodiscard]] QString state() const override;
  [[nodiscard]] std::vector<Command> commands() override;
  void setTheme(const Theme& theme) override;
  [[nodiscard]] QString selectedTake() const { return take_; }
  [[nodiscard]] Branch branch() const { return branch_; }
  void chooseBranch(Branch branch);
  void countFrom(const QString& base);
  // From so many stops above where it counts from now; a named base near it is taken.
  void countFromMoved(double stops);
  enum Panel { Takes, Criteria, Trace, Compare, Stress };
  void showPanel(Panel panel);
  void exportCorrections(const std::filesystem::path& folder);

 protected:
  void resizeEvent(QResizeEvent* event) override;
  void showEvent(QShowEvent* event) override;
  void hideEvent(QHideEvent* event) override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void build();
  QWidget* buildVerdictBar();
  QWidget* buildPanels();
  QWidget* buildFigures();
  void buildTable();
  void refresh();
  void refreshTake();
  void refreshCompare();
  void refreshRuler(double held = 0);
  void refreshStrip();
  void refreshFigures();
  void refreshVerdict();
  void share();
  void select(const QString& take);
  void step(int by);
  void judge(std::optional<Verdict> verdict);
  void askForFolder();

  Document& document_;
  BracketView view_;
  Branch branch_ = Branch::Exposure;
  QString base_;  // that stops count from; empty: the bracket's own
  QString take_;
  bool stale_ = true;  // something changed while it was not seen
  TakeModel* model_;
  NearnessDelegate* nearness_;
  RulerWidget* ruler_;
  ChoiceBar* choice_;
  ContactStrip* strip_;
  Inviting* inviting_;
  TakePictures* pictures_;
  QWidget* lower_;
  QTableView* table_;
  CriteriaPanel* criteria_;
  TracePanel* trace_;
  ComparePanel* compare_;
  StressPanel* stress_;
  QStackedWidget* panels_;
  QButtonGroup* panelButtons_;
  QLabel *verdict_, *warnings_;
  QLineEdit* reason_;
  QPushButton* judged_[3];
  QPushButton* takeBack_;
  ExplainPanel* explain_;
  std::vector<FigureRow*> figures_;
};

}  // namespace edge::app
