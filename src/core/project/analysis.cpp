#include "project/analysis.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/error.h"
#include "base/hash.h"
#include "base/json_numbers.h"
#include "plan/recipe_spec.h"
#include "project/copy.h"
#include "project/decode_json.h"
#include "project/noise_project.h"
#include "project/result_kinds.h"
#include "project/same_clips.h"
#include "project/setup.h"
#include "recover/clip_decode.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

constexpr const char* kMethodVersion = "12";  // raised when a change of the method makes old results stale

std::string inputHash(const Configuration& c, const fs::path& folder, const Chart& chart,
                      const std::vector<ClipKind>& kinds) {
  json j = {{"method", kMethodVersion},
            {"decode", toJson(c.decode)},
            {"chart", toJson(chart)},
            {"display", c.display}};
  if (const auto curve = curveContent(c.decode, folder)) j["curve_hash"] = *curve;
  for (const auto& clip : c.clips)
    if (std::find(kinds.begin(), kinds.end(), clip.kind) != kinds.end())
      j["clips"].push_back({wordOf(clip.kind), clip.name, clip.hash,
                            clip.plannedStops ? json(*clip.plannedStops) : json(), clip.first, clip.frames});
  for (const auto& r : c.regions) j["regions"].push_back(toJson(r));
  return hashBytes(j.dump());
}

// Of the wedge at a delivery raster: "wedge 1920x1080".
std::string wedgeResultKind(const std::optional<Raster>& raster) {
  return raster ? fmt::format("{} {}x{}", kWedgeResult, raster->width, raster->height) : kWedgeResult;
}

std::string wedgeInputHash(const Configuration& c, const fs::path& folder) {
  return inputHash(c, folder, c.wedge, {ClipKind::Wedge, ClipKind::Black});
}

std::string lookInputHash(const Configuration& c, const fs::path& folder, const fs::path& look) {
  return hashBytes(latitudeInputHash(c, folder) + hashFile(look));
}

}  // namespace

DecodeOptions decodeOf(const Configuration& c, const fs::path& folder) {
  DecodeOptions d = c.decode;
  if (!d.curve.empty() && !isCurveName(d.curve)) d.curve = (folder / d.curve).string();
  return d;
}

DecodeOptions decodeOfBracket(const Configuration& c, const fs::path& folder) {
  DecodeOptions d = decodeOf(c, folder);
  if (const ClipRecord* base = c.clipOfKind(ClipKind::Base)) d.developedLike = folder / base->path;
  return d;
}

std::string pictureHash(const Configuration& c) {
  const ClipRecord* base = c.clipOfKind(ClipKind::Base);
  return hashBytes(
      json{{"decode", toJson(c.decode)}, {"display", c.display}, {"base", base ? base->hash : ""}}.dump());
}

Series seriesOf(const Configuration& c, const fs::path& folder) {
  Series s;
  s.decode = decodeOfBracket(c, folder);
  s.chart = c.bench;
  s.regions = c.regions;
  s.display = c.display;
  s.alsoAt = standardDeliveries();
  for (const auto& clip : c.clips) {
    const FrameWindow window{clip.first, clip.frames};
    if (clip.kind == ClipKind::Base) s.base = folder / clip.path, s.window = window;
    if (clip.kind == ClipKind::Take)
      s.takes.push_back({clip.name, folder / clip.path, clip.plannedStops, "", c.iso, window});
  }
  return s;
}

std::string latitudeInputHash(const Configuration& c, const fs::path& folder) {
  return inputHash(c, folder, c.bench, {ClipKind::Base, ClipKind::Take});
}

