#include "plan/recipe.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "base/error.h"
#include "base/files.h"
#include "base/json_file.h"
#include "base/numbers.h"
#include "exposure/settings.h"
#include "plan/blocks.h"
#include "plan/recipe_spec.h"
#include "plan/route.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr const char* kRateKey = "megabits_per_second";

std::optional<double> maybe(const json& j, const char* key) {
  if (!j.contains(key) || j[key].is_null()) return std::nullopt;
  return plainValue(j[key]).get<double>();
}
// Of a recipe filled in by the table: what is still absent there has no default and is 0 or empty.
double number(const json& j, const char* key, double otherwise = 0) {
  return maybe(j, key).value_or(otherwise);
}
std::string text(const json& j, const char* key) {
  return j.contains(key) && j[key].is_string() ? j[key].get<std::string>() : "";
}
bool toggle(const json& j, const char* key) {
  return j.contains(key) && j[key].is_boolean() && j[key].get<bool>();
}
const json& list(const json& j, const char* key) {
  static const json none = json::array();
  return j.contains(key) && j[key].is_array() ? j[key] : none;
}
const json& group(const json& j, const char* key) {
  static const json none = json::object();
  return j.contains(key) && j[key].is_object() ? j[key] : none;
}
template <class T>
std::vector<T> values(const json& j, const char* key) {
  return list(j, key).get<std::vector<T>>();
}

// Contradictions name the place as the shape check does.
class Reader {
 public:
  Reader(const json& j, std::string file) : j_(j), file_(std::move(file)) {}

  Recipe run() {
    r_.title = text(j_, "title"), r_.file = file_;
    r_.startMinute = clock(text(j_, "start"));
    r_.mainsHz = number(j_, "mains_hz");
    r_.budgetMinutes = maybe(j_, "budget_minutes");
    each("bodies", [&](const json& b, const std::string& at) { body(b, at); });
    each("lenses", [&](const json& l, const std::string& at) { lens(l, at); });
    each("lamps", [&](const json& l, const std::string& at) { lamp(l, at); });
    for (const auto& f : list(j_, "nd")) r_.nd.push_back({number(f, "density"), toggle(f, "infrared_cut")});
    r_.gels = values<double>(j_, "gels");
    const json& range = group(j_, "shutter");
    r_.slowest = text(range, "slowest"), r_.fastest = text(range, "fastest");
    if (shutterTime(r_.slowest, 24) < shutterTime(r_.fastest, 24))
      refuse("the slowest shutter is faster than the fastest", "shutter", "exchange them");
    for (const auto& c : list(j_, "charts"))
      r_.charts.push_back({text(c, "name"), text(c, "kind"), number(c, "steps"), number(c, "step_stops"),
                           number(c, "first_step_cd_m2"), number(c, "width_m")});
    for (const auto& s : list(j_, "sitters"))
      r_.sitters.push_back({text(s, "name"), number(s, "skin_stops")});
    for (const auto& c : list(j_, "media"))
      r_.media.push_back({text(c, "name"), text(c, "body"), number(c, "gigabytes") * 1e9,
                          number(c, "reserve_percent") / 100});
    baseAndTimes();
    each("tests", [&](const json& t, const std::string& at) { test(t, at); });
    for (const auto& e : list(j_, "exceptions"))
      r_.skipped.push_back({text(e, "configuration"), number(e, "stops"), text(e, "reason")});
    references();
    return std::move(r_);
  }

 private:
  [[noreturn]] void refuse(const std::string& what, const std::string& place,
                           const std::string& remedy) const {
    throw Error(what, file_, place, remedy);
  }

  template <class F>
  void each(const char* key, F body) {
    const json& items = list(j_, key);
    for (size_t i = 0; i < items.size(); ++i) body(items[i], fmt::format("{}[{}]", key, i));
  }

  template <class T>
  void unique(const std::vector<T>& list, const std::string& name, const std::string& at,
              const char* plural) const {
    for (const auto& other : list)
      if (other.name == name)
        refuse(fmt::format("two {} are named {}", plural, name), at + ".name", "give each its own name");
  }

  int clock(const std::string& t) const {
    const auto parts = split(t, ':');
    const auto h = parts.size() == 2 ? parseNumber(parts[0]) : std::nullopt,
               m = parts.size() == 2 ? parseNumber(parts[1]) : std::nullopt;
    if (!h || !m || *h < 0 || *h > 23 || *m < 0 || *m > 59)
      refuse("\"" + t + "\" is no clock time", "start", "write 09:00");
    return static_cast<int>(*h) * 60 + static_cast<int>(*m);
  }

