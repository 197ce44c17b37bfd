// What stands beside a take: side effects, cautions, expected level; and beside the plan: checklist,
// protocol.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "base/error.h"
#include "base/hash.h"
#include "base/numbers.h"
#include "color/curve.h"
#include "plan/plan.h"
#include "plan/rig.h"

namespace edge {
namespace {

constexpr const char *kGreyCard = "grey card", *kWhite = "white";
const std::string kFace = "face: ";

bool changes(const Take& t, Control c) {
  return std::find(t.changed.begin(), t.changed.end(), c) != t.changed.end();
}

std::string joined(const std::vector<std::string>& list) {
  return fmt::format("{}", fmt::join(list, ", "));
}

// A curve file of a recipe lies beside it.
std::optional<NamedCurve> curveOf(const Recipe& recipe, const ModeSpec& mode) {
  if (mode.curve.empty() || mode.kind == ModeKind::Raw) return std::nullopt;
  try {
    if (isCurveName(mode.curve)) return makeCurve(mode.curve);
    const std::filesystem::path beside = std::filesystem::path(recipe.file).parent_path() / mode.curve;
    return makeCurve(beside.string());
  } catch (const Error&) {
    return std::nullopt;  // a missing file costs the expected level, not the plan
  }
}

}  // namespace

std::vector<FixedRise> fixedLampRise(const Recipe& recipe, const TestSeries& series, const Take& take) {
  std::vector<FixedRise> out;
  const LampSpec* key = keyOf(recipe, take.settings.lamps);
  if (!key || series.route.bases.empty() || blockOf(series.kind).scene != Scene::Bench) return out;
  const double light = std::log2(take.settings.light.value() / series.route.bases.front().light.value());
  for (const auto& l : recipe.lamps)
    if (!followsKey(l, *key) && lights(l, recipe.tests[series.test]))
      out.push_back({l.name, std::abs(light) < 1e-9 ? 0.0 : -light});
  return out;
}

std::vector<std::string> sideEffectsOf(const Recipe& recipe, const Plan& plan, const Take& t) {
  std::vector<std::string> out;
  const TestSeries& s = plan.series[t.series];
  if (changes(t, Control::Light)) {
    out.push_back("Light: colour and ratio can shift as lamps are dimmed; check the grey card's colour.");
    for (const auto& r : fixedLampRise(recipe, s, t))
      if (std::abs(r.stops) > 0.05)
        out.push_back(fmt::format("{} stands at {} stops against the subject compared with the base.", r.lamp,
                                  formatSigned(r.stops, 1)));
  }
  if (changes(t, Control::Distance))
    out.push_back(
        "Distance: shadows and the fall-off over chart and faces change; check the evenness of the chart, "
        "and "
        "meter again.");
  if (changes(t, Control::Nd))
    out.push_back("ND: tint, and infrared from about ND1.2 on; check black cloth against white.");
  if (changes(t, Control::Iris)) {
    std::string words =
        "Iris: depth of field, vignetting, flare and contrast change; check focus and the corners.";
    if (t.settings.aperture.value() >= 15) words += " At this stop diffraction softens.";
    out.push_back(words);
  }
  if (changes(t, Control::Shutter))
    out.push_back("Shutter: motion blur changes and lamps can beat; check the clip for flicker.");
  if (changes(t, Control::Iso))
    out.push_back("ISO: gain, no exposure; the clip point moves by the same stops.");
  return out;
}

std::vector<std::string> cautionsOf(const Recipe& recipe, const Plan& plan, const Take& t) {
  std::vector<std::string> out;
  const TestSeries& s = plan.series[t.series];
  if (!t.note.empty()) out.push_back(t.note);
  if (changes(t, Control::Iso)) out.push_back("gain, not exposure");
  for (const auto& r : fixedLampRise(recipe, s, t))
    if (r.stops > 0.5) out.push_back(fmt::format("{} {:+.1f}", r.lamp, r.stops));
  if (t.settings.nd.value() >= 1.2) out.push_back("infrared");
  if (s.kind == TestKind::Bracket && t.plannedStops >= 3) out.push_back("bright: sitter's eyes");
  if (blockOf(s.kind).scene == Scene::Wedge) out.push_back("dark set");
  if (s.kind == TestKind::RollingShutter) out.push_back("strobe: no sitter");
  for (const auto& l : t.settings.lamps)
    for (const auto& lamp : recipe.lamps)
      if (lamp.name == l.name && lamp.dimmable && l.percent <= lamp.minimumPercent * 1.02 &&
          t.role == TakeRole::Step)
        out.push_back(l.name + " at its minimum");
  return out;
}

std::optional<ExpectedLevel> expectedLevel(const Recipe& recipe, const Plan& plan, const Take& t,
                                           const Knowledge& known, double tone) {
  const TestSeries& s = plan.series[t.series];
  const BodySpec& body = recipe.bodies[s.body];
  const ModeSpec& mode = body.modes[s.mode];
  const Scene scene = blockOf(s.kind).scene;
  if (scene != Scene::Bench || s.route.bases.empty()) return std::nullopt;
  // What the exposure from the meter's base and the gain from native make of the tone.
  const double wanted = s.request.baseOffset + t.lightStops + t.gainStops + tone;
  const auto h = headroomAt(body, mode, t.iso, known);
  const bool clips = h && wanted >= h->stops;
  const double stops = clips ? h->stops : wanted;
  if (mode.kind == ModeKind::Raw) {
    if (!h) return std::nullopt;
    return ExpectedLevel{100 * std::exp2(stops - h->stops), "of clip, linear, full range", clips};
  }
  if (const auto c = curveOf(recipe, mode))
    return ExpectedLevel{100 * c->curve->toCode(kMiddleGrey * std::exp2(stops)),
                         std::string("of ") + wordOf(mode.kind) + " code, legal", clips};
  if (mode.greyPercent && std::abs(stops) < 1e-6)
    return ExpectedLevel{*mode.greyPercent, std::string("of ") + wordOf(mode.kind) + " code, as published",
                         false};
  return std::nullopt;
}

std::optional<ExpectedLevel> expectedGrey(const Recipe& recipe, const Plan& plan, const Take& t,
                                          const Knowledge& known) {
  return expectedLevel(recipe, plan, t, known, 0);
}

std::vector<std::string> tonePositions(const Recipe& recipe) {
  std::vector<std::string> out = {kGreyCard};
  for (const auto& s : recipe.sitters) out.push_back(kFace + s.name);
  out.emplace_back(kWhite);
  return out;
}

std::optional<double> toneStops(const Recipe& recipe, const std::string& position) {
  if (position == kGreyCard) return 0;
  if (position == kWhite) return kWhiteClothStops;
  for (const auto& s : recipe.sitters)
    if (position == kFace + s.name) return s.skinStops;
  return std::nullopt;
}

std::vector<std::string> checklistOf(const Recipe& r) {
  std::vector<std::string> list;
  for (const auto& b : r.bodies) {
    const std::string at = b.name + ": ";
    list.push_back(at + "noise reduction off in every mode (0 is not always off)");
    list.push_back(at + "sharpening off or at its neutral value");
    list.push_back(at + "lens shading, distortion and peripheral corrections off");
    list.push_back(at + "white balance from the white or grey card, then locked");
    for (const auto& m : b.modes) {
      std::string words = at + m.name + ": ";
      words += m.codec.empty() ? "best codec and bit depth" : m.codec;
      words += fmt::format(", {:g} x {:g}, {:g} fps", m.width, m.height, m.fps);
      if (m.kind == ModeKind::Log) words += "; display look for viewing only, not baked in";
      list.push_back(words);
    }
    std::string isos;
    for (const auto& c : b.circuits) isos += (isos.empty() ? "" : ", ") + fmt::format("{:g}", c.nativeIso);
    if (!isos.empty()) list.push_back(at + "native ISO " + isos + " set, not a value beside it");
    list.push_back(at + "internal ND out, unless the plan says otherwise");
    list.push_back(at + "lens data recorded; focus on the chart, then locked");
  }
  if (!r.bodies.empty()) {
    list.push_back("Clocks of all bodies agree with the log's");
    list.push_back("Chart square to the lens, evenly lit: less than a tenth of a stop across");
    list.push_back("Meter: dome or flat, and its offset, noted");
  }
  return list;
}

Protocol protocolOf(const Recipe& r) {
  Protocol p;
  p.lines.push_back({"Base exposure",
                     r.baseSchool + (r.baseOffset != 0 ? fmt::format(" {:+.2g} stops", r.baseOffset) : "")});
  std::set<std::string> routes, steps;
  for (const auto& t : r.tests) {
    if (!blockOf(t.kind).onRuler) continue;
    auto controls = t.controls;
    if (!t.forceGain) controls.erase(std::remove(controls.begin(), controls.end(), "iso"), controls.end());
    routes.insert(joined(controls));
    steps.insert(fmt::format("{:g} stop, -{:g} to +{:g}", t.step, t.under, t.over));
  }
  p.lines.push_back({"Exposure changed by", joined({routes.begin(), routes.end()})});
  p.lines.push_back({"Steps", joined({steps.begin(), steps.end()})});
  std::set<std::string> lenses, colours;
  for (const auto& l : r.lenses) lenses.insert(l.name);
  for (const auto& l : r.lamps) colours.insert(fmt::format("{} {:g} K", wordOf(l.role), l.kelvin));
  p.lines.push_back({"Lens", joined({lenses.begin(), lenses.end()})});
  p.lines.push_back({"Light", joined({colours.begin(), colours.end()})});
  p.lines.push_back({"Recovery", r.recovery});
  p.lines.push_back({"Noise reduction", r.noiseReduction});
  p.lines.push_back({"Criteria", r.criteria});
  std::string all = fmt::format("edge-test-protocol {}\n", p.version);
  // The steps change how finely an edge is known, not what is measured: they are no part of the key.
  for (const auto& l : p.lines)
    if (l.question != "Steps") all += l.question + "=" + l.answer + "\n";
  p.key = hashBytes(all).substr(0, 8);
  return p;
}

std::vector<std::string> protocolDifferences(const Protocol& a, const Protocol& b) {
  std::vector<std::string> out;
  if (a.version != b.version)
    out.push_back(fmt::format("protocol version {} against {}", a.version, b.version));
  for (size_t i = 0; i < std::min(a.lines.size(), b.lines.size()); ++i)
    if (a.lines[i].question != "Steps" && a.lines[i].answer != b.lines[i].answer)
      out.push_back(
          fmt::format("{}: {} against {}", a.lines[i].question, a.lines[i].answer, b.lines[i].answer));
  return out;
}

}  // namespace edge