bool isWedgePlaced(const Configuration& c) {
  return c.clipOfKind(ClipKind::Wedge) && !c.wedge.patches.empty();
}
bool hasWedge(const Configuration& c) {
  return isWedgePlaced(c) && std::all_of(c.wedge.patches.begin(), c.wedge.patches.end(),
                                         [](const Patch& p) { return p.stops.has_value(); });
}
bool hasChartLight(const Configuration& c) {
  return std::any_of(c.bench.patches.begin(), c.bench.patches.end(),
                     [](const Patch& p) { return p.stops.has_value(); });
}
bool isMarked(const Configuration& c) {
  return (!c.clipOfKind(ClipKind::Wedge) || hasWedge(c)) &&
         (!c.clipOfKind(ClipKind::Base) || !c.clipOfKind(ClipKind::Take) || hasBracket(c));
}
bool hasBracket(const Configuration& c) {
  return c.clipOfKind(ClipKind::Base) && c.clipOfKind(ClipKind::Take) && !c.bench.patches.empty();
}

namespace {

WedgeMeasure measureAt(const Configuration& c, ClipKind kind, const fs::path& folder,
                       const Progress& progress, std::optional<Raster> raster) {
  const ClipRecord& clip = *c.clipOfKind(kind);
  const auto reader = openClip(folder / clip.path);
  const DecodeOptions decode = resolved(decodeOf(c, folder), reader->info());
  const PixelFormat& f = reader->info().format;
  // A clip that is coarser than the delivery is measured as it is; its raster stands beside the figure.
  if (raster && (raster->width > f.width || raster->height > f.height)) raster.reset();
  return measureWedge(*reader, decode, c.wedge, {clip.first, clip.frames}, progress, raster);
}

}  // namespace

bool hasBlack(const Configuration& c) {
  return hasWedge(c) && c.clipOfKind(ClipKind::Black);
}

Asked askedOf(const Project& p) {
  return {deliveryRasterOf(p), lookOf(p)};
}

std::vector<Analysis> analysesOf(const Configuration& c, const fs::path& folder, const Asked& asked) {
  std::vector<Analysis> list;
  if (!isDecoded(c)) return list;
  const auto add = [&](std::string result, const char* words, std::string hash,
                       std::initializer_list<ClipKind> kinds, auto measure) {
    std::vector<ClipRecord> clips;
    for (const auto& r : c.clips)
      if (std::find(kinds.begin(), kinds.end(), r.kind) != kinds.end()) clips.push_back(r);
    list.push_back({c.id, std::move(result), c.label() + ", " + words, std::move(hash),
                    [c, folder, measure, clips = std::move(clips)](const Progress& p) {
                      const SameClips same(clips, folder, p);
                      const json figures = toJson(measure(c, folder, p));
                      same.stillSame();
                      return figures;
                    }});
  };
  static constexpr std::initializer_list<ClipKind> kOfWedge = {ClipKind::Wedge}, kOfBlack = {ClipKind::Black},
                                                   kOfBracket = {ClipKind::Base, ClipKind::Take};
  const auto wedge = [](ClipKind kind, const std::optional<Raster>& r) {
    return [kind, r](const auto& x, const auto& at, const auto& p) { return measureAt(x, kind, at, p, r); };
  };
  if (hasWedge(c)) {
    const std::string hash = wedgeInputHash(c, folder);
    add(kWedgeResult, "wedge", hash, kOfWedge, wedge(ClipKind::Wedge, std::nullopt));
    if (hasBlack(c)) add(kBlackResult, "cap on", hash, kOfBlack, wedge(ClipKind::Black, std::nullopt));
    if (asked.raster)
      add(wedgeResultKind(asked.raster), "wedge at the delivery raster", hash, kOfWedge,
          wedge(ClipKind::Wedge, asked.raster));
  }
  if (hasBracket(c))
    add(kLatitudeResult, "bracket", latitudeInputHash(c, folder), kOfBracket,
        [](const auto& x, const auto& at, const auto& p) { return measureLatitude(seriesOf(x, at), p); });
  if (hasBracket(c) && !asked.look.empty() && fs::exists(asked.look))
    add(kLookResult, "bracket under the look", lookInputHash(c, folder, asked.look), kOfBracket,
        [look = asked.look](const auto& x, const auto& at, const auto& p) {
          Series s = seriesOf(x, at);
          s.look = look;
          s.stress.clear();
          return measureLatitude(s, p);
        });
  return list;
}

