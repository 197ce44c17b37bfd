// What more light buys: noise over stops above the base, and where faces begin to burn.
#pragma once
#include "noise/noise_view.h"
#include "widgets/plot.h"

namespace edge::app {

class LightView : public NoisePageView {
  Q_OBJECT
 public:
  explicit LightView(Document& document, QWidget* parent);
  void show(const NoiseFinding* finding) override;
  void setTheme(const Theme& theme) override;

 private:
  void plot();

  const NoiseFinding* finding_ = nullptr;
  Plot *noise_, *gain_;
};

}  // namespace edge::app
