#include "recover/criteria.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/files.h"
#include "base/json_file.h"
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

void darkDetail(const TakeMetrics&, Reason& r) {
  r.place = "a dark grey";
}

void noDetail(const TakeMetrics&, Reason&) {}

void detailDetail(const TakeMetrics& m, Reason& r) {
  r.place = m.detailWhere;
}
void saturationDetail(const TakeMetrics& m, Reason& r) {
  r.place = m.skinWhere;
}

constexpr double kNone = std::numeric_limits<double>::infinity();
constexpr LimitPair kShownOnly = {kNone, kNone};

// Over is judged by highlight and colour, under by noise, colour, stripes, detail and banding.
constexpr CriterionSpec kSpecs[kCriteria] = {
    {Criterion::HighlightGone,
     "highlight",
     "clipped_skin",
     "highlight gone",
     "%",
     {0.5, 5},
     JudgedSide::Over,
     kPlain,
     EdgeLaw::Histogram,
     "Share of a face or white object that a channel can't tell from its end, in the take as shot.",
     [](const TakeMetrics& m) { return worstClip(m); },
     clippedDetail},
    {Criterion::ColourShift,
     "colour",
     "colour_shift",
     "colour shift",
     "",
     {2, 6},
     JudgedSide::Both,
     kPlain,
     EdgeLaw::Power,
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
     kListed | kDelivered | kReducible | kNeeded,
     EdgeLaw::Noise,
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
     kListed | kDelivered | kReducible | kStressed | kNeeded,
     EdgeLaw::Noise,
     "The same of a* and b*, added in square.",
     nullptr,
     noDetail},
    {Criterion::Stripes,
     "stripes",
     "stripes",
     "stripes",
     "",
     {0.75, 2},
     JudgedSide::Under,
     kListed | kDelivered,
     EdgeLaw::Noise,
     "Rows of L* in a dark grey that stand off from their neighbours, moving and fixed, added in square; "
     "needs sixteen frames.",
     nullptr,
     darkDetail},
    {Criterion::Detail,
     "detail",
     "detail",
     "detail left",
     "",
     {0.8, 0.5},
     JudgedSide::Under,
     kListed | kFalling | kDelivered | kReducible,
     EdgeLaw::Logistic,
     "Correlation of the fine detail of a single frame with the base's, on the textured area where it is "
     "least.",
     nullptr,
     detailDetail},
    {Criterion::Flicker,
     "flicker",
     "flicker",
     "flicker",
     "%",
     {2, 6},
     JudgedSide::Both,
     kListed,
     EdgeLaw::Straight,
     "Standard deviation of the level of the face's grey from frame to frame, its drift taken off.",
     nullptr,
     noDetail},
    {Criterion::Banding,
     "banding",
     "banding",
     "banding",
     "",
     {1, 2.5},
     JudgedSide::Under,
     kListed | kStressed,
     EdgeLaw::Straight,
     "Step of L* that one code of the clip makes after bring-back where noise does not hide it.",
     nullptr,
     noDetail},
    {Criterion::BlockEdges, "block_edges", "block_edges", "block edges", "", kShownOnly, JudgedSide::Under,
     kListed | kStressed, EdgeLaw::Straight,
     "Steps of L* at the edges of the codec's blocks of 8 x 8 pixels, beyond those of neighbours elsewhere.",
     nullptr, noDetail},
    {Criterion::Contrast, "contrast", "contrast_lost", "contrast used up", "%", kShownOnly, JudgedSide::Both,
     kListed, EdgeLaw::Straight,
     "What is missing of the base's difference in L* between the chart's lightest and darkest grey.", nullptr,
     noDetail},
    {Criterion::Saturation, "saturation", "saturation_lost", "saturation lost", "%", kShownOnly,
     JudgedSide::Both, kListed, EdgeLaw::Straight,
     "What is missing of the base's chroma, on the face that lost most.", nullptr, saturationDetail}};

