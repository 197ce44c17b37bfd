// Noise as eyes meet it: up to four ISOs of the ladder side by side, at equal brightness, real pixels at 100,
// 200, 300 %, moving at speed from memory, frozen, or what moves alone, amplified.
#pragma once
#include <QComboBox>
#include <QElapsedTimer>
#include <QImage>
#include <QLabel>
#include <QPushButton>
#include <QTimer>

#include "noise/noise_view.h"
#include "recover/picture.h"
#include "shell/job.h"

namespace edge::app {

// One crop: an image, magnified without smoothing.
class CropView : public QWidget {
  Q_OBJECT
 public:
  explicit CropView(QWidget* parent);
  void setImage(const QImage& image);
  void setZoom(int zoom);
  void setTheme(const Theme& theme);

 signals:
  void dragged(const QPointF& pictureShift);  // pixels of the picture

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;

 private:
  QImage image_;
  int zoom_ = 1;
  QPointF from_;
  QPointF shift_;
  Theme theme_;
};

class LookView : public NoisePageView {
  Q_OBJECT
 public:
  static constexpr int kViews = 4;
  explicit LookView(Document& document, QWidget* parent);
  void show(const NoiseFinding* finding) override;
  void setTheme(const Theme& theme) override;
  void turnZoom() override;
  void setPlaying(bool on);
  void setResidual(bool on);
  [[nodiscard]] bool residual() const { return residual_; }
  [[nodiscard]] bool playing() const { return timer_.isActive(); }
  // All four pictures are there.
  [[nodiscard]] bool loaded() const;
  [[nodiscard]] int zoom() const { return zoom_; }
  [[nodiscard]] double framesPerSecond() const { return rate_; }

 protected:
  void hideEvent(QHideEvent* event) override;

 private:
  struct Shot {
    std::string name, hash;
    double iso = 0, brightness = 0;
    std::filesystem::path clip;
    std::int64_t first = 0, frames = 0;
  };
  void fillChoices();
  void load();
  void showFrame();
  [[nodiscard]] QImage imageOf(int view) const;
  void say();

  const NoiseFinding* finding_ = nullptr;
  std::vector<Shot> shots_;
  QComboBox* choices_[kViews];
  CropView* crops_[kViews];
  QPushButton *play_, *residualButton_, *zoomButton_;
  QLabel* words_;
  std::vector<Picture> frames_[kViews];
  std::vector<float> means_[kViews];  // of the frames, by sample
  std::string wanted_;                // what stands or is on its way
  Job job_;
  QTimer timer_;
  QElapsedTimer clock_;
  int shown_ = 0, sinceClock_ = 0, zoom_ = 2;
  double fps_ = 24, rate_ = 0;
  bool residual_ = false;
  QPointF centre_;  // share of the picture
};

}  // namespace edge::app
