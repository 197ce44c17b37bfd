#pragma once
#include <QIcon>
#include <QPixmap>

namespace edge::app {

// A picture in a list, which the selection doesn't tint.
[[nodiscard]] inline QIcon plainIcon(const QPixmap& picture) {
  QIcon icon(picture);
  icon.addPixmap(picture, QIcon::Selected);
  return icon;
}

}  // namespace edge::app
