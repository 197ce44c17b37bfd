#include "shoot/judge.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/numbers.h"
#include "color/curve.h"
#include "exposure/meter.h"
#include "plan/rig.h"
#include "plan/run_list.h"
#include "shoot/actual.h"
#include "shoot/prompt.h"

namespace edge {
namespace {

constexpr const char* kSettings = "settings";
constexpr double kSpotTolerance = 0.5;    // spot against incident: cards shine and turn
constexpr double kClips = 0.1;            // stops over the clip from which a step is sure to clip
constexpr double kFirstStepsLost = 1.25;  // stops more than planned: a whole step of the wedge shows nothing

std::string stopWords(double off) {
  return fmt::format("{:.2g} stop{} {}", std::abs(off), std::abs(off) < 1.5 ? "" : "s",
                     off > 0 ? "over" : "under");
}

class Judge {
 public:
  Judge(const Recipe& recipe, const Plan& plan, const Knowledge& known, const ShootLog& log, size_t take)
      : recipe_(recipe),
        plan_(plan),
        known_(known),
        log_(log),
        planned_(plan.takes.at(take)),
        actual_(takeAsShot(recipe, plan, planned_, settingsOf(log.of(planned_.slate)))) {}

  std::vector<Judgement> run() {
    const TakeLog& t = log_.of(take_.slate);
    const Scene scene = blockOf(plan_.series[take_.series].kind).scene;
    if (scene == Scene::Wedge)
      for (const auto& r : t.readings) firstStep(r);
    if (scene == Scene::Bench) {
      for (const auto& r : t.readings) reading(r);
      settings(t);
      ratios(t);
      contradictions(t);
      spotAgainstIncident(t);
      drift(t);
    }
    for (const auto& l : t.levels) level(l);
    return std::move(out_);
  }

 private:
  static const std::string& settingsOf(const TakeLog& t) {
    return t.state == TakeState::Done ? t.settings : t.adopted;
  }

  [[nodiscard]] MeterSetting meter() const { return {take_.settings.shutter, take_.settings.iso}; }

  [[nodiscard]] std::optional<double> lux(const MeterNote& r) const {
    if (r.spot) return std::nullopt;
    if (r.reading.unit == ReadingUnit::Offset)
      if (const auto e = expected(r.position)) return *e * std::exp2(r.reading.value);
    const auto v = luxOf(r.reading, meter(), Stops(log_.offsetOf(r.instrument)));
    return v ? std::optional(v->value()) : std::nullopt;
  }

  // Light that should fall at a position, in lux.
  [[nodiscard]] std::optional<double> expected(const std::string& position) const {
    const double key = take_.settings.light.value();
    if (position == "key" || position == "grey card" || position == "chart") return key;
    for (const auto& l : take_.settings.lamps)
      for (const auto& spec : recipe_.lamps)
        if (spec.name == l.name && (spec.name == position || wordOf(spec.role) == position))
          return l.lux.value();
    return std::nullopt;
  }

  void add(const char* code, Standing standing, const std::string& position, double off, std::string words) {
    out_.push_back({code, standing, position, std::move(words), off});
  }

  void reading(const MeterNote& r) {
    const auto e = expected(r.position);
    if (r.spot) return tone(r);
    const auto read = lux(r);
    if (!e || !read) return;
    const double off = std::log2(*read / *e);
    if (std::abs(off) <= kLightTolerance)
      return add("light", Standing::Pass, r.position, off, fmt::format("{} as planned", r.position));
    if (impossible(r, *read)) return;
    if (actual_.light != 0 && std::abs(off + actual_.light) <= kLightTolerance)
      return add("light", Standing::Pass, r.position, off,
                 fmt::format("{} is {}, made up for by {}", r.position, stopWords(off), saidSettings()));
    if (const std::string slip = slipOf(r, off); !slip.empty())
      return add("unit", Standing::Doubt, r.position, off,
                 fmt::format("{}: {}. {}", r.position, stopWords(off), slip));
    add("light", Standing::Fail, r.position, off,
        fmt::format("{} is {}: {} wanted, {} read", r.position, stopWords(off), lightWords(Lux(*e)),
                    lightWords(Lux(*read))));
  }

  [[nodiscard]] std::string saidSettings() const {
    return fmt::format("{}", fmt::join(actual_.understood, ", "));
  }

