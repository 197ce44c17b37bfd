// The window: the path of stages on top, the configuration picker beside it, one stage below, the job line at
// the foot.
#pragma once
#include <QButtonGroup>
#include <QComboBox>
#include <QLabel>
#include <QMainWindow>
#include <QProgressBar>
#include <QPushButton>
#include <QStackedWidget>

#include "shell/document.h"
#include "shell/job.h"
#include "shell/stage.h"
#include "sums/sums_drawer.h"

namespace edge::app {

class MainWindow : public QMainWindow {
  Q_OBJECT
 public:
  explicit MainWindow(QWidget* parent = nullptr);

  [[nodiscard]] Document& document() { return document_; }
  [[nodiscard]] const Job& job() const { return job_; }
  void openProject(const std::filesystem::path& file);
  // A new project, its plan still empty.
  void createProject(const std::filesystem::path& file);
  // Makes the demo where it does not stand yet, then opens it.
  void openDemo(const std::filesystem::path& folder, bool small);
  void analyse();
  void setThemeKind(ThemeKind kind);
  void showStage(int index);
  void showStage(const QString& name);
  [[nodiscard]] Stage* stage(const QString& name) const;
  void showSums(bool open);
  [[nodiscard]] SumsDrawer& sums() { return *sums_; }
  void showKeys();

 protected:
  void keyPressEvent(QKeyEvent* event) override;
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

 private:
  QWidget* buildPath();
  QWidget* buildFoot();
  QWidget* buildWelcome();
  void buildActions();
  void refreshPath();
  void refreshPicker();
  void showProblem(const QString& problem, const QString& where, const QString& remedy);
  void askForProject();
  void askForNewProject();
  void shown();
  void placeSums();
  void useInPlan(const SumForPlan& figure);
  void endJob(bool cancelled);

  Document document_;
  Job job_;
  std::vector<Stage*> stages_;
  std::vector<QPushButton*> stageButtons_;
  QButtonGroup* stageGroup_;
  QStackedWidget* stack_;
  QComboBox* picker_;
  QPushButton *analyse_, *cancel_, *undo_, *redo_, *themeButton_;
  QLabel *message_, *jobWords_;
  QWidget *problem_, *welcome_;
  QLabel* problemWords_;
  SumsDrawer* sums_;
  QProgressBar* bar_;
  ThemeKind kind_ = ThemeKind::Dark;
};

// Where the demo is kept between runs: the XDG cache folder.
[[nodiscard]] std::filesystem::path demoFolder();

}  // namespace edge::app
