// A stage of the path: one kind of work, always reachable, with a few words on how far it is.
#pragma once
#include <QWidget>

#include "shell/document.h"
#include "theme/tokens.h"

namespace edge::app {

class Stage : public QWidget {
  Q_OBJECT
 public:
  using QWidget::QWidget;
  [[nodiscard]] virtual QString name() const = 0;
  [[nodiscard]] virtual QString state() const = 0;                                  // "6 of 6 measured"
  [[nodiscard]] virtual std::vector<std::pair<QString, QString>> keys() const = 0;  // key and what it does
  virtual void setTheme(const Theme& theme) = 0;

 signals:
  void stateChanged();
  void failed(const QString& problem, const QString& where, const QString& remedy);
  void done(const QString& words);
};

}  // namespace edge::app