  // Set otherwise than planned: what the exposure becomes of it, with the light as it was read.
  void settings(const TakeLog& t) {
    if (actual_.understood.empty()) return;
    double light = 0;
    for (const auto& r : t.readings)
      if (const auto read = lux(r); read && (r.position == "key" || r.position == "grey card"))
        light = std::log2(*read / planned_.settings.light.value());
    const double off = light + actual_.light;
    const bool holds = std::abs(off) <= kLightTolerance && std::abs(actual_.gain) <= kLightTolerance;
    std::string words = saidSettings();
    words += std::abs(off) <= kLightTolerance
                 ? std::string(": exposed as planned")
                 : fmt::format(": exposed {} of what was planned", stopWords(off));
    if (std::abs(actual_.gain) > kLightTolerance)
      words += fmt::format(", with {} stops of gain", formatSigned(actual_.gain, 1));
    add(kSettings, holds ? Standing::Pass : Standing::Fail, "", off, words);
  }

  // Spot on the brightest step of a wedge: it must lie over the clip, by a little.
  void firstStep(const MeterNote& r) {
    if (!r.spot || take_.role == TakeRole::Black) return;
    const auto l = luminanceOf(r.reading, meter(), Stops(log_.offsetOf(r.instrument)));
    const auto expected = wedgeExpectation(recipe_, plan_, take_, known_);
    if (!l || !expected.clip) return;
    TakeSettings at = take_.settings;
    at.light = Lux(*l * kIncidentFlat / kReflected);
    const double over = aboveMeter(at).value() - *expected.clip, off = over - expected.overClip;
    if (over < kClips)
      return add(
          "wedge", Standing::Fail, r.position, off,
          fmt::format("the first step lies {:.1f} stops below the clip: open up by {:.1f}", -over, -off));
    add("wedge", off <= kFirstStepsLost ? Standing::Pass : Standing::Doubt, r.position, off,
        off <= kFirstStepsLost
            ? fmt::format("the first step lies {:.1f} stops over the clip", over)
            : fmt::format("the first step lies {:.1f} stops over the clip: that much of the wedge is lost at "
                          "its top, and missed in the dark",
                          over));
  }

  // More than the lamps can give, or a fixed lamp that changed.
  bool impossible(const MeterNote& r, double read) {
    for (const auto& l : recipe_.lamps) {
      if (l.name != r.position && !(wordOf(l.role) == r.position && l.role != LampRole::Practical)) continue;
      const double most = fullLux(l, std::min(l.nearest, l.distance));
      if (read <= most * std::exp2(kRatioTolerance)) continue;
      add("impossible", Standing::Doubt, r.position, std::log2(read / most),
          fmt::format(
              "{} can give {} at most; {} was read. Another lamp in the way of the meter, or a wrong unit",
              l.name, lightWords(Lux(most)), lightWords(Lux(read))));
      return true;
    }
    return false;
  }

  // An error that is exactly a common slip is named as one.
  [[nodiscard]] std::string slipOf(const MeterNote& r, double off) const {
    const auto is = [&](double v) { return std::abs(off - v) < 0.06; };
    const double fc = std::log2(kLuxPerFootCandle);
    if (r.reading.unit == ReadingUnit::Lux && is(fc))
      return "Exactly the factor between lux and foot-candles: typed as fc, read in lux?";
    if (r.reading.unit == ReadingUnit::Lux && is(-fc))
      return "Exactly the factor between lux and foot-candles: typed as lux, read in fc?";
    if (r.reading.unit != ReadingUnit::Stop) return {};
    for (const auto& t : plan_.takes) {
      const double iso = std::log2(take_.settings.iso.value() / t.settings.iso.value());
      if (std::abs(iso) > 0.3 && is(iso))
        return fmt::format("Exactly the difference of ISO {:g} and {:g}: is the meter set to ISO {:g}?",
                           take_.iso, t.iso, t.iso);
      const double time = std::log2(take_.settings.shutter.value() / t.settings.shutter.value());
      if (std::abs(time) > 0.3 && is(time))
        return "Exactly the difference of two shutter times of the plan: is the meter set to another one?";
    }
    return {};
  }

  // A spot reading of a tone, against the grey card's.
  void tone(const MeterNote& r) {
    const auto l = luminanceOf(r.reading, meter(), Stops(log_.offsetOf(r.instrument)));
    const auto grey = greyLuminance();
    const auto wanted = toneStops(recipe_, r.position);
    if (!l || !grey || !wanted || r.position == "grey card") return;
    const double at = std::log2(*l / *grey), off = at - *wanted;
    add("tone", std::abs(off) <= kToneTolerance ? Standing::Pass : Standing::Fail, r.position, off,
        fmt::format("{} lies {} stops from grey, {} wanted", r.position, formatSigned(at, 1),
                    formatSigned(*wanted, 1)));
  }

