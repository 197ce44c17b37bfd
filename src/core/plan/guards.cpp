// What stands in the way of a plan, and what wants care, each with what to do about it.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "base/error.h"
#include "base/numbers.h"
#include "color/curve.h"
#include "exposure/meter.h"
#include "plan/plan.h"
#include "plan/rig.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr double kInfraredDensity = 1.2;  // common practice: from about four stops of ND on
constexpr size_t kRemediesTried = 4;      // problems whose remedies are tried out

json patch(const char* op, const std::string& path, const json& value) {
  return json::array({{{"op", op}, {"path", path}, {"value", value}}});
}

class Guard {
 public:
  Guard(const Recipe& recipe, const Plan& plan, const Knowledge& known)
      : recipe_(recipe), plan_(plan), known_(known) {}

  std::vector<Problem> run() {
    ingredients();
    for (size_t t = 0; t < recipe_.tests.size(); ++t) gain(t), lampsOfColour(t);
    impossibleSteps();
    bottoms();
    splits();
    flicker();
    fixedLamps();
    filters();
    irises();
    lenses();
    circuits();
    headrooms();
    curves();
    light();
    cards();
    for (const auto& s : plan_.shortened) add("time-budget", Severity::Warning, "time budget", s);
    safety();
    std::stable_sort(out_.begin(), out_.end(),
                     [](const Problem& a, const Problem& b) { return a.severity > b.severity; });
    return std::move(out_);
  }

 private:
  Problem& add(const char* code, Severity severity, std::string where, std::string words) {
    out_.push_back({code, severity, std::move(where), std::move(words), 0, {}});
    return out_.back();
  }

  // TestSeries of the same test, body and ISO are one problem: "Corvane 35 · log, raw · ISO 500".
  template <class Test>
  std::map<std::string, std::vector<const TestSeries*>> grouped(Test test) const {
    std::map<std::string, std::vector<const TestSeries*>> groups;
    for (const auto& s : plan_.series)
      if (test(s)) groups[fmt::format("{}|{}|{}", s.test, s.body, s.iso)].push_back(&s);
    return groups;
  }
  [[nodiscard]] std::string whereOf(const std::vector<const TestSeries*>& list) const {
    std::string modes;
    for (const auto* s : list)
      modes += (modes.empty() ? "" : ", ") + recipe_.bodies[s->body].modes[s->mode].name;
    return fmt::format("{} · {} · ISO {:g}", recipe_.bodies[list.front()->body].name, modes,
                       list.front()->iso);
  }

  void ingredients() {
    if (recipe_.bodies.empty())
      add("nothing-to-test", Severity::Stop, "bodies", "There is no body to test: add one.");
    if (!recipe_.bodies.empty() && recipe_.tests.empty())
      add("nothing-asked", Severity::Stop, "tests", "No test is asked for: add a bracket or a wedge.");
    if (!recipe_.bodies.empty() && recipe_.lenses.empty())
      add("no-lens", Severity::Stop, "lenses",
          "There is no lens: its T range decides what can be stopped down.");
    if (!recipe_.tests.empty() && recipe_.lamps.empty())
      add("no-lamp", Severity::Warning, "lamps",
          "No lamp is listed: the light needed is worked out, whether it can be had is not known.");
    for (const auto& b : recipe_.bodies) {
      if (b.modes.empty()) add("no-mode", Severity::Stop, b.name, b.name + " has no recording mode.");
      if (b.circuits.empty())
        add("no-native-iso", Severity::Warning, b.name,
            fmt::format(
                "No native ISO is known for {}: planned at ISO {:g}. Ask for an ISO sweep to find it.",
                b.name, b.isos.empty() ? 800 : b.isos.front()));
    }
  }

