// Several configurations at once: their SNR curves over one another, what changes from ISO to ISO, and the
// table of differences with their errors.
#pragma once
#include <QTableView>
#include <QTextBrowser>

#include "range/compare_model.h"
#include "widgets/plot.h"

namespace edge::app {

class ComparePage : public QWidget {
  Q_OBJECT
 public:
  explicit ComparePage(Document& document, QWidget* parent = nullptr);
  void setTheme(const Theme& theme);
  [[nodiscard]] std::vector<size_t> chosen() const { return model_.chosen(); }
  [[nodiscard]] CompareModel& model() { return model_; }
  [[nodiscard]] QString isoText() const { return isos_->toPlainText(); }

 signals:
  void chosenChanged();

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void refresh();
  void drawCurves();
  void describeIsos();

  Document& document_;
  CompareModel model_;
  Plot* snr_;
  QTextBrowser* isos_;
  QTableView* table_;
};

}  // namespace edge::app
