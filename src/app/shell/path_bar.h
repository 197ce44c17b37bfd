// The path of stages on top of the window: menu, one button a stage with its name and, below it, how far it
// is; the configuration picker. Room for eight stages at 1210 px: a long state is elided in its own button
// and whole in its tool tip; it never takes room from another.
#pragma once
#include <QButtonGroup>
#include <QComboBox>
#include <QMenu>
#include <QPushButton>
#include <QTimer>

#include "shell/stage.h"

namespace edge::app {

class PathBar : public QWidget {
  Q_OBJECT
 public:
  PathBar(const std::vector<Stage*>& stages, Document& document, QWidget* parent);

  void setCurrent(int index);
  void refreshStates();  // at once; a stage's own word is taken up with the others of its turn
  [[nodiscard]] QMenu& menu() { return *menu_; }
  void openMenu();
  [[nodiscard]] QComboBox& picker() { return *picker_; }

 signals:
  void chosen(int stage);

 private:
  void refreshPicker();

  std::vector<Stage*> stages_;
  Document& document_;
  QTimer soon_;
  QButtonGroup* group_;
  QMenu* menu_;
  QPushButton* menuButton_;
  QComboBox* picker_;
};

}  // namespace edge::app
