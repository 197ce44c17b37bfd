// Photon transfer: noise over signal in electrons, an ISO a line, down to the floor it reads with.
#pragma once
#include "noise/noise_view.h"
#include "widgets/plot.h"

namespace edge::app {

class TransferView : public NoisePageView {
  Q_OBJECT
 public:
  explicit TransferView(Document& document, QWidget* parent);
  void show(const NoiseFinding* finding) override;
  void setTheme(const Theme& theme) override;

 private:
  void plotIso(const IsoTransfer& transfer, size_t index);

  const NoiseFinding* finding_ = nullptr;
  Plot* plot_;
};

}  // namespace edge::app
