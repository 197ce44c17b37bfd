#include "shell/stage.h"

namespace edge::app {

bool Stage::tryKey(const QKeyEvent& event) {
  const QKeySequence pressed(event.key() | (event.modifiers() & ~Qt::KeypadModifier).toInt());
  for (const auto& c : commands())
    if (c.run && !c.key.isEmpty() && QKeySequence(c.key) == pressed) {
      if (c.possible()) c.run();
      return true;
    }
  return false;
}

void Stage::keyPressEvent(QKeyEvent* event) {
  if (!tryKey(*event)) QWidget::keyPressEvent(event);
}

}  // namespace edge::app
