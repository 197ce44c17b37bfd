// Keys that parts of a window keep to themselves: a table or a picker searches its rows for a letter that is
// a command of the stage, a button ignores Enter. One filter before all of them.
#pragma once
#include <QObject>
#include <functional>

#include "shell/stage.h"

namespace edge::app {

class StageKeys : public QObject {
 public:
  // `stage`: the one that is shown; nullptr: none.
  StageKeys(QWidget* window, std::function<Stage*()> stage);

  // A list or picker with this property handles letters itself.
  static constexpr const char* kOwnLetters = "ownLetters";

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  QWidget* window_;
  std::function<Stage*()> stage_;
};

}  // namespace edge::app
