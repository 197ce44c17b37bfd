// Tests of a recipe become series and takes.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "base/error.h"
#include "base/numbers.h"
#include "exposure/meter.h"
#include "plan/plan.h"

namespace edge {
namespace {

constexpr double kOverWell = 0.5;  // stops over the clip, of the take that shows the full well
constexpr size_t kMiddleFrom =
    4;  // steps of one of two set-ups, from which its base is repeated in their middle
constexpr double kHeadroomGuess = 6;  // where nothing is known; a problem says so

std::vector<size_t> modesOf(const TestSpec& t, const BodySpec& b) {
  std::vector<size_t> out;
  for (size_t i = 0; i < b.modes.size(); ++i) {
    const ModeSpec& m = b.modes[i];
    if (t.kind == TestKind::PhotonTransfer && m.kind != ModeKind::Raw) continue;
    const auto named = [&](const std::string& n) { return n == m.name || n == wordOf(m.kind); };
    const bool pair = t.kind == TestKind::ModePair;
    if (t.modes.empty() ? (m.kind != ModeKind::Baked || pair)
                        : std::any_of(t.modes.begin(), t.modes.end(), named))
      out.push_back(i);
  }
  return out;
}

std::vector<double> nativeIsos(const BodySpec& b) {
  std::vector<double> out;
  for (const auto& c : b.circuits) out.push_back(c.nativeIso);
  if (out.empty()) out.push_back(b.isos.empty() ? 800 : b.isos.front());
  return out;
}

std::vector<double> isoList(const TestSpec& t, const BodySpec& b) {
  std::vector<double> list = !t.isos.empty() ? t.isos : !b.isos.empty() ? b.isos : nativeIsos(b);
  std::sort(list.begin(), list.end());
  return list;
}

double isoStops(double from, double to) {
  return std::log2(readIso(to).exact.value() / readIso(from).exact.value());
}

class Expander {
 public:
  Expander(const Recipe& recipe, size_t test, const Knowledge& known)
      : recipe_(recipe), known_(known), index_(test), test_(recipe.tests[test]) {}

  std::vector<TestSeries> run() {
    for (size_t b = 0; b < recipe_.bodies.size(); ++b) {
      const BodySpec& body = recipe_.bodies[b];
      const bool wanted = test_.bodies.empty() || std::find(test_.bodies.begin(), test_.bodies.end(),
                                                            body.name) != test_.bodies.end();
      if (!wanted || !recipe_.lensOf(body)) continue;
      for (size_t m : modesOf(test_, body)) {
        if (test_.kind == TestKind::Check && m != modesOf(test_, body).front()) continue;
        forMode(b, m);
      }
    }
    for (auto& s : out_) s.route = solved(s.request);
    return std::move(out_);
  }

 private:
  void forMode(size_t b, size_t m) {
    const BodySpec& body = recipe_.bodies[b];
    const auto natives = nativeIsos(body);
    const auto list = isoList(test_, body);
    if (test_.kind == TestKind::IsoLadder) return ladder(b, m, list);
    if (test_.kind == TestKind::IsoSweep) {
      TestSeries& s = add(b, m, list.front());
      s.request.baseOffset -= test_.under;
      s.request.steps.clear();
      for (double iso : list) s.request.steps.push_back({0, iso, std::nullopt, {}});
      return;
    }
    if (test_.kind == TestKind::PushPair) return push(b, m, natives, list);
    const auto isos = test_.isos.empty() ? natives : test_.isos;
    for (double iso : isos) {
      TestSeries& s = add(b, m, iso);
      if (test_.kind == TestKind::Wedge) wedge(s);
      if (test_.kind == TestKind::HighlightPair) highlights(s);
      if (test_.kind == TestKind::Infrared) infrared(s);
      if (test_.kind == TestKind::PhotonTransfer) transfer(s);
      if (test_.kind == TestKind::RollingShutter) s.request.baseShutter = recipe_.fastest;
      if (blockOf(test_.kind).onRuler || test_.kind == TestKind::Twins || test_.kind == TestKind::BodyMatch ||
          test_.kind == TestKind::ModePair) {
        s.request.steps.clear();
        for (double stops : stepsOf(test_))
          s.request.steps.push_back({stops, 0, std::nullopt, controlOfStep(stops)});
      }
      if (test_.kind == TestKind::Check) return;
    }
  }

