// How a configuration's clips are read: curve, range, matrix and display, each stated, what is not known
// asked; the curve measured from the bracket laid over the one in use.
#pragma once
#include <QComboBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>

#include "project/setup.h"
#include "shell/document.h"
#include "shell/job.h"
#include "widgets/plot.h"

namespace edge::app {

class DecodePage : public QWidget {
  Q_OBJECT
 public:
  explicit DecodePage(Document& document, QWidget* parent = nullptr);

  void refresh();
  void measureCurve();
  void useMeasured();
  void loadCurve(const std::filesystem::path& file);
  void listLibrary();
  void setCurve(const std::string& curve, const QString& words);
  void useForMode();
  [[nodiscard]] QComboBox& curve() { return *curve_; }
  [[nodiscard]] QComboBox& range() { return *range_; }
  [[nodiscard]] QString words() const { return words_->text(); }
  [[nodiscard]] QString questions() const { return questions_->text(); }
  [[nodiscard]] bool busy() const { return job_.running(); }
  void setTheme(const Theme& theme);

 signals:
  void failed(const QString& problem, const QString& where, const QString& remedy);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void refreshIfSeen();
  QWidget* buildForm();
  QWidget* buildParameters();
  [[nodiscard]] const Configuration* configuration() const;
  void readFormat();
  void chosen();
  void curveChosen(int index);
  void typeParameters();
  void refreshPlots();
  void put(Configuration changed, const QString& words);

  Document& document_;
  Job job_, formatJob_;
  QLabel *title_, *questions_, *facts_, *words_;
  QComboBox *curve_, *range_, *matrix_, *display_;
  QWidget* parameters_;
  std::vector<QLineEdit*> fields_;
  QPushButton *measure_, *use_;
  Plot *plot_, *residuals_;
  std::string formatOf_;
  PixelFormat format_;
};

}  // namespace edge::app
