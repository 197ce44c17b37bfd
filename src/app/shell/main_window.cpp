#include "shell/main_window.h"

#include <fmt/format.h>

#include <QAbstractItemView>
#include <QApplication>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFrame>
#include <QKeyEvent>
#include <QMimeData>
#include <QScrollArea>
#include <QStandardPaths>
#include <QTextEdit>
#include <QTimer>
#include <QVBoxLayout>

#include "begin/begin_dialog.h"
#include "demo/demo_project.h"
#include "findings/findings_stage.h"
#include "latitude/latitude_stage.h"
#include "match/match_stage.h"
#include "noise/noise_stage.h"
#include "plan/plan_stage.h"
#include "project/analysis.h"
#include "project/copy.h"
#include "project/setup.h"
#include "range/range_stage.h"
#include "review/review_stage.h"
#include "shell/stage_keys.h"
#include "shoot/shoot_stage.h"
#include "theme/text.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

constexpr int kWidestJob = 340;  // pixels: the foot fits 1210 beside bar and buttons
constexpr const char* kProjects = "Edge Test projects (*.edgetest)";

QFrame* ruleLine(QWidget* parent) {
  auto* rule = new QFrame(parent);
  rule->setObjectName("rule");
  rule->setFixedHeight(1);
  return rule;
}

QString withSuffix(QString file) {
  return file.isEmpty() || file.endsWith(".edgetest") ? file : file + ".edgetest";
}

}  // namespace

std::filesystem::path demoFolder() {
  const QString cache = QStandardPaths::writableLocation(QStandardPaths::GenericCacheLocation);
  return std::filesystem::path(cache.toStdString()) / "edge-test" / "saltpan-road";
}

