// Usual situations and what to rate for them; each row explains itself and can be overruled with a reason.
#pragma once
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>
#include <QTextBrowser>

#include "advise/situations.h"
#include "shell/stage.h"

namespace edge::app {

class SituationsPage : public QWidget {
  Q_OBJECT
 public:
  explicit SituationsPage(Document& document, QWidget* parent = nullptr);

  [[nodiscard]] std::vector<Command> commands();
  void choose(int row);
  // Of the chosen row; refused without a reason.
  void overrule(int configuration, const QString& ei, const QString& reason);
  void takeBack();
  [[nodiscard]] const std::vector<DecisionRow>& rows() const { return rows_; }
  [[nodiscard]] QString explanation() const { return explain_->toPlainText(); }

 signals:
  void failed(const QString& problem, const QString& where, const QString& remedy);
  void done(const QString& words);
  void doorWanted(Door door);
  void sceneWanted(const edge::SceneReadings& scene);

 private:
  QLayout* buildOverrule();
  void refresh();
  void explain();
  void copyTable();
  void openAsScene();
  [[nodiscard]] const DecisionRow* chosen() const;

  Document& document_;
  QTableWidget* table_;
  QTextBrowser* explain_;
  QComboBox* configuration_;
  QLineEdit *ei_, *reason_;
  QPushButton *overrule_, *takeBack_, *scene_;
  Inviting* inviting_;
  std::vector<DecisionRow> rows_;
};

}  // namespace edge::app
