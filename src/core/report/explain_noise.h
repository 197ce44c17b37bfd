// What a body's noise comes to, in figures and sentences: what stage Noise shows and explains.
#pragma once
#include "project/noise_project.h"
#include "report/explain.h"

namespace edge {

// A figure of a page: key, label, value, unit, small print. The first is the page's headline.
struct NoiseFigure {
  std::string key, label, value, unit, note;
};
struct NoiseWords {
  std::vector<NoiseFigure> figures;
  std::string advice;  // one sentence: what to do; empty where nothing follows
  std::vector<Warning> warnings;
};
[[nodiscard]] NoiseWords noiseWords(const NoiseFinding& finding, NoisePage page,
                                    const CriteriaProfile& profile);
// Where a figure comes from. Key: as in NoiseFigure.
[[nodiscard]] Explanation explainNoise(const NoiseFinding& finding, const std::string& key,
                                       const CriteriaProfile& profile);
// The page's table as tab-separated text with a header, for the clipboard.
[[nodiscard]] std::string noiseTable(const NoiseFinding& finding, NoisePage page,
                                     const CriteriaProfile& profile);

}  // namespace edge