MainWindow::MainWindow(bool remembers, QWidget* parent) : QMainWindow(parent), session_(remembers) {
  setWindowTitle("Edge Test");
  setAcceptDrops(true);
  auto* plan = new PlanStage(document_, this);
  auto* shoot = new ShootStage(document_, plan->planner(), this);
  connect(shoot, &ShootStage::nightWanted, this,
          [this] { setThemeKind(kind_ == ThemeKind::Night ? ThemeKind::Dark : ThemeKind::Night); });
  auto* match = new MatchStage(document_, plan->planner(), this);
  connect(&match->work(), &MatchWork::clipWords, &shoot->shooter(), &Shooter::setClipWords);
  connect(&shoot->standIns(), &StandInPanel::rolled, this, [match](const QString& clip) {
    match->work().watch(std::filesystem::path(clip.toStdString()).parent_path());
  });
  auto* findings = new FindingsStage(document_, this);
  findings->library().setFolder(session_.library());
  findings->scene().setScore(session_.score());
  connect(findings, &FindingsStage::projectWanted, this,
          [this](const std::filesystem::path& f) { openProject(f); });
  connect(findings, &FindingsStage::libraryChosen, this,
          [this](const std::filesystem::path& f) { session_.setLibrary(f); });
  connect(findings, &FindingsStage::scored, this, [this](const Score& s) { session_.setScore(s); });
  stages_ = {plan,
             shoot,
             match,
             new RangeStage(document_, this),
             new LatitudeStage(document_, this),
             new NoiseStage(document_, this),
             new ReviewStage(document_, this),
             findings};
  auto* surface = new QWidget(this);
  surface->setObjectName("surface");
  auto* column = new QVBoxLayout(surface);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  path_ = new PathBar(stages_, document_, surface);
  connect(path_, &PathBar::chosen, this, qOverload<int>(&MainWindow::showStage));
  connect(&path_->menu(), &QMenu::aboutToShow, this, &MainWindow::fillMenu);
  stack_ = new QStackedWidget(surface);
  for (auto* s : stages_) {
    stack_->addWidget(s);
    connect(s, &Stage::failed, this,
            qOverload<const QString&, const QString&, const QString&>(&MainWindow::showProblem));
    connect(s, &Stage::doorWanted, this, &MainWindow::go);
    connect(s, &Stage::done, this, [this](const QString& words) { message_->setText(words); });
  }
  welcome_ = new Welcome(surface);
  connect(welcome_, &Welcome::newWanted, this, &MainWindow::askForNewProject);
  connect(welcome_, &Welcome::clipsWanted, this, &MainWindow::askForClips);
  connect(welcome_, &Welcome::openWanted, this, &MainWindow::askForProject);
  connect(welcome_, &Welcome::demoWanted, this, [this] { openDemo(demoFolder(), false); });
  connect(welcome_, &Welcome::projectWanted, this,
          [this](const QString& f) { openProject(f.toStdString()); });
  welcome_->setRecent(session_.recent());
  sums_ = new SumsDrawer(surface);
  sums_->hide();
  connect(sums_, &SumsDrawer::closed, this, [this] { showSums(false); });
  connect(sums_, &SumsDrawer::forPlan, this, &MainWindow::useInPlan);
  column->addWidget(path_);
  column->addWidget(ruleLine(surface));
  column->addWidget(buildProblem());
  column->addWidget(buildOutside());
  column->addWidget(stack_, 1);
  column->addWidget(welcome_, 1);
  column->addWidget(ruleLine(surface));
  column->addWidget(buildFoot());
  stack_->hide();
  new StageKeys(this, [this] { return stack_->isHidden() ? nullptr : currentStage(); });
  setCentralWidget(surface);
  openTheTabWay();
  buildActions();
  connect(&job_, &Job::progress, this, [this](double f, const QString& what) {
    bar_->setValue(static_cast<int>(f * 1000));
    const QString words = job_.title() + ": " + what;
    jobWords_->setToolTip(words);
    jobWords_->setText(jobWords_->fontMetrics().elidedText(words, Qt::ElideMiddle, kWidestJob));
  });
  connect(&job_, &Job::finished, this, &MainWindow::endJob);
  // Clips that are linked here are where this person says they are.
  connect(&document_, &Document::linksChanged, this, [this] { allowOutside(document_.project()); });
  connect(&job_, &Job::failed, this,
          [this](const QString& problem, const QString& where, const QString& remedy) {
            endJob(true);
            showProblem(problem, where, remedy);
          });
  connect(&opening_, &Job::failed, this, &MainWindow::openingFailed);
  setThemeKind(session_.theme());
  path_->refreshStates();
  showStage(0);
  resize(1280, 800);
  session_.restoreWindow(*this);
}

// The views go before the document they look at.
MainWindow::~MainWindow() {
  for (QObject* speaker :
       std::initializer_list<QObject*>{&document_.undoStack(), &document_, &job_, &opening_})
    speaker->disconnect(this);
  delete takeCentralWidget();
}

// Tab goes by every control and home again: tables and texts don't keep it, frames that scroll don't stop it.
void MainWindow::openTheTabWay() {
  // A stage hands the focus on: a stop there would leap over what stands before that place.
  for (auto* s : stages_) s->setFocusPolicy(Qt::ClickFocus);
  for (auto* view : findChildren<QAbstractItemView*>()) view->setTabKeyNavigation(false);
  for (auto* text : findChildren<QTextEdit*>()) text->setTabChangesFocus(true);
  for (auto* room : findChildren<QScrollArea*>()) room->setFocusPolicy(Qt::NoFocus);
}

QWidget* MainWindow::buildProblem() {
  problem_ = new QWidget(this);
  auto* strip = new QHBoxLayout(problem_);
  strip->setContentsMargins(size::kMargin, size::kGap, size::kMargin, size::kGap);
  problemWords_ = new WrappedLabel(problem_);
  problemWords_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  problemWords_->setObjectName("failure");
  auto* dismiss = new QPushButton("Understood", problem_);
  connect(dismiss, &QPushButton::clicked, this, &MainWindow::hideProblem);
  strip->addWidget(problemWords_, 1);
  strip->addWidget(dismiss);
  problem_->hide();
  return problem_;
}

