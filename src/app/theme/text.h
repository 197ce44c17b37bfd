// Text of the core, in the window's own strings.
#pragma once
#include <QString>
#include <string>

namespace edge::app {

[[nodiscard]] inline QString q(const std::string& s) {
  return QString::fromStdString(s);
}

// "1 take", "3 takes"
[[nodiscard]] inline QString counted(int n, const char* one, const char* many) {
  return QString("%1 %2").arg(n).arg(n == 1 ? one : many);
}

[[nodiscard]] inline QString esc(const std::string& s) {
  return q(s).toHtmlEscaped();
}

}  // namespace edge::app