std::vector<Analysis> allAnalyses(const Project& p, const std::vector<Configuration>& configurations) {
  const Asked asked = askedOf(p);
  std::vector<Analysis> all;
  for (const auto& c : configurations)
    for (auto& a : analysesOf(c, p.folder(), asked)) all.push_back(std::move(a));
  for (const auto& s : noiseSubjects(configurations))
    for (auto& a : noiseAnalysesOf(s, p.folder())) all.push_back(std::move(a));
  return all;
}

std::vector<Analysis> pendingAnalyses(const Project& p, std::int64_t first) {
  auto configurations = p.configurations();
  std::stable_partition(configurations.begin(), configurations.end(),
                        [&](const Configuration& c) { return c.id == first; });
  auto pending = allAnalyses(p, configurations);
  std::erase_if(pending,
                [&](const Analysis& a) { return p.hasResult(a.configuration, a.result, a.inputHash); });
  return pending;
}

namespace {

// Figures of other patches than the chart has belong to another chart, whatever their hash says.
auto wedgeOf(const Configuration& c) {
  return [&c](const json& j) {
    WedgeMeasure m = wedgeFromJson(j);
    if (m.patches.size() != c.wedge.patches.size())
      throw Error("figures of another wedge", c.label(), "", "measure it again");
    return m;
  };
}

}  // namespace

std::optional<WedgeMeasure> storedWedge(const Project& p, const Configuration& c,
                                        std::optional<Raster> raster) {
  if (!hasWedge(c)) return std::nullopt;
  return p.resultAs(c.id, wedgeResultKind(raster), wedgeInputHash(c, p.folder()), wedgeOf(c));
}

std::optional<WedgeMeasure> storedBlack(const Project& p, const Configuration& c) {
  if (!hasBlack(c)) return std::nullopt;
  return p.resultAs(c.id, kBlackResult, wedgeInputHash(c, p.folder()), wedgeOf(c));
}

std::optional<LatitudeMeasure> storedLatitude(const Project& p, const Configuration& c) {
  if (!hasBracket(c)) return std::nullopt;
  auto m = p.resultAs(c.id, kLatitudeResult, latitudeInputHash(c, p.folder()), latitudeFromJson);
  if (!m) return std::nullopt;
  if (const fs::path look = lookOf(p); !look.empty() && fs::exists(look))
    if (const auto under =
            p.resultAs(c.id, kLookResult, lookInputHash(c, p.folder(), look), latitudeFromJson))
      m->look = under->look;
  return m;
}

namespace {

// Results of earlier versions may lack what is read today: they count as not there.
template <class Read>
auto readOrNothing(const std::optional<Project::Stored>& stored, Read read)
    -> std::optional<decltype(read(stored->value))> {
  if (!stored) return std::nullopt;
  try {
    return read(stored->value);
  } catch (const json::exception&) {
    return std::nullopt;
  } catch (const Error&) {
    return std::nullopt;
  }
}

}  // namespace

Recorded recordedOf(const Project& p, const Configuration& c) {
  Recorded r;
  const auto wedge = p.anyResult(c.id, kWedgeResult), latitude = p.anyResult(c.id, kLatitudeResult);
  r.wedge = readOrNothing(wedge, wedgeFromJson);
  r.black = readOrNothing(p.anyResult(c.id, kBlackResult), wedgeFromJson);
  r.latitude = readOrNothing(latitude, latitudeFromJson);
  // Somebody else's path is not followed.
  if (!c.decode.curve.empty() && !isCurveName(c.decode.curve)) {
    const fs::path file = p.folder() / c.decode.curve;
    std::error_code ec;
    if (!staysInside(c.decode.curve) || !fs::is_regular_file(file, ec)) return r;
    if (fs::file_size(file, ec) > kMostCurveBytes) return r;
  }
  r.wedgeFits = r.wedge && hasWedge(c) && wedge->inputHash == wedgeInputHash(c, p.folder());
  r.latitudeFits = r.latitude && hasBracket(c) && latitude->inputHash == latitudeInputHash(c, p.folder());
  return r;
}

