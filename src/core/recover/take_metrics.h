// From what was streamed of base and takes to the figures each take is judged by, one branch of bring-back at
// a time. Works out everything that depends on more than one take.
#pragma once
#include "color/lab.h"
#include "recover/delivered_noise.h"
#include "recover/latitude.h"
#include "recover/look.h"
#include "recover/reducer.h"

namespace edge {

struct MeasuredTake {
  TakeStats stats;
  Framing framing;  // by which chart and objects were followed
};

// Noise and detail are so far from their clean limits that a stricter profile would not want them better.
[[nodiscard]] bool isFarFromLimits(const std::array<std::optional<double>, kCriteria>& figures,
                                   const CriteriaProfile& profile);

class BracketFigures {
 public:
  // look: what is graded on after every bring-back, of the base as of the takes.
  enum class Textures { Picked, Ignored };
  BracketFigures(const Series& s, const TakeStats& base, const std::vector<MeasuredTake>& takes,
                 Look look = {}, Textures textures = Textures::Picked);

  // Headline: exposure alone, or the plan where no offset can be measured.
  [[nodiscard]] TakeMetrics metricsOf(const TakeSpec& spec, const MeasuredTake& take) const;
  // The other branches, from the headline's figures; none without a measured offset.
  [[nodiscard]] std::vector<TakeMetrics> branchesOf(const TakeMetrics& headline, const TakeStats& take) const;

  // The take brought back as `neutral` has it, under the look. No reducer's ladder.
  [[nodiscard]] TakeMetrics underLook(const TakeMetrics& neutral, const TakeStats& take) const;
  // Only what the stress grade breaks.
  [[nodiscard]] std::array<std::optional<double>, kCriteria> stressed(const TakeMetrics& neutral,
                                                                      const TakeStats& take) const;

  // Samples that are looked at, known from the base: of patches, and of textured objects.
  [[nodiscard]] std::vector<size_t> sampledPatches() const;
  [[nodiscard]] const std::vector<size_t>& texturedRegions() const { return textured_; }
  [[nodiscard]] std::string faceGrey() const { return base_.patches[face_].name; }
  [[nodiscard]] std::string darkPatch() const { return dark_ ? base_.patches[*dark_].name : ""; }
  [[nodiscard]] const std::string& logEncoding() const { return logName_; }
  // Stops from the base to other bases (LatitudeMeasure::toGrey, toSkin).
  [[nodiscard]] std::optional<double> toGrey() const;
  [[nodiscard]] std::optional<double> toSkin() const;

 private:
  void pickGreys();
  void pickTextures();
  [[nodiscard]] size_t nearest(double luma) const;
  [[nodiscard]] Lab labOf(const Vec3& linear) const;
  [[nodiscard]] double driftOf(const TakeStats& t) const;
  [[nodiscard]] std::optional<double> flickerOf(const TakeStats& t) const;
  using Clipped = std::array<std::optional<double>, 3>;
  [[nodiscard]] std::optional<double> rebuildable(const AreaStats& a, const Clipped& clipped) const;
  [[nodiscard]] double spreadByNoise(const AreaStats& a, size_t channel, size_t share) const;
  void addClipRoom(const AreaStats& a, TakeMetrics& m) const;
  void findClipped(const TakeStats& t, TakeMetrics& m) const;
  [[nodiscard]] std::vector<ColourPair> pairsOf(const TakeStats& t) const;
  [[nodiscard]] std::vector<AreaColour> coloursOf(const TakeStats& t, const BringBack& back) const;
  static void keepDetail(const TakeMetrics& headline, TakeMetrics& m);
  void findAfter(const TakeStats& t, TakeMetrics& m) const;
  void findColour(const TakeStats& t, TakeMetrics& m) const;
  [[nodiscard]] double shiftErrorOf(const TakeStats& t, const TakeMetrics& m, size_t patch) const;
  void findSkin(const TakeStats& t, TakeMetrics& m) const;
  void findContrast(const TakeStats& t, TakeMetrics& m) const;
  void findCodes(const TakeStats& t, TakeMetrics& m) const;
  void findNoise(const TakeStats& t, TakeMetrics& m, bool headlineOnly = false) const;
  void findRungs(const TakeStats& t, TakeMetrics& m) const;
  void findBanding(const TakeStats& t, TakeMetrics& m) const;
  void findBlocks(const TakeStats& t, TakeMetrics& m) const;
  void findDetail(const TakeStats& t, TakeMetrics& m) const;
  [[nodiscard]] Vec3 broughtBack(const TakeMetrics& m, const Vec3& linear) const {
    return look_.light(m.solved.correction.light(linear, *log_), *log_);
  }
  // Of the base, which needs no bringing back.
  [[nodiscard]] Vec3 looked(const Vec3& linear) const { return look_.light(linear, *log_); }

  const Series& s_;
  const TakeStats& base_;
  Look look_;
  DisplayTransform display_;
  DisplayTable table_;
  std::string logName_;
  std::shared_ptr<const Curve> log_;
  bool linearCodes_ = false;  // the clip's codes are light already
  Plateau plateau_;
  std::vector<size_t> neutrals_;
  Primaries primaries_ = Primaries::Bt709;
  size_t face_ = 0;
  std::optional<size_t> dark_;
  std::vector<size_t> textured_;
  // Lightness of the textured areas in the base, by delivery and area.
  std::vector<std::vector<LightnessFrames>> baseDetail_;
};

}  // namespace edge