  void lampsOfColour(size_t t) {
    const TestSpec& test = recipe_.tests[t];
    if (!test.kelvin || recipe_.lamps.empty()) return;
    if (std::any_of(recipe_.lamps.begin(), recipe_.lamps.end(),
                    [&](const LampSpec& l) { return lights(l, test); }))
      return;
    add("no-lamp-of-colour", Severity::Stop, blockOf(test.kind).title,
        fmt::format(
            "No lamp of {} is listed (within {:.0f} %): add it, or leave the colour of this test open.",
            lightName(*test.kelvin), 100 * kSameColour));
  }

  void gain(size_t t) {
    const TestSpec& test = recipe_.tests[t];
    if (std::find(test.controls.begin(), test.controls.end(), "iso") == test.controls.end()) return;
    const std::string where = blockOf(test.kind).title;
    if (!test.forceGain) {
      json controls = json::array();
      for (const auto& c : test.controls)
        if (c != "iso") controls.push_back(c);
      Problem& p = add("gain-not-exposure", Severity::Warning, where,
                       "ISO is gain, not exposure: it moves the clip point and exposes nothing. Refused as a "
                       "step of this test.");
      p.remedies = {{"take ISO out of the controls", 0,
                     patch("add", fmt::format("/tests/{}/controls", t), controls), std::nullopt},
                    {"use it all the same, marked as gain", 0,
                     patch("add", fmt::format("/tests/{}/force_gain", t), true), std::nullopt}};
    } else {
      add("gain-forced", Severity::Warning, where,
          "Steps made with ISO are marked as gain: they measure another thing than over- and underexposure.");
    }
  }

  void impossibleSteps() {
    size_t tried = 0;
    for (const auto& [key, list] : grouped([](const TestSeries& s) { return !s.route.complete(); })) {
      const TestSeries& s = *list.front();
      for (bool over : {true, false}) {
        const SolvedStep* worst = nullptr;
        std::string steps;
        for (const auto& step : s.route.steps) {
          if (step.possible || step.tooMuch == over) continue;
          const std::string word =
              step.planned == 0
                  ? std::string("the base")
                  : formatSigned(step.planned, step.planned == std::round(step.planned) ? 0 : 2);
          if (steps.find(word) == std::string::npos) steps += (steps.empty() ? "" : ", ") + word;
          if (!worst || step.shortBy > worst->shortBy) worst = &step;
        }
        if (!worst) continue;
        Problem& p = add("impossible-step", Severity::Stop, whereOf(list),
                         fmt::format("{}: {} can't be had, {:.1f} stops {} at most. At its end: {}.",
                                     blockOf(s.kind).title, steps, worst->shortBy,
                                     over ? "short" : "too bright", worst->limit));
        p.shortBy = worst->shortBy;
        p.remedies = rescues(recipe_, s.request, s.route, over);
        if (tried++ < kRemediesTried) tryOut(s, p.remedies, over);
        // What was shown to be enough comes first.
        std::stable_sort(p.remedies.begin(), p.remedies.end(), [](const Rescue& a, const Rescue& b) {
          return a.enough.value_or(false) > b.enough.value_or(false);
        });
      }
    }
  }

  void tryOut(const TestSeries& s, std::vector<Rescue>& remedies, bool over) const {
    for (auto& r : remedies) {
      if (r.patch.is_null()) continue;
      try {
        const Recipe changed = recipeFromJson(recipe_.source.patch(r.patch), recipe_.file);
        Recipe one = changed;
        const TestSpec test = changed.tests[s.test];
        one.tests = {test};
        one.tests[0].bodies = {changed.bodies[s.body].name};
        one.tests[0].modes = {changed.bodies[s.body].modes[s.mode].name};
        r.enough = true;
        for (const auto& other : seriesOfTest(one, 0, known_))
          if (other.iso == s.iso)
            for (const auto& step : other.route.steps)
              if (!step.possible && step.tooMuch != over) r.enough = false;
      } catch (const std::exception&) {
        r.enough = false;
      }
    }
  }

