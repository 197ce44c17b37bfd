// The recipe, edited with the keyboard alone: Enter edits, Insert adds, Delete removes.
#pragma once
#include <QTreeView>

#include "plan/recipe_model.h"

namespace edge::app {

class RecipeTree : public QTreeView {
  Q_OBJECT
 public:
  explicit RecipeTree(Planner& planner, QWidget* parent = nullptr);
  [[nodiscard]] RecipeModel& recipe() { return model_; }
  void addHere();     // to the list the cursor is in; opens what was added
  void removeHere();  // the item the cursor is in
  void go(const QString& path);

 protected:
  void keyPressEvent(QKeyEvent* event) override;

 private:
  void keepPlace();
  void restorePlace();
  RecipeModel model_;
  QStringList open_;
  QString current_;
};

}  // namespace edge::app
