// Shoot: the prompter, the slate, the log, the gate before the set is struck. One key for each thing that is
// done often; everything works in the dark without a mouse.
#pragma once
#include <QButtonGroup>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QStackedWidget>
#include <QTableWidget>
#include <QTextBrowser>
#include <QTreeWidget>

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
  [[nodiscard]] std::vector<Command> commands() override;
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
  enum class Entry {
    None,
    Reading,
    Spot,
    Level,
    Note,
    Skip,
    Redo,
    Actual,
    Meter,
    WayOut,
    Stays,
    Who,
    Hands,
    Seen
  };
  QWidget* buildPages();
  QWidget* buildSide();
  void refresh();
  void followTake();    // the picker shows the camera of the take
  void followPicker();  // and the take that of the picker
  void refreshRuler();
  void refreshSide();
  void refreshLog();
  void refreshGate();
  void begin(Entry entry);
  void offerChoices(Entry entry);
  void enter();
  bool keep(const QString& text);
  void enterLevel(const QString& text);
  void enterMeter(const QString& text);
  void gateItemStays();
  void leaveEntry();
  void askForPaper();
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
  QTreeWidget* gateList_;
  QLabel* gateWords_;
  QComboBox* gateBody_;
  QLabel* entryWords_;
  QComboBox* entryChoice_;
  QComboBox* entryScale_;  // of a level
  QLineEdit* entryLine_;
  QTextBrowser* judged_;
  QString judgedHtml_;  // as shown
  StandInPanel* standIns_;
  Inviting* inviting_;
  Entry entry_ = Entry::None;
};

}  // namespace edge::app