  // Where the lamps end and another control takes over. Configurations that end alike are said once.
  void bottoms() {
    std::map<std::string, std::vector<std::string>> said;
    for (const auto& [key, list] : grouped([](const TestSeries& s) { return blockOf(s.kind).onRuler; })) {
      const TestSeries& s = *list.front();
      if (s.route.bases.empty()) continue;
      const auto deepest =
          std::min_element(s.route.steps.begin(), s.route.steps.end(),
                           [](const auto& a, const auto& b) { return a.planned < b.planned; });
      std::string lamps;
      double first = -1e9;  // the lamp that ends first decides
      for (const auto& e : s.route.ends) {
        if (e.down == 0 || e.down < deepest->planned - 0.01) continue;
        lamps += fmt::format("{}{} {:.1f}", lamps.empty() ? "" : ", ", e.lamp, -e.down);
        first = std::max(first, e.down);
      }
      if (lamps.empty()) continue;
      said[fmt::format("Lamps reach their minimum under the base, in stops: {}{}.", lamps,
                       takesOver(s, first))]
          .push_back(whereOf(list));
    }
    for (const auto& [words, where] : said)
      add("lamp-minimum", Severity::Caution,
          where.size() == 1 ? where.front() : fmt::format("{} and {} more", where.front(), where.size() - 1),
          words);
  }

  [[nodiscard]] static std::string takesOver(const TestSeries& s, double from) {
    std::string then;
    for (const auto& step : s.route.steps) {
      if (!step.possible || step.planned >= from - 0.01) continue;
      for (Control c : step.changed) {
        const std::string word = c == Control::Nd ? "ND" : wordOf(c);
        if (c != Control::Light && then.find(word) == std::string::npos)
          then += (then.empty() ? "" : ", ") + word;
      }
    }
    return then.empty() ? "" : "; from there on by " + then;
  }

  void splits() {
    for (const auto& [key, list] : grouped([](const TestSeries& s) { return s.route.bases.size() > 1; })) {
      const TestSeries& s = *list.front();
      add("two-setups", Severity::Caution, whereOf(list),
          fmt::format("No single lighting holds all steps: an over and an under set-up, each with its own "
                      "base. Recomputed, the two bases differ by {:.3f} stop; meter both.",
                      std::abs(s.route.baseDifference)));
    }
  }

  // The worst beat of a lamp with a shutter: hz where it is unsafe.
  [[nodiscard]] std::optional<std::pair<std::string, double>> beating(Seconds exact) const {
    const Seconds t = markedShutter(exact);
    for (const auto& l : recipe_.lamps) {
      std::vector<double> rates;
      if (l.mains) rates.push_back(2 * recipe_.mainsHz);
      if (l.flickerHz) rates.push_back(*l.flickerHz);
      for (double hz : rates)
        if (t.value() * hz < 50 && flickerRemainder(t, hz) > 0.02) return std::make_pair(l.name, hz);
    }
    return std::nullopt;
  }

  void flicker() {
    struct Beat {
      std::set<double> angles;
      std::set<std::string> where;
      std::string remedy;
    };
    std::map<std::pair<std::string, double>, Beat> beats;
    for (const auto& t : plan_.takes) {
      const TestSeries& s = plan_.series[t.series];
      const auto b = blockOf(s.kind).scene == Scene::Bench ? beating(t.settings.shutter) : std::nullopt;
      if (!b) continue;
      Beat& beat = beats[*b];
      beat.angles.insert(std::round(angleOfShutter(t.settings.shutter, t.settings.fps) * 10) / 10);
      beat.where.insert(s.label(recipe_));
      const bool atBase =
          std::abs(t.settings.shutter.value() / s.route.bases.front().shutter.value() - 1) < 1e-6;
      if (atBase)
        beat.remedy = fmt::format("{:.4g}deg",
                                  angleOfShutter(flickerSafe(t.settings.shutter, b->second), t.settings.fps));
    }
    for (const auto& [lamp, beat] : beats) {
      Problem& p = add(
          "flicker", Severity::Warning,
          beat.where.size() == 1 ? *beat.where.begin() : fmt::format("{} configurations", beat.where.size()),
          fmt::format("Shutters of {:g} degrees can beat with {} at {:g} Hz: the exposure must hold whole "
                      "periods of it.",
                      fmt::join(beat.angles, ", "), lamp.first, lamp.second));
      if (!beat.remedy.empty())
        p.remedies = {
            {"shutter to " + beat.remedy, 0, patch("add", "/base/shutter", beat.remedy), std::nullopt}};
    }
  }

