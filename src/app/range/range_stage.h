// Stage Range: the wedge with its regions, the level trace, SNR over stops with a threshold to drag, the
// figures.
#pragma once
#include <QComboBox>
#include <QLabel>

#include "ruler/ruler_widget.h"
#include "shell/job.h"
#include "shell/stage.h"
#include "widgets/explain_panel.h"
#include "widgets/figure_row.h"
#include "widgets/picture_view.h"
#include "widgets/plot.h"

namespace edge::app {

class RangeStage : public Stage {
  Q_OBJECT
 public:
  explicit RangeStage(Document& document, QWidget* parent = nullptr);

  [[nodiscard]] QString name() const override { return "Range"; }
  [[nodiscard]] QString state() const override;
  [[nodiscard]] std::vector<std::pair<QString, QString>> keys() const override;
  void setTheme(const Theme& theme) override;

 protected:
  void keyPressEvent(QKeyEvent* event) override;

 private:
  void buildFigures(QWidget* panel);
  void refresh();
  void refreshFigures(const Finding& f);
  void refreshPlots(const Finding& f);
  void refreshTrace(const Finding& f);
  void refreshRegions(const Finding& f);
  void loadPicture();
  void choosePatch(const QString& name);

  Document& document_;
  RulerWidget* ruler_;
  PictureView* picture_;
  Plot *trace_, *snr_;
  QComboBox* unit_;
  ExplainPanel* explain_;
  QLabel* warnings_;
  std::vector<FigureRow*> figures_;
  Job pictureJob_;
  QString chosenPatch_;
  std::string shownClip_;
};

}  // namespace edge::app