QWidget* MainWindow::buildFoot() {
  auto* foot = new QWidget(this);
  auto* row = new QHBoxLayout(foot);
  row->setContentsMargins(size::kMargin, size::kGrid, size::kMargin, size::kGrid);
  analyse_ = new QPushButton("Analyse  F9", foot);
  analyse_->setToolTip("Measures what has not been measured yet");
  undo_ = new QPushButton("Undo", foot), redo_ = new QPushButton("Redo", foot);
  auto* keys = new QPushButton("Keys  ?", foot);
  auto* sums = new QPushButton("Sums  F3", foot);
  connect(sums, &QPushButton::clicked, this, [this] { showSums(sums_->isHidden()); });
  message_ = new QLabel(foot), jobWords_ = new QLabel(foot);
  message_->setObjectName("quiet"), jobWords_->setObjectName("quiet");
  message_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  bar_ = new QProgressBar(foot);
  bar_->setRange(0, 1000);
  bar_->setTextVisible(false);
  bar_->setFixedWidth(200);
  bar_->setAccessibleName("Progress");
  cancel_ = new QPushButton("Cancel", foot);
  for (QWidget* w : std::initializer_list<QWidget*>{analyse_, undo_, redo_}) row->addWidget(w);
  row->addWidget(message_, 1);
  for (QWidget* w : std::initializer_list<QWidget*>{jobWords_, bar_, cancel_, sums, keys}) row->addWidget(w);
  bar_->hide(), cancel_->hide();
  analyse_->setEnabled(false);
  connect(analyse_, &QPushButton::clicked, this, &MainWindow::analyse);
  connect(cancel_, &QPushButton::clicked, &job_, &Job::cancel);
  connect(keys, &QPushButton::clicked, this, &MainWindow::showKeys);
  QUndoStack& stack = document_.undoStack();
  connect(undo_, &QPushButton::clicked, &stack, &QUndoStack::undo);
  connect(redo_, &QPushButton::clicked, &stack, &QUndoStack::redo);
  connect(&stack, &QUndoStack::indexChanged, this, [this, &stack] {
    undo_->setEnabled(stack.canUndo()), redo_->setEnabled(stack.canRedo());
    undo_->setToolTip(stack.undoText()), redo_->setToolTip(stack.redoText());
    message_->setText(stack.canUndo() ? stack.undoText() : QString());
  });
  undo_->setEnabled(false), redo_->setEnabled(false);
  return foot;
}

Stage* MainWindow::currentStage() const {
  return stages_[static_cast<size_t>(stack_->currentIndex())];
}

void MainWindow::openLast() {
  if (const auto last = session_.last()) openProject(*last);
}

void MainWindow::createProject(const std::filesystem::path& file) {
  try {
    job_.cancel(), opening_.abandon();
    noteView();
    document_.create(std::filesystem::absolute(file).lexically_normal(), q(file.stem().string()));
    shown();
    showStage("Plan");
  } catch (const Error& e) {
    showProblem(e);
  }
}

// A project stands open: the stages instead of the welcome.
void MainWindow::shown() {
  hideProblem();
  welcome_->hide();
  stack_->show();
  setWindowTitle(q(document_.project().title()) + " — Edge Test");
  analyse_->setEnabled(true);
  sums_->setPlanOpen(true);
  session_.opened(document_.project().file());
}

// What is looked at, for the next time this project is opened; what it reads by then, somebody chose here.
void MainWindow::noteView() {
  if (!document_.isOpen()) return;
  session_.setView(document_.project().file(), {currentStage()->name(), document_.currentIndex()});
  try {
    allowOutside(document_.project());
  } catch (const Error&) {
    // A project that can't be read any more: it is asked about the next time, and the window may close.
  }
}