LimitPair limitFrom(const json& j, const char* key, const LimitPair& standard) {
  if (!j.is_object() || !j.contains(key)) return standard;
  if (j[key].is_null()) return kShownOnly;
  if (!j[key].is_array() || j[key].size() != 2 || !j[key][0].is_number() || !j[key][1].is_number())
    return standard;
  return {j[key][0], j[key][1]};
}

constexpr const char* kFormat = "edge-test-profile";
constexpr int kVersion = 1;

struct StandardProfile {
  const char* name;
  double strictness;  // of the default limits
  Delivery delivery;
};
constexpr Raster kHd = {1920, 1080}, kUhd = {3840, 2160}, kTwiceUhd = {7680, 4320};

}  // namespace

const char* wordOf(Verdict v) {
  constexpr const char* kWords[] = {"clean", "cleanable", "lost", "unknown"};
  return kWords[static_cast<size_t>(v)];
}

std::optional<Verdict> parseVerdict(const std::string& word) {
  for (Verdict v : {Verdict::Clean, Verdict::Cleanable, Verdict::Lost})
    if (word == wordOf(v)) return v;
  return std::nullopt;
}

std::span<const CriterionSpec> criteria() {
  return kSpecs;
}

bool LimitPair::judges() const {
  return std::isfinite(clean) || std::isfinite(lost);
}

std::optional<double> CriterionSpec::value(const TakeMetrics& take, const std::optional<Delivery>& at) const {
  if (derived) return derived(take);
  if (!is(kDelivered) || !at) return take[id];
  for (const auto& d : take.delivered)
    if (d.delivery == *at) return d.figures[static_cast<size_t>(id)];
  return std::nullopt;
}

