#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "measure/range.h"

using nlohmann::json;

namespace edge {
namespace {

std::string figure(const Limit& l) {
  return fmt::format("{}{:.2f} +-{:.2f}", l.atLeast ? "at least " : "", l.stops, l.sigma);
}

}  // namespace

std::string whyOf(const WedgeMeasure& w, const RangeResult& r, size_t k) {
  const PatchMeasure& p = w.patches[k];
  const double snr = r.channel[kY].snr[k];
  constexpr const char* kNames[3] = {"red", "green", "blue"};
  std::string over;
  for (int c = 0; c < 3; ++c)
    if (!r.channel[c].clip.atLeast && p.stops > r.channel[c].clip.stops)
      over +=
          fmt::format("{}{} ends at {:+.2f}", over.empty() ? "" : ", ", kNames[c], r.channel[c].clip.stops);
  switch (r.states[k]) {
    case PatchState::Clipped:
      return fmt::format("at {:+.2f} stops it lies over every channel's end: {}", p.stops, over);
    case PatchState::OneChannel:
      return over.empty() ? std::string("luma rises by less than its step and its colour has shifted")
                          : fmt::format("at {:+.2f} stops not all channels go on: {}", p.stops, over);
    case PatchState::Rebuilt:
      return fmt::format(
          "luma goes on rising, but its chroma noise is {:.2f} of what the darker steps lead one to "
          "expect (below 0.60): a channel was rebuilt from the others",
          r.chromaRatio[k]);
    case PatchState::Intact:
      return fmt::format("no channel ends here and luma SNR {:.1f} is 2 or more", snr);
    case PatchState::Noisy:
      return fmt::format("luma SNR {:.2f} lies between 1 and 2", snr);
    case PatchState::Unknown:
      return "its noise was removed (coring, noise reduction, coding): how clean it is can't be told";
    default:
      return fmt::format("luma SNR {:.2f} is below 1", snr);
  }
}

json explainRange(const WedgeMeasure& w, const RangeResult& r, const RangeOptions& o) {
  const ChannelRange& y = r.channel[kY];
  json j;
  const auto lower = y.lower.find(o.headlineSnr);
  j["headline"] = {{"formula", "colour_complete - lower(SNR)"},
                   {"colour_complete", figure(r.colourComplete)},
                   {"lower", lower == y.lower.end() ? std::string("not found") : figure(lower->second)},
                   {"label", r.headlineLabel}};
  j["signal"] = {
      {"formula", "m = a E + g, E = 2^stops, weighted least squares over unclipped steps; SNR = a E / sd"},
      {"a", fmt::format("{:.6g} +-{:.2g}", y.slope, y.slopeSigma)},
      {"g", fmt::format("{:.6g} +-{:.2g}", y.offset, y.offsetSigma)}};
  j["upper"] = {{"formula",
                 "log2((plateau - g)/a'), a' of the four or five steps below 0.8 plateau; with rebuilt "
                 "highlights the middle between the darkest of them and the next step"}};
  j["lower"] = {
      {"formula", "log2 SNR interpolated against stops between the two steps around the threshold"},
      {"clamped", y.clamped ? "noise below SNR 3 is modelled: black is clamped" : "noise as measured"}};
  if (y.model.valid)
    j["noise_model"] = {{"formula", "sd^2/a^2 = read + photon E + fixed E^2"},
                        {"read", y.model.read},
                        {"photon", y.model.photon},
                        {"fixed", y.model.fixed}};
  j["patches"] = json::array();
  for (size_t k = 0; k < w.patches.size(); ++k)
    j["patches"].push_back(
        {{"name", w.patches[k].name}, {"state", wordOf(r.states[k])}, {"why", whyOf(w, r, k)}});
  return j;
}

}  // namespace edge