void MainWindow::closeEvent(QCloseEvent* event) {
  noteView();
  session_.saveWindow(*this);
  // Closed while one is opened: that which was open before is still the last.
  if (document_.isOpen() || !opening_.running())
    session_.setLast(document_.isOpen() ? document_.project().file() : std::filesystem::path());
  QMainWindow::closeEvent(event);
}

// The drawer lies over the right of the stage, which keeps its size.
void MainWindow::placeSums() {
  const QWidget* below = stack_->isHidden() ? static_cast<QWidget*>(welcome_) : stack_;
  QRect r = below->geometry();
  r.setLeft(r.right() - sums_->width() + 1);
  sums_->setGeometry(r);
  sums_->raise();
}

void MainWindow::resizeEvent(QResizeEvent* event) {
  QMainWindow::resizeEvent(event);
  QTimer::singleShot(0, this, &MainWindow::placeSums);
}

void MainWindow::showSums(bool open) {
  placeSums();
  sums_->setVisible(open);
  if (open)
    sums_->begin();
  else
    stack_->currentWidget()->setFocus();
}

// A figure of a sum goes where it belongs in the recipe.
void MainWindow::useInPlan(const SumForPlan& figure) {
  try {
    document_.setRecipe(withFigure(document_.recipe(), figure.figure, figure.value),
                        "from the sums: " + q(figure.words));
  } catch (const Error& e) {
    showProblem(e);
  }
}

void MainWindow::openDemo(const std::filesystem::path& folder, bool small) {
  if (demoStands(folder, small)) {
    openProject(demoFilesIn(folder).project, [this] { analyse(); });
    return;
  }
  bar_->show(), cancel_->show();
  job_.start("making the demo", [this, folder, small](const Progress& progress, const Job::Deliver& deliver) {
    const DemoFiles files = makeDemo(folder, small, progress);
    deliver([this, files] { openProject(files.project, [this] { analyse(); }); });
  });
}

// Measures what is missing; every result is stored and shown as soon as it is there.
void MainWindow::analyse() {
  if (!document_.isOpen()) return;
  const Finding* waiting = document_.current();
  const auto tasks = std::make_shared<std::vector<Analysis>>(
      pendingAnalyses(document_.project(), waiting ? waiting->configuration.id : 0));
  for (const auto& f : document_.findings())
    if (!isDecoded(f.configuration))
      message_->setText(q(f.configuration.label()) +
                        ": how its codes were made is still to be answered, see Match, page 3");
  if (tasks->empty()) return;
  bar_->show(), cancel_->show();
  bar_->setValue(0);
  analyse_->setEnabled(false);
  // What arrives when another project stands open is not of its configurations.
  const auto of = document_.project().file();
  job_.start("measuring", [this, tasks, of](const Progress& progress, const Job::Deliver& deliver) {
    const auto keep = [this, of, &deliver](const Analysis& a, const nlohmann::json& value) {
      deliver([this, of, id = a.configuration, kind = a.result, hash = a.inputHash, value] {
        if (document_.project().file() == of) document_.storeResult(id, kind, hash, value);
      });
    };
    const auto failures = measureAll(*tasks, progress, keep);
    if (failures.empty()) return;
    // The strip has room for one; how many there are is said with it.
    const Error& first = failures.front().error;
    if (failures.size() == 1) throw first;
    throw Error(fmt::format("{} measurements failed, first: {}", failures.size(), first.problem()),
                first.subject(), first.place(), first.remedy());
  });
}

void MainWindow::endJob(bool cancelled) {
  bar_->hide(), cancel_->hide();
  jobWords_->clear();
  analyse_->setEnabled(document_.isOpen());
  message_->setText(cancelled ? job_.title() + " stopped; what was measured is kept" : "");
}

void MainWindow::showProblem(const Error& e) {
  showProblem(q(e.problem()), q(e.subject()), q(e.remedy()));
}