double CriterionSpec::sigma(const TakeMetrics& take, const std::optional<Delivery>& at) const {
  const auto i = static_cast<size_t>(id);
  if (derived || !is(kDelivered) || !at) return take.sigmas[i].value_or(0);
  for (const auto& d : take.delivered)
    if (d.delivery == *at) return d.sigmas[i].value_or(0);
  return 0;
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

CriteriaProfile owned(CriteriaProfile p) {
  if (!p.name.starts_with(kOwnProfile)) p.name = fmt::format("{} after {}", kOwnProfile, p.name);
  return p;
}

CriteriaProfile withLimit(CriteriaProfile p, Criterion criterion, bool clean, double value) {
  const CriterionSpec& spec = specOf(criterion);
  LimitPair& limit = p[criterion];
  (clean ? limit.clean : limit.lost) = std::clamp(value, 0.0, spec.is(kFalling) ? 1.0 : kNone);
  if (spec.beyond(limit.clean, limit.lost))
    (clean ? limit.clean : limit.lost) = clean ? limit.lost : limit.clean;
  return owned(std::move(p));
}

const std::vector<CriteriaProfile>& standardProfiles() {
  static const std::vector<CriteriaProfile> all = [] {
    constexpr StandardProfile kProfiles[] = {
        {"cinema", 0.8, {kUhd, Chroma::Full444}}, {"cinema, 200 %", 0.8, {kTwiceUhd, Chroma::Full444}},
        {"broadcast", 1, {kHd, Chroma::Half422}}, {"broadcast, 200 %", 1, {kUhd, Chroma::Half422}},
        {"web", 1.3, {kHd, Chroma::Quarter420}},  {"web, 200 %", 1.3, {kUhd, Chroma::Quarter420}}};
    std::vector<CriteriaProfile> list(1);
    for (const auto& standard : kProfiles) {
      CriteriaProfile p;
      p.name = standard.name;
      p.delivery = standard.delivery;
      for (const auto& s : kSpecs) {
        // Detail is a correlation: stricter is nearer to 1.
        const auto scaled = [&](double v) {
          return s.is(kFalling) ? 1 - (1 - v) * standard.strictness : v * standard.strictness;
        };
        p[s.id] = {scaled(s.limit.clean), scaled(s.limit.lost)};
      }
      list.push_back(p);
    }
    return list;
  }();
  return all;
}

std::vector<Delivery> standardDeliveries() {
  std::vector<Delivery> list;
  for (const auto& p : standardProfiles())
    if (p.delivery && std::find(list.begin(), list.end(), *p.delivery) == list.end())
      list.push_back(*p.delivery);
  return list;
}

json toJson(const CriteriaProfile& p) {
  json j = {{"format", kFormat}, {"version", kVersion}, {"name", p.name}, {"limits", json::object()}};
  for (const auto& s : kSpecs) {
    const LimitPair& l = p[s.id];
    j["limits"][s.metric] = l.judges() ? json{l.clean, l.lost} : json();
  }
  if (p.delivery) {
    const json d = toJson(*p.delivery);
    j["chroma"] = d["chroma"];
    if (p.delivery->raster) j["raster"] = d["raster"];
  }
  return j;
}

CriteriaProfile criteriaProfileFrom(const json& j) {
  CriteriaProfile p;
  if (!j.is_object()) return p;
  if (j.contains("name") && j["name"].is_string()) p.name = j["name"];
  // Projects of the first versions keep the limits beside the name, under the keys of stored results.
  for (const auto& s : kSpecs) {
    p[s.id] = limitFrom(j, s.key, s.limit);
    if (j.contains("limits")) p[s.id] = limitFrom(j["limits"], s.metric, p[s.id]);
  }
  if (j.contains("raster") || j.contains("chroma")) p.delivery = deliveryFrom(j);
  return p;
}

CriteriaProfile readProfile(const std::filesystem::path& file) {
  const std::string name = file.string();
  const json j = readJsonFile(file, 1u << 20);
  if (!j.is_object() || j.value("format", json()) != kFormat || j.value("version", json()) != kVersion)
    throw Error("this is no criteria profile", name, "format",
                R"(a profile starts with "format": "edge-test-profile", "version": 1)");
  const json limits = j.value("limits", json::object());
  if (!limits.is_object()) throw Error("limits are no object", name, "limits", "write { ... }");
  for (const auto& [key, value] : limits.items()) {
    const auto spec = std::find_if(std::begin(kSpecs), std::end(kSpecs),
                                   [&, k = key](const CriterionSpec& s) { return k == s.metric; });
    if (spec == std::end(kSpecs))
      throw Error("\"" + key + "\" is no criterion", name, "limits." + key,
                  "see docs/formats.md for the names");
    if (value.is_null()) continue;
    if (!value.is_array() || value.size() != 2 || !value[0].is_number() || !value[1].is_number())
      throw Error("two numbers were expected", name, "limits." + key, "write [clean, lost]");
    const double clean = value[0], lost = value[1];
    if (clean < 0 || lost < 0 || spec->beyond(clean, lost))
      throw Error("the clean limit lies beyond the lost one", name, "limits." + key, "exchange them");
  }
  if (j.contains("chroma") && (!j["chroma"].is_string() || !parseChroma(j["chroma"].get<std::string>())))
    throw Error("this is no chroma sampling", name, "chroma", "write \"444\", \"422\" or \"420\"");
  CriteriaProfile p = criteriaProfileFrom(j);
  if (j.contains("raster") && (!p.delivery || !p.delivery->raster))
    throw Error("this is no raster", name, "raster", R"(write {"width": 1920, "height": 1080})");
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
  if (r.grade == Verdict::Unknown) {
    text += " is not known";
    return r.value > 0
               ? text + fmt::format(": {}{} of it lie on one value, and no end of a channel is proved",
                                    formatNumber(r.value, 1), unit)
               : text;
  }
  const int digits = spec.is(kFalling) || std::abs(r.limit) < 1 ? 2 : 1;  // small figures need two
  text += fmt::format(": {}{}", formatNumber(r.value, digits), unit);
  if (!r.channel.empty()) text += fmt::format(" ({})", r.channel);
  text += fmt::format(", limit {}{}", formatNumber(r.limit, digits), unit);
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
