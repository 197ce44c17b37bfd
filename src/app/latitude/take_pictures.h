// Three pictures of a take: the base, the take as shot, the take brought back. They zoom and pan together;
// what decides the verdict is outlined. Pictures once seen are kept.
#pragma once
#include <QWidget>

#include "latitude/bracket_view.h"
#include "shell/job.h"
#include "widgets/picture_store.h"
#include "widgets/picture_view.h"

namespace edge::app {

class TakePictures : public QWidget {
  Q_OBJECT
 public:
  explicit TakePictures(Document& document, QWidget* parent = nullptr);

  void show(const BracketView& view, const QString& take);
  void setTheme(const Theme& theme);
  void toggleActualSize();
  // While held, the base stands where the brought-back take is.
  void flip(bool held);
  // The left picture shows the step towards the base in place of it.
  void pinPreviousStep(bool on);
  [[nodiscard]] bool previousStepPinned() const { return pinned_; }
  // Highlights of raw takes: as recorded, rebuilt, rebuilt and tinted, in turn.
  void turnRecovery();
  [[nodiscard]] Recovery recovery() const { return recovery_; }

 signals:
  // Brought-back pictures of all takes, as they come.
  void broughtBack(const QString& take, const QImage& face);
  void stripBegun();  // those shown before are of another branch or bracket

 private:
  struct Wanted {
    std::string key;
    std::filesystem::path clip;
    std::int64_t frame = 0;
    Correction correction;
    QString caption;
    Recovery recovery = Recovery::Off;
  };
  [[nodiscard]] std::optional<Wanted> baseWanted() const;
  [[nodiscard]] std::optional<Wanted> takeWanted(const QString& take, bool corrected) const;
  // The brought-back take as the chosen way with highlights shows it.
  [[nodiscard]] std::optional<Wanted> backWanted(const QString& take) const;
  [[nodiscard]] QString stepTowardsBase() const;
  void load();
  void loadStrip();
  void put(PictureView* view, const std::optional<Wanted>& wanted);
  void outline();

  Document& document_;
  BracketView view_;
  QString take_;
  PictureView *base_, *shot_, *back_;
  PictureStore store_;
  Job job_, stripJob_;
  std::string stripOf_;
  RecentStore<QImage> faces_{32u << 20};  // small
  Recovery recovery_ = Recovery::Off;
  bool actualSize_ = false, pinned_ = false, flipped_ = false;
};

}  // namespace edge::app