  void fixedLamps() {
    std::map<std::string, std::pair<double, std::string>> most;
    for (const auto& t : plan_.takes)
      for (const auto& r : fixedLampRise(recipe_, plan_.series[t.series], t))
        if (r.stops > most[r.lamp].first + 1e-9)
          most[r.lamp] = {r.stops, plan_.series[t.series].label(recipe_) + " " + t.name};
    for (const auto& [lamp, worst] : most)
      if (worst.first > 0.05)
        add("fixed-lamp", Severity::Warning, lamp,
            fmt::format("{} can't be dimmed: it creeps up against the subject, by {:+.1f} stops at most "
                        "({}). Its part of the frame must not be compared for noise.",
                        lamp, worst.first, worst.second));
  }

  void filters() {
    double most = 0;
    bool cut = true;
    for (const auto& t : plan_.takes) most = std::max(most, t.settings.nd.value());
    for (const auto& f : recipe_.nd) cut = cut && f.infraredCut;
    if (most >= kInfraredDensity && !cut)
      add("infrared", Severity::Caution, "ND filters",
          fmt::format("Up to ND{:.1f} is stacked: infrared can turn black cloth magenta, and every filter "
                      "has a tint. Shoot the infrared test.",
                      most));
  }

  void irises() {
    for (const auto& [key, list] : grouped([](const TestSeries& s) { return blockOf(s.kind).onRuler; })) {
      const TestSeries& s = *list.front();
      int moved = 0, wide = 0;
      for (const auto& step : s.route.steps) {
        if (std::find(step.changed.begin(), step.changed.end(), Control::Iris) == step.changed.end())
          continue;
        ++moved;
        wide += step.settings.aperture.value() < lensPositions(s.request.lens).front().exact * 1.42;
      }
      if (moved > 0)
        add("iris-steps", Severity::Caution, whereOf(list),
            fmt::format("{} steps change the iris: depth of field, vignetting{} and contrast change with it.",
                        moved, wide ? " (within a stop of wide open)" : ""));
    }
  }

  void lenses() {
    for (const auto& l : recipe_.lenses)
      if (l.markedF)
        add("f-stops", Severity::Warning, l.name,
            l.lossStops
                ? fmt::format("Marked in f-stops; {:.1f} stop of glass is reckoned with.", *l.lossStops)
                : "Marked in f-stops and the loss in the glass is not known: bases differ from other lenses "
                  "by a third of a stop or more. Use T-stops or meter the loss.");
  }

  void circuits() {
    std::set<std::string> said;
    for (const auto& t : plan_.takes) {
      const TestSeries& s = plan_.series[t.series];
      const BodySpec& b = recipe_.bodies[s.body];
      if (t.role != TakeRole::Step || b.circuitFor(t.iso) == b.circuitFor(s.iso)) continue;
      if (!said.insert(s.label(recipe_) + wordOf(s.kind)).second) continue;
      add("crosses-circuit", s.kind == TestKind::Bracket ? Severity::Warning : Severity::Caution,
          s.label(recipe_),
          fmt::format("{}: at ISO {:g} another gain circuit takes over; noise and headroom jump there.",
                      blockOf(s.kind).title, t.iso));
    }
  }

