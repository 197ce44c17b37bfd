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

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  Theme theme_;
  std::optional<Prompt> prompt_;
  TakeState state_ = TakeState::Open;
  QString nothing_;
};

}  // namespace edge::app
