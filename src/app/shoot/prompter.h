// The next take in letters that are read at two metres: what changes, what the meter and the level should
// say, what to be careful about.
#pragma once
#include <QWidget>
#include <optional>

#include "shoot/prompt.h"
#include "theme/tokens.h"

namespace edge::app {

class Prompter : public QWidget {
  Q_OBJECT
 public:
  explicit Prompter(QWidget* parent = nullptr);
  void show(const std::optional<Prompt>& prompt, TakeState state, const QString& nothing);
  void setTheme(const Theme& theme);
  [[nodiscard]] QString text() const;  // everything shown, top to bottom
  // As last painted: all of it was within the widget.
  [[nodiscard]] bool isWhole() const { return whole_; }

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  // How the changes are laid out: column by column.
  struct Grid {
    int rows = 1, pixels = 0, names = 0;  // the names' width
    double width = 0;                     // of a column
  };
  [[nodiscard]] QString heading() const;
  [[nodiscard]] Grid gridFor(const QSizeF& room) const;
  double drawChanges(QPainter& painter, const QRectF& room);
  struct Line {
    QString words;
    int pixels;
    bool bold;
    QColor ink;
  };
  static QFont fitted(const Line& line, double width);
  static double drawLine(QPainter& painter, const QRectF& room, const Line& line);

  bool whole_ = true;
  Theme theme_;
  std::optional<Prompt> prompt_;
  TakeState state_ = TakeState::Open;
  QString nothing_;
};

}  // namespace edge::app
