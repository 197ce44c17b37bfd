// Text inside XML and HTML.
#pragma once
#include <string>

namespace edge {

[[nodiscard]] std::string escapedMarkup(const std::string& text);  // & < > "

}  // namespace edge