  void body(const json& j, const std::string& at) {
    BodySpec b;
    b.name = text(j, "name"), b.lens = text(j, "lens");
    unique(r_.bodies, b.name, at, "bodies");
    const json& circuits = list(j, "circuits");
    for (size_t i = 0; i < circuits.size(); ++i) {
      const json& c = circuits[i];
      CircuitSpec s;
      s.nativeIso = number(c, "native_iso");
      s.firstIso = number(c, "first_iso"), s.lastIso = number(c, "last_iso");
      if (const auto h = maybe(c, "headroom_stops"))
        s.headroomStops = Sourced{*h, originOf(c["headroom_stops"])};
      if ((s.firstIso > 0 && s.firstIso > s.nativeIso) || (s.lastIso > 0 && s.lastIso < s.nativeIso))
        refuse("the native ISO lies outside the circuit's band", fmt::format("{}.circuits[{}]", at, i),
               "first ISO <= native ISO <= last ISO");
      b.circuits.push_back(s);
    }
    std::sort(b.circuits.begin(), b.circuits.end(),
              [](const auto& x, const auto& y) { return x.nativeIso < y.nativeIso; });
    for (const auto& m : list(j, "modes")) b.modes.push_back(mode(m));
    b.isos = values<double>(j, "isos");
    std::sort(b.isos.begin(), b.isos.end());
    b.metadataIso = toggle(j, "metadata_iso");
    r_.bodies.push_back(std::move(b));
  }

  ModeSpec mode(const json& j) const {
    ModeSpec m;
    m.name = text(j, "name");
    m.kind = modeKindOf(text(j, "kind"));
    m.codec = text(j, "codec");
    m.curve = text(j, "curve");
    m.bits = number(j, "bits");
    m.width = number(j, "width");
    m.height = number(j, "height");
    m.fps = number(j, "fps");
    m.greyPercent = maybe(j, "grey_percent");
    const auto rate = maybe(j, "megabits_per_second");
    // A raw mosaic has one value a pixel, anything else three, unless the rate is given.
    m.rate = rate ? DataRate{*rate * 1e6}
                  : uncompressedRate(m.width, m.height, m.bits * (m.kind == ModeKind::Raw ? 1 : 3), m.fps);
    return m;
  }

  void lens(const json& j, const std::string& at) {
    LensSpec l;
    l.name = text(j, "name");
    unique(r_.lenses, l.name, at, "lenses");
    l.markedF = text(j, "marked") == "f", l.lossStops = maybe(j, "loss_stops");
    l.widest = number(j, "widest"), l.closest = number(j, "closest"), l.detents = text(j, "detents");
    if (l.closest < l.widest)
      refuse("the lens closes less than it opens", at + ".closest", "closest is the larger number");
    r_.lenses.push_back(l);
  }

  void lamp(const json& j, const std::string& at) {
    LampSpec l;
    l.name = text(j, "name");
    unique(r_.lamps, l.name, at, "lamps");
    l.role = lampRoleOf(text(j, "role"));
    l.luxAt1m = number(j, "lux_at_1m");
    l.ratioStops = number(j, "ratio_stops");
    const std::string dimmer = text(j, "dimmer");
    l.dimmable = dimmer != "none", l.law = dimmer == "square" ? DimmerLaw::Square : DimmerLaw::Linear;
    l.minimumPercent = number(j, "minimum_percent");
    l.distance = number(j, "distance_m"), l.nearest = number(j, "nearest_m", l.distance),
    l.farthest = number(j, "farthest_m", l.distance);
    if (l.nearest > l.distance || l.farthest < l.distance)
      refuse("the lamp's distance lies outside its range", at + ".distance_m",
             "nearest <= distance <= farthest");
    l.size = number(j, "size_m"), l.kelvin = number(j, "kelvin"), l.flickerHz = maybe(j, "flicker_hz");
    l.mains = toggle(j, "mains"), l.hot = toggle(j, "hot");
    r_.lamps.push_back(l);
  }

  void baseAndTimes() {
    const json& base = group(j_, "base");
    r_.baseSchool = text(base, "school"), r_.baseOffset = number(base, "offset_stops");
    r_.preferredAperture = maybe(base, "aperture"), r_.baseShutter = text(base, "shutter");
    if (r_.baseSchool != "metered over" && r_.baseSchool != "meter" && r_.baseOffset != 0)
      refuse("an offset from the meter contradicts the base \"" + r_.baseSchool + "\"", "base.offset_stops",
             "choose \"metered over\" or set it to 0");
    const json& p = group(j_, "protocol");
    r_.recovery = text(p, "recovery"), r_.noiseReduction = text(p, "noise_reduction"),
    r_.criteria = text(p, "criteria");
    const json& times = group(j_, "times");
    for (const auto& f : recipeSpec().field("times")->item->fields)
      r_.seconds[f.key] = number(times, f.key.c_str());
  }

