// A stage of the path: one kind of work, always reachable, with a few words on how far it is.
#pragma once
#include <QKeyEvent>
#include <QWidget>
#include <functional>

#include "shell/document.h"
#include "theme/tokens.h"
#include "widgets/invitation.h"

namespace edge::app {

// Something a person can do: in the menu with its key, and by that key wherever the focus is. Without `run`
// it is a hint of what a key does inside one part of a stage.
struct Command {
  QString key;  // "Ctrl+C"; empty: only in the menu
  QString words;
  std::function<void()> run;
  std::function<bool()> can;  // null: always

  [[nodiscard]] bool possible() const { return run && (!can || can()); }
};

class Stage : public QWidget {
  Q_OBJECT
 public:
  using QWidget::QWidget;
  [[nodiscard]] virtual QString name() const = 0;
  [[nodiscard]] virtual QString state() const = 0;  // "6 of 6 measured"
  [[nodiscard]] virtual std::vector<Command> commands() = 0;
  virtual void setTheme(const Theme& theme) = 0;

  // Does what the key stands for; false: it stands for nothing here.
  bool tryKey(const QKeyEvent& event);

 signals:
  void stateChanged();
  void failed(const QString& problem, const QString& where, const QString& remedy);
  void done(const QString& words);
  void doorWanted(Door door);

 protected:
  void keyPressEvent(QKeyEvent* event) override;
};

}  // namespace edge::app