void MainWindow::showProblem(const QString& problem, const QString& where, const QString& remedy) {
  problemWords_->setText(
      QString("<b>%1</b>%2%3")
          .arg(problem.toHtmlEscaped(), where.isEmpty() ? QString() : "<br>" + where.toHtmlEscaped(),
               remedy.isEmpty()
                   ? QString()
                   : "<br>What to do: " + remedy.toHtmlEscaped() + ". What was recorded before is safe."));
  problem_->show();
}

// The keys of the stage go on where its button took them.
void MainWindow::hideProblem() {
  const bool focused = problem_->isAncestorOf(QApplication::focusWidget());
  problem_->hide();
  if (focused && stack_->isVisible()) currentStage()->setFocus();
}

void MainWindow::showStage(const QString& name) {
  for (size_t i = 0; i < stages_.size(); ++i)
    if (stages_[i]->name() == name) showStage(static_cast<int>(i));
}

Stage* MainWindow::stage(const QString& name) const {
  for (auto* s : stages_)
    if (s->name() == name) return s;
  return nullptr;
}

void MainWindow::showStage(int index) {
  stack_->setCurrentIndex(index);
  path_->setCurrent(index);
  stages_[static_cast<size_t>(index)]->setFocus();
}

void MainWindow::setThemeKind(ThemeKind kind) {
  kind_ = kind;
  session_.setTheme(kind);
  dressing_.wear(paletteOf(theme(kind)));
  for (auto* s : stages_) s->setTheme(theme(kind));
  welcome_->setTheme(theme(kind));
}

void MainWindow::askForProject() {
  const QString file = QFileDialog::getOpenFileName(this, "Open a project", QString(), kProjects, nullptr,
                                                    QFileDialog::DontUseNativeDialog);
  if (!file.isEmpty()) openProject(file.toStdString());
}

void MainWindow::askForClips() {
  const QString folder = QFileDialog::getExistingDirectory(
      this, "Folder with clips", QString(), QFileDialog::ShowDirsOnly | QFileDialog::DontUseNativeDialog);
  if (!folder.isEmpty()) beginFrom({folder.toStdString()});
}

void MainWindow::askForNewProject() {
  const QString file = withSuffix(QFileDialog::getSaveFileName(
      this, "New project", "camera-test.edgetest", kProjects, nullptr, QFileDialog::DontUseNativeDialog));
  if (!file.isEmpty()) createProject(file.toStdString());
}

void MainWindow::askForCopy() {
  const auto& own = document_.project().file();
  const QString start = q((own.parent_path() / (own.stem().string() + "-copy.edgetest")).string());
  const QString file = withSuffix(QFileDialog::getSaveFileName(this, "Save a copy", start, kProjects, nullptr,
                                                               QFileDialog::DontUseNativeDialog));
  if (!file.isEmpty()) saveCopyTo(file.toStdString());
}

void MainWindow::showKeys() {
  auto groups = commandGroups();
  groups.insert(groups.begin(), {currentStage()->name(), currentStage()->commands()});
  groups.push_back(
      {"Path", {{"Alt+1, 2, 3 …", "go to a stage", {}, {}}, {"F10", "menu of all commands", {}, {}}}});
  edge::app::showKeys(this, groups);
}

// Keys of the stage that came from a part of the window outside it.
void MainWindow::keyPressEvent(QKeyEvent* event) {
  if (event->text() == "?")
    showKeys();
  else if (stack_->isHidden() || !currentStage()->tryKey(*event))
    QMainWindow::keyPressEvent(event);
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
  if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
  std::vector<std::filesystem::path> folders;
  for (const auto& url : event->mimeData()->urls()) {
    if (!url.isLocalFile()) continue;
    const std::filesystem::path path = url.toLocalFile().toStdString();
    std::error_code ec;
    if (!std::filesystem::is_directory(path, ec)) return openProject(path);
    folders.push_back(path);
  }
  if (!folders.empty()) beginFrom(folders);
}

}  // namespace edge::app
