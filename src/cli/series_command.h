// What commands on a series share: where noise is judged and by which limits, and what the result says of its
// inputs.
#pragma once
#include "command.h"
#include "recover/criteria.h"
#include "recover/series.h"

namespace edge::cli {

struct AskedDelivery {
  CriteriaProfile profile;  // its delivery is that of the series
  bool coarser = false;     // the clips have less than the profile's raster: judged as recorded
  void warn(nlohmann::json& result) const;
};

// --profile, --raster, --chroma, --display.
struct JudgedBy {
  std::string display, raster, chroma, profile;

  void addTo(CLI::App& command);
  // clip: the one whose raster decides what can be served.
  [[nodiscard]] AskedDelivery applyTo(Series& series, const std::filesystem::path& clip) const;
};

// Paths and hashes of a series, its chart and its clips, and the options used.
[[nodiscard]] nlohmann::json describeSeries(const std::string& file, const Series& series);

}  // namespace edge::cli
