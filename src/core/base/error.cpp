#include "base/error.h"

#include <fmt/format.h>

#include <algorithm>

namespace edge {
namespace {

constexpr size_t kLongestLine = 400;

// Its head and its end, which holds the remedy; never inside of a letter (UTF-8).
std::string cut(const std::string& s, size_t most) {
  const auto inside = [&](size_t at) { return (static_cast<unsigned char>(s[at]) & 0xC0) == 0x80; };
  size_t head = most * 5 / 8, tail = s.size() - (most * 3 / 8 - 5);
  while (head > 0 && inside(head)) --head;
  while (tail < s.size() && inside(tail)) ++tail;
  return fmt::format("{} … {}", std::string_view(s).substr(0, head), std::string_view(s).substr(tail));
}

}  // namespace

Error::Error(std::string what, std::string subject, std::string place, std::string remedy)
    : what_(std::move(what)),
      subject_(std::move(subject)),
      place_(std::move(place)),
      remedy_(std::move(remedy)) {
  line_ =
      fmt::format("{}{}{}{}{}", what_, subject_.empty() ? "" : fmt::format(", in {}", subject_),
                  place_.empty() ? "" : fmt::format(" ({})", place_), remedy_.empty() ? "" : ": ", remedy_);
  // The command line promises one line; file names and library messages may hold line breaks.
  std::replace_if(
      line_.begin(), line_.end(), [](unsigned char c) { return c < 0x20; }, ' ');
  if (line_.size() > kLongestLine) line_ = cut(line_, kLongestLine);
}

}  // namespace edge
