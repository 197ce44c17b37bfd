#include "shoot/slate_code.h"

#include <fmt/format.h>
#include <qrencode.h>

#include <cmath>

#include "base/error.h"
#include "base/hash.h"
#include "base/numbers.h"

namespace edge {
namespace {

constexpr size_t kWords = 9;
constexpr const char* kMark = "ET1";
// No 0, 1, O, I: read aloud and typed without a doubt.
constexpr const char* kLetters = "23456789ABCDEFGHJKLMNPQRSTUVWXYZ";

std::string plain(double v, int decimals) {
  std::string s = formatNumber(v, decimals);
  if (s.find('.') == std::string::npos) return s;
  while (s.back() == '0') s.pop_back();
  if (s.back() == '.') s.pop_back();
  return s;
}

// A number behind a letter, within bounds.
std::optional<double> field(const std::string& word, char letter, double low, double high) {
  if (word.size() < 2 || word.front() != letter) return std::nullopt;
  const auto v = parseNumber(std::string_view(word).substr(1));
  if (!v || *v < low || *v > high) return std::nullopt;
  return v;
}

bool allOf(const std::string& word, size_t length, const char* letters) {
  return word.size() == length && word.find_first_not_of(letters) == std::string::npos;
}

}  // namespace

std::string slateId(const std::string& slate) {
  const std::string hash = hashBytes(slate);
  auto bits = std::stoull(hash.substr(0, 15), nullptr, 16);
  std::string id;
  for (int i = 0; i < 6; ++i, bits >>= 5) id += kLetters[bits & 31];
  return id;
}

SlateCode slateOf(const std::string& project, const Take& t, int attempt) {
  SlateCode c;
  c.project = project, c.take = slateId(t.slate), c.attempt = attempt;
  c.iso = t.iso, c.tStop = std::round(t.settings.aperture.value() * 100) / 100;
  c.shutterSeconds = 1 / (std::round(1000 / t.settings.shutter.value()) / 1000);
  c.nd = std::round(t.settings.nd.value() * 100) / 100;
  if (t.role == TakeRole::Base || t.role == TakeRole::Step) c.stops = std::round(t.plannedStops * 100) / 100;
  return c;
}

std::string slateText(const SlateCode& c) {
  const std::string stops = c.stops ? (*c.stops < 0 ? "-" : "+") + plain(std::abs(*c.stops), 2) : "*";
  return fmt::format("{} {} {} {} I{} T{} S{} N{} P{}", kMark, c.project, c.take, c.attempt, plain(c.iso, 0),
                     plain(c.tStop, 2), plain(1 / c.shutterSeconds, 3), plain(c.nd, 2), stops);
}

std::optional<SlateCode> parseSlate(const std::string& text) {
  const auto w = splitWords(text.substr(0, 200));
  if (w.size() != kWords || w[0] != kMark || !allOf(w[1], 6, "0123456789ABCDEF") || !allOf(w[2], 6, kLetters))
    return std::nullopt;
  const auto attempt = parseNumber(w[3]);
  const auto iso = field(w[4], 'I', 1, 1e7), t = field(w[5], 'T', 0.5, 256), s = field(w[6], 'S', 1e-3, 1e6),
             nd = field(w[7], 'N', 0, 10);
  if (!attempt || *attempt < 1 || *attempt > 999 || !iso || !t || !s || !nd) return std::nullopt;
  SlateCode c{w[1], w[2], static_cast<int>(*attempt), *iso, *t, 1 / *s, *nd, std::nullopt};
  if (w[8] != "P*") {
    c.stops = field(w[8], 'P', -20, 20);
    if (!c.stops) return std::nullopt;
  }
  return c;
}

bool isNewerSlate(const std::string& text) {
  const auto w = splitWords(text.substr(0, 200));
  if (w.empty() || w[0].rfind("ET", 0) != 0 || w[0] == kMark) return false;
  const auto version = parseNumber(std::string_view(w[0]).substr(2));
  return version && *version > 1;
}

QrSymbol qrOf(const std::string& text) {
  const std::unique_ptr<QRcode, decltype(&QRcode_free)> code(
      QRcode_encodeString(text.c_str(), 0, QR_ECLEVEL_Q, QR_MODE_8, 1), QRcode_free);
  if (!code) throw Error("this text is too long for a QR symbol", "slate", "", "use a shorter text");
  QrSymbol s;
  s.side = code->width;
  for (int i = 0; i < s.side * s.side; ++i) s.dark.push_back(code->data[i] & 1);
  return s;
}

}  // namespace edge