  void test(const json& j, const std::string& at) {
    TestSpec t;
    t.kind = testKindOf(text(j, "kind"));
    t.what = text(j, "what");
    const BlockTemplate& block = blockOf(t.kind);
    t.bodies = values<std::string>(j, "bodies"), t.modes = values<std::string>(j, "modes");
    t.controls = values<std::string>(j, "controls");
    if (t.controls.empty()) t.controls = block.controls;
    const auto& known = controlWords();
    for (const auto& c : t.controls)
      if (std::find(known.begin(), known.end(), c) == known.end())
        refuse("\"" + c + "\" is no control", at + ".controls",
               "use " + fmt::format("{}", fmt::join(known, ", ")));
    t.isos = values<double>(j, "isos"), t.extra = values<double>(j, "extra");
    t.over = number(j, "over", block.over), t.under = number(j, "under", block.under),
    t.step = number(j, "step", block.step);
    t.forceGain = toggle(j, "force_gain");
    t.firstStepOverClip = number(j, "first_step_over_clip", t.firstStepOverClip),
    t.strobeHz = number(j, "strobe_hz");
    t.kelvin = maybe(j, "kelvin");
    if (j.contains("by"))
      for (size_t i = 0; i < j["by"].size(); ++i) {
        const json& step = j["by"][i];
        const std::string control = text(step, "control"), where = fmt::format("{}.by[{}]", at, i);
        if (std::find(t.controls.begin(), t.controls.end(), control) == t.controls.end())
          refuse("\"" + control + "\" is no control of this test", where + ".control",
                 "use one of " + fmt::format("{}", fmt::join(t.controls, ", ")) + ", or add it to the test");
        t.byHand.emplace_back(number(step, "stops"), control);
      }
    r_.tests.push_back(t);
  }

  void references() const {
    for (size_t i = 0; i < r_.bodies.size(); ++i)
      if (!r_.bodies[i].lens.empty() && !r_.lensOf(r_.bodies[i]))
        refuse("no lens is named " + r_.bodies[i].lens, fmt::format("bodies[{}].lens", i),
               "add the lens or name another");
    for (size_t i = 0; i < r_.tests.size(); ++i)
      for (const auto& name : r_.tests[i].bodies)
        if (std::none_of(r_.bodies.begin(), r_.bodies.end(),
                         [&](const BodySpec& b) { return b.name == name; }))
          refuse("no body is named " + name, fmt::format("tests[{}].bodies", i),
                 "add the body or name another");
  }

  const json& j_;
  std::string file_;
  Recipe r_;
};

}  // namespace

namespace {

constexpr const char* kModeKinds[] = {"log", "raw", "baked"};
constexpr const char* kLampRoles[] = {"key", "fill", "back", "background", "practical"};

template <class Kind, size_t N>
Kind parsed(const char* const (&words)[N], const std::string& word, const char* what) {
  for (size_t i = 0; i < N; ++i)
    if (word == words[i]) return static_cast<Kind>(i);
  throw Error(fmt::format("\"{}\" is no {}", word, what), "", "",
              fmt::format("write one of: {}", fmt::join(words, ", ")));
}

}  // namespace

const char* wordOf(ModeKind kind) {
  return kModeKinds[static_cast<size_t>(kind)];
}
const char* wordOf(LampRole role) {
  return kLampRoles[static_cast<size_t>(role)];
}
ModeKind modeKindOf(const std::string& word) {
  return parsed<ModeKind>(kModeKinds, word, "kind of recording mode");
}
LampRole lampRoleOf(const std::string& word) {
  return parsed<LampRole>(kLampRoles, word, "role of a lamp");
}
const std::vector<std::string>& modeKindWords() {
  static const std::vector<std::string> words(std::begin(kModeKinds), std::end(kModeKinds));
  return words;
}
const std::vector<std::string>& lampRoleWords() {
  static const std::vector<std::string> words(std::begin(kLampRoles), std::end(kLampRoles));
  return words;
}

const CircuitSpec* BodySpec::circuitFor(double iso) const {
  const CircuitSpec* found = nullptr;
  for (const auto& c : circuits) {
    if (c.firstIso > 0 && c.lastIso > 0) {
      if (iso >= c.firstIso - 0.5 && iso <= c.lastIso + 0.5) found = &c;
    } else if (c.nativeIso <= iso + 0.5) {
      found = &c;
    }
  }
  return found || circuits.empty() ? found : &circuits.front();
}

