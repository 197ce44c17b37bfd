// What every page of stage Noise is: a view of one body in one mode, fed by the stage.
#pragma once
#include <QWidget>

#include "project/noise_project.h"
#include "shell/document.h"
#include "theme/tokens.h"

namespace edge::app {

class NoisePageView : public QWidget {
  Q_OBJECT
 public:
  explicit NoisePageView(Document& document, QWidget* parent) : QWidget(parent), document_(document) {}
  // nullptr: nothing to show.
  virtual void show(const NoiseFinding* finding) = 0;
  virtual void setTheme(const Theme& theme) = 0;
  virtual void turnZoom() {}  // the next of the sizes a picture is seen at

 protected:
  Document& document_;
};

}  // namespace edge::app
