#include "project/analysis.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/hash.h"
#include "project/decode_json.h"
#include "project/setup.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

constexpr const char* kMethodVersion = "8";  // raised when a change of the method makes old results stale

std::string inputHash(const Configuration& c, const fs::path& folder, const Chart& chart,
                      const std::vector<std::string>& kinds) {
  json j = {{"method", kMethodVersion},
            {"decode", toJson(c.decode)},
            {"chart", toJson(chart)},
            {"display", c.display}};
  if (!c.decode.curve.empty() && !isCurveName(c.decode.curve))
    j["curve_hash"] = hashFile(folder / c.decode.curve);
  for (const auto& clip : c.clips)
    if (std::find(kinds.begin(), kinds.end(), clip.kind) != kinds.end())
      j["clips"].push_back({clip.kind, clip.name, clip.hash,
                            clip.plannedStops ? json(*clip.plannedStops) : json(), clip.first, clip.frames});
  for (const auto& r : c.regions) j["regions"].push_back(toJson(r));
  return hashBytes(j.dump());
}

LimitPair limitFrom(const json& j, const char* key, LimitPair fallback) {
  if (!j.is_object() || !j.contains(key) || !j[key].is_array() || j[key].size() != 2) return fallback;
  return {j[key][0].get<double>(), j[key][1].get<double>()};
}

json limitJson(const LimitPair& l) {
  return {l.clean, l.lost};
}

}  // namespace

DecodeOptions decodeOf(const Configuration& c, const fs::path& folder) {
  DecodeOptions d = c.decode;
  if (!d.curve.empty() && !isCurveName(d.curve)) d.curve = (folder / d.curve).string();
  return d;
}

Series seriesOf(const Configuration& c, const fs::path& folder) {
  Series s;
  s.decode = decodeOf(c, folder);
  s.chart = c.bench, s.regions = c.regions, s.display = c.display;
  for (const auto& clip : c.clips) {
    const FrameWindow window{clip.first, clip.frames};
    if (clip.kind == "base") s.base = folder / clip.path, s.window = window;
    if (clip.kind == "take")
      s.takes.push_back({clip.name, folder / clip.path, clip.plannedStops, "", c.iso, window});
  }
  return s;
}

std::string wedgeInputHash(const Configuration& c, const fs::path& folder) {
  return inputHash(c, folder, c.wedge, {"wedge", "black"});
}
std::string latitudeInputHash(const Configuration& c, const fs::path& folder) {
  return inputHash(c, folder, c.bench, {"base", "take"});
}

bool hasWedge(const Configuration& c) {
  return c.clipOfKind("wedge") && !c.wedge.patches.empty();
}
bool hasBracket(const Configuration& c) {
  return c.clipOfKind("base") && c.clipOfKind("take") && !c.bench.patches.empty();
}

std::string wedgeResultKind(const std::optional<Raster>& raster) {
  return raster ? fmt::format("{} {}x{}", kWedgeResult, raster->width, raster->height) : kWedgeResult;
}

namespace {

WedgeMeasure measureAt(const Configuration& c, const char* kind, const fs::path& folder,
                       const Progress& progress, std::optional<Raster> raster) {
  const ClipRecord& clip = *c.clipOfKind(kind);
  const auto reader = openClip(folder / clip.path);
  DecodeOptions decode = decodeOf(c, folder);
  const PixelFormat& f = reader->info().format;
  if (decode.curve.empty()) decode.curve = defaultCurve(reader->info());
  // A clip that is coarser than the delivery is measured as it is; its raster stands beside the figure.
  if (raster && (raster->width > f.width || raster->height > f.height)) raster.reset();
  return measureWedge(*reader, decode, c.wedge, {clip.first, clip.frames}, progress, raster);
}

}  // namespace

WedgeMeasure measureWedgeOf(const Configuration& c, const fs::path& folder, const Progress& progress,
                            std::optional<Raster> raster) {
  return measureAt(c, "wedge", folder, progress, raster);
}

bool hasBlack(const Configuration& c) {
  return hasWedge(c) && c.clipOfKind("black");
}

WedgeMeasure measureBlackOf(const Configuration& c, const fs::path& folder, const Progress& progress) {
  return measureAt(c, "black", folder, progress, std::nullopt);
}

LatitudeMeasure measureLatitudeOf(const Configuration& c, const fs::path& folder, const Progress& progress) {
  return measureLatitude(seriesOf(c, folder), progress);
}

