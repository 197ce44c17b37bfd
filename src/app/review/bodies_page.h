// Two bodies under one grade: where they can be cut together, how they drift apart, the match and its price.
#pragma once
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QTextBrowser>

#include "bodies/two_bodies.h"
#include "recover/correction_files.h"
#include "ruler/ruler_widget.h"
#include "shell/job.h"
#include "shell/stage.h"

namespace edge::app {

class BodiesPage : public QWidget {
  Q_OBJECT
 public:
  explicit BodiesPage(Document& document, QWidget* parent = nullptr);

  void refresh();
  void setTheme(const Theme& theme);
  [[nodiscard]] std::vector<Command> commands();
  void compare(int a, int b);  // rows of the choices
  void setLimit(double limit) { limit_->setValue(limit); }
  [[nodiscard]] const std::optional<TwoBodies>& result() const { return result_; }
  [[nodiscard]] bool comparing() const { return job_.running(); }
  [[nodiscard]] QString words() const { return headline_->text(); }
  void exportTo(CorrectionFormat format, const std::filesystem::path& folder);

 signals:
  void failed(const QString& problem, const QString& where, const QString& remedy);
  void done(const QString& words);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  // What is compared, as the words name it.
  struct Pair {
    QString label;
    std::string bodyA, bodyB;
  };
  [[nodiscard]] const Finding* chosen(const QComboBox* box) const;
  void compareChosen();
  void show();
  void say(const QString& words);  // in place of a result
  void fillRuler();
  void fillTable();
  void fillMatch();
  void ask(CorrectionFormat format);

  Document& document_;
  QComboBox *a_, *b_;
  QDoubleSpinBox* limit_;
  QLabel *headline_, *drifts_;
  RulerWidget* ruler_;
  QTableWidget* table_;
  QTextBrowser* match_;
  std::vector<QPushButton*> exports_;
  std::optional<TwoBodies> result_;
  Pair pair_;
  bool stale_ = false;  // worked out when it is seen
  Job job_;
};

}  // namespace edge::app
