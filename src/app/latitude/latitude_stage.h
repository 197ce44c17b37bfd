// Stage Latitude: the bracket on the ruler; base, as shot and brought back side by side; verdict, reasons,
// override; the two edges.
#pragma once
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableView>

#include "latitude/take_table.h"
#include "ruler/ruler_widget.h"
#include "shell/job.h"
#include "shell/stage.h"
#include "widgets/explain_panel.h"
#include "widgets/figure_row.h"
#include "widgets/picture_view.h"

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

 protected:
  void resizeEvent(QResizeEvent* event) override;
  void showEvent(QShowEvent* event) override;

 private:
  void togglePictureSize();
  void build();
  QWidget* buildVerdictBar();
  void refresh();
  void refreshFigures(const Finding& f);
  void refreshVerdict();
  void share();
  void select(const QString& take);
  void step(int by);
  void judge(std::optional<Verdict> verdict);
  void loadPictures();

  Document& document_;
  TakeModel* model_;
  RulerWidget* ruler_;
  Inviting* inviting_;
  QWidget* lower_;
  PictureView *base_, *shot_, *back_;
  QTableView* table_;
  QLabel *verdict_, *warnings_;
  QLineEdit* reason_;
  QPushButton* judged_[3];
  QPushButton* takeBack_;
  ExplainPanel* explain_;
  std::vector<FigureRow*> figures_;
  Job pictureJob_;
  bool actualSize_ = false;
  QString take_;
  std::string shown_;
};

}  // namespace edge::app
