// One wedge: picture with its classes, level trace, SNR over stops with a threshold to drag, steps, all
// figures by all conventions, and what limits them.
#pragma once
#include <QButtonGroup>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QStackedWidget>
#include <QTableView>

#include "range/step_model.h"
#include "range/step_panel.h"
#include "widgets/explain_panel.h"
#include "widgets/figure_row.h"
#include "widgets/picture_view.h"

namespace edge::app {

class WedgePage : public QWidget {
  Q_OBJECT
 public:
  explicit WedgePage(Document& document, QWidget* parent = nullptr);
  void setTheme(const Theme& theme);
  void nextUnit();
  void togglePictureSize();
  void choosePatch(const QString& name);
  enum Side { WhereFrom, Honesty, Step };
  void showSide(Side side);
  [[nodiscard]] StepPanel& stepPanel() { return *step_; }
  [[nodiscard]] QString honesty() const { return honesty_->toPlainText(); }

 signals:
  void figureAsked(const QString& key);

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  QWidget* buildPanel();
  QWidget* buildTyped(QWidget* panel);
  QLayout* buildSides(QWidget* panel);
  void refresh();
  void refreshFigures(const Finding& f);
  void refreshHonesty(const Finding& f);
  void refreshTyped();
  void refreshTrace();
  void refreshRegions(const Finding& f);
  void clearFigures();
  void loadPicture();
  FigureRow* row(const char* key);

  Document& document_;
  StepModel model_;
  PictureView* picture_;
  Plot *trace_, *snr_;
  QTableView* table_;
  QComboBox *unit_, *raster_;
  QLineEdit *claim_, *count_;
  QLabel* typed_;
  ExplainPanel* explain_;
  QTextBrowser* honesty_;
  StepPanel* step_;
  QStackedWidget* sides_;
  QButtonGroup* sideButtons_;
  std::vector<FigureRow*> figures_;
  Job pictureJob_;
  QString chosenPatch_;
  std::optional<std::string> shownClip_;  // and how it is decoded
};

}  // namespace edge::app
