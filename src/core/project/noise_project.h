// Noise of a body in a mode: sweeps, ladders, pairs, strobe and infrared takes lie across the configurations
// of its ISOs and are looked at together.
#pragma once
#include "noise/store.h"
#include "project/analysis.h"

namespace edge {

struct NoiseSubject {
  Configuration setup;            // the first configuration: decode state, charts, display; results lie there
  std::vector<ClipRecord> clips;  // of all its configurations, each with its ISO

  [[nodiscard]] std::string label() const;  // "Corvane 35 · raw"
  [[nodiscard]] bool holds(const Configuration& c) const {
    return c.body == setup.body && c.mode == setup.mode && c.light == setup.light;
  }
  [[nodiscard]] std::vector<ClipRecord> clipsOf(ClipKind kind) const;
};
[[nodiscard]] std::vector<NoiseSubject> noiseSubjects(const std::vector<Configuration>& configurations);

// Where its decode state is known and its chart is placed.
[[nodiscard]] std::vector<Analysis> noiseAnalysesOf(const NoiseSubject& subject,
                                                    const std::filesystem::path& folder);

struct NoiseFinding {
  NoiseSubject subject;
  std::optional<SweepMeasure> sweep;
  std::optional<LadderMeasure> ladder, pair;
  std::optional<RowTraces> strobe;
  std::optional<Readout> readout;  // nothing where the recipe does not say how often the strobe flashes
  double strobeHz = 0;
  std::optional<InfraredMeasure> infrared;
  TransferSet transfer;
  std::vector<double> published;  // native ISOs as the recipe has them
  // The bracket of its first configuration that has one; whoever has read it already puts it here.
  std::optional<LatitudeMeasure> bracket;
  double bracketIso = 0;
  // Clip above grey at the ISOs whose wedge was measured; put here by whoever has read them already.
  std::vector<std::pair<double, Limit>> clips;

  [[nodiscard]] bool empty() const {
    return !sweep && !ladder && !pair && !strobe && !infrared && transfer.empty();
  }
};
// Native ISOs of a body as the plan's recipe has them.
[[nodiscard]] std::vector<double> publishedNatives(const Project& project, const std::string& body);
// What is stored of all subjects and still fits its clips.
[[nodiscard]] std::vector<NoiseFinding> collectNoise(const Project& project);

// The pages noise is shown on, and what each needs of a subject: one table.
enum class NoisePage { Iso, Floor, Look, Pair, MoreLight, Transfer, Readout, Infrared };
struct NoisePageSpec {
  NoisePage id;
  const char* words;    // on the button
  const char* missing;  // said where the clips were not shot
  std::vector<ClipKind> kinds;
  bool onChart = true;  // what it shows is measured on a chart
};
[[nodiscard]] const std::vector<NoisePageSpec>& noisePages();

}  // namespace edge
