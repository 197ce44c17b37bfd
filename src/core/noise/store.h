// Measured noise as the project keeps it, and read back. Errors of damaged values: nlohmann's own.
#pragma once
#include <nlohmann/json_fwd.hpp>

#include "noise/infrared.h"
#include "noise/iso_sweep.h"
#include "noise/ladder.h"
#include "noise/readout.h"
#include "noise/transfer_set.h"

namespace edge {

[[nodiscard]] nlohmann::json toJson(const SweepMeasure& measure);
[[nodiscard]] SweepMeasure sweepFromJson(const nlohmann::json& j);
[[nodiscard]] nlohmann::json toJson(const LadderMeasure& measure);
[[nodiscard]] LadderMeasure ladderFromJson(const nlohmann::json& j);
[[nodiscard]] nlohmann::json toJson(const InfraredMeasure& measure);
[[nodiscard]] InfraredMeasure infraredFromJson(const nlohmann::json& j);
[[nodiscard]] nlohmann::json toJson(const RowTraces& traces);
[[nodiscard]] RowTraces tracesFromJson(const nlohmann::json& j);
[[nodiscard]] nlohmann::json toJson(const Readout& readout);
[[nodiscard]] Readout readoutFromJson(const nlohmann::json& j);
[[nodiscard]] nlohmann::json toJson(const TransferSet& set);
[[nodiscard]] TransferSet transferFromJson(const nlohmann::json& j);

}  // namespace edge
