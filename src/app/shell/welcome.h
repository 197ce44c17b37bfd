// Before a project is open: what there will be, the ways in, the projects opened last.
#pragma once
#include <QWidget>
#include <filesystem>

#include "ruler/ruler_widget.h"

class QVBoxLayout;

namespace edge::app {

class Welcome : public QWidget {
  Q_OBJECT
 public:
  explicit Welcome(QWidget* parent);
  void setRecent(const std::vector<std::filesystem::path>& projects);
  void setTheme(const Theme& theme) { ruler_->setTheme(theme); }

 signals:
  void newWanted();
  void openWanted();
  void clipsWanted();
  void demoWanted();
  void projectWanted(const QString& file);

 private:
  RulerWidget* ruler_;
  QWidget* recent_;
  QVBoxLayout* list_;
};

}  // namespace edge::app
