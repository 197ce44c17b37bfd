// The window: menu, the path of stages and the configuration picker on top, one stage below, the job line at
// the foot.
#pragma once
#include <QLabel>
#include <QMainWindow>
#include <QProgressBar>
#include <QPushButton>
#include <QStackedWidget>

#include "begin/begin_join.h"
#include "shell/document.h"
#include "shell/help.h"
#include "shell/job.h"
#include "shell/path_bar.h"
#include "shell/session.h"
#include "shell/stage.h"
#include "shell/welcome.h"
#include "sums/sums_drawer.h"
#include "theme/dressing.h"

namespace edge::app {

// What a project reads outside its own folder.
struct Outside {
  std::string project;  // its id
  int paths = 0;
  QStringList folders;
};

class MainWindow : public QMainWindow {
  Q_OBJECT
 public:
  // `remembers`: takes up where the user left off, and keeps it for the next time.
  explicit MainWindow(bool remembers = false, QWidget* parent = nullptr);
  ~MainWindow() override;

  [[nodiscard]] Document& document() { return document_; }
  [[nodiscard]] const Job& job() const { return job_; }
  [[nodiscard]] const Job& opening() const { return opening_; }
  // A project that reads files outside its folder is asked about once before any of them is opened.
  // It is read beside the interface; `then` is called when it stands open.
  void openProject(const std::filesystem::path& file, std::function<void()> then = {});
  // The project that was open when the window was closed last, if it is still there.
  void openLast();
  // A new project, its plan still empty.
  void createProject(const std::filesystem::path& file);
  // Sorts a finished shoot; the project it becomes is opened once it is confirmed.
  void beginFrom(const std::vector<std::filesystem::path>& folders);
  void join(const JoinedShoot& joined);
  void saveCopyTo(const std::filesystem::path& file);
  // Makes the demo where it does not stand yet, then opens it.
  void openDemo(const std::filesystem::path& folder, bool small);
  void analyse();
  void setThemeKind(ThemeKind kind);
  [[nodiscard]] ThemeKind themeKind() const { return kind_; }
  void showStage(int index);
  void showStage(const QString& name);
  [[nodiscard]] Stage* stage(const QString& name) const;
  void showSums(bool open);
  [[nodiscard]] SumsDrawer& sums() { return *sums_; }
  [[nodiscard]] PathBar& path() { return *path_; }
  // Every command there is, by group: the menu, and the keys that work in every stage.
  [[nodiscard]] std::vector<CommandGroup> commandGroups();
  void showKeys();

 protected:
  void keyPressEvent(QKeyEvent* event) override;
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void closeEvent(QCloseEvent* event) override;

 private:
  void openTheTabWay();
  QWidget* buildProblem();
  QWidget* buildOutside();
  // Hands over what the project reads outside its folder, once that is known.
  void lookAt(const std::filesystem::path& file, std::function<void(const Outside&)> then);
  void askAboutOutside(const std::filesystem::path& file, const Outside& outside);
  void allowOutside(const Outside& outside);
  void allowOutside(const Project& project);
  // That was made here a moment ago.
  void openOwn(const std::filesystem::path& file, std::function<void()> then);
  void openingFailed(const QString& problem, const QString& where, const QString& remedy);
  void openAllowed(const std::filesystem::path& file, const std::function<void()>& then);
  void take(Document::Opened opened, const std::function<void()>& then);
  QWidget* buildFoot();
  void buildActions();
  void fillMenu();
  [[nodiscard]] Stage* currentStage() const;
  void showProblem(const QString& problem, const QString& where, const QString& remedy);
  void showProblem(const Error& error);
  void hideProblem();
  void askForProject();
  void askForNewProject();
  void askForClips();
  void askForCopy();
  void go(Door door);
  void goOn();
  void shown();
  void noteView();
  void placeSums();
  void useInPlan(const SumForPlan& figure);
  void endJob(bool cancelled);

  Session session_;
  Document document_;
  Job job_, opening_;
  std::vector<Stage*> stages_;
  PathBar* path_;
  QStackedWidget* stack_;
  QPushButton *analyse_, *cancel_, *undo_, *redo_;
  QLabel *message_, *jobWords_;
  QWidget* problem_;
  Welcome* welcome_;
  QLabel* problemWords_;
  QWidget* outside_;
  QLabel* outsideWords_;
  std::function<void()> askedToOpen_;  // the project that is asked about
  SumsDrawer* sums_;
  QProgressBar* bar_;
  ThemeKind kind_ = ThemeKind::Dark;
  Dressing dressing_;
};

// Where the demo is kept between runs: the XDG cache folder.
[[nodiscard]] std::filesystem::path demoFolder();

}  // namespace edge::app
