// Will a scene hold? Its spot readings on what every configuration holds.
#pragma once
#include <QDoubleSpinBox>
#include <QLabel>
#include <QScrollArea>
#include <QTableWidget>
#include <QTextBrowser>

#include "advise/exercise.h"
#include "advise/scene_check.h"
#include "findings/scene_form.h"
#include "ruler/ruler_widget.h"
#include "shell/stage.h"

namespace edge::app {

class ScenePage : public QWidget {
  Q_OBJECT
 public:
  explicit ScenePage(Document& document, QWidget* parent = nullptr);

  void setTheme(const Theme& theme);
  [[nodiscard]] std::vector<Command> commands();
  [[nodiscard]] SceneForm& form() { return *form_; }
  void chooseConfiguration(std::int64_t id);
  void setScore(const Score& before) { score_ = before; }
  void guessFirst();
  void setOffset(double stops);  // of the chosen configuration, until the readings change
  [[nodiscard]] const std::optional<SceneResult>& result() const { return result_; }
  [[nodiscard]] QString words() const { return headline_->text(); }
  [[nodiscard]] QString changes() const { return changes_->toPlainText(); }

 signals:
  void failed(const QString& problem, const QString& where, const QString& remedy);
  void done(const QString& words);
  void doorWanted(Door door);
  void scored(const Score& total);  // of exercises

 private:
  QLayout* buildAnswer();
  void check();
  void show();
  void showRuler();
  void showTones();
  void showChanges();
  [[nodiscard]] SceneOn* chosen();

  Document& document_;
  SceneForm* form_;
  QLabel *headline_, *chosenTitle_;
  RulerWidget* ruler_;
  QScrollArea* scroll_;
  QDoubleSpinBox* offset_;
  QTableWidget* tones_;
  QTextBrowser* changes_;
  Inviting* inviting_;
  QPushButton* guess_;
  Score score_;  // of exercises
  SceneReadings scene_;
  std::optional<SceneResult> result_;
  std::int64_t configuration_ = -1;
  bool byHand_ = false;  // the configuration was chosen, not recommended
};

}  // namespace edge::app
