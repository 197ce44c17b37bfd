// Noise over ISO: the sweep with its circuits as bands, the ladder's zones with limits that can be dragged.
#pragma once
#include <QComboBox>
#include <QLabel>

#include "noise/noise_view.h"
#include "widgets/plot.h"

namespace edge::app {

class IsoView : public NoisePageView {
  Q_OBJECT
 public:
  explicit IsoView(Document& document, QWidget* parent);
  void show(const NoiseFinding* finding) override;
  void setTheme(const Theme& theme) override;

 private:
  void plotSweep();
  double plotReadNoise(const SweepResult& sweep);
  void plotLadder();
  void setLimit(double y, int line);

  const NoiseFinding* finding_ = nullptr;
  Plot *sweep_, *ladder_;
  QComboBox* figure_;
  QLabel *sweepWords_, *ladderWords_;
};

}  // namespace edge::app
