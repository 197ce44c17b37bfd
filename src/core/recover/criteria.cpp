#include "recover/criteria.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/numbers.h"
#include "recover/latitude.h"

using nlohmann::json;

namespace edge {
namespace {

double faceShift(const TakeMetrics& m) {
  return std::hypot(m.shiftA, m.shiftB);
}
double darkShift(const TakeMetrics& m) {
  return m.darkShiftA ? std::hypot(*m.darkShiftA, *m.darkShiftB) : 0;
}

void clippedDetail(const TakeMetrics& m, Reason& r) {
  constexpr const char* kNames[3] = {"red", "green", "blue"};
  const double worst = worstClip(m).value_or(0);
  for (size_t c = 0; c < 3; ++c)
    if (m.clippedSkin[c] && *m.clippedSkin[c] > worst / 2)
      r.channel += (r.channel.empty() ? "" : ", ") + std::string(kNames[c]);
  r.place = m.clippedWhere;
}

void shiftDetail(const TakeMetrics& m, Reason& r) {
  const bool dark = darkShift(m) > faceShift(m);
  if (dark) r.place = "a dark grey";
  r.direction = dark ? shiftWords(*m.darkShiftA, *m.darkShiftB) : shiftWords(m.shiftA, m.shiftB);
}

void noDetail(const TakeMetrics&, Reason&) {}

// Over is judged by highlight and colour, under by noise and colour.
constexpr CriterionSpec kSpecs[kCriteria] = {
    {Criterion::HighlightGone,
     "highlight",
     nullptr,
     "highlight gone",
     "%",
     {0.5, 5},
     JudgedSide::Over,
     false,
     "Share of a face or white object that a channel can't tell from its end, in the take as shot.",
     [](const TakeMetrics& m) { return worstClip(m); },
     clippedDetail},
    {Criterion::ColourShift,
     "colour",
     nullptr,
     "colour shift",
     "",
     {2, 6},
     JudgedSide::Both,
     false,
     "Distance in a*, b* of a neutral grey from the same grey in the base, the larger of face level and "
     "dark.",
     [](const TakeMetrics& m) { return std::optional(std::max(faceShift(m), darkShift(m))); },
     shiftDetail},
    {Criterion::LumaNoise,
     "luma_noise",
     "noise_luma",
     "luma noise",
     "",
     {2.2, 5},
     JudgedSide::Under,
     true,
     "Temporal standard deviation of L* on the grey nearest to face level, after the display transform.",
     nullptr,
     noDetail},
    {Criterion::ChromaNoise,
     "chroma_noise",
     "noise_chroma",
     "chroma noise",
     "",
     {8.5, 20},
     JudgedSide::Under,
     true,
     "The same of a* and b*, added in square.",
     nullptr,
     noDetail}};

LimitPair limitFrom(const json& j, const char* key, const LimitPair& standard) {
  if (!j.is_object() || !j.contains(key) || !j[key].is_array() || j[key].size() != 2) return standard;
  if (!j[key][0].is_number() || !j[key][1].is_number()) return standard;
  return {j[key][0], j[key][1]};
}

}  // namespace

const char* wordOf(Verdict v) {
  return v == Verdict::Clean ? "clean" : v == Verdict::Cleanable ? "cleanable" : "lost";
}

std::optional<Verdict> parseVerdict(const std::string& word) {
  for (Verdict v : {Verdict::Clean, Verdict::Cleanable, Verdict::Lost})
    if (word == wordOf(v)) return v;
  return std::nullopt;
}

std::span<const CriterionSpec> criteria() {
  return kSpecs;
}

std::optional<double> CriterionSpec::value(const TakeMetrics& take) const {
  return derived ? derived(take) : take[id];
}

const CriterionSpec& specOf(Criterion criterion) {
  return kSpecs[static_cast<size_t>(criterion)];
}

std::optional<Criterion> parseCriterion(const std::string& key) {
  for (const auto& s : kSpecs)
    if (key == s.key) return s.id;
  return std::nullopt;
}

CriteriaProfile::CriteriaProfile() {
  for (const auto& s : kSpecs) (*this)[s.id] = s.limit;
}

json toJson(const CriteriaProfile& p) {
  json j = {{"name", p.name}};
  for (const auto& s : kSpecs) j[s.key] = {p[s.id].clean, p[s.id].lost};
  return j;
}

CriteriaProfile criteriaProfileFrom(const json& j) {
  CriteriaProfile p;
  if (j.is_object() && j.contains("name") && j["name"].is_string()) p.name = j["name"];
  for (const auto& s : kSpecs) p[s.id] = limitFrom(j, s.key, p[s.id]);
  return p;
}

std::string wordsOf(const Cause& cause) {
  if (cause.person) return "a person's verdict";
  return cause.criterion ? specOf(*cause.criterion).words : "";
}

std::string reasonWords(const Reason& r) {
  const CriterionSpec& spec = specOf(r.criterion);
  const std::string unit = *spec.unit ? std::string(" ") + spec.unit : "";
  std::string text = spec.words;
  if (!r.place.empty()) text += " in " + r.place;
  text += fmt::format(": {}{}", formatNumber(r.value, 1), unit);
  if (!r.channel.empty()) text += fmt::format(" ({})", r.channel);
  text += fmt::format(", limit {}{}", formatNumber(r.limit, 1), unit);
  return r.direction.empty() ? text : text + ", " + r.direction;
}

std::optional<double> worstClip(const TakeMetrics& m) {
  std::optional<double> worst;
  for (const auto& share : m.clippedSkin)
    if (share) worst = std::max(worst.value_or(0), *share);
  return worst;
}

std::string shiftWords(double a, double b) {
  if (std::hypot(a, b) < 0.5) return "neutral";
  std::string words;
  if (std::abs(a) > std::abs(b) / 2) words = a > 0 ? "magenta" : "green";
  if (std::abs(b) > std::abs(a) / 2)
    words += std::string(words.empty() ? "" : " and ") + (b > 0 ? "yellow" : "blue");
  return "towards " + words;
}

}  // namespace edge
