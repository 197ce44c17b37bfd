// Photon transfer at several ISOs of a raw mode: what the sensor reads in electrons (docs/method.md, "Photon
// transfer"). The fit itself is measure/transfer.
#pragma once
#include <string>

#include "measure/transfer.h"

namespace edge {

struct IsoTransfer {
  double iso = 0;
  TransferMeasure measure;
};
using TransferSet = std::vector<IsoTransfer>;  // by ISO

// Green, the channel that clips first and carries luma.
[[nodiscard]] TransferChannel greenOf(const IsoTransfer& transfer);

// Signal and temporal noise of the takes that are neither black nor saturated, in electrons.
struct ElectronPoint {
  double signal = 0, noise = 0;
};
[[nodiscard]] std::vector<ElectronPoint> electronsOf(const IsoTransfer& transfer);

// What the quieter ISO gives and takes against the lowest one, in stops; nothing where either is not known.
struct TransferGain {
  double from = 0, to = 0;      // ISO
  Estimate quieter, wellStops;  // read noise over read noise; full well over full well, negative: smaller
};
[[nodiscard]] std::optional<TransferGain> gainBetween(const TransferSet& set);

// Read noise alone as a sweep sees it, referred to the light: log2 of its share of the full well, times the
// light that fills the well, 2^clip / ISO. Stops against the first; only ISOs whose clip above grey is known.
struct ReadInLight {
  double iso = 0, stops = 0;
};
[[nodiscard]] std::vector<ReadInLight> readInLight(const TransferSet& set,
                                                   const std::vector<std::pair<double, Limit>>& clips);

}  // namespace edge
