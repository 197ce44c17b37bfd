#include "measure/patch_stream.h"

#include <algorithm>
#include <cmath>

#include "measure/coding.h"
#include "measure/noise.h"
#include "measure/temporal.h"

namespace edge {
namespace {

constexpr double kEdgeSpread = 0.5;   // codes squared, rounding in it
constexpr double kSameFilter = 0.15;  // of ln inflation between bright and dark patches

class FilteringPool {
 public:
  FilteringPool(const std::vector<PatchStream>& streams, const std::vector<PatchMeasure>& patches,
                std::vector<int> sources, int target, bool lossy)
      : streams_(streams), patches_(patches), sources_(std::move(sources)), target_(target), lossy_(lossy) {}

  ChannelFiltering run() {
    pick();
    ChannelFiltering f;
    f.patches = static_cast<int>(use_.size());
    if (use_.empty()) return f;
    const LagSums all = lagsOf(use_);
    f.samples = all.count[0][kLagReach];
    if (const auto found = filteringOf(all)) {
      f.verticalLag = found->verticalLag, f.inflation = found->inflation;
      f.horizontalLag = found->horizontalLag, f.lowestLag = found->lowestLag;
      f.inflationSigma = found->inflationSigma, f.settled = found->settled;
    }
    f.sameForAll = sameForAll();
    findSteps(f);
    for (size_t k : use_)
      f.rounding += measure(k).quantisationVariance / measure(k).variance / static_cast<double>(use_.size());
    if (const auto t = temporalFilterOf(changes())) {
      f.temporalRho = t->rho, f.temporalSigma = t->rhoSigma;
      f.temporalFactor = t->factor, f.temporalFactorSigma = t->factorSigma, f.temporalKnown = t->known;
    }
    return f;
  }

 private:
  [[nodiscard]] const ChannelMeasure& measure(size_t k) const { return patches_[k].channel[target_]; }
  [[nodiscard]] double noiseOf(size_t k) const {
    return measure(k).variance - measure(k).quantisationVariance;
  }

  // Neither clipped (where there is a brighter one to tell by) nor below what rounding leaves of them;
  // brightest first.
  void pick() {
    double brightest = 0;
    for (const auto& p : patches_) brightest = std::max(brightest, p.channel[target_].mean);
    for (size_t k = 0; k < streams_.size(); ++k) {
      const ChannelMeasure& m = measure(k);
      if ((patches_.size() == 1 || m.mean < 0.7 * brightest) && m.quantisation != Quantisation::Limited &&
          noiseOf(k) > 0.3 * m.variance && !(lossy_ && patches_[k].coefficients.kurtosis > kCodedKurtosis))
        use_.push_back(k);
    }
    std::stable_sort(use_.begin(), use_.end(),
                     [&](size_t a, size_t b) { return patches_[a].stops > patches_[b].stops; });
  }

  [[nodiscard]] LagSums lagsOf(const std::vector<size_t>& use) const {
    LagSums lags;
    for (size_t k : use)
      for (int i : sources_) {
        LagSums own = streams_[k].channels[i].lags();
        own.product[0][kLagReach] *=
            noiseOf(k) / measure(k).variance;  // rounding is white: it hides filtering
        own.scale(1 / noiseOf(k));             // every patch counts by its pixels, not by its brightness
        lags.add(own);
      }
    return lags;
  }

  // One filter for all levels: bright and dark patches inflate alike.
  [[nodiscard]] bool sameForAll() const {
    const auto half = static_cast<std::ptrdiff_t>(use_.size() / 2);
    if (half < 2) return true;
    const auto bright = filteringOf(lagsOf({use_.begin(), use_.begin() + half})),
               dark = filteringOf(lagsOf({use_.end() - half, use_.end()}));
    if (!bright || !dark) return true;
    const double apart = std::abs(std::log(bright->inflation / dark->inflation));
    const double sigma =
        std::hypot(bright->inflationSigma / bright->inflation, dark->inflationSigma / dark->inflation);
    return apart < std::max(kSameFilter, 5 * sigma);
  }

  // Mean over the patches whose neighbours differ by about a code: rounding then adds less than a tenth.
  void findSteps(ChannelFiltering& f) const {
    double sum = 0, n = 0, count = 0;
    for (size_t k : use_)
      for (int i : sources_) {
        const NoiseSums& s = streams_[k].sums[i];
        const double variance = s.edgeCount > 0 ? s.edgeSquares / s.edgeCount : 0;
        if (!(variance > kEdgeSpread * measure(k).step * measure(k).step)) continue;
        sum += s.edgeFourths / s.edgeCount / (variance * variance) - 3, n += 1, count += s.edgeCount;
      }
    if (n > 0) f.edgeKurtosis = sum / n, f.edgeKurtosisSigma = std::sqrt(2 * 24 / count);
  }

  [[nodiscard]] std::vector<FrameChanges> changes() const {
    std::vector<FrameChanges> list;
    for (size_t k : use_)
      for (int i : sources_) {
        FrameChanges c;
        c.pixels = measure(k).samples;
        for (const auto& lag : streams_[k].sums[i].changeByLag) {
          c.byLag.push_back(lag);
          for (double& v : c.byLag.back())  // rounding is new in every frame
            v = std::max(1e-6, (v - 2 * measure(k).quantisationVariance) / noiseOf(k));
        }
        list.push_back(std::move(c));
      }
    return list;
  }

  const std::vector<PatchStream>& streams_;
  const std::vector<PatchMeasure>& patches_;
  std::vector<int> sources_;
  int target_;
  bool lossy_;
  std::vector<size_t> use_;
};

}  // namespace

ChannelFiltering poolFiltering(const std::vector<PatchStream>& streams,
                               const std::vector<PatchMeasure>& patches, const std::vector<int>& sources,
                               int target, bool lossy) {
  return FilteringPool(streams, patches, sources, target, lossy).run();
}

std::vector<size_t> repeatsIn(const std::vector<PatchStream>& streams, size_t luma) {
  std::vector<double> pooled;
  for (const auto& s : streams) {
    const auto& own = s.sums[luma].changeByLag[0];
    double mean = 0;
    for (double v : own) mean += v / static_cast<double>(own.size());
    if (!(mean > 0)) continue;
    pooled.resize(own.size());
    for (size_t t = 0; t < own.size(); ++t) pooled[t] += own[t] / mean;
  }
  return nearRepeats(pooled);
}

void countOnce(std::vector<PatchStream>& streams, const std::vector<size_t>& repeats) {
  for (auto& s : streams)
    for (auto& sums : s.sums) {
      double mean = 0, n = 0;
      const auto& changes = sums.changeByLag[0];
      for (size_t t = 0; t < changes.size(); ++t)
        if (std::find(repeats.begin(), repeats.end(), t) == repeats.end()) mean += changes[t] / 2, n += 1;
      if (n > 0)
        sums.total = sums.pixelMeans +
                     mean / n * (static_cast<double>(sums.rows) * sums.columns - 1) * (sums.frames - 1);
    }
}

}  // namespace edge
