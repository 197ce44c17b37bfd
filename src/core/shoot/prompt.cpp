#include "shoot/prompt.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/numbers.h"
#include "exposure/meter.h"
#include "plan/rig.h"
#include "plan/run_list.h"
#include "shoot/actual.h"

namespace edge {
namespace {

constexpr double kGoodEnough = 0.1;  // stops; a tenth is what meters show

Scene sceneOf(const Plan& plan, const Take& t) {
  return blockOf(plan.series[t.series].kind).scene;
}

std::string sceneWords(Scene scene) {
  return scene == Scene::Wedge    ? "wedge, set dark"
         : scene == Scene::Strobe ? "strobe, no sitter"
         : scene == Scene::Field  ? "even field, out of focus"
                                  : "chart and sitters";
}

std::string ndWords(const TakeSettings& s) {
  return s.filters.empty() ? "none" : filterWords(s);
}

class Changes {
 public:
  Changes(const Recipe& recipe, const Plan& plan, const Take* from, const Take& to)
      : recipe_(recipe), plan_(plan), from_(from), to_(to) {}

  std::vector<PromptChange> run() {
    say("body", [&](const Take& t) { return recipe_.bodies[plan_.series[t.series].body].name; });
    say("lens", [&](const Take& t) {
      const LensSpec* lens = recipe_.lensOf(recipe_.bodies[plan_.series[t.series].body]);
      return lens ? lens->name : std::string();
    });
    say("mode", [&](const Take& t) {
      const TestSeries& of = plan_.series[t.series];
      return recipe_.bodies[of.body].modes[of.mode].name;
    });
    say("ISO", [](const Take& t) { return fmt::format("{:g}", t.iso); });
    say("set", [&](const Take& t) { return sceneWords(sceneOf(plan_, t)); });
    say("T", [](const Take& t) { return t.settings.engraved; });
    say("shutter", [](const Take& t) { return shutterWords(t.settings); });
    say("ND", [](const Take& t) { return ndWords(t.settings); });
    say("gel", [](const Take& t) {
      return t.settings.gel.value() > 0 ? fmt::format("ND{:g}", t.settings.gel.value()) : std::string("none");
    });
    if (sceneOf(plan_, to_) == Scene::Bench)
      for (const auto& l : to_.settings.lamps) lamp(l);
    say("cap", [](const Take& t) { return t.role == TakeRole::Black ? "on" : "off"; });
    return std::move(out_);
  }

 private:
  template <class Words>
  void say(const char* what, Words words) {
    const std::string to = words(to_), from = from_ ? words(*from_) : "";
    if (to.empty() || to == from) return;
    // At the start of the day what is usual is not worth a line.
    if (!from_ && (to == "none" || to == "off")) return;
    out_.push_back({what, from, to});
  }

  void lamp(const LampSetting& l) {
    if (l.fixed) return;
    const auto words = [](const LampSetting& x) {
      return fmt::format("{:.3g} % at {:.3g} m", x.percent, x.distance.value());
    };
    std::string from;
    if (from_ && sceneOf(plan_, *from_) == Scene::Bench)
      for (const auto& x : from_->settings.lamps)
        if (x.name == l.name) from = words(x);
    if (from != words(l)) out_.push_back({l.name, from, words(l)});
  }

