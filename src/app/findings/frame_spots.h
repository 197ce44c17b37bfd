// A frame whose exposure is known, read by clicking: the readings of a scene.
#pragma once
#include <QComboBox>
#include <QDialog>
#include <QDoubleSpinBox>
#include <QLabel>

#include "recover/picture.h"
#include "recover/spot.h"
#include "shell/document.h"
#include "shell/job.h"
#include "widgets/picture_view.h"

namespace edge::app {

class FrameSpots : public QDialog {
  Q_OBJECT
 public:
  FrameSpots(Document& document, const Theme& theme, QWidget* parent);

  // A clip or frame, decoded as the chosen configuration is.
  void load(const std::filesystem::path& clip);
  void read(double x, double y);  // shares of the picture
  void setExposed(double stops) { exposed_->setValue(stops); }
  [[nodiscard]] bool loaded() const { return !frame_.luma.empty(); }
  [[nodiscard]] QString words() const { return words_->text(); }

 signals:
  void found(double stops);  // from grey as metered

 private:
  void ask();

  Document& document_;
  QComboBox* configuration_;
  QDoubleSpinBox* exposed_;
  QLabel* words_;
  PictureView* picture_;
  Job job_;
  SpotFrame frame_;
};

}  // namespace edge::app
