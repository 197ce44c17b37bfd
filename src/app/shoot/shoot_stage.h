// Shoot: the prompter, the slate, the log, the gate before the set is struck. One key for each thing that is
// done often; everything works in the dark without a mouse.
#pragma once
#include <QButtonGroup>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QStackedWidget>
#include <QTableWidget>
#include <QTextBrowser>

#include "ruler/ruler_widget.h"
#include "shell/stage.h"
#include "shoot/prompter.h"
#include "shoot/shooter.h"
#include "shoot/slate_card.h"
#include "shoot/stand_in_panel.h"

namespace edge::app {

class ShootStage : public Stage {
  Q_OBJECT
 public:
  ShootStage(Document& document, Planner& planner, QWidget* parent = nullptr);
  [[nodiscard]] QString name() const override { return "Shoot"; }
  [[nodiscard]] QString state() const override;
  [[nodiscard]] std::vector<std::pair<QString, QString>> keys() const override;
  void setTheme(const Theme& theme) override;

  [[nodiscard]] Shooter& shooter() { return shooter_; }
  [[nodiscard]] StandInPanel& standIns() { return *standIns_; }
  enum Page { PrompterPage, SlatePage, LogPage, GatePage };
  void showPage(int page);
  void writeSlates(const std::filesystem::path& file);
  void writeLog(const std::filesystem::path& file);

 signals:
  void nightWanted();

 protected:
  void keyPressEvent(QKeyEvent* event) override;
  bool eventFilter(QObject* watched, QEvent* event) override;
  void showEvent(QShowEvent* event) override;

 private:
  // What the entry line is for.
  enum class Entry { None, Reading, Spot, Level, Note, Skip, Redo, Actual, Meter };
  QWidget* buildPages();
  QWidget* buildSide();
  void refresh();
  void refreshRuler();
  void refreshSide();
  void refreshLog();
  void refreshGate();
  void begin(Entry entry);
  void enter();
  void leaveEntry();
  void ask(const QString& title, const QString& suffix, const QString& filter,
           const std::function<void(const std::filesystem::path&)>& write);

  Document& document_;
  Shooter shooter_;
  RulerWidget* ruler_;
  QButtonGroup* pageGroup_;
  QStackedWidget* pages_;
  Prompter* prompter_;
  SlateCard* slate_;
  QTableWidget* logTable_;
  QListWidget* gateList_;
  QLabel* gateWords_;
  QComboBox* gateBody_;
  QLabel* entryWords_;
  QComboBox* entryChoice_;
  QLineEdit* entryLine_;
  QTextBrowser* judged_;
  StandInPanel* standIns_;
  Entry entry_ = Entry::None;
};

}  // namespace edge::app
