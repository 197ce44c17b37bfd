#include "report/review_pool.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>

#include "base/numbers.h"
#include "project/analysis.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

Shown shownOf(const Configuration& c, const ClipRecord& clip, const fs::path& folder, ShownKind kind) {
  Shown s;
  s.kind = kind, s.group = c.label(), s.body = c.body;
  s.key =
      fmt::format("{}|{}|{}|{}|{}", clip.path, clip.hash, clip.first, static_cast<int>(kind), pictureHash(c));
  s.clip = folder / clip.path, s.decode = decodeOfBracket(c, folder), s.window = {clip.first, clip.frames};
  s.display = c.display, s.stops = clip.plannedStops.value_or(0);
  return s;
}

void addBracket(const Finding& f, const fs::path& folder, std::vector<Shown>& out) {
  const Configuration& c = f.configuration;
  std::vector<const ClipRecord*> clips;
  for (const auto& r : c.clips)
    if (r.kind == ClipKind::Base || r.kind == ClipKind::Take) clips.push_back(&r);
  const auto stopsOfClip = [](const ClipRecord* r) {
    return r->kind == ClipKind::Base ? 0.0 : r->plannedStops.value_or(0);
  };
  std::stable_sort(clips.begin(), clips.end(),
                   [&](const auto* a, const auto* b) { return stopsOfClip(a) < stopsOfClip(b); });
  for (const auto* r : clips) {
    const bool base = r->kind == ClipKind::Base;
    Shown s = shownOf(c, *r, folder, base ? ShownKind::Base : ShownKind::AsShot);
    s.name = base ? "base" : formatStops(s.stops) + " as shot";
    s.equalBrightness = base;
    const TakeMetrics* measured = nullptr;
    if (f.latitudeMeasure && base) measured = &f.latitudeMeasure->base;
    if (f.latitudeMeasure && !base)
      for (const auto& t : f.latitudeMeasure->takes)
        if (t.name == r->name) measured = &t;
    const auto figuresOf = [&] {
      std::array<std::optional<double>, kCriteria> figures{};
      for (const auto& spec : criteria()) figures[static_cast<size_t>(spec.id)] = spec.value(*measured);
      return figures;
    };
    if (base && measured) s.figures = figuresOf();
    out.push_back(s);
    if (base || !measured || !measured->measured) continue;
    s.kind = ShownKind::BroughtBack, s.correction = measured->solved.correction, s.equalBrightness = true;
    s.key += fmt::format("|{:.6f}|{:.6f}", measured->k(), measured->q());
    s.name = formatStops(s.stops) + " brought back", s.figures = figuresOf();
    out.push_back(std::move(s));
  }
}

// The worst zone counts.
void keepNoise(const ZonesOfTake& take,
               const std::function<std::optional<SeenNoise>(const ZoneNoise&)>& noise, Shown& s) {
  for (const auto& z : take.zones) {
    const auto seen = noise(z);
    if (!seen) continue;
    const auto keep = [&](Criterion c, double v) {
      auto& figure = s.figures[static_cast<size_t>(c)];
      figure = std::max(figure.value_or(v), v);
    };
    keep(Criterion::LumaNoise, seen->luma), keep(Criterion::ChromaNoise, seen->chroma);
  }
}

// The same ISO after the strongest rung it was measured after: a rung asks for frames that a short clip has
// not.
void addCleaned(const ZonesOfTake& take, Shown s, std::vector<Shown>& out) {
  size_t at = reducerLadder().size();
  const auto cleaned = [&at](const ZoneNoise& z) {
    return at < z.cleaned.size() ? z.cleaned[at] : std::optional<SeenNoise>();
  };
  const auto measured = [&] {
    return std::any_of(take.zones.begin(), take.zones.end(),
                       [&](const auto& z) { return cleaned(z).has_value(); });
  };
  while (at > 0 && !measured()) --at;
  if (!measured()) return;
  const Rung& rung = reducerLadder()[at];
  s.cleanedBy = &rung;
  s.key += fmt::format("|cleaned {}", at);
  s.name += fmt::format(", cleaned ({})", rung.words);
  s.figures = {};
  keepNoise(take, cleaned, s);
  out.push_back(std::move(s));
}

void addLadder(const NoiseFinding& n, const fs::path& folder, std::vector<Shown>& out) {
  if (!n.ladder) return;
  for (const auto& t : n.ladder->takes)
    for (const auto& r : n.subject.clipsOf(ClipKind::IsoLadder)) {
      if (r.name != t.name) continue;
      Shown s = shownOf(n.subject.setup, r, folder, ShownKind::Ladder);
      s.decode.developedLike.clear();
      s.group = n.subject.label(), s.name = fmt::format("ISO {:g}", t.iso), s.stops = 0;
      s.correction.back.k = std::exp2(t.brightness - n.ladder->takes[0].brightness);
      s.key += fmt::format("|{:.6f}", s.correction.back.k);
      s.equalBrightness = true;
      keepNoise(
          t, [](const ZoneNoise& z) { return z.seen; }, s);
      out.push_back(s);
      addCleaned(t, std::move(s), out);
      break;
    }
}

}  // namespace

std::vector<Shown> shownOf(const std::vector<Finding>& findings, const std::vector<NoiseFinding>& noise,
                           const fs::path& folder) {
  std::vector<Shown> out;
  for (const auto& f : findings) addBracket(f, folder, out);
  for (const auto& n : noise) addLadder(n, folder, out);
  return out;
}

Picture renderEncoded(const Shown& s, Encode encode, double megabits, double* came,
                      const Progress& progress) {
  constexpr std::int64_t kFrames = 24;
  if (s.cleanedBy)
    throw Error("an encode needs many frames, a cleaned picture is one", s.clip.string(), "",
                "look at the bare one encoded");
  const auto info = openClip(s.clip)->info();
  const int cell = info.format.layout == Layout::Cfa ? 2 : 1;
  const Rect whole{0, 0, info.format.width / cell / 2 * 2, info.format.height / cell / 2 * 2};
  const std::int64_t count = s.window.count > 0 ? std::min(s.window.count, kFrames) : kFrames;
  std::vector<std::vector<std::uint8_t>> frames;
  for (auto& p :
       renderFrames(s.clip, s.decode, {s.window.first, count}, whole, s.correction, s.display, progress))
    frames.push_back(std::move(p.rgb));
  Encoded e = throughEncode(encode, megabits, whole.width, whole.height, info.fps > 0 ? info.fps : 24, frames,
                            progress);
  if (came) *came = e.megabits;
  return {whole.width, whole.height, std::move(e.frames[3 * e.frames.size() / 4])};
}

Picture renderShown(const Shown& s, const Progress& progress) {
  if (s.cleanedBy)
    return renderReduced(s.clip, s.decode, s.window, s.correction, s.display, *s.cleanedBy, progress);
  return renderPicture(s.clip, s.decode, s.window.first, s.correction, s.display, progress);
}

}  // namespace edge
