// The bars of a strobe: a frame, and its rows with the period that was found.
#pragma once
#include "noise/noise_view.h"
#include "shell/job.h"
#include "widgets/picture_view.h"
#include "widgets/plot.h"

namespace edge::app {

class ReadoutView : public NoisePageView {
  Q_OBJECT
 public:
  explicit ReadoutView(Document& document, QWidget* parent);
  void show(const NoiseFinding* finding) override;
  void setTheme(const Theme& theme) override;

 private:
  void plot();

  const NoiseFinding* finding_ = nullptr;
  PictureView* picture_;
  Plot* trace_;
  Job job_;
  std::string shown_;
};

}  // namespace edge::app
