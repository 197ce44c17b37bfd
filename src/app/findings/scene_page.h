// Will a scene hold? Its spot readings, typed, pasted or read from a file, on what every configuration holds.
#pragma once
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QScrollArea>
#include <QTableWidget>
#include <QTextBrowser>
#include <filesystem>

#include "advise/scene_check.h"
#include "ruler/ruler_widget.h"
#include "shell/stage.h"

namespace edge::app {

class ScenePage : public QWidget {
  Q_OBJECT
 public:
  explicit ScenePage(Document& document, QWidget* parent = nullptr);

  void setTheme(const Theme& theme);
  [[nodiscard]] std::vector<Command> commands();
  // As a person types it; shown at once, kept when asked.
  void setExposure(const QString& words);
  void setReadings(const QString& lines);  // "window +4.5", a line each
  void fill(const SceneReadings& scene);
  void load(const std::filesystem::path& file);
  void addTone(double stops);  // read in a frame
  void keep();                 // under the name that is typed
  void forget();               // the one that is chosen
  void chooseConfiguration(std::int64_t id);
  void setOffset(double stops);  // of the chosen configuration, until the readings change
  [[nodiscard]] const std::optional<SceneResult>& result() const { return result_; }
  [[nodiscard]] QString words() const { return headline_->text(); }
  [[nodiscard]] QString changes() const { return changes_->toPlainText(); }

 signals:
  void failed(const QString& problem, const QString& where, const QString& remedy);
  void done(const QString& words);
  void doorWanted(Door door);

 private:
  QLayout* buildReadings();
  QLayout* buildAnswer();
  void refreshScenes();
  void setRow(int row, const SceneReading& reading);
  void addRow();
  void removeRow();
  [[nodiscard]] SceneReadings read();  // what is typed; marks what can't be read
  void check();
  void show();
  void showRuler();
  void showTones();
  void showChanges();
  void pasteLines();
  void askFile();
  void readFrame();
  [[nodiscard]] SceneOn* chosen();

  Document& document_;
  QComboBox* scenes_;
  QLineEdit *name_, *exposure_;
  QTableWidget* readings_;
  QPushButton *keep_, *forget_;
  QLabel *headline_, *trouble_, *chosenTitle_;
  RulerWidget* ruler_;
  QScrollArea* scroll_;
  QDoubleSpinBox* offset_;
  QTableWidget* tones_;
  QTextBrowser* changes_;
  Inviting* inviting_;
  SceneReadings scene_;
  std::optional<SceneResult> result_;
  std::int64_t configuration_ = -1;
  const Theme* theme_ = &theme(ThemeKind::Dark);
  bool filling_ = false;
  bool byHand_ = false;  // the configuration was chosen, not recommended
};

}  // namespace edge::app