  void headrooms() {
    std::set<std::string> unknown;
    for (const auto& s : plan_.series) {
      const BodySpec& b = recipe_.bodies[s.body];
      const auto h = headroomAt(b, b.modes[s.mode], s.iso, known_);
      if (!h) {
        unknown.insert(s.label(recipe_));
        continue;
      }
      if (s.kind == TestKind::Bracket && h->stops < kWhiteClothStops + recipe_.baseOffset)
        add("white-clips-in-base", Severity::Warning, s.label(recipe_),
            fmt::format("White cloth is forecast to clip in the base already: {:.1f} stops above grey.",
                        h->stops));
    }
    if (!unknown.empty())
      add("headroom-unknown", Severity::Caution,
          unknown.size() == 1 ? *unknown.begin() : fmt::format("{} configurations", unknown.size()),
          "The clip above grey is not known: no forecast, and the wedge is planned for 6 stops. Type the "
          "published figure or shoot the wedge first.");
  }

  void curves() {
    for (const auto& b : recipe_.bodies)
      for (const auto& m : b.modes) {
        if (m.curve.empty() || m.kind == ModeKind::Raw || isCurveName(m.curve)) continue;
        std::error_code ec;
        if (!std::filesystem::is_regular_file(std::filesystem::path(recipe_.file).parent_path() / m.curve,
                                              ec))
          add("curve-missing", Severity::Caution, b.name + " " + m.name,
              "The curve file " + m.curve +
                  " is not there: the levels to expect are known for the base only, if at all.");
      }
  }

  void light() {
    for (const auto& l : recipe_.lamps)
      if (l.kelvin < 2800)
        add("blue-starved", Severity::Caution, l.name,
            fmt::format("At {:g} K blue lies {:.1f} stops under green: its noise decides. Test under this "
                        "light only if you will shoot in it.",
                        l.kelvin, -blueAgainstGreen(l.kelvin).value()));
    if (recipe_.baseSchool != "grey card")
      add("base-school", Severity::Caution, "base exposure",
          "Base: " + recipe_.baseSchool +
              (recipe_.baseOffset != 0 ? fmt::format(" {:+.1f}", recipe_.baseOffset) : "") +
              ". Results are kept from grey and can be restated; compare like with like.");
    for (const auto& c : recipe_.charts)
      if (c.kind == "wedge" && c.firstStepCdM2 == 0 &&
          std::any_of(recipe_.tests.begin(), recipe_.tests.end(),
                      [](const TestSpec& t) { return t.kind == TestKind::Wedge; }))
        add("wedge-luminance", Severity::Caution, c.name,
            "The luminance of its brightest step is not known: find the exposure on set, first step clipped, "
            "second at the brink.");
  }

  void cards() {
    for (const auto& use : plan_.totals.cards) {
      double room = 0;
      int cards = 0;
      for (const auto& c : recipe_.media)
        if (c.body.empty() || c.body == use.body) room += c.bytes * (1 - c.reserve), ++cards;
      if (cards > 0 && use.bytes > room)
        add("cards-full", Severity::Warning, use.body,
            fmt::format("{:.0f} GB ({:.0f} GiB) are recorded, the listed cards hold {:.0f} GB: copy and "
                        "clear between.",
                        use.bytes / 1e9, gibOf(use.bytes), room / 1e9));
    }
  }

  void safety() {
    std::set<std::string> cautions;
    for (const auto& t : recipe_.tests)
      for (const auto& c : blockOf(t.kind).cautions) cautions.insert(c);
    for (const auto& l : recipe_.lamps) {
      if (l.hot)
        cautions.insert("Hot lamps: " + l.name +
                        ". Gloves, clear of cloth and paper, safety chain, let it cool.");
      if (l.mains)
        cautions.insert("Mains: cables off the walkways, one earth-leakage breaker a circuit, no wet floor.");
    }
    for (const auto& c : cautions) add("safety", Severity::Caution, "safety", c + " " + cautionDeferral());
  }

  const Recipe& recipe_;
  const Plan& plan_;
  const Knowledge& known_;
  std::vector<Problem> out_;
};

}  // namespace

std::vector<Problem> guardsOf(const Recipe& recipe, const Plan& plan, const Knowledge& known) {
  return Guard(recipe, plan, known).run();
}

}  // namespace edge