  TestSeries& add(size_t b, size_t m, double iso) {
    TestSeries s;
    s.test = index_, s.body = b, s.mode = m, s.iso = iso, s.kind = test_.kind;
    RouteRequest& r = s.request;
    if (const LensSpec* lens = recipe_.lensOf(recipe_.bodies[b])) r.lens = *lens;
    r.fps = recipe_.bodies[b].modes[m].fps, r.baseIso = iso, r.baseOffset = recipe_.baseOffset;
    for (const auto& c : test_.controls)
      // ISO is gain: refused in a bracket unless forced (guardsOf says so).
      if (c != "iso" || test_.forceGain) r.controls.push_back(controlOf(c));
    r.steps = {{0, 0, std::nullopt, {}}};
    r.body = b, r.test = index_;
    out_.push_back(std::move(s));
    return out_.back();
  }

  [[nodiscard]] std::optional<Control> controlOfStep(double stops) const {
    for (const auto& [at, word] : test_.byHand)
      if (std::abs(at - stops) < 1e-6) return controlOf(word);
    return std::nullopt;
  }

  [[nodiscard]] double headroom(const TestSeries& s) const {
    const BodySpec& b = recipe_.bodies[s.body];
    const auto h = headroomAt(b, b.modes[s.mode], s.iso, known_);
    return h ? h->stops : kHeadroomGuess;
  }

  // The first step of the wedge clips by a little, the second is at the brink.
  void wedge(TestSeries& s) const {
    const double over = headroom(s) + test_.firstStepOverClip;
    s.request.baseOffset = over;
    double luminance = 0;
    for (const auto& c : recipe_.charts)
      if (c.kind == "wedge" && c.firstStepCdM2 > 0 && luminance == 0) luminance = c.firstStepCdM2;
    // A chart of unknown luminance: planned at the preferred aperture, found by eye on set.
    const TStop preferred(readTStop(recipe_.preferredAperture.value_or(4)).exact);
    s.request.fixedLight = luminance > 0
                               ? Lux(luminance * kIncidentFlat / kReflected)
                               : Lux(incidentLight(preferred, shutterTime(recipe_.baseShutter, s.request.fps),
                                                   readIso(s.iso).exact)
                                         .value() *
                                     std::exp2(over));
  }

  void ladder(size_t b, size_t m, const std::vector<double>& list) {
    const auto natives = nativeIsos(recipe_.bodies[b]);
    const double base =
        std::find(list.begin(), list.end(), natives.front()) != list.end() ? natives.front() : list.front();
    TestSeries& s = add(b, m, base);
    s.request.steps.clear();
    for (double iso : list) s.request.steps.push_back({-isoStops(base, iso), iso, std::nullopt, {}});
  }

  // Exposed for the higher ISO; the lower one gets the same light and is lifted later.
  void push(size_t b, size_t m, const std::vector<double>& natives, const std::vector<double>& list) {
    double high = natives.back(), low = natives.front();
    if (!test_.isos.empty())
      low = list.front(), high = list.back();
    else if (natives.size() < 2)
      high = list.back() > low ? list.back() : low;
    if (high <= low) return;
    TestSeries& s = add(b, m, high);
    s.request.steps = {{0, high, std::nullopt}, {0, low, std::nullopt}};
  }

  void highlights(TestSeries& s) const {
    const double clip = headroom(s) - kWhiteClothStops;
    s.request.steps = {{0, 0, std::nullopt, {}}};
    for (double over : {0.5, 1.5})
      s.request.steps.push_back({std::round((clip + over) * 3) / 3, 0, std::nullopt, {}});
  }

  // From just over the clip downward.
  void transfer(TestSeries& s) const {
    s.request.steps = {{0, 0, std::nullopt, {}}};
    for (double stops = headroom(s) + kOverWell; stops > -test_.under - 1e-6; stops -= test_.step)
      s.request.steps.push_back({std::round(stops * 3) / 3, 0, std::nullopt, {}});
  }

  void infrared(TestSeries& s) const {
    std::set<double> densities = {0};
    for (const auto& f : recipe_.nd) densities.insert(f.density);
    s.request.steps.clear();
    for (double d : densities) s.request.steps.push_back({0, 0, d});
  }

  Route solved(const RouteRequest& r) {
    std::string key = fmt::format("{}|{}|{}|{}|{}|{}", r.lens.name, r.fps, r.baseIso, r.baseOffset,
                                  r.baseShutter, r.fixedLight ? r.fixedLight->value() : -1);
    for (auto c : r.controls) key += wordOf(c);
    for (const auto& s : r.steps) key += fmt::format("|{},{},{}", s.stops, s.iso, s.nd.value_or(-1));
    const auto [at, fresh] = routes_.try_emplace(key);
    if (fresh) at->second = solveRoute(recipe_, r);
    return at->second;
  }

