#include "base/error.h"

#include <fmt/format.h>

#include <algorithm>

namespace edge {

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
}

}  // namespace edge
