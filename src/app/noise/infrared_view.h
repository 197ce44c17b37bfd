// Black cloth over ND: how far it turns, against the limit of colour shift, which can be dragged; and the way
// it goes in a*, b*.
#pragma once
#include "noise/noise_view.h"
#include "widgets/plot.h"

namespace edge::app {

class InfraredView : public NoisePageView {
  Q_OBJECT
 public:
  explicit InfraredView(Document& document, QWidget* parent);
  void show(const NoiseFinding* finding) override;
  void setTheme(const Theme& theme) override;

 private:
  void plot();

  const NoiseFinding* finding_ = nullptr;
  Plot *shift_, *way_;
};

}  // namespace edge::app
