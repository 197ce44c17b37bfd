#include "plan/recipe_spec.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/numbers.h"
#include "exposure/settings.h"
#include "exposure/sums.h"
#include "plan/recipe.h"
#include "plan/route.h"

using nlohmann::json;

namespace edge {
namespace {

FieldSpec text(const char* key, const char* label, json initial, const char* hint = "") {
  return {key, label, "", FieldKind::Text, std::move(initial), 0, 0, {}, hint};
}
FieldSpec required(FieldSpec f) {
  f.required = true;
  return f;
}
FieldSpec number(const char* key, const char* label, const char* unit, json initial, double low, double high,
                 const char* hint = "") {
  return {key, label, unit, FieldKind::Number, std::move(initial), low, high, {}, hint};
}
FieldSpec choice(const char* key, const char* label, json initial, std::vector<std::string> choices,
                 const char* hint = "") {
  return {key, label, "", FieldKind::Choice, std::move(initial), 0, 0, std::move(choices), hint};
}
FieldSpec toggle(const char* key, const char* label, bool initial, const char* hint = "") {
  return {key, label, "", FieldKind::Toggle, initial, 0, 0, {}, hint};
}
FieldSpec aperture(const char* key, const char* label, json initial, const char* hint = "") {
  return {key, label, "T", FieldKind::Aperture, std::move(initial), 0.5, 128, {}, hint};
}
FieldSpec shutter(const char* key, const char* label, json initial, const char* hint = "") {
  return {key, label, "", FieldKind::Shutter, std::move(initial), 0, 0, {}, hint};
}
FieldSpec numbers(const char* key, const char* label, const char* unit, json initial, double low, double high,
                  const char* hint = "") {
  return {key, label, unit, FieldKind::Numbers, std::move(initial), low, high, {}, hint};
}
FieldSpec names(const char* key, const char* label, json initial, const char* hint = "") {
  return {key, label, "", FieldKind::Names, std::move(initial), 0, 0, {}, hint};
}
FieldSpec items(const char* key, const char* label, const ObjectSpec& item) {
  return {key, label, "", FieldKind::Items, json::array(), 0, 0, {}, "", &item};
}
FieldSpec group(const char* key, const char* label, const ObjectSpec& item) {
  return {key, label, "", FieldKind::Group, json::object(), 0, 0, {}, "", &item};
}

const ObjectSpec kCircuit = {
    "gain circuit",
    {required(number("native_iso", "Native ISO", "", 800, 1, 10e6, "where this circuit is meant to be used")),
     number("first_iso", "First ISO", "", nullptr, 1, 10e6, "lowest ISO that uses this circuit"),
     number("last_iso", "Last ISO", "", nullptr, 1, 10e6, "highest ISO that uses this circuit"),
     number("headroom_stops", "Clip above grey", "stops", nullptr, 0, 15,
            "at native ISO; for the forecast")}};

const ObjectSpec kMode = {
    "recording mode",
    {required(text("name", "Name", "log")), choice("kind", "Kind", "log", modeKindWords()),
     text("codec", "Codec", "", "as the menu says it"), number("bits", "Bit depth", "bits", 10, 1, 32),
     text("curve", "Curve", "", "a name or a file: the expected levels come from it"),
     number("grey_percent", "Grey card at", "% of code", nullptr, 0, 100,
            "published level of an 18 % grey, where the curve is unknown"),
     number("width", "Width", "px", 1920, 16, 20000), number("height", "Height", "px", 1080, 16, 20000),
     number("fps", "Frame rate", "fps", 24, 0.1, 2000),
     number("megabits_per_second", "Data rate", "Mb/s", nullptr, 0.1, 200000,
            "bits, not bytes: 1 MB/s is 8 Mb/s")}};

const ObjectSpec kBody = {
    "body",
    {required(text("name", "Name", "New body")),
     text("lens", "Lens", "", "name of one below; empty: the first"),
     items("circuits", "Gain circuits", kCircuit), items("modes", "Recording modes", kMode),
     numbers("isos", "ISO settings", "", json::array(), 1, 10e6, "for ladder and sweep"),
     toggle("metadata_iso", "ISO is metadata in raw", false)}};

const ObjectSpec kLens = {
    "lens",
    {required(text("name", "Name", "New lens")), choice("marked", "Marked in", "T", {"T", "f"}),
     number("loss_stops", "Glass loses", "stops", nullptr, 0, 3, "f-marked lenses: light lost in the glass"),
     required(aperture("widest", "Widest", 2.0)), required(aperture("closest", "Closest", 16)),
     choice("detents", "Detents", "none", {"none", "third", "half", "full"}),
     number("focal_mm", "Focal length", "mm", nullptr, 1, 3000)}};

const ObjectSpec kLamp = {
    "lamp",
    {required(text("name", "Name", "New lamp")), choice("role", "Role", "key", lampRoleWords()),
     required(number("lux_at_1m", "Full output at 1 m", "lux", 10000, 0.01, 1e8)),
     number("ratio_stops", "Against the key", "stops", nullptr, -10, 10,
            "at the subject, for fill, back and background"),
     choice("dimmer", "Dimmer", "linear", {"linear", "square", "none"},
            "law of light against setting; none: can't be dimmed"),
     number("minimum_percent", "Dimmer minimum", "%", 5, 0.001, 100),
     required(number("distance_m", "Distance", "m", 2, 0.05, 1000)),
     number("nearest_m", "Nearest", "m", nullptr, 0.05, 1000),
     number("farthest_m", "Farthest", "m", nullptr, 0.05, 1000),
     number("size_m", "Size of the source", "m", nullptr, 0.001, 30),
     number("kelvin", "Colour", "K", 5600, 1000, 20000),
     number("flicker_hz", "Flicker", "Hz", nullptr, 1, 1e6, "stated frequency of its supply; empty: none"),
     toggle("mains", "Burns on raw mains", false,
            "filament or magnetic ballast: flickers at twice the mains frequency"),
     toggle("hot", "Gets hot", false)}};

const ObjectSpec kFilter = {"ND filter",
                            {required(number("density", "Density", "ND", 0.3, 0.05, 6)),
                             toggle("infrared_cut", "Cuts infrared", false)}};

const ObjectSpec kChart = {
    "chart",
    {required(text("name", "Name", "Step wedge")),
     choice("kind", "Kind", "wedge", {"wedge", "grey-scale", "colour", "resolution"}),
     number("steps", "Steps", "", 21, 1, 200), number("step_stops", "Step size", "stops", 1, 0.05, 3),
     number("first_step_cd_m2", "Brightest step", "cd/m\u00b2", nullptr, 0.01, 1e7,
            "luminance of a back-lit wedge's first step"),
     number("width_m", "Width", "m", nullptr, 0.01, 20)}};

const ObjectSpec kSitter = {"sitter",
                            {required(text("name", "Name", "Sitter")),
                             number("skin_stops", "Forehead from grey", "stops", 1, -6, 6)}};

const ObjectSpec kCard = {
    "card",
    {required(text("name", "Name", "Card")),
     required(number("gigabytes", "Capacity", "GB", 512, 0.01, 1e6, "10^9 bytes; 1 GiB is 1.074 GB")),
     number("reserve_percent", "Kept free", "%", 10, 0, 90), text("body", "For body", "", "empty: any")}};

std::vector<std::string> testKindWords() {
  std::vector<std::string> words;
  for (const auto& b : blockTemplates()) words.push_back(wordOf(b.kind));
  return words;
}

const ObjectSpec kStepBy = {"step",
                            {required(number("stops", "Step", "stops", -3, -14, 12)),
                             required(choice("control", "Change it by", "nd", controlWords()))}};

const ObjectSpec kTest = {
    "test",
    {required(choice("kind", "Test", "bracket", testKindWords())),
     names("bodies", "Bodies", json::array(), "empty: all"),
     names("modes", "Modes", json::array(), "names or log, raw, baked; empty: all but baked"),
     numbers("isos", "At ISO", "", json::array(), 1, 10e6, "empty: every native ISO"),
     number("over", "Over", "stops", nullptr, 0, 12), number("under", "Under", "stops", nullptr, 0, 14),
     number("step", "Step", "stops", nullptr, 0.05, 4),
     numbers("extra", "Extra steps", "stops", json::array(), -14, 12),
     names("controls", "Change exposure by", json::array(),
           "in this order: light, distance, nd, iris, shutter, iso"),
     items("by", "Steps by another control", kStepBy),
     number("kelvin", "By lamps of", "K", nullptr, 1000, 20000,
            "only lamps of this colour burn, and it is part of the configuration; empty: all burn"),
     toggle("force_gain", "Allow ISO as a step", false, "it is gain: it moves the clip point"),
     number("first_step_over_clip", "First step over the clip", "stops", nullptr, 0, 3),
     number("strobe_hz", "Strobe", "Hz", nullptr, 1, 1e6), text("what", "What to look at", "")}};

const ObjectSpec kBase = {
    "base",
    {choice("school", "Base exposure", "grey card", {"grey card", "forehead", "meter", "metered over"}),
     number("offset_stops", "Against the meter", "stops", 0, -4, 4, "deliberate offset of every base"),
     aperture("aperture", "Preferred aperture", nullptr), shutter("shutter", "Shutter", "180deg")}};

const ObjectSpec kShutterRange = {
    "shutter range", {shutter("slowest", "Slowest", "360deg"), shutter("fastest", "Fastest", "11.25deg")}};

const ObjectSpec kProtocol = {"protocol",
                              {choice("recovery", "Recovery", "exposure alone",
                                      {"exposure alone", "exposure and balance", "best grade"}),
                               choice("noise_reduction", "Noise reduction", "off", {"off", "ladder"}),
                               choice("criteria", "Criteria", "cinema", {"cinema", "broadcast", "web"})}};

FieldSpec seconds(const char* key, const char* label, double initial) {
  return number(key, label, "s", initial, 0, 36000);
}

const ObjectSpec kTimes = {
    "times",
    {seconds("roll", "Roll of a take", 10), seconds("settle", "Slate and settle", 15),
     seconds("dim", "Dim the lights", 20), seconds("iris", "Change the iris", 10),
     seconds("nd", "Change ND", 25), seconds("shutter", "Change the shutter", 10),
     seconds("iso", "Change ISO", 10), seconds("mode", "Change the recording mode", 40),
     seconds("lens", "Change the lens", 180), seconds("body", "Change the body", 420),
     seconds("relight", "Move or gel lamps", 360), seconds("chart", "Change chart or room", 300),
     seconds("card", "Change the card", 90)}};

const ObjectSpec kException = {
    "exception",
    {required(text("configuration", "Configuration", "")), required(number("stops", "Stops", "", 0, -14, 12)),
     text("reason", "Reason", "skipped by choice")}};

const ObjectSpec kRecipe = {
    "recipe",
    {text("title", "Title", ""), text("remark", "Remark", ""),
     text("start", "Start", "09:00", "clock time of the first take"),
     number("mains_hz", "Mains", "Hz", 50, 40, 65),
     number("budget_minutes", "Time budget", "min", nullptr, 1, 10000, "empty: as long as it takes"),
     items("bodies", "Bodies", kBody), items("lenses", "Lenses", kLens), items("lamps", "Lamps", kLamp),
     items("nd", "ND filters", kFilter),
     numbers("gels", "Neutral gels for lamps", "ND", json::array(), 0.05, 4),
     group("shutter", "Shutter range", kShutterRange), items("charts", "Charts", kChart),
     items("sitters", "Sitters", kSitter), items("media", "Cards", kCard), items("tests", "Tests", kTest),
     group("base", "Base exposure", kBase), group("protocol", "Protocol", kProtocol),
     group("times", "Seconds for each change", kTimes),
     items("exceptions", "Skipped by choice", kException)}};

[[noreturn]] void refuse(const std::string& what, const std::string& file, const std::string& place,
                         const std::string& remedy) {
  throw Error(what, file, place, remedy);
}

std::string rangeWords(const FieldSpec& f) {
  return fmt::format("{} takes {} to {}{}{}", f.label, f.low, f.high, f.unit.empty() ? "" : " ", f.unit);
}

void checkNumber(const FieldSpec& f, const json& v, const std::string& file, const std::string& place) {
  if (!v.is_number()) refuse("a number was expected", file, place, rangeWords(f));
  const double x = v.get<double>();
  if (!std::isfinite(x) || x < f.low || x > f.high)
    refuse(fmt::format("{:g} is out of range", x), file, place, rangeWords(f));
}

void checkText(const json& v, const std::string& file, const std::string& place) {
  if (!v.is_string()) refuse("a text was expected", file, place, "write it in quotes");
  if (v.get_ref<const std::string&>().size() > kTextLimit)
    refuse("the text is too long", file, place, fmt::format("use up to {} characters", kTextLimit));
}

void checkObject(const ObjectSpec& spec, const json& j, const std::string& file, const std::string& place,
                 bool top);

void checkList(const FieldSpec& f, const json& v, const std::string& file, const std::string& place) {
  if (!v.is_array()) refuse("a list was expected", file, place, "write [ ... ]");
  if (v.size() > kItemsLimit)
    refuse(fmt::format("{} entries are too many", v.size()), file, place,
           fmt::format("use up to {}", kItemsLimit));
  for (size_t i = 0; i < v.size(); ++i) {
    const std::string at = fmt::format("{}[{}]", place, i);
    if (f.kind == FieldKind::Items) checkObject(*f.item, v[i], file, at, false);
    if (f.kind == FieldKind::Numbers) checkNumber(f, v[i], file, at);
    if (f.kind == FieldKind::Names) checkText(v[i], file, at);
  }
}

void checkField(const FieldSpec& f, const json& whole, const std::string& file, const std::string& place) {
  const json& v = plainValue(whole);
  switch (f.kind) {
    case FieldKind::Text:
      return checkText(v, file, place);
    case FieldKind::Number:
    case FieldKind::Aperture:
      if (whole.is_object() && originOf(whole).empty())
        refuse("where this value came from is not known", file, place,
               "write \"from\": typed, published or measured");
      return checkNumber(f, v, file, place);
    case FieldKind::Toggle:
      if (!v.is_boolean()) refuse("true or false was expected", file, place, "write true or false");
      return;
    case FieldKind::Choice: {
      checkText(v, file, place);
      if (std::find(f.choices.begin(), f.choices.end(), v.get<std::string>()) == f.choices.end())
        refuse("\"" + v.get<std::string>() + "\" is no choice here", file, place,
               fmt::format("choose from: {}", fmt::join(f.choices, ", ")));
      return;
    }
    case FieldKind::Shutter:
      checkText(v, file, place);
      try {
        (void)readField(f, v.get<std::string>());
      } catch (const Error& e) {
        refuse(e.problem(), file, place, e.remedy());
      }
      return;
    case FieldKind::Numbers:
    case FieldKind::Names:
    case FieldKind::Items:
      return checkList(f, v, file, place);
    case FieldKind::Group:
      return checkObject(*f.item, v, file, place, false);
  }
}

void checkObject(const ObjectSpec& spec, const json& j, const std::string& file, const std::string& place,
                 bool top) {
  if (!j.is_object()) refuse("a " + spec.name + " was expected", file, place, "write { ... }");
  const std::string dot = place.empty() ? "" : place + ".";
  for (const auto& [key, value] : j.items()) {
    if (key == "note" || (top && (key == "format" || key == "version"))) continue;
    const FieldSpec* f = spec.field(key);
    if (!f)
      refuse("\"" + key + "\" is not known here", file, dot + key,
             "see docs/formats.md for the keys of a " + spec.name);
    if (!value.is_null()) checkField(*f, value, file, dot + key);
  }
  for (const auto& f : spec.fields)
    if (f.required && (!j.contains(f.key) || j[f.key].is_null()))
      refuse("\"" + f.key + "\" is missing", file, dot + f.key, f.low < f.high ? rangeWords(f) : "write it");
}

}  // namespace

const FieldSpec* ObjectSpec::field(const std::string& key) const {
  for (const auto& f : fields)
    if (f.key == key) return &f;
  return nullptr;
}

const ObjectSpec& recipeSpec() {
  return kRecipe;
}

json newItem(const ObjectSpec& spec) {
  json j = json::object();
  for (const auto& f : spec.fields)
    if (f.kind == FieldKind::Group)
      j[f.key] = newItem(*f.item);
    else if (!f.initial.is_null() && f.initial != "")
      j[f.key] = f.initial;
  return j;
}

json filledIn(const ObjectSpec& spec, json j) {
  for (const auto& f : spec.fields) {
    json& value = j[f.key];
    if (f.kind == FieldKind::Group)
      value = filledIn(*f.item, value.is_object() ? value : json::object());
    else if (f.kind == FieldKind::Items && value.is_array())
      for (auto& item : value) item = filledIn(*f.item, std::move(item));
    else if (value.is_null())
      value = f.initial;
  }
  return j;
}

const json& plainValue(const json& v) {
  return v.is_object() && v.contains("value") ? v["value"] : v;
}

std::string originOf(const json& v) {
  if (!v.is_object()) return "typed";
  const auto from = v.find("from");
  if (from == v.end() || !from->is_string()) return "";
  for (const char* o : kOrigins)
    if (*from == o) return o;
  return "";
}

json withOrigin(const json& value, const std::string& origin) {
  return origin == "typed" ? plainValue(value) : json{{"value", plainValue(value)}, {"from", origin}};
}

void checkRecipeShape(const json& j, const std::string& file) {
  if (!j.is_object() || j.value("format", json()) != "edge-test-recipe")
    refuse("this is no recipe", file, "format", "a recipe starts with \"format\": \"edge-test-recipe\"");
  if (j.value("version", json()) != 1)
    refuse("only version 1 is read", file, "version", "export the recipe again");
  checkObject(kRecipe, j, file, "", true);
}

json readField(const FieldSpec& f, const std::string& raw) {
  const std::string t = trim(raw);
  if (t.empty() && !f.required && f.kind != FieldKind::Names && f.kind != FieldKind::Numbers) return nullptr;
  const auto fail = [&](const std::string& what, const std::string& remedy) -> json {
    throw UsageError("\"" + t + "\" " + what, f.label, "", remedy);
  };
  const auto inRange = [&](double v) { return v >= f.low && v <= f.high; };
  switch (f.kind) {
    case FieldKind::Number: {
      const auto v = parseNumber(t);
      return v && inRange(*v) ? json(*v) : fail("is out of range or no number", rangeWords(f));
    }
    case FieldKind::Aperture: {
      const auto v = readMeterStop(t);
      if (!v || !inRange(v->value())) return fail("is no aperture", "write 2.8, T4, T5.6 1/3");
      const auto marked = parseNumber(lower(t).front() == 't' ? t.substr(1) : t);
      return marked ? json(*marked) : json(v->value());
    }
    case FieldKind::Shutter: {
      const std::string probe =
          t.find("deg") != std::string::npos || t.find("\u00b0") != std::string::npos ? t + "@24" : t;
      if (!parseSettings(probe).shutter) return fail("is no shutter", "write 172.8deg or 1/50");
      return t;
    }
    case FieldKind::Numbers: {
      json list = json::array();
      std::string spaced = t;
      std::replace(spaced.begin(), spaced.end(), ';', ' ');
      for (auto word : splitWords(spaced)) {
        if (!word.empty() && word.back() == ',') word.pop_back();
        const auto v = parseNumber(word);
        if (!v || !inRange(*v))
          return fail("holds something that is out of range or no number", rangeWords(f));
        list.push_back(*v);
      }
      return list;
    }
    case FieldKind::Names: {
      json list = json::array();
      for (const auto& word : split(t, ','))
        if (!trim(word).empty()) list.push_back(trim(word));
      return list;
    }
    case FieldKind::Toggle:
      return json(t == "yes" || t == "true");
    case FieldKind::Choice:
      if (std::find(f.choices.begin(), f.choices.end(), t) == f.choices.end())
        return fail("is no choice here", fmt::format("choose from: {}", fmt::join(f.choices, ", ")));
      return t;
    default:
      if (t.size() > kTextLimit)
        return fail("is too long", fmt::format("use up to {} characters", kTextLimit));
      return t;
  }
}

std::string fieldText(const FieldSpec& f, const json& whole) {
  const json& v = plainValue(whole);
  if (v.is_null()) return "";
  if (v.is_number()) return fmt::format("{:.6g}", v.get<double>());
  if (v.is_boolean()) return v.get<bool>() ? "yes" : "no";
  if (v.is_string()) return v.get<std::string>();
  if (!v.is_array() || f.kind == FieldKind::Items) return "";
  std::string s;
  for (const auto& x : v)
    s += (s.empty()                    ? ""
          : f.kind == FieldKind::Names ? ", "
                                       : " ") +
         (x.is_number() ? fmt::format("{:g}", x.get<double>()) : x.get<std::string>());
  return s;
}

}  // namespace edge
