#pragma once

#include <QEvent>
#include <QLabel>
#include <map>

namespace edge::app {

// Wrapped words whose height is worked out once a width: nested layouts ask for it many times over, for
// several widths in turn, and shaping the text each time was 40 % of what a change of page took.
class WrappedLabel : public QLabel {
 public:
  explicit WrappedLabel(QWidget* parent) : WrappedLabel({}, parent) {}
  WrappedLabel(const QString& words, QWidget* parent) : QLabel(words, parent) { setWordWrap(true); }
  [[nodiscard]] int heightForWidth(int width) const override {
    if (text() != text_ || heights_.size() > kMostWidths) heights_.clear(), text_ = text();
    const auto known = heights_.find(width);
    return known != heights_.end() ? known->second : heights_[width] = QLabel::heightForWidth(width);
  }

 protected:
  void changeEvent(QEvent* event) override {
    heights_.clear();  // another font, another style
    QLabel::changeEvent(event);
  }

 private:
  static constexpr size_t kMostWidths = 16;
  mutable std::map<int, int> heights_;  // by width, pixels
  mutable QString text_;                // of them
};

}  // namespace edge::app
