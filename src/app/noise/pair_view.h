// A push pair for the eye: the lower ISO lifted and the native one, at equal brightness, pixel by pixel.
#pragma once
#include "noise/noise_view.h"
#include "shell/job.h"
#include "widgets/picture_view.h"

namespace edge::app {

class PairView : public NoisePageView {
  Q_OBJECT
 public:
  explicit PairView(Document& document, QWidget* parent);
  void show(const NoiseFinding* finding) override;
  void setTheme(const Theme& theme) override;
  void turnZoom() override;

 private:
  PictureView* pictures_[2];
  Job job_;
  std::string shown_;  // what stands or is on its way
  bool actualSize_ = true;
};

}  // namespace edge::app
