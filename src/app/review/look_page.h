// Any two to four of what was measured, looked at together.
#pragma once
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QElapsedTimer>
#include <QLabel>
#include <QPushButton>
#include <QTimer>
#include <map>

#include "report/review_pool.h"
#include "review/look_canvas.h"
#include "shell/job.h"
#include "shell/stage.h"
#include "widgets/picture_store.h"

namespace edge::app {

class LookPage : public QWidget {
  Q_OBJECT
 public:
  static constexpr int kSlots = 4;
  explicit LookPage(QWidget* parent = nullptr);
  void forget();  // the pictures of a project that is closed

  // What can be chosen; choices that are still there stay.
  void setPool(std::vector<Shown> pool);
  void setTheme(const Theme& theme);
  [[nodiscard]] std::vector<Command> commands();
  [[nodiscard]] LookCanvas& canvas() { return *canvas_; }
  void choose(int slot, const std::string& key);  // empty: nothing in this slot
  [[nodiscard]] bool loaded() const;
  void setPlaying(bool on);
  [[nodiscard]] bool playing() const { return timer_.isActive(); }
  [[nodiscard]] double framesPerSecond() const { return rate_; }
  void exportTo(const std::filesystem::path& file);  // errors: the file can't be written

 signals:
  void failed(const QString& problem, const QString& where, const QString& remedy);
  void done(const QString& words);

 protected:
  void hideEvent(QHideEvent* event) override;

 private:
  [[nodiscard]] const Shown* shownIn(int slot) const;
  [[nodiscard]] std::string keyOf(const Shown& shown) const;  // of its picture as it is shown now
  void turnEncode();
  void load();
  void refreshPanes();
  void say();
  void step(int by);  // the second picture along its bracket
  void pinBase();     // the first becomes the base of the second
  void pinPreviousStep();
  void loadFrames();
  void showFrame();
  void askExport();
  void turnWay();

  std::vector<Shown> pool_;
  QComboBox* slots_[kSlots];
  QPushButton *way_, *zoom_, *lift_, *channel_, *play_, *encoded_;
  QDoubleSpinBox* megabits_;
  std::optional<Encode> encode_;        // pictures are shown after it
  std::map<std::string, double> came_;  // Mb/s, by what was encoded
  LookCanvas* canvas_;
  QLabel* words_;
  PictureStore store_;
  Job job_, playJob_;
  QString trouble_;
  std::vector<std::vector<QImage>> frames_;  // by slot shown, of the crop that plays
  QPointF centreBefore_ = {0.5, 0.5};
  QTimer timer_;
  QElapsedTimer clock_;
  int frame_ = 0, sinceClock_ = 0, liftStops_ = 0, channelNow_ = -1, gain_ = 4;
  double fps_ = 24, rate_ = 0;
};

}  // namespace edge::app
