#include "base/numbers.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <sstream>

namespace edge {

std::optional<double> parseNumber(std::string_view text) {
  std::string t = trim(text);
  std::replace(t.begin(), t.end(), ',', '.');
  if (!t.empty() && t.front() == '+') t.erase(0, 1);
  double value = 0;
  const auto [end, ec] = std::from_chars(t.data(), t.data() + t.size(), value);
  if (t.empty() || ec != std::errc() || end != t.data() + t.size() || !std::isfinite(value))
    return std::nullopt;
  return value;
}

std::string formatNumber(double value, int decimals) {
  std::string s = fmt::format("{:.{}f}", value, decimals);
  const bool zero = s.find_first_not_of("-0.") == std::string::npos;
  return zero && s.front() == '-' ? s.substr(1) : s;
}

std::string formatSigned(double value, int decimals) {
  const std::string s = formatNumber(value, decimals);
  return s.front() == '-' ? "\u2212" + s.substr(1) : "+" + s;
}

std::string formatStops(double stops) {
  const double thirds = std::round(3 * stops);
  if (std::abs(3 * stops - thirds) > 0.01) return formatSigned(stops, 2);
  const int whole = static_cast<int>(std::abs(thirds)) / 3, rest = static_cast<int>(std::abs(thirds)) % 3;
  std::string text = stops < 0 ? "\u2212" : "+";
  if (whole > 0 || rest == 0) text += std::to_string(whole);
  if (rest > 0) text += (whole > 0 ? " " : "") + std::to_string(rest) + "/3";
  return text;
}

std::string trim(std::string_view text) {
  constexpr const char* kBlanks = " \t\r\n\v\f";  // what splitWords splits at: what is left here has a word
  const auto first = text.find_first_not_of(kBlanks);
  if (first == std::string_view::npos) return {};
  return std::string(text.substr(first, text.find_last_not_of(kBlanks) - first + 1));
}

std::string lower(std::string_view text) {
  std::string s(text);
  std::transform(s.begin(), s.end(), s.begin(), [](unsigned char c) { return std::tolower(c); });
  return s;
}

std::vector<std::string> splitWords(std::string_view text) {
  std::istringstream in{std::string(text)};
  std::vector<std::string> words;
  for (std::string w; in >> w;) words.push_back(w);
  return words;
}

std::vector<std::string> split(std::string_view text, char separator) {
  std::vector<std::string> parts;
  std::string part;
  std::istringstream in{std::string(text)};
  while (std::getline(in, part, separator)) parts.push_back(part);
  return parts;
}

}  // namespace edge
