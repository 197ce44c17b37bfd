#include "exposure/settings.h"

#include <fmt/format.h>

#include <cmath>

#include "base/error.h"
#include "base/numbers.h"
#include "exposure/meter.h"
#include "exposure/series.h"

namespace edge {
namespace {

[[noreturn]] void refuse(const std::string& word, const std::string& why) {
  throw UsageError("can't read \"" + word + "\" as an exposure setting", "", why,
                   "write e.g. T2.8, T4 1/3, 1/48, 180deg@24, ISO800, ND0.6, 400lux, 40fc, 2m");
}

// Beyond these no setting, lamp or distance lies: a slip of the pen, and sums of it would be no numbers.
constexpr double kLeast = 1e-6, kMost = 1e9;

double positive(const std::string& word, std::string_view number) {
  const auto v = parseNumber(number);
  if (!v || *v <= 0) refuse(word, "a number above zero is needed");
  if (*v < kLeast || *v > kMost) refuse(word, "no setting is so large or small");
  return *v;
}

bool takePrefix(std::string& word, std::string_view prefix) {
  if (lower(word).rfind(prefix, 0) != 0) return false;
  word = word.substr(prefix.size());
  return true;
}

bool takeSuffix(std::string& word, std::string_view suffix) {
  const std::string l = lower(word);
  if (l.size() <= suffix.size() || l.substr(l.size() - suffix.size()) != suffix) return false;
  word.resize(word.size() - suffix.size());
  return true;
}

// "1/3", "2/3", "1/2": the fractions that follow a T-stop. nullopt for anything that reads as a shutter time.
std::optional<double> stopFraction(const std::string& word) {
  if (word == "1/2") return 0.5;
  if (word == "1/3") return 1.0 / 3;
  if (word == "2/3") return 2.0 / 3;
  return std::nullopt;
}

class Parser {
 public:
  explicit Parser(std::string_view text) : words_(splitWords(text)) {}

  ExposureSettings run() {
    for (at_ = 0; at_ < words_.size(); ++at_) word(words_[at_]);
    if (out_.understood.empty()) refuse("", "nothing was given");
    return out_;
  }

 private:
  void word(const std::string& original) {
    std::string w = joinLoneUnit(joinLonePrefix(original));
    if (takePrefix(w, "iso") || takePrefix(w, "ei")) return iso(original, w);
    if (takePrefix(w, "nd")) return nd(original, w);
    if (takePrefix(w, "t")) return aperture(original, w, "");
    if (takePrefix(w, "f/") || takePrefix(w, "f"))
      return aperture(original, w, ", an f-number: the glass passes less than it says");
    const auto at = w.find('@');
    if (at != std::string::npos) return angle(original, w.substr(0, at), w.substr(at + 1));
    if (w.find('/') != std::string::npos) return fraction(original, w);
    if (takeSuffix(w, "lux") || takeSuffix(w, "lx")) return light(original, Lux(positive(original, w)));
    if (takeSuffix(w, "fc")) return light(original, luxOfFootCandles(positive(original, w)));
    if (takeSuffix(w, "ms")) return shutter(original, Seconds(positive(original, w) / 1000), w + " ms");
    if (takeSuffix(w, "s")) return shutter(original, Seconds(positive(original, w)), w + " s");
    if (takeSuffix(w, "m")) return distance(original, Metres(positive(original, w)));
    aperture(original, w, "");
  }

  // "ISO 800", "T 2.8", "ND 0.6" are typed in two words as often as in one.
  std::string joinLonePrefix(const std::string& w) {
    const std::string l = lower(w);
    const bool lone = l == "iso" || l == "ei" || l == "nd" || l == "t" || l == "f";
    return lone && at_ + 1 < words_.size() ? w + words_[++at_] : w;
  }

  // "100 fc", "400 lux", "2 m".
  std::string joinLoneUnit(const std::string& w) {
    if (at_ + 1 >= words_.size()) return w;
    const std::string next = lower(words_[at_ + 1]);
    const bool unit =
        next == "lux" || next == "lx" || next == "fc" || next == "m" || next == "s" || next == "ms";
    return unit ? w + words_[++at_] : w;
  }