namespace {

// A number of the recipe's base exposure.
std::optional<double> baseFigure(const Project& p, const char* key) {
  const auto d = p.decision(0, "", kRecipeKey);
  if (!d || !d->value.is_object() || !d->value.contains("base") || !d->value["base"].is_object())
    return std::nullopt;
  const json& base = d->value["base"];
  const json figure = base.contains(key) ? plainValue(base[key]) : json();
  return figure.is_number() ? std::optional(figure.get<double>()) : std::nullopt;
}

}  // namespace

const char* methodVersion() {
  return kMethodVersion;
}

double baseOffsetOf(const Project& p) {
  return baseFigure(p, "offset_stops").value_or(0);
}

std::optional<double> baseApertureOf(const Project& p) {
  const auto t = baseFigure(p, "aperture");
  return t && *t > 0 ? t : std::nullopt;
}

std::optional<Raster> deliveryRasterOf(const Project& p) {
  const auto d = p.decision(0, "", kRasterKey);
  if (!d || !d->value.is_array() || d->value.size() != 2) return std::nullopt;
  const auto width = optionalWhole<int>(d->value[0]), height = optionalWhole<int>(d->value[1]);
  return width && height && *width > 0 && *height > 0 ? std::optional(Raster{*width, *height}) : std::nullopt;
}

RangeOptions rangeOptionsOf(const Project& p) {
  RangeOptions o;
  if (const auto d = p.decision(0, "", kHeadlineSnrKey); d && d->value.is_number())
    o.headlineSnr = d->value.get<double>();
  return o;
}

fs::path lookOf(const Project& p) {
  const auto d = p.decision(0, "", kLookKey);
  return d && d->value.is_string() ? p.folder() / d->value.get<std::string>() : fs::path();
}

CriteriaProfile criteriaOf(const Project& p) {
  const auto d = p.decision(0, "", kCriteriaKey);
  return d ? criteriaProfileFrom(d->value) : CriteriaProfile();
}

Overrides overridesOf(const Project& p, std::int64_t configuration) {
  Overrides o;
  for (const auto& d : p.decisions())
    if (d.configuration == configuration && d.key == kOverrideKey && d.value.is_string())
      if (const auto v = parseVerdict(d.value)) o.emplace_back(d.take, *v);
  return o;
}

Error asOne(const std::vector<FailedAnalysis>& failures) {
  if (failures.size() == 1) return failures.front().error;
  std::string all;
  for (const auto& f : failures)
    all += fmt::format("{}{}: {}", all.empty() ? "" : "; ", f.words, f.error.what());
  return {fmt::format("{} measurements failed", failures.size()), failures.front().error.subject(), all,
          "mend each, and measure again; everything else was measured and is kept"};
}

std::vector<FailedAnalysis> measureAll(const std::vector<Analysis>& analyses, const Progress& progress,
                                       const std::function<void(const Analysis&, const json&)>& store) {
  const auto total = static_cast<double>(analyses.size());
  std::vector<FailedAnalysis> failures;
  for (size_t i = 0; i < analyses.size(); ++i) {
    const Analysis& a = analyses[i];
    const Progress part([&](double f, const std::string&) {
      progress.report((static_cast<double>(i) + f) / total, a.words);
    });
    try {
      store(a, a.measure(part));
    } catch (const Error& e) {
      failures.push_back({a.configuration, a.words, e});
    }
  }
  progress.report(1, "done");
  return failures;
}

std::vector<FailedAnalysis> analyseAll(Project& p, const Progress& progress) {
  return measureAll(pendingAnalyses(p), progress, [&](const Analysis& a, const json& value) {
    p.storeResult(a.configuration, a.result, a.inputHash, value);
  });
}

}  // namespace edge