  const Recipe& recipe_;
  const Knowledge& known_;
  size_t index_;
  const TestSpec& test_;
  std::vector<TestSeries> out_;
  std::map<std::string, Route> routes_;
};

// --- takes

class Lister {
 public:
  Lister(const Recipe& recipe, const std::vector<TestSeries>& series, const Thinning& thinning)
      : recipe_(recipe), series_(series), thin_(thinning) {}

  std::vector<Take> run() {
    for (size_t i = 0; i < series_.size(); ++i)
      if (series_[i].test < thin_.tests && !series_[i].route.bases.empty()) one(i);
    makeSlatesUnique();
    return std::move(out_);
  }

 private:
  void one(size_t i) {
    const TestSeries& s = series_[i];
    if (s.kind == TestKind::Wedge) {
      add(i, 0, TakeRole::Black, "black", 0);
      return add(i, 0, TakeRole::Wedge, "wedge", 0);
    }
    if (s.kind == TestKind::PhotonTransfer) add(i, 0, TakeRole::Black, "black", 0);
    if (s.kind == TestKind::RollingShutter) return add(i, 0, TakeRole::Step, "strobe", 0);
    if (s.kind == TestKind::Check) return add(i, 0, TakeRole::Check, "check", 0);
    for (int setup = 0; setup < static_cast<int>(s.route.bases.size()); ++setup) oneSetup(i, setup);
  }

  void oneSetup(size_t i, int setup) {
    const TestSeries& s = series_[i];
    std::vector<size_t> steps;
    for (size_t k = 0; k < s.route.steps.size(); ++k)
      if (keeps(s, k) && s.route.steps[k].setup == setup) steps.push_back(k);
    base(i, setup, 0);
    for (size_t n = 0; n < steps.size(); ++n) {
      if (n == steps.size() / 2 && n > 0 && thin_.middleBases &&
          (s.route.bases.size() == 1 || steps.size() >= kMiddleFrom))
        base(i, setup, 1);
      const SolvedStep& step = s.route.steps[steps[n]];
      add(i, steps[n], TakeRole::Step, stepName(s, steps[n]), step.planned);
    }
    if (!steps.empty()) base(i, setup, 2);
  }

  [[nodiscard]] bool keeps(const TestSeries& s, size_t k) const {
    const SolvedStep& step = s.route.steps[k];
    if (!step.possible || isBase(s, k)) return false;
    if (!blockOf(s.kind).onRuler) return true;
    if (skippedBy(recipe_, s.label(recipe_), step.planned)) return false;
    return thin_.step == 0 ||
           std::abs(step.planned / thin_.step - std::round(step.planned / thin_.step)) < 1e-6;
  }

  [[nodiscard]] static bool isBase(const TestSeries& s, size_t k) {
    const RouteStep& r = s.request.steps[k];
    return r.stops == 0 && (r.iso == 0 || r.iso == s.iso) &&
           (!r.nd || *r.nd == s.route.bases.front().nd.value());
  }

  [[nodiscard]] static std::string stepName(const TestSeries& s, size_t k) {
    const RouteStep& r = s.request.steps[k];
    if (r.nd) return fmt::format("nd{:g}", *r.nd);
    if (r.iso > 0) return fmt::format("iso{:g}", r.iso);
    return takeName(r.stops);
  }

  void base(size_t i, int setup, int index) {
    constexpr const char* kNames[] = {"base", "base-mid", "base-end"};
    std::string name = kNames[index];
    if (setup > 0) name += "-2";
    add(i, 0, TakeRole::Base, name, 0);
    Take& t = out_.back();
    t.setup = setup, t.baseIndex = index;
    t.settings = series_[i].route.bases[static_cast<size_t>(setup)];
    finish(t, series_[i]);
  }

  void add(size_t i, size_t step, TakeRole role, const std::string& name, double stops) {
    const TestSeries& s = series_[i];
    Take t;
    t.series = i, t.role = role, t.name = name, t.plannedStops = stops;
    if (role == TakeRole::Step && step < s.route.steps.size()) {
      const SolvedStep& solved = s.route.steps[step];
      t.settings = solved.settings, t.setup = solved.setup, t.changed = solved.changed,
      t.note = solved.errorWords;
    } else {
      t.settings = s.route.bases.front();
    }
    finish(t, s);
    out_.push_back(std::move(t));
  }

  // On the slate, for tests that share a configuration with the bracket: "ladder ".
  static std::string testWord(TestKind test) {
    if (test == TestKind::Bracket || test == TestKind::Wedge) return "";
    const std::string kind = wordOf(test);
    return (kind.rfind("iso-", 0) == 0 ? kind.substr(4) : kind) + " ";
  }