const LensSpec* Recipe::lensOf(const BodySpec& body) const {
  for (const auto& l : lenses)
    if (body.lens.empty() || l.name == body.lens) return &l;
  return nullptr;
}

Recipe recipeFromJson(const json& j, const std::filesystem::path& file) {
  checkRecipeShape(j, file.string());
  const json filled = filledIn(recipeSpec(), j);
  Recipe r = Reader(filled, file.string()).run();
  r.source = j;
  return r;
}

json readRecipeJson(const std::filesystem::path& file) {
  return readJsonFile(file, kMostJsonBytes, 12);
}

json emptyRecipe() {
  json j = newItem(recipeSpec());
  j["format"] = "edge-test-recipe", j["version"] = 1;
  return j;
}

namespace {

// As keyLamp finds it.
json& keyIn(json& recipe) {
  json* key = nullptr;
  const std::string practical = wordOf(LampRole::Practical);
  for (auto& l : recipe["lamps"]) {
    const std::string role = l.value("role", wordOf(LampRole::Key));
    if (role == wordOf(LampRole::Key)) return l;
    if (!key && role != practical) key = &l;
  }
  if (!key) throw Error("there is no lamp for this figure", "", "", "add a lamp to the recipe first");
  return *key;
}

}  // namespace

json withFigure(json recipe, RecipeFigure figure, double value) {
  const double rounded = std::round(value * 1000) / 1000;
  switch (figure) {
    case RecipeFigure::Aperture:
      recipe["base"]["aperture"] = rounded;
      break;
    case RecipeFigure::BaseOffset:
      recipe["base"]["offset_stops"] = rounded;
      if (rounded != 0) recipe["base"]["school"] = "metered over";  // an offset contradicts the others
      break;
    case RecipeFigure::BaseShutter:
      recipe["base"]["shutter"] = fmt::format("{:g}deg", rounded);
      break;
    case RecipeFigure::KeyDistance:
    case RecipeFigure::KeyColour:
      keyIn(recipe)[figure == RecipeFigure::KeyDistance ? "distance_m" : "kelvin"] = rounded;
      break;
    case RecipeFigure::Nd:
      recipe["nd"].push_back({{"density", rounded}});
      break;
    case RecipeFigure::DataRate: {
      json* mode = nullptr;
      for (auto& b : recipe["bodies"])
        for (auto& m : b["modes"])
          if (!mode || (mode->contains(kRateKey) && !m.contains(kRateKey))) mode = &m;
      if (!mode)
        throw Error("there is no recording mode for this data rate", "", "",
                    "add a body to the recipe first");
      (*mode)[kRateKey] = rounded;
    }
  }
  return recipe;
}

std::string lightName(double kelvin) {
  return fmt::format("{:g} K", kelvin);
}

std::optional<double> kelvinOf(const std::string& light) {
  const auto k = light.size() > 2 && light.substr(light.size() - 2) == " K"
                     ? parseNumber(light.substr(0, light.size() - 2))
                     : std::nullopt;
  return k && *k > 0 ? k : std::nullopt;
}

json withExtraTakes(json recipe, const std::string& body, const std::string& mode, double iso,
                    const std::string& light, const std::vector<double>& stops) {
  json& tests = recipe["tests"];
  json wanted = {{"kind", wordOf(TestKind::Bracket)},
                 {"bodies", {body}},
                 {"modes", {mode}},
                 {"isos", {iso}},
                 {"over", 0},
                 {"under", 0}};
  const auto kelvin = kelvinOf(light);
  if (kelvin) wanted["kelvin"] = *kelvin;
  json* found = nullptr;
  for (auto& t : tests) {
    const bool same = std::all_of(wanted.items().begin(), wanted.items().end(), [&](const auto& item) {
      return t.contains(item.key()) && t[item.key()] == item.value();
    });
    if (same && t.contains("kelvin") == kelvin.has_value()) found = &t;
  }
  if (!found) found = &tests.emplace_back(wanted);
  json& extra = (*found)["extra"];
  for (const double s : stops) {
    const double rounded = std::round(s * 1000) / 1000;
    if (std::find(extra.begin(), extra.end(), rounded) == extra.end()) extra.push_back(rounded);
  }
  std::sort(extra.begin(), extra.end());
  return recipe;
}

Seconds shutterTime(const std::string& t, double fps) {
  const bool angle = t.find("deg") != std::string::npos || t.find("\u00b0") != std::string::npos;
  return *parseSettings(angle ? fmt::format("{}@{}", t, fps) : t).shutter;
}

}  // namespace edge