  void iso(const std::string& original, const std::string& number) {
    once(original, out_.iso.has_value());
    const auto r = readIso(positive(original, number));
    out_.iso = r.exact;
    out_.understood.push_back(r.words);
  }

  void nd(const std::string& original, const std::string& number) {
    const auto v = parseNumber(number);
    if (!v || *v < 0 || *v > 10) refuse(original, "a density from 0 to 10 is needed");
    out_.nd = out_.nd + Density(*v);
    out_.understood.push_back(fmt::format("ND{:g} as {:.3f} stops", *v, stopsOf(Density(*v)).value()));
  }

  void aperture(const std::string& original, const std::string& number, const std::string& remark) {
    once(original, out_.aperture.has_value());
    auto r = readTStop(positive(original, number));
    if (at_ + 1 < words_.size())
      if (const auto extra = stopFraction(words_[at_ + 1])) {
        r.exact = TStop(r.exact.value() * std::exp2(*extra / 2));
        r.words += fmt::format(" and {} stop = {:.4g}", words_[++at_], r.exact.value());
      }
    out_.aperture = r.exact;
    out_.understood.push_back(r.words + remark);
  }

  void fraction(const std::string& original, std::string w) {
    takeSuffix(w, "s");
    const auto slash = w.find('/');
    const double above = positive(original, w.substr(0, slash));
    const double below = positive(original, w.substr(slash + 1));
    if (above != 1) return shutter(original, Seconds(above / below), w + " s");
    const auto r = readShutter(below);
    shutter(original, r.exact, r.words);
  }

  void angle(const std::string& original, std::string degrees, std::string rate) {
    takeSuffix(degrees, "deg") || takeSuffix(degrees, "\u00b0");
    takeSuffix(rate, "fps");
    const double a = positive(original, degrees), fps = positive(original, rate);
    if (a > 360) refuse(original, "a shutter angle ends at 360 degrees");
    const Seconds t(a / 360 / fps);
    shutter(original, t, fmt::format("{:g} degrees at {:g} fps as 1/{:.5g} s", a, fps, 1 / t.value()));
  }

  void shutter(const std::string& original, Seconds t, const std::string& words) {
    once(original, out_.shutter.has_value());
    out_.shutter = t;
    out_.understood.push_back(words);
  }

  void light(const std::string& original, Lux e) {
    once(original, out_.light.has_value());
    out_.light = e;
    out_.understood.push_back(fmt::format("{:.5g} lux", e.value()));
  }

  void distance(const std::string& original, Metres d) {
    once(original, out_.lampDistance.has_value());
    out_.lampDistance = d;
    out_.understood.push_back(fmt::format("lamp at {:g} m, a small source", d.value()));
  }

  static void once(const std::string& word, bool already) {
    if (already) refuse(word, "this control was given before");
  }

  std::vector<std::string> words_;
  size_t at_ = 0;
  ExposureSettings out_;
};

template <class Q>
Stops part(const std::optional<Q>& a, const std::optional<Q>& b, double power, const char* name) {
  if (a.has_value() != b.has_value())
    throw UsageError(std::string("only one of the two settings gives the ") + name, "", "",
                     "give it in both or in neither");
  return a ? Stops(power * std::log2(b->value() / a->value())) : Stops(0);
}

}  // namespace

ExposureSettings parseSettings(std::string_view text) {
  return Parser(text).run();
}

ExposureDifference difference(const ExposureSettings& a, const ExposureSettings& b) {
  ExposureDifference d;
  d.light = part(a.aperture, b.aperture, -2, "T-stop") + part(a.shutter, b.shutter, 1, "shutter") -
            stopsOf(b.nd - a.nd) + part(a.light, b.light, 1, "light") +
            part(a.lampDistance, b.lampDistance, -2, "lamp distance");
  d.gain = part(a.iso, b.iso, 1, "ISO");
  return d;
}

}  // namespace edge