  [[nodiscard]] std::optional<double> greyLuminance() const {
    std::optional<double> l;
    for (const auto& r : log_.of(take_.slate).readings)
      if (r.spot && r.position == "grey card")
        l = luminanceOf(r.reading, meter(), Stops(log_.offsetOf(r.instrument)));
    return l;
  }

  void ratios(const TakeLog& t) {
    std::optional<double> key;
    for (const auto& r : t.readings)
      if (r.position == "key") key = lux(r);
    if (!key) return;
    for (const auto& r : t.readings) {
      if (r.position == "key" || r.spot) continue;
      const auto e = expected(r.position), k = expected("key"), read = lux(r);
      if (!e || !k || !read || r.position == "grey card" || r.position == "chart" || fixedLamp(r.position))
        continue;
      const double wanted = std::log2(*e / *k), is = std::log2(*read / *key);
      add("ratio", std::abs(is - wanted) <= kRatioTolerance ? Standing::Pass : Standing::Fail, r.position,
          is - wanted,
          fmt::format("key to {} is {} stops, {} wanted", r.position, formatSigned(-is, 1),
                      formatSigned(-wanted, 1)));
    }
  }

  [[nodiscard]] bool fixedLamp(const std::string& position) const {
    return std::any_of(recipe_.lamps.begin(), recipe_.lamps.end(),
                       [&](const LampSpec& l) { return l.name == position && !l.dimmable; });
  }

  // Two readings of one place in one take.
  void contradictions(const TakeLog& t) {
    for (size_t i = 0; i < t.readings.size(); ++i)
      for (size_t j = 0; j < i; ++j) {
        const MeterNote &a = t.readings[j], &b = t.readings[i];
        if (a.position != b.position || a.spot != b.spot) continue;
        const auto la = lux(a), lb = lux(b);
        if (!la || !lb) continue;
        const double off = std::log2(*lb / *la);
        if (std::abs(off) <= 1.5 * kLightTolerance) continue;
        add("contradiction", Standing::Doubt, b.position, off,
            a.instrument == b.instrument
                ? fmt::format("{}: \"{}\" and \"{}\" differ by {:.2g} stops; nothing was changed in between",
                              b.position, a.text, b.text, std::abs(off))
                : fmt::format(
                      "{}: {} says \"{}\", {} says \"{}\", {:.2g} stops apart: note the offset of the "
                      "one that is off",
                      b.position, a.instrument, a.text, b.instrument, b.text, std::abs(off)));
      }
  }

  void spotAgainstIncident(const TakeLog& t) {
    const auto l = greyLuminance();
    if (!l) return;
    for (const auto& r : t.readings) {
      const auto e = lux(r);
      if (!e || (r.position != "key" && r.position != "grey card" && r.position != "chart")) continue;
      // An 18 % card under light E has luminance 0.18 E / pi.
      const double off = std::log2(*l / (kMiddleGrey * *e / std::numbers::pi));
      if (std::abs(off) <= kSpotTolerance) continue;
      add("contradiction", Standing::Doubt, "grey card", off,
          fmt::format("the spot reading of the grey card is {} against the light that falls on it: the card "
                      "shines, is turned "
                      "away, or one meter is off",
                      stopWords(off)));
      return;
    }
  }

  // Bases and fixed lamps against the takes before.
  void drift(const TakeLog& t) {
    for (const auto& r : t.readings) {
      const bool fixed = fixedLamp(r.position);
      const auto now = lux(r);
      if (r.spot || !now || (take_.role != TakeRole::Base && !fixed)) continue;
      for (const auto& slate : log_.order)
        if (const Take* other = earlier(slate, fixed); other && driftedFrom(*other, r, *now, fixed)) break;
    }
  }

  bool driftedFrom(const Take& other, const MeterNote& r, double now, bool fixed) {
    for (const auto& before : log_.of(other.slate).readings) {
      if (before.position != r.position || before.spot || before.entry >= r.entry) continue;
      const Take then = takeAsShot(recipe_, plan_, other, log_.of(other.slate).settings).take;
      const auto was = luxOf(before.reading, {then.settings.shutter, then.settings.iso},
                             Stops(log_.offsetOf(before.instrument)));
      if (!was) continue;
      const double off = std::log2(now / was->value());
      if (std::abs(off) <= (fixed ? kRatioTolerance : kLightTolerance)) continue;
      add(fixed ? "impossible" : "drift", fixed ? Standing::Doubt : Standing::Fail, r.position, off,
          fmt::format("{} is {} against {}{}", r.position, stopWords(off), other.slate,
                      fixed ? ", though this lamp can't be changed: a wrong reading, or it failed"
                            : ": the light drifted"));
      return true;
    }
    return false;
  }

