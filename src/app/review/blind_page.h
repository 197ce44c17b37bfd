// Blind review from the pool to the report: put together and sealed, answered viewer by viewer, unsealed.
// Every answer is in the project before the next picture is shown.
#pragma once
#include <QListWidget>
#include <QStackedWidget>
#include <QTextBrowser>
#include <QVBoxLayout>

#include "review/blind_setup.h"
#include "review/blind_show.h"
#include "review/session_report.h"
#include "shell/job.h"
#include "shell/stage.h"

namespace edge::app {

class BlindPage : public QWidget {
  Q_OBJECT
 public:
  enum Part { Sessions, Setup, Viewers, Showing, Report };
  explicit BlindPage(Document& document, QWidget* parent = nullptr);

  void setPool(const std::vector<Shown>& pool);
  void setTheme(const Theme& theme);
  [[nodiscard]] std::vector<Command> commands();
  void refresh();
  [[nodiscard]] Part part() const { return static_cast<Part>(parts_->currentIndex()); }
  [[nodiscard]] BlindSetup& setup() { return *setup_; }
  [[nodiscard]] BlindShow& shown() { return *show_; }
  [[nodiscard]] bool busy() const { return job_.running(); }
  [[nodiscard]] QString reportText() const { return report_->toPlainText(); }
  [[nodiscard]] int count() const { return static_cast<int>(sessions_.size()); }
  [[nodiscard]] const BlindSession* session() const;  // the one that is looked at

  void begin(const SessionPlan& plan);
  void open(int session);
  void showTo(size_t viewer);
  void unsealNow();
  void takeThreshold();  // as the limits of the criterion, an undoable step

 signals:
  void failed(const QString& problem, const QString& where, const QString& remedy);
  void done(const QString& words);

 private:
  void go(Part part);
  QWidget* buildSessions();
  QWidget* buildViewers();
  QWidget* buildReport();
  void readSessions();
  void keep(const BlindSession& session);
  void fillViewers();
  void fillReport();
  void exportReport();

  struct Stored {
    std::string key;
    BlindSession session;
  };
  Document& document_;
  std::vector<Shown> pool_;
  std::vector<Stored> sessions_;
  int current_ = -1;
  size_t viewer_ = 0;
  QStackedWidget* parts_;
  QListWidget* list_;
  QLabel *listWords_, *viewerTitle_, *viewerWords_;
  BlindSetup* setup_;
  BlindShow* show_;
  QVBoxLayout* viewerButtons_;
  QPushButton *unseal_, *take_, *save_;
  QTextBrowser* report_;
  std::optional<SessionReport> result_;  // as shown; of a tampered session there is none
  Job job_;
};

}  // namespace edge::app
