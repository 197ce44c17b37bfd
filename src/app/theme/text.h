// Text of the core, in the window's own strings.
#pragma once
#include <QString>
#include <string>

namespace edge::app {

[[nodiscard]] inline QString q(const std::string& s) {
  return QString::fromStdString(s);
}

[[nodiscard]] inline QString esc(const std::string& s) {
  return q(s).toHtmlEscaped();
}

}  // namespace edge::app