  // A take shot before whose reading should equal this one's.
  [[nodiscard]] const Take* earlier(const std::string& slate, bool fixed) const {
    for (const auto& t : plan_.takes)
      if (t.slate == slate && t.slate != take_.slate &&
          (fixed || (t.series == take_.series && t.setup == take_.setup && t.role == TakeRole::Base)))
        return &t;
    return nullptr;
  }

  // A level read on the camera, back through the curve to stops.
  void level(const LevelNote& l) {
    const auto tone = toneStops(recipe_, l.position);
    if (!tone) return;
    if (l.scale == LevelScale::DisplayPercent)
      return add("level", Standing::Doubt, l.position, 0,
                 "read through the display look: not to be compared with a code level");
    const TestSeries& s = plan_.series[take_.series];
    const bool raw = recipe_.bodies[s.body].modes[s.mode].kind == ModeKind::Raw;
    const auto wanted = expectedLevel(recipe_, plan_, take_, known_, *tone);
    const auto code = codeOfLevel(l.value, l.scale, raw);
    if (!wanted || !code) return;
    const std::string both = fmt::format("{} at {:.1f} % of code, {:.1f} % wanted{}", l.position, 100 * *code,
                                         wanted->percent, wanted->clips ? " (the clip)" : "");
    const double off = levelOff(*code, wanted->percent / 100);
    if (!std::isfinite(off))
      return add("level", Standing::Doubt, l.position, 0,
                 both + "; the curve can't be read: how many stops that is is not told");
    // The light on a face is not that on the card: a spot meter allows as much.
    const double tolerance = *tone == 0 ? kLightTolerance : kToneTolerance;
    const bool holds = std::abs(off) <= tolerance;
    add("level", holds ? Standing::Pass : Standing::Fail, l.position, off,
        holds ? both : both + ": " + stopWords(off));
  }

  // Stops between two levels through the mode's curve; raw levels are linear.
  [[nodiscard]] double levelOff(double code, double wanted) const {
    const TestSeries& s = plan_.series[take_.series];
    const ModeSpec& mode = recipe_.bodies[s.body].modes[s.mode];
    if (mode.kind == ModeKind::Raw) return std::log2(code / wanted);
    try {
      const std::filesystem::path beside = std::filesystem::path(recipe_.file).parent_path() / mode.curve;
      const auto c = makeCurve(isCurveName(mode.curve) ? mode.curve : beside.string());
      return std::log2(c.curve->toLinear(code) / c.curve->toLinear(wanted));
    } catch (const Error&) {
      return std::numeric_limits<double>::quiet_NaN();  // the curve can't be read: no stops are told
    }
  }

  const Recipe& recipe_;
  const Plan& plan_;
  const Knowledge& known_;
  const ShootLog& log_;
  const Take& planned_;
  const ActualTake actual_;
  const Take& take_ = actual_.take;
  std::vector<Judgement> out_;
};

}  // namespace

std::string codeOf(const Judgement& j) {
  return j.position.empty() ? j.code : j.code + " " + j.position;
}

std::vector<Judgement> judgeReadings(const Recipe& recipe, const Plan& plan, const Knowledge& known,
                                     const ShootLog& log, size_t take) {
  return Judge(recipe, plan, known, log, take).run();
}

double exposureOff(const Recipe& recipe, const Plan& plan, const ShootLog& log, size_t take) {
  const TakeLog& t = log.of(plan.takes.at(take).slate);
  if (t.settings.empty() && t.adopted.empty()) return 0;
  for (const auto& j : judgeReadings(recipe, plan, {}, log, take))
    if (j.code == kSettings && j.standing == Standing::Fail && std::abs(j.off) > kLightTolerance)
      return j.off;
  return 0;
}

std::vector<std::string> positionsFor(const Recipe& recipe, const Plan& plan, size_t take) {
  const Take& t = plan.takes.at(take);
  std::vector<std::string> out;
  const Scene scene = blockOf(plan.series[t.series].kind).scene;
  if (scene == Scene::Wedge) return {"first step"};
  if (scene != Scene::Bench) return {"chart"};
  out.push_back("key");
  for (const auto& l : recipe.lamps)
    if (l.role != LampRole::Key) out.push_back(l.role == LampRole::Practical ? l.name : wordOf(l.role));
  for (const auto& tone : tonePositions(recipe)) out.push_back(tone);
  return out;
}

}  // namespace edge
