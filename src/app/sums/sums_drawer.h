// The sums beside any stage, with or without a project: type to find one, Tab through its fields, read the
// answer and the working as you type.
#pragma once
#include <QComboBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QWidget>

#include "exposure/sum_sheets.h"

namespace edge::app {

class SumsDrawer : public QWidget {
  Q_OBJECT
 public:
  explicit SumsDrawer(QWidget* parent = nullptr);
  void begin();  // cursor into the search line
  void choose(const QString& id);
  void setField(const QString& key, const QString& text);
  [[nodiscard]] QString answer() const;  // headline with its label
  [[nodiscard]] QString working() const { return working_->text(); }
  [[nodiscard]] QString warning() const { return warning_->text(); }
  void setPlanOpen(bool open);

 signals:
  void closed();
  void forPlan(const SumForPlan& figure);

 protected:
  void keyPressEvent(QKeyEvent* event) override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void filter(const QString& text);
  void open(const SumSheet* sheet);
  void run();
  void copy() const;

  QLineEdit* find_;
  QListWidget* list_;
  QLabel *title_, *headline_, *others_, *working_, *warning_;
  QFormLayout* form_;
  QWidget* fields_;
  std::vector<QPushButton*> use_;
  QPushButton* copy_;
  const SumSheet* sheet_ = nullptr;
  SumResult result_;
  std::map<std::string, std::map<std::string, std::string>> values_;  // kept by sheet
  bool planOpen_ = false;
};

}  // namespace edge::app
