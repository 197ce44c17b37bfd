#include "shell/stage.h"

namespace edge::app {

bool Stage::tryKey(const QKeyEvent& event) {
  const QKeySequence pressed(event.key() | (event.modifiers() & ~Qt::KeypadModifier).toInt());
  // A sign is that sign, whether Shift makes it on this keyboard or not.
  const bool plain = !(event.modifiers() & (Qt::ControlModifier | Qt::AltModifier | Qt::MetaModifier));
  const auto isSign = [&](const QString& key) {
    return plain && key.size() == 1 && !key[0].isLetterOrNumber() && event.text() == key;
  };
  for (const auto& c : commands())
    if (c.run && !c.key.isEmpty() && (QKeySequence(c.key) == pressed || isSign(c.key))) {
      if (c.possible()) c.run();
      return true;
    }
  return false;
}

void Stage::keyPressEvent(QKeyEvent* event) {
  if (!tryKey(*event)) QWidget::keyPressEvent(event);
}

}  // namespace edge::app
