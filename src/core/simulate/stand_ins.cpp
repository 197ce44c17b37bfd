#include "simulate/stand_ins.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "exposure/meter.h"
#include "exposure/series.h"
#include "plan/rig.h"

namespace edge {
namespace {

constexpr double kWrongIris = 1;      // stops too wide
constexpr double kDriftStops = -0.5;  // within a clip

}  // namespace

const char* wordOf(Mistake m) {
  constexpr const char* kWords[] = {"wrong iris", "forgotten ND", "light drift"};
  return kWords[static_cast<int>(m)];
}

SimulatedSet::SimulatedSet(Scenario scenario, Recipe recipe, std::filesystem::path folder)
    : scenario_(std::move(scenario)), recipe_(std::move(recipe)), folder_(std::move(folder)) {
  for (const auto& l : recipe_.lamps) lamps_[l.name] = {100, Metres(l.distance)};
}

void SimulatedSet::setLamp(const std::string& lamp, double percent, Metres distance) {
  for (const auto& l : recipe_.lamps)
    if (l.name == lamp && l.dimmable) lamps_[lamp] = {std::clamp(percent, l.minimumPercent, 100.0), distance};
}

double SimulatedSet::percent(const std::string& lamp) const {
  const auto i = lamps_.find(lamp);
  return i == lamps_.end() ? 0 : i->second.percent;
}

Metres SimulatedSet::distance(const std::string& lamp) const {
  const auto i = lamps_.find(lamp);
  return i == lamps_.end() ? Metres(0) : i->second.distance;
}

double SimulatedSet::lampLux(const std::string& name) const {
  for (const auto& l : recipe_.lamps) {
    if (l.name != name) continue;
    const LampState& s = lamps_.at(name);
    const double share = l.dimmable ? dimmerLight(l.law, s.percent) : 1;
    return fullLux(l, s.distance.value()) * share * std::pow(10, l.dimmable ? -gel_ : 0);
  }
  return 0;
}

double SimulatedSet::keyLux() const {
  const LampSpec* key = burning_.empty() ? keyLamp(recipe_) : keyOf(recipe_, burning_);
  return scene_ == Scene::Wedge ? wedgeLux_ : key ? lampLux(key->name) : 0;
}

double SimulatedSet::reading(double exact) const {
  return std::exp2(std::round(std::log2(exact) * 10) / 10);
}

std::optional<Lux> SimulatedSet::incident(const std::string& position) {
  if (scene_ != Scene::Bench) return std::nullopt;
  if (position == "key" || position == "grey card" || position == "chart") return Lux(reading(keyLux()));
  for (const auto& l : recipe_.lamps)
    if (l.name == position || (wordOf(l.role) == position && l.role != LampRole::Practical))
      return Lux(reading(lampLux(l.name)));
  return std::nullopt;
}

std::optional<double> SimulatedSet::spotCdM2(const std::string& position) {
  if (scene_ == Scene::Wedge && position == "first step")
    return reading(keyLux() * kReflected / kIncidentFlat);
  if (scene_ != Scene::Bench) return std::nullopt;
  const auto tone = toneStops(recipe_, position);
  if (!tone) return std::nullopt;
  return reading(kMiddleGrey * keyLux() / std::numbers::pi * std::exp2(*tone));
}

const SceneImage& SimulatedSet::image() {
  SceneImage& drawn = images_[scene_];
  const int w = scenario_.width, h = scenario_.height;
  if (drawn.width == 0)
    drawn = scene_ == Scene::Wedge   ? renderWedge(wedgeChart(scenario_.wedgeStops, w, h), w, h)
            : scene_ == Scene::Field ? renderField(w, h)
                                     : renderBench(w, h);
  return drawn;
}

bool SimulatedSet::takeMistake(Mistake m) {
  const auto i = std::find(mistakes_.begin(), mistakes_.end(), m);
  if (i == mistakes_.end()) return false;
  mistakes_.erase(i);
  return true;
}

void SimulatedSet::prepare(const Plan& plan, const Take& t) {
  const TestSeries& s = plan.series[t.series];
  const BodySpec& body = recipe_.bodies[s.body];
  const Density before = camera_.nd;
  camera_.body = body.name, camera_.mode = body.modes[s.mode].name, camera_.iso = t.iso;
  camera_.aperture = t.settings.aperture, camera_.shutter = t.settings.shutter, camera_.nd = t.settings.nd;
  camera_.cap = t.role == TakeRole::Black;
  if (camera_.nd != before && takeMistake(Mistake::ForgottenNd)) camera_.nd = before;
  if (takeMistake(Mistake::WrongIris))
    camera_.aperture = TStop(camera_.aperture.value() * std::exp2(-kWrongIris / 2));
  scene_ = blockOf(s.kind).scene;
  gel_ = t.settings.gel.value();
  if (scene_ == Scene::Wedge) wedgeLux_ = t.settings.light.value();
  burning_ = t.settings.lamps;
  for (const auto& l : t.settings.lamps) setLamp(l.name, l.percent, l.distance);
  frames_ = t.role == TakeRole::Wedge ? scenario_.wedgeFrames : scenario_.bracketFrames;
}

std::filesystem::path SimulatedSet::roll(const std::optional<QrSymbol>& slate, const Progress& progress) {
  const BodySpec* body = nullptr;
  for (const auto& b : recipe_.bodies)
    if (b.name == camera_.body) body = &b;
  const CircuitSpec* circuit = body ? body->circuitFor(camera_.iso) : nullptr;
  const ScenarioConfiguration* c = nullptr;
  if (circuit)
    for (const auto& m : body->modes)
      if (m.name == camera_.mode)
        c = findConfiguration(scenario_, body->name, m.kind == ModeKind::Raw, circuit->nativeIso);
  if (!c)
    throw Error("there is no simulated camera of this kind", camera_.body + " " + camera_.mode, "",
                "the stand-ins are the bodies of the demo: Corvane 35, Pellam S6 and Tarn M1");
  TakeSettings s;
  s.aperture = camera_.aperture, s.shutter = camera_.shutter, s.nd = camera_.nd,
  s.iso = readIso(camera_.iso).exact;
  s.light = Lux(std::max(1e-6, keyLux()));
  Shot shot;
  shot.stops = aboveMeter(s).value() + (scene_ == Scene::Wedge ? std::log2(kMiddleGrey) : 0);
  shot.capped = camera_.cap, shot.frames = frames_, shot.seed = static_cast<std::uint64_t>(++clips_) + 5000;
  shot.gain = s.iso.value() / readIso(c->iso).exact.value();
  shot.driftStops = takeMistake(Mistake::LightDrift) ? kDriftStops : 0;
  if (!camera_.cap) shot.slate = slate;
  const char letter = static_cast<char>('A' + (body - recipe_.bodies.data()));
  const auto stem = folder_ / fmt::format("{}001C{:03}", letter, clips_);
  std::error_code ec;
  std::filesystem::create_directories(folder_, ec);
  return writeClip(*c, image(), shot, scenario_.fps, stem, progress);
}

}  // namespace edge