  const Recipe& recipe_;
  const Plan& plan_;
  const Take* from_;
  const Take& to_;
  std::vector<PromptChange> out_;
};

}  // namespace

namespace {

std::string levelsOf(const Recipe& recipe, const Plan& plan, const Take& t, const Knowledge& known) {
  std::string words, scale;
  for (const auto& position : tonePositions(recipe)) {
    const auto level = expectedLevel(recipe, plan, t, known, *toneStops(recipe, position));
    if (!level) continue;
    words += fmt::format("{}{} {}", words.empty() ? "" : ", ", position,
                         level->clips ? std::string("clips") : fmt::format("{:.1f} %", level->percent));
    scale = level->scale;
  }
  return words.empty() ? words : words + " " + scale;
}

// Where the base is set by: a face, or the meter as it stands. The card needs no word.
std::string schoolWords(const Recipe& recipe, const Take& t) {
  if (recipe.baseSchool == "forehead" && !recipe.sitters.empty()) {
    const SitterSpec& s = recipe.sitters.front();
    const double luminance =
        kMiddleGrey * t.settings.light.value() / std::numbers::pi * std::exp2(s.skinStops);
    return fmt::format("forehead of {} {:.3g} cd/m\u00b2 \u00b7 ", s.name, luminance);
  }
  if (recipe.baseSchool == "meter") return "as the meter says, ";
  if (recipe.baseSchool == "metered over")
    return fmt::format("meter {} \u00b7 ", formatSigned(recipe.baseOffset, 1));
  return {};
}

std::string wedgeWords(const Recipe& recipe, const Plan& plan, const Take& t, const Knowledge& known) {
  const auto w = wedgeExpectation(recipe, plan, t, known);
  std::string words =
      w.luminance ? fmt::format("spot on the first step {:.0f} cd/m\u00b2, ", *w.luminance) : std::string();
  if (w.overMeter)
    words += fmt::format("{} from the meter: it clips by {:.2g}", formatSigned(*w.overMeter, 1), w.overClip);
  else
    words += "the first step must clip, the next must not: look at the waveform";
  return words;
}

}  // namespace

WedgeExpectation wedgeExpectation(const Recipe& recipe, const Plan& plan, const Take& t,
                                  const Knowledge& known) {
  const TestSeries& s = plan.series[t.series];
  const BodySpec& body = recipe.bodies[s.body];
  WedgeExpectation w;
  w.overClip = recipe.tests[s.test].firstStepOverClip;
  const bool stated = std::any_of(recipe.charts.begin(), recipe.charts.end(), [](const ChartSpec& c) {
    return c.kind == "wedge" && c.firstStepCdM2 > 0;
  });
  if (stated) w.luminance = t.settings.light.value() * kReflected / kIncidentFlat;
  if (const auto h = headroomAt(body, body.modes[s.mode], t.iso, known))
    w.clip = h->stops, w.overMeter = h->stops + w.overClip;
  return w;
}

Prompt promptFor(const Recipe& recipe, const Plan& plan, const Knowledge& known, const ShootLog& log,
                 size_t index) {
  const TakeLog& logged = log.of(plan.takes.at(index).slate);
  const Take t = takeAsShot(recipe, plan, plan.takes[index], logged.adopted).take;
  const TestSeries& s = plan.series[t.series];
  Prompt p;
  p.take = index, p.slate = t.slate, p.test = blockOf(s.kind).title, p.attempt = logged.attempt;
  p.adopted = logged.adopted;
  // What is set now is what was really shot with.
  std::optional<Take> last;
  if (const Take* planned = log.lastDone.empty() ? nullptr : takeOfSlate(plan, log.lastDone))
    last = takeAsShot(recipe, plan, *planned, log.of(log.lastDone).settings).take;
  p.changes = Changes(recipe, plan, last ? &*last : nullptr, t).run();
  const Scene scene = sceneOf(plan, t);
  p.onScales = scene == Scene::Bench;
  if (t.role == TakeRole::Black)
    p.meter = "no light: cap on, lamps off; the waveform lies flat at black";
  else if (scene == Scene::Wedge)
    p.meter = wedgeWords(recipe, plan, t, known);
  else if (scene != Scene::Strobe)
    p.meter = schoolWords(recipe, t) +
              fmt::format("{} \u00b7 {}, within a tenth of a stop", lightWords(t.settings.light),
                          meterNotation(apertureFor(t.settings.light, t.settings.shutter, t.settings.iso)));
  p.level = levelsOf(recipe, plan, plan.takes[index], known);
  p.cautions = cautionsOf(recipe, plan, t), p.sideEffects = sideEffectsOf(recipe, plan, t);
  p.label = t.plannedStops, p.fromMeter = aboveMeter(t.settings).value();
  const BodySpec& body = recipe.bodies[s.body];
  if (const auto h = headroomAt(body, body.modes[s.mode], t.iso, known))
    p.toClip = h->stops - (s.request.baseOffset + t.lightStops + t.gainStops);
  p.soFar = shotSoFar(plan, log);
  const auto& [done, skipped, total] = p.soFar;
  p.secondsLeft = plan.totals.seconds * (total - done - skipped) / std::max(1, total);
  return p;
}

ShotSoFar shotSoFar(const Plan& plan, const ShootLog& log) {
  ShotSoFar s;
  s.total = static_cast<int>(plan.takes.size());
  for (const auto& x : plan.takes) {
    const TakeState state = log.of(x.slate).state;
    s.done += state == TakeState::Done, s.skipped += state == TakeState::Skipped;
  }
  return s;
}

std::optional<size_t> nextOpen(const Plan& plan, const ShootLog& log, size_t from) {
  for (size_t i = 0; i < plan.takes.size(); ++i) {
    const size_t k = (from + i) % plan.takes.size();
    if (log.of(plan.takes[k].slate).state == TakeState::Open) return k;
  }
  return std::nullopt;
}

std::vector<WayOut> waysOut(const Recipe& recipe, const Plan& plan, size_t index, double off) {
  const Take& t = plan.takes.at(index);
  const TestSeries& s = plan.series[t.series];
  std::vector<WayOut> out;
  // Nearest value of one control to a change of -off; the present value is no way out.
  const auto nearest = [&](Control control, const auto& values, auto stopsOf, auto wordsOf) {
    double best = std::abs(off) - 0.01;
    std::optional<WayOut> found;
    for (const auto& v : values)
      if (const double r = off + stopsOf(v); std::abs(r) < best) {
        best = std::abs(r);
        const auto [words, settings] = wordsOf(v);
        found = {words, settings, r, control};
      }
    if (found) out.push_back(*found);
  };
  using Words = std::pair<std::string, std::string>;  // for people, and to be set
  nearest(
      Control::Nd, filterStacks(recipe),
      [&](const FilterStack& f) { return (t.settings.nd.value() - f.density) / kDensityPerStop; },
      [&](const FilterStack& f) {
        TakeSettings with = t.settings;
        with.filters = f.filters;
        return f.filters.empty() ? Words("take the ND out", "no ND")
                                 : Words("ND from " + ndWords(t.settings) + " to " + ndWords(with),
                                         fmt::format("ND{:g}", f.density));
      });
  if (const LensSpec* lens = recipe.lensOf(recipe.bodies[s.body]))
    nearest(
        Control::Iris, lensPositions(*lens),
        [&](const LensPosition& p) { return 2 * std::log2(t.settings.aperture.value() / p.exact); },
        [&](const LensPosition& p) {
          return Words(std::string(off > 0 ? "close" : "open") + " the iris from " + t.settings.engraved +
                           " to " + p.engraved,
                       fmt::format("T{:.5g}", p.exact));
        });
  nearest(
      Control::Shutter, shutterTimes(recipe, t.settings.shutter.value(), t.settings.fps),
      [&](double time) { return std::log2(time / t.settings.shutter.value()); },
      [&](double time) {
        TakeSettings with = t.settings;
        with.shutter = Seconds(time);
        return Words(
            "shutter from " + shutterWords(t.settings) + " to " + shutterWords(with) + "; check flicker",
            fmt::format("{:.6g}ms", time * 1000));
      });
  std::stable_sort(out.begin(), out.end(), [](const WayOut& a, const WayOut& b) {
    return (std::abs(a.rest) <= kGoodEnough) > (std::abs(b.rest) <= kGoodEnough);
  });
  return out;
}

}  // namespace edge