std::optional<WedgeMeasure> storedWedge(const Project& p, const Configuration& c,
                                        std::optional<Raster> raster) {
  if (!hasWedge(c)) return std::nullopt;
  const auto stored = p.result(c.id, wedgeResultKind(raster), wedgeInputHash(c, p.folder()));
  return stored ? std::optional(wedgeFromJson(*stored)) : std::nullopt;
}

std::optional<WedgeMeasure> storedBlack(const Project& p, const Configuration& c) {
  if (!hasBlack(c)) return std::nullopt;
  const auto stored = p.result(c.id, kBlackResult, wedgeInputHash(c, p.folder()));
  return stored ? std::optional(wedgeFromJson(*stored)) : std::nullopt;
}

std::optional<LatitudeMeasure> storedLatitude(const Project& p, const Configuration& c) {
  if (!hasBracket(c)) return std::nullopt;
  const auto stored = p.result(c.id, kLatitudeResult, latitudeInputHash(c, p.folder()));
  return stored ? std::optional(latitudeFromJson(*stored)) : std::nullopt;
}

std::optional<Raster> deliveryRasterOf(const Project& p) {
  const auto d = p.decision(0, "", kRasterKey);
  if (!d || !d->value.is_array() || d->value.size() != 2 || !d->value[0].is_number_integer() ||
      !d->value[1].is_number_integer())
    return std::nullopt;
  const Raster r{d->value[0].get<int>(), d->value[1].get<int>()};
  return r.width > 0 && r.height > 0 ? std::optional(r) : std::nullopt;
}

RangeOptions rangeOptionsOf(const Project& p) {
  RangeOptions o;
  if (const auto d = p.decision(0, "", kHeadlineSnrKey); d && d->value.is_number())
    o.headlineSnr = d->value.get<double>();
  return o;
}

CriteriaProfile criteriaOf(const Project& p) {
  CriteriaProfile c;
  const auto d = p.decision(0, "", kCriteriaKey);
  if (!d) return c;
  c.name = d->value.value("name", c.name);
  c.highlightPercent = limitFrom(d->value, "highlight", c.highlightPercent);
  c.colourShift = limitFrom(d->value, "colour", c.colourShift);
  c.lumaNoise = limitFrom(d->value, "luma_noise", c.lumaNoise);
  c.chromaNoise = limitFrom(d->value, "chroma_noise", c.chromaNoise);
  return c;
}

json toJson(const CriteriaProfile& c) {
  return {{"name", c.name},
          {"highlight", limitJson(c.highlightPercent)},
          {"colour", limitJson(c.colourShift)},
          {"luma_noise", limitJson(c.lumaNoise)},
          {"chroma_noise", limitJson(c.chromaNoise)}};
}

Overrides overridesOf(const Project& p, std::int64_t configuration) {
  Overrides o;
  for (const auto& d : p.decisions())
    if (d.configuration == configuration && d.key == kOverrideKey && d.value.is_string())
      if (const auto v = parseVerdict(d.value)) o.emplace_back(d.take, *v);
  return o;
}

void analyseAll(Project& p, const Progress& progress) {
  const auto configurations = p.configurations();
  const double total = 2.0 * static_cast<double>(configurations.size());
  double done = 0;
  for (const auto& c : configurations) {
    if (!isDecoded(c)) {
      done += 2;
      continue;
    }
    const Progress part(
        [&](double f, const std::string&) { progress.report((done + f) / total, c.label()); });
    if (hasWedge(c) && !storedWedge(p, c))
      p.storeResult(c.id, kWedgeResult, wedgeInputHash(c, p.folder()),
                    toJson(measureWedgeOf(c, p.folder(), part)));
    if (hasBlack(c) && !storedBlack(p, c))
      p.storeResult(c.id, kBlackResult, wedgeInputHash(c, p.folder()),
                    toJson(measureBlackOf(c, p.folder(), part)));
    if (const auto raster = deliveryRasterOf(p); raster && hasWedge(c) && !storedWedge(p, c, raster))
      p.storeResult(c.id, wedgeResultKind(raster), wedgeInputHash(c, p.folder()),
                    toJson(measureWedgeOf(c, p.folder(), part, raster)));
    ++done;
    if (hasBracket(c) && !storedLatitude(p, c))
      p.storeResult(c.id, kLatitudeResult, latitudeInputHash(c, p.folder()),
                    toJson(measureLatitudeOf(c, p.folder(), part)));
    ++done;
  }
  progress.report(1, "done");
}

}  // namespace edge
