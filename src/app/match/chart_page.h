// Where the charts and objects lie on a configuration's clips: found, placed by corners, dragged, turned; and
// how they are followed on every other take, the nearly black ones included.
#pragma once
#include <QButtonGroup>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QSpinBox>

#include "chart/densities.h"
#include "project/place_charts.h"
#include "project/setup.h"
#include "shell/document.h"
#include "shell/job.h"
#include "widgets/region_editor.h"

namespace edge::app {

class ChartPage : public QWidget {
  Q_OBJECT
 public:
  explicit ChartPage(Document& document, QWidget* parent = nullptr);
  static constexpr const char* kWholeFace = "face (three parts)";  // drawn as a box, becomes its parts

  void refresh();
  void show(Placing what);
  [[nodiscard]] Placing placing() const { return what_; }
  void find();
  void placeByCorners();
  void loadChart(const std::filesystem::path& file);  // or densities of the one that is placed
  void typeDensities(const QString& text);            // of the chart that is placed
  void addObject(const QString& name);
  void useForAll();
  [[nodiscard]] RegionEditor& editor() { return *editor_; }
  [[nodiscard]] QString words() const;
  [[nodiscard]] bool busy() const { return job_.running() || pictureJob_.running(); }
  void lookAt(int take);  // index of the list "seen on"; 0: the clip that is edited
  void setTheme(const Theme& theme);

 signals:
  void failed(const QString& problem, const QString& where, const QString& remedy);

 protected:
  void keyPressEvent(QKeyEvent* event) override;
  void showEvent(QShowEvent* event) override;

 private:
  void putDensities(const std::vector<PatchLight>& lights, const std::filesystem::path& from);
  [[nodiscard]] QString densitiesNow() const;
  void refreshIfSeen();
  void enableNumbers();
  QWidget* buildSide();
  QWidget* buildForm();
  QWidget* buildObjects();
  [[nodiscard]] const Configuration* configuration() const;
  [[nodiscard]] Chart layoutWanted() const;
  [[nodiscard]] std::vector<Patch> patchesShown(const Configuration& c) const;
  void refreshOutlines();
  void refreshList(const Configuration& c);
  void refreshSeenOn();
  void loadPicture();
  void edited(int outline, const Quad& corners, const QString& how);
  void preview(int outline, const Quad& corners);
  void drawn(const Quad& corners);
  void removeObject(int outline);
  void look();
  [[nodiscard]] bool isLoaded(const Configuration& c) const;
  void sayFound(const Configuration& c, const FoundLattice& found);
  void setWedgeSteps();
  void put(Configuration changed, const QString& words);
  void say(const QString& words);

  Document& document_;
  Job job_, pictureJob_;
  Placing what_ = Placing::Wedge;
  RegionEditor* editor_;
  QButtonGroup* which_;
  QComboBox *kind_, *object_, *seenOn_;
  QSpinBox *steps_, *perRow_;
  QDoubleSpinBox* stopsPerStep_;
  QWidget *form_, *objects_;
  QPushButton* setSteps_;
  QListWidget* list_;
  QLabel *title_, *words_;
  QString drawingObject_;
  std::optional<std::string> shown_;  // picture in the editor; nothing: none was asked for
  double clipWidth_ = 0, clipHeight_ = 0;
  Framing followed_;  // of the take that is looked at, in pixels of the clip
};

}  // namespace edge::app
