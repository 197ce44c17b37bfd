// One step close by: why it is of its class, its histogram, and its noise, amplified, moving and standing.
#pragma once
#include <QLabel>
#include <QTextBrowser>

#include "measure/step_look.h"
#include "shell/document.h"
#include "shell/job.h"
#include "widgets/plot.h"

namespace edge::app {

// The two noise pictures, grey at no deviation, black and white at three standard deviations of the moving
// noise.
class NoiseView : public QWidget {
 public:
  explicit NoiseView(QWidget* parent = nullptr);
  void setLook(std::shared_ptr<const StepLook> look);
  void setTheme(const Theme& theme) { theme_ = theme; }
  [[nodiscard]] bool hasLook() const { return look_ != nullptr; }

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  std::shared_ptr<const StepLook> look_;
  QImage moving_, standing_;
  Theme theme_;
};

class StepPanel : public QWidget {
  Q_OBJECT
 public:
  explicit StepPanel(Document& document, QWidget* parent = nullptr);
  void show(const QString& step);
  void refresh();
  void setTheme(const Theme& theme);
  [[nodiscard]] QString step() const { return step_; }
  [[nodiscard]] QString text() const { return words_->toPlainText(); }
  [[nodiscard]] bool ready() const { return noise_->hasLook() && !job_.running(); }

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void look();
  void drawHistogram(const StepLook& look);

  Document& document_;
  QTextBrowser* words_;
  Plot* histogram_;
  NoiseView* noise_;
  Job job_;
  QString step_;
  std::string looked_;  // clip and step that are shown
};

}  // namespace edge::app
