// A blind session is put together: which pictures, what is asked, who looks.
#pragma once
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QSpinBox>

#include <functional>

#include "report/review_pool.h"
#include "review/session.h"

namespace edge::app {

class BlindSetup : public QWidget {
  Q_OBJECT
 public:
  explicit BlindSetup(QWidget* parent = nullptr);

  // Pictures of equal brightness only: others would be told apart by it.
  void setPool(const std::vector<Shown>& pool);
  void tick(const std::function<bool(const Shown&)>& which);
  [[nodiscard]] SessionPlan plan() const;  // with a fresh seed; names as typed
  void setViewers(const QString& words) { viewers_->setText(words); }
  void setRepeats(int n) { repeats_->setValue(n); }
  void setAsk(Ask ask) { ask_->setCurrentIndex(static_cast<int>(ask)); }
  void setCriterion(Criterion c) { criterion_->setCurrentIndex(criterion_->findData(static_cast<int>(c))); }

 signals:
  void wanted(const SessionPlan& plan);

 private:
  void refresh();
  [[nodiscard]] std::vector<size_t> ticked() const;

  std::vector<Shown> pool_;
  QListWidget* list_;
  QLineEdit *title_, *viewers_;
  QComboBox *ask_, *reference_, *criterion_;
  QSpinBox* repeats_;
  QDoubleSpinBox* seconds_;
  QLabel* words_;
  QPushButton* begin_;
  bool filling_ = false;
};

}  // namespace edge::app