  // Two tests of one kind may ask for the same take: each slate is that of one take only.
  void makeSlatesUnique() {
    std::map<std::string, int> seen;
    for (auto& t : out_)
      if (const int n = ++seen[t.slate]; n > 1) t.slate += fmt::format(" ({})", n);
  }

  // The proof: exposure recomputed from what will be set, against the base of the same set-up.
  void finish(Take& t, const TestSeries& s) const {
    const BodySpec& b = recipe_.bodies[s.body];
    const TakeSettings& base = s.route.bases[static_cast<size_t>(t.setup)];
    TakeSettings from = base, to = t.settings;
    from.light = lightOf(recipe_, base), to.light = lightOf(recipe_, t.settings);
    t.iso = t.settings.isoName;
    t.lightStops = lightBetween(from, to).value(), t.gainStops = gainBetween(from, to).value();
    const bool byGain = std::find(t.changed.begin(), t.changed.end(), Control::Iso) != t.changed.end();
    t.errorStops = (byGain ? t.gainStops : t.lightStops) - t.plannedStops;
    if (s.kind == TestKind::HighlightPair && t.role == TakeRole::Step)
      t.note = "develop twice: highlight recovery off, then on";
    if (t.role == TakeRole::Black) t.note = "cap on, lamps off";
    if (s.kind == TestKind::PhotonTransfer && t.role == TakeRole::Base)
      t.note = "an evenly lit wall, lens out of focus";
    if (t.role == TakeRole::Check) t.note = recipe_.tests[s.test].what;
    const bool exposure = t.role == TakeRole::Step && blockOf(s.kind).onRuler;
    const bool whole = std::abs(t.plannedStops - std::round(t.plannedStops)) < 1e-6;
    std::string what = exposure ? formatSigned(t.plannedStops, whole ? 0 : 2) : t.name;
    if (what.rfind("iso", 0) == 0) what.clear();  // the ISO stands there already
    const std::string light = s.light(recipe_);
    t.slate = trim(fmt::format("{} {} {:g} {}{}{}", b.name, b.modes[s.mode].name, t.iso,
                               light.empty() ? "" : light + " ", testWord(s.kind), what));
    if (!light.empty() && t.role != TakeRole::Black && blockOf(s.kind).scene == Scene::Bench)
      t.note += (t.note.empty() ? "" : "; ") + ("light of " + light + ", every other lamp off");
    t.seconds = recipe_.secondsFor("roll");
    t.bytes = b.modes[s.mode].rate.bitsPerSecond / 8 * t.seconds;
  }

  const Recipe& recipe_;
  const std::vector<TestSeries>& series_;
  const Thinning& thin_;
  std::vector<Take> out_;
};

}  // namespace

std::string TestSeries::label(const Recipe& recipe) const {
  const BodySpec& b = recipe.bodies[body];
  const std::string colour = light(recipe);
  return fmt::format("{} · {} · ISO {:g}{}", b.name, b.modes[mode].name, iso,
                     colour.empty() ? "" : " · " + colour);
}

std::string TestSeries::light(const Recipe& recipe) const {
  const auto& k = recipe.tests[test].kelvin;
  return k ? lightName(*k) : "";
}

std::vector<double> stepsOf(const TestSpec& t) {
  std::set<double> steps = {0};
  const auto clean = [](double v) { return std::round(v * 1e6) / 1e6; };
  for (int i = 1; i * t.step <= t.over + 1e-6; ++i) steps.insert(clean(i * t.step));
  for (int i = 1; i * t.step <= t.under + 1e-6; ++i) steps.insert(clean(-i * t.step));
  if (t.over > 0) steps.insert(clean(t.over));
  if (t.under > 0) steps.insert(clean(-t.under));
  for (double e : t.extra) steps.insert(clean(e));
  return {steps.begin(), steps.end()};
}

std::string takeName(double stops) {
  if (std::abs(stops) < 1e-9) return "base";
  return fmt::format("{}{:g}", stops < 0 ? "m" : "p", std::round(std::abs(stops) * 100) / 100);
}

std::vector<TestSeries> seriesOfTest(const Recipe& recipe, size_t test, const Knowledge& known) {
  return Expander(recipe, test, known).run();
}

std::vector<Take> takesOf(const Recipe& recipe, const std::vector<TestSeries>& series,
                          const Thinning& thinning) {
  return Lister(recipe, series, thinning).run();
}

const Skip* skippedBy(const Recipe& recipe, const std::string& label, double stops) {
  for (const auto& s : recipe.skipped)
    if (s.configuration == label && std::abs(s.stops - stops) < 1e-6) return &s;
  return nullptr;
}

}  // namespace edge
