#include "exposure/sum_sheets.h"

#include <fmt/format.h>

#include <cmath>

#include "base/error.h"
#include "base/numbers.h"
#include "exposure/meter.h"
#include "exposure/series.h"
#include "exposure/settings.h"
#include "exposure/sums.h"

namespace edge {
namespace {

using Values = std::map<std::string, std::string>;

std::string stops(double v, int decimals = 2) {
  return formatSigned(v, decimals) + " stops";
}

const std::string& text(const Values& v, const char* key) {
  static const std::string none;
  const auto i = v.find(key);
  return i == v.end() ? none : i->second;
}

double number(const Values& v, const char* key, double low, double high) {
  const auto n = parseNumber(text(v, key));
  if (!n || *n < low || *n > high)
    throw UsageError(fmt::format("\"{}\" is no number for {}", text(v, key), key), "", "",
                     fmt::format("type a number from {:g} to {:g}", low, high));
  return *n;
}

TStop aperture(const Values& v, const char* key) {
  const auto t = readMeterStop(text(v, key));
  if (!t)
    throw UsageError(fmt::format("\"{}\" is no T-stop", text(v, key)), "", key,
                     "type e.g. 2.8, T4 1/3, 1.4 and 7/10");
  return *t;
}

Seconds shutter(const Values& v, const char* key, const char* fpsKey) {
  std::string t = trim(text(v, key));
  if (t.find("deg") != std::string::npos || t.find("\u00b0") != std::string::npos) t += "@" + text(v, fpsKey);
  const auto s = parseSettings(t);
  if (!s.shutter) throw UsageError("\"" + t + "\" is no shutter", "", key, "type 1/50 or 180deg");
  return *s.shutter;
}

Iso iso(const Values& v, const char* key) {
  return readIso(number(v, key, 1, 10e6)).exact;
}

SumResult between(const Values& v) {
  const auto a = parseSettings(text(v, "from")), b = parseSettings(text(v, "to"));
  const auto d = difference(a, b);
  SumResult r;
  r.answers = {{"Exposure", stops(d.light.value())},
               {"Gain", stops(d.gain.value())},
               {"Brightness", stops(d.total().value())}};
  for (const auto& w : a.understood) r.working += w + ". ";
  r.working += "Against that: ";
  for (const auto& w : b.understood) r.working += w + ". ";
  if (a.iso && b.iso && a.shutter && b.shutter && isoAndShutterAddUp(*a.iso, *a.shutter, *b.iso, *b.shutter))
    r.warning = kIsoAndShutterAddUp;
  else if (std::abs(d.gain.value()) > 1e-9)
    r.warning = "The ISO part is gain: it moves the clip point and exposes nothing.";
  return r;
}

SumResult names(const Values& v) {
  SumResult r;
  const std::string kind = text(v, "series");
  const double marked = number(v, "name", 1e-3, 1e6);
  if (kind == "T-stop") {
    const auto x = readTStop(marked);
    r.answers = {{"Exact", fmt::format("T{:.4g}", x.exact.value())}, {"Meter", meterNotation(x.exact)}};
    r.working = x.words + ". T = 2^(n/6) for thirds, 2^(n/4) for halves.";
  } else if (kind == "ISO") {
    const auto x = readIso(marked);
    r.answers = {{"Exact", fmt::format("{:.5g}", x.exact.value())}};
    r.working = x.words + ". ISO = 100 x 2^(n/3).";
  } else {
    const auto x = readShutter(marked);
    r.answers = {{"Exact", fmt::format("1/{:.5g} s", 1 / x.exact.value())}};
    r.working = x.words + ". t = 2^(-n/3) s.";
  }
  return r;
}

SumResult filter(const Values& v) {
  const std::string kind = text(v, "given as");
  SumResult r;
  Density d;
  if (kind == "stops")
    d = densityOf(Stops(number(v, "value", 0, 40)));
  else if (kind == "factor")
    d = densityOfFactor(number(v, "value", 1, 1e12));
  else
    d = Density(number(v, "value", 0, 12));
  r.answers = {{"Takes", fmt::format("{:.2f} stops", stopsOf(d).value())},
               {"Density", fmt::format("ND{:.2f}", d.value())},
               {"Factor", fmt::format("{:.4g}", filterFactor(d))}};
  r.working = fmt::format("{:.3f} / 0.30103 = {:.3f} stops; 10^{:.3f} = {:.4g}", d.value(),
                          stopsOf(d).value(), d.value(), filterFactor(d));
  if (d.value() >= 1.2)
    r.warning =
        "From about ND1.2 on infrared can reach the sensor: black cloth turns magenta. Shoot the infrared "
        "test.";
  r.forPlan = {{fmt::format("ND{:.2f} into the filter set", d.value()), RecipeFigure::Nd, d.value()}};
  return r;
}

SumResult distance(const Values& v) {
  const Metres a(number(v, "from", 0.01, 1000)), b(number(v, "to", 0.01, 1000)),
      size(number(v, "lamp size", 0, 20));
  const Stops d = size.value() > 0 ? distanceStops(a, b, size) : distanceStops(a, b);
  SumResult r;
  r.answers = {{"Light", stops(d.value())}, {"By inverse square", stops(distanceStops(a, b).value())}};
  r.working = fmt::format("2 log2({:g} / {:g}) = {:+.2f}", a.value(), b.value(), distanceStops(a, b).value());
  if (size.value() > 0) {
    const double error = std::max(inverseSquareError(a, size).value(), inverseSquareError(b, size).value());
    r.working += fmt::format(
        "; as a disc of {:g} m: log2(({:g}\u00b2+{:g}\u00b2) / ({:g}\u00b2+{:g}\u00b2)) = {:+.2f}",
        size.value(), size.value() / 2, a.value(), size.value() / 2, b.value(), d.value());
    if (error > 0.02)
      r.warning = fmt::format(
          "Nearer than five lamp sizes the inverse square law is off, here by {:.2f} stop. Meter it.", error);
  } else {
    r.warning = "For a small source in a room that sends nothing back. Meter it.";
  }
  r.forPlan = {{fmt::format("key light at {:g} m", b.value()), RecipeFigure::KeyDistance, b.value()}};
  return r;
}

SumResult dimmer(const Values& v) {
  const DimmerLaw law = text(v, "law") == "square" ? DimmerLaw::Square : DimmerLaw::Linear;
  const double a = number(v, "from %", 1e-4, 100), b = number(v, "to %", 1e-4, 100);
  const double s = std::log2(dimmerLight(law, b) / dimmerLight(law, a));
  SumResult r;
  r.answers = {
      {"Light", stops(s)},
      {"One stop down from there", fmt::format("{:.4g} %", dimmerPercent(law, dimmerLight(law, b) / 2))}};
  r.working = fmt::format("log2({:.4g} / {:.4g}) = {:+.2f}; the law is the lamp's: check it with a meter",
                          dimmerLight(law, b), dimmerLight(law, a), s);
  return r;
}

// Light, aperture, shutter, ISO: the one left empty is worked out.
SumResult light(const Values& v) {
  const std::string lightText = trim(text(v, "light")), stopText = trim(text(v, "aperture"));
  const Seconds t = shutter(v, "shutter", "fps");
  SumResult r;
  std::optional<Lux> e;
  if (!lightText.empty()) {
    const auto parsed = parseSettings(parseNumber(lightText) ? lightText + "lux" : lightText);
    if (!parsed.light)
      throw UsageError("\"" + lightText + "\" is no light level", "", "light", "type 800 lux or 75 fc");
    e = parsed.light;
  }
  if (e && !stopText.empty()) {
    const TStop n = aperture(v, "aperture");
    const double s = kIncidentFlat * n.value() * n.value() / (t.value() * e->value());
    r.answers = {{"ISO", fmt::format("{:.4g}", s)}};
    r.working =
        fmt::format("S = 250 x {:.3g}\u00b2 / ({:.4g} s x {:.4g} lux)", n.value(), t.value(), e->value());
  } else if (e) {
    const Iso s = iso(v, "iso");
    const TStop n = apertureFor(*e, t, s);
    r.answers = {{"Aperture", meterNotation(n)}, {"Exact", fmt::format("T{:.3g}", n.value())}};
    r.working = fmt::format("T = sqrt({:.4g} lux x {:.4g} s x {:.4g} / 250) = {:.3g}", e->value(), t.value(),
                            s.value(), n.value());
    r.forPlan = {{fmt::format("base aperture T{:.3g}", n.value()), RecipeFigure::Aperture, n.value()}};
  } else {
    const TStop n = aperture(v, "aperture");
    const Iso s = iso(v, "iso");
    const Lux need = incidentLight(n, t, s);
    r.answers = {{"Light", fmt::format("{:.4g} lux", need.value())},
                 {"", fmt::format("{:.4g} fc", footCandlesOf(need))},
                 {"Grey card", fmt::format("{:.3g} cd/m\u00b2", reflectedLuminance(n, t, s))}};
    r.working = fmt::format("E = 250 x {:.3g}\u00b2 / ({:.4g} s x {:.4g}); 1 fc = 10.764 lux", n.value(),
                            t.value(), s.value());
  }
  r.warning =
      "C = 250, a flat receptor. A dome reads with 320 to 340 (common practice): a third to half a stop.";
  return r;
}

SumResult exposureIndexSheet(const Values& v) {
  const Iso s = iso(v, "iso");
  const Stops n(number(v, "stops over", -10, 10));
  SumResult r;
  r.answers = {{"EI", fmt::format("{:.4g}", exposureIndex(s, n).value())}};
  r.working = fmt::format("{:.4g} / 2^{:g} = {:.4g}", s.value(), n.value(), exposureIndex(s, n).value());
  return r;
}

SumResult meter(const Values& v) {
  const TStop read = aperture(v, "meter says"), set = aperture(v, "lens set to");
  const double offset = meterOffset(read, set).value(), label = number(v, "label", -20, 20);
  SumResult r;
  r.answers = {{"Against the meter", stops(offset)},
               {"Label, restated", stops(restate(Stops(label), Stops(offset)).value())},
               {"Meter notation", meterNotation(read)}};
  r.working = fmt::format("2 log2({:.3g} / {:.3g}) = {:+.2f}; {:+g} {:+.2f} = {:+.2f}", read.value(),
                          set.value(), offset, label, offset, label + offset);
  r.forPlan = {
      {fmt::format("every base {:+.2f} stops against the meter", offset), RecipeFigure::BaseOffset, offset}};
  return r;
}

SumResult evenness(const Values& v) {
  const Metres d(number(v, "lamp distance", 0.05, 100)), w(number(v, "chart width", 0.01, 20));
  const double angle = number(v, "angle", 0, 85);
  const double one = chartUnevenness(d, angle, w).value();
  SumResult r;
  r.answers = {{"Edge to edge", fmt::format("{:.2f} stop", one)}};
  r.working = fmt::format("cosine / distance\u00b2 across {:g} m, lamp at {:g} m and {:g} degrees", w.value(),
                          d.value(), angle);
  r.forPlan = {{fmt::format("key light at {:g} m", d.value()), RecipeFigure::KeyDistance, d.value()}};
  if (one > 0.1) r.warning = "More than a tenth of a stop: move the lamp away, or light from both sides.";
  return r;
}

SumResult card(const Values& v) {
  const std::string unit = text(v, "rate in");
  const double rate = number(v, "rate", 1e-3, 1e7);
  const DataRate d{unit == "MB/s" ? rate * 8e6 : rate * 1e6};
  const double bytes =
      number(v, "card", 1e-3, 1e6) * (text(v, "card in") == "GiB" ? 1024.0 * 1024 * 1024 : 1e9);
  const double reserve = number(v, "reserve %", 0, 90) / 100;
  const double minutes = cardTime(bytes, d, reserve).value() / 60;
  SumResult r;
  r.answers = {
      {"Card holds", fmt::format("{:.1f} min", minutes)},
      {"Rate", fmt::format("{:.4g} Mb/s = {:.4g} MB/s", d.megabitsPerSecond(), d.megabytesPerSecond())},
      {"Card", fmt::format("{:.4g} GB = {:.4g} GiB", bytes / 1e9, gibOf(bytes))}};
  r.working =
      fmt::format("{:.4g} GB x {:g} / {:.4g} MB/s / 60", bytes / 1e9, 1 - reserve, d.megabytesPerSecond());
  r.warning = "Mb/s are bits, MB/s bytes: a factor of eight. Read the unit off the camera's menu twice.";
  r.forPlan = {{fmt::format("data rate {:.4g} Mb/s", d.megabitsPerSecond()), RecipeFigure::DataRate,
                d.megabitsPerSecond()}};
  return r;
}

SumResult crop(const Values& v) {
  const double w = number(v, "width", 0.1, 200), h = number(v, "height", 0.1, 200);
  const double rw = number(v, "against width", 0.1, 200), rh = number(v, "against height", 0.1, 200),
               f = number(v, "focal length", 1, 2000);
  const double c = cropFactor(w, h, rw, rh);
  SumResult r;
  r.answers = {{"Crop factor", fmt::format("{:.3f}", c)},
               {"Same view from", fmt::format("{:.3g} mm", f * c)},
               {"Light gathered by the picture", stops(-2 * std::log2(c))}};
  r.working =
      fmt::format("sqrt({:g}\u00b2+{:g}\u00b2) / sqrt({:g}\u00b2+{:g}\u00b2) = {:.3f}", rw, rh, w, h, c);
  return r;
}

SumResult readout(const Values& v) {
  const double rows = number(v, "rows", 1, 1e5), period = number(v, "rows per bar pair", 0.1, 1e6),
               f = number(v, "strobe Hz", 1, 1e6);
  const double fps = number(v, "fps", 0.1, 1e5);
  const double ms = readoutTime(rows, period, f).value() * 1000;
  SumResult r;
  r.answers = {{"Readout", fmt::format("{:.2f} ms", ms)}};
  r.working = fmt::format("{:g} / {:g} / {:g} Hz = {:.2f} ms; a frame lasts {:.2f} ms", rows, period, f, ms,
                          1000 / fps);
  if (ms > 1000 / fps)
    r.warning = "Longer than a frame: that can't be. Count a bright and a dark bar as one period.";
  return r;
}

SumResult flicker(const Values& v) {
  const double hz = number(v, "light Hz", 1, 1e6), fps = number(v, "fps", 0.1, 1e5);
  const Seconds t = markedShutter(shutter(v, "shutter", "fps"));
  const double off = flickerRemainder(t, hz);
  const Seconds safe = flickerSafe(t, hz);
  SumResult r;
  r.answers = {{"Safe near it",
                fmt::format("{:.4g} degrees = 1/{:.4g} s", angleOfShutter(safe, fps), 1 / safe.value())},
               {"Periods in the exposure", fmt::format("{:.3f}", t.value() * hz)}};
  r.working = fmt::format(
      "{:.5g} s x {:g} Hz = {:.3f} periods; whole numbers are safe at any speed. Mains light beats at twice "
      "the mains frequency.",
      t.value(), hz, t.value() * hz);
  const double degrees = angleOfShutter(safe, fps);
  r.forPlan = {{fmt::format("base shutter {:.4g} degrees", degrees), RecipeFigure::BaseShutter, degrees}};
  if (off > 0.02) r.warning = "This shutter can beat with the light.";
  return r;
}

SumResult blue(const Values& v) {
  const double k = number(v, "kelvin", 1000, 20000), reference = number(v, "balanced for", 1000, 20000);
  const double s = blueAgainstGreen(k).value(), r0 = blueAgainstGreen(reference).value();
  SumResult r;
  r.answers = {{"Blue against green", stops(s)},
               {fmt::format("Lost against {:g} K", reference), stops(s - r0)}};
  r.working = "Planck's law at 450 and 550 nm; a lamp that is no glowing body differs";
  r.forPlan = {{fmt::format("key light of {:g} K", k), RecipeFigure::KeyColour, k}};
  if (s - r0 < -1.5) r.warning = "Blue is starved: its noise decides. Test under this light.";
  return r;
}

std::vector<SumSheet> build() {
  return {
      {"between",
       "Stops between two settings",
       "T, shutter, ISO, ND, lux or fc, lamp distance",
       {{"from", "First", "", "T2.8 1/48 ISO800", {}}, {"to", "Second", "", "T4 1/48 ISO800 ND0.3", {}}},
       between},
      {"light",
       "Light, aperture, shutter, ISO",
       "leave light, aperture or ISO empty",
       {{"light", "Light (lux or fc)", "", "100fc", {}},
        {"aperture", "Aperture", "T", "", {}},
        {"shutter", "Shutter", "", "1/50", {}},
        {"fps", "Frame rate", "fps", "24", {}},
        {"iso", "ISO", "", "100", {}}},
       light},
      {"meter",
       "Meter reading against the lens",
       "1.4 and 7/10; labels restated",
       {{"meter says", "Meter says", "T", "4", {}},
        {"lens set to", "Lens set to", "T", "2.8", {}},
        {"label", "Label", "stops", "2", {}}},
       meter},
      {"nd",
       "Filter: density, stops, factor",
       "",
       {{"given as", "Given as", "", "density", {"density", "stops", "factor"}},
        {"value", "Value", "", "0.6", {}}},
       filter},
      {"distance",
       "Lamp distance",
       "inverse square and where it ends",
       {{"from", "From", "m", "2", {}},
        {"to", "To", "m", "4", {}},
        {"lamp size", "Lamp size", "m", "0.3", {}}},
       distance},
      {"dimmer",
       "Dimmer per cent to stops",
       "",
       {{"law", "Law", "", "linear", {"linear", "square"}},
        {"from %", "From", "%", "100", {}},
        {"to %", "To", "%", "25", {}}},
       dimmer},
      {"ei",
       "Exposure index",
       "ISO / 2^n",
       {{"iso", "ISO", "", "800", {}}, {"stops over", "Exposed over by", "stops", "1", {}}},
       exposureIndexSheet},
      {"evenness",
       "Evenness over a chart",
       "one lamp from the side",
       {{"lamp distance", "Lamp distance", "m", "2", {}},
        {"angle", "Angle", "degrees", "45", {}},
        {"chart width", "Chart width", "m", "0.4", {}}},
       evenness},
      {"flicker",
       "Shutter against flicker",
       "172.8 degrees at 24 fps, 50 Hz mains",
       {{"shutter", "Shutter", "", "180deg", {}},
        {"fps", "Frame rate", "fps", "24", {}},
        {"light Hz", "Light beats at", "Hz", "100", {}}},
       flicker},
      {"card",
       "Card time",
       "MB/s against Mb/s, GB against GiB",
       {{"rate", "Data rate", "", "880", {}},
        {"rate in", "in", "", "Mb/s", {"Mb/s", "MB/s"}},
        {"card", "Card", "", "512", {}},
        {"card in", "in", "", "GB", {"GB", "GiB"}},
        {"reserve %", "Kept free", "%", "10", {}}},
       card},
      {"names",
       "Names and exact values",
       "nominal series",
       {{"series", "Series", "", "T-stop", {"T-stop", "ISO", "1/shutter"}}, {"name", "Name", "", "5.6", {}}},
       names},
      {"crop",
       "Crop factor",
       "",
       {{"width", "Sensor width", "mm", "23.8", {}},
        {"height", "Sensor height", "mm", "13.4", {}},
        {"against width", "Against width", "mm", "36", {}},
        {"against height", "Against height", "mm", "24", {}},
        {"focal length", "Focal length", "mm", "35", {}}},
       crop},
      {"readout",
       "Readout time from strobe bars",
       "",
       {{"rows", "Rows", "", "2160", {}},
        {"rows per bar pair", "Rows per bar pair", "", "216", {}},
        {"strobe Hz", "Strobe", "Hz", "1000", {}},
        {"fps", "Frame rate", "fps", "24", {}}},
       readout},
      {"blue",
       "Blue loss at a colour temperature",
       "",
       {{"kelvin", "Light", "K", "3200", {}}, {"balanced for", "Against", "K", "5600", {}}},
       blue}};
}

}  // namespace

const std::vector<SumSheet>& sumSheets() {
  static const std::vector<SumSheet> sheets = build();
  return sheets;
}

}  // namespace edge
