#include "shell/main_window.h"

#include <QAction>
#include <QApplication>
#include <QDialog>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFrame>
#include <QGridLayout>
#include <QKeyEvent>
#include <QMimeData>
#include <QSettings>
#include <QStandardPaths>
#include <QTimer>
#include <QVBoxLayout>

#include "findings/findings_stage.h"
#include "latitude/latitude_stage.h"
#include "match/match_stage.h"
#include "plan/plan_stage.h"
#include "project/analysis.h"
#include "project/demo_project.h"
#include "project/setup.h"
#include "range/range_stage.h"
#include "shoot/shoot_stage.h"
#include "theme/text.h"

namespace edge::app {
namespace {

QFrame* ruleLine(QWidget* parent) {
  auto* rule = new QFrame(parent);
  rule->setObjectName("rule");
  rule->setFixedHeight(1);
  return rule;
}

}  // namespace

std::filesystem::path demoFolder() {
  const QString cache = QStandardPaths::writableLocation(QStandardPaths::GenericCacheLocation);
  return std::filesystem::path(cache.toStdString()) / "edge-test" / "saltpan-road";
}

MainWindow::MainWindow(QWidget* parent) : QMainWindow(parent) {
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
  stages_ = {plan,
             shoot,
             match,
             new RangeStage(document_, this),
             new LatitudeStage(document_, this),
             new FindingsStage(document_, this)};
  auto* surface = new QWidget(this);
  surface->setObjectName("surface");
  auto* column = new QVBoxLayout(surface);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(buildPath());
  column->addWidget(ruleLine(surface));
  problem_ = new QWidget(surface);
  auto* strip = new QHBoxLayout(problem_);
  strip->setContentsMargins(size::kMargin, size::kGap, size::kMargin, size::kGap);
  problemWords_ = new QLabel(problem_);
  problemWords_->setWordWrap(true);
  problemWords_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  problemWords_->setObjectName("problem");
  auto* dismiss = new QPushButton("Understood", problem_);
  connect(dismiss, &QPushButton::clicked, problem_, &QWidget::hide);
  strip->addWidget(problemWords_, 1);
  strip->addWidget(dismiss);
  problem_->hide();
  column->addWidget(problem_);
  stack_ = new QStackedWidget(surface);
  for (auto* s : stages_) stack_->addWidget(s);
  column->addWidget(stack_, 1);
  welcome_ = buildWelcome();
  sums_ = new SumsDrawer(surface);
  sums_->hide();
  connect(sums_, &SumsDrawer::closed, this, [this] { showSums(false); });
  connect(sums_, &SumsDrawer::forPlan, this, &MainWindow::useInPlan);
  column->addWidget(welcome_, 1);
  stack_->hide();
  column->addWidget(ruleLine(surface));
  column->addWidget(buildFoot());
  setCentralWidget(surface);
  buildActions();
  for (auto* s : stages_) {
    connect(s, &Stage::stateChanged, this, &MainWindow::refreshPath);
    connect(s, &Stage::failed, this, &MainWindow::showProblem);
    connect(s, &Stage::done, this, [this](const QString& words) { message_->setText(words); });
  }
  connect(&document_, &Document::opened, this, &MainWindow::refreshPicker);
  connect(&document_, &Document::currentChanged, this,
          [this] { picker_->setCurrentIndex(document_.currentIndex()); });
  connect(&job_, &Job::progress, this, [this](double f, const QString& what) {
    bar_->setValue(static_cast<int>(f * 1000));
    jobWords_->setText(job_.title() + ": " + what);
  });
  connect(&job_, &Job::finished, this, &MainWindow::endJob);
  connect(&job_, &Job::failed, this,
          [this](const QString& problem, const QString& where, const QString& remedy) {
            endJob(true);
            showProblem(problem, where, remedy);
          });
  setThemeKind(QSettings().value("theme", "dark").toString() == "light" ? ThemeKind::Light : ThemeKind::Dark);
  showStage(0);
  resize(1280, 800);
}

QWidget* MainWindow::buildPath() {
  auto* top = new QWidget(this);
  auto* row = new QHBoxLayout(top);
  row->setContentsMargins(size::kMargin, 0, size::kMargin, 0);
  row->setSpacing(0);
  stageGroup_ = new QButtonGroup(this);
  for (size_t i = 0; i < stages_.size(); ++i) {
    auto* button = new QPushButton(top);
    button->setObjectName("stage");
    button->setCheckable(true);
    button->setMinimumSize(72, size::kBar + 8);  // narrow windows cut the words, not the stages
    stageGroup_->addButton(button, static_cast<int>(i));
    row->addWidget(button);
    stageButtons_.push_back(button);
  }
  connect(stageGroup_, &QButtonGroup::idClicked, this, [this](int i) { showStage(i); });
  row->addStretch();
  picker_ = new QComboBox(top);
  picker_->setMinimumWidth(216);
  picker_->setMaximumWidth(300);
  picker_->setToolTip("Configuration: body, mode, ISO");
  picker_->setAccessibleName("Configuration: body, mode, ISO");
  connect(picker_, &QComboBox::activated, this, [this](int i) { document_.setCurrent(i); });
  row->addWidget(picker_);
  return top;
}

// Before a project is open: what is needed, and the two ways on.
QWidget* MainWindow::buildWelcome() {
  auto* page = new QWidget(this);
  auto* column = new QVBoxLayout(page);
  column->setContentsMargins(size::kMargin, size::kMargin, size::kMargin, size::kMargin);
  auto* ruler = new RulerWidget(page);
  ruler->setObjectName("welcome ruler");
  ruler->setData({{{"Your cameras", "one row each", {}, {}, {}, false}}, {}, 0, "grey"});
  column->addWidget(ruler);
  column->addStretch();
  auto* title = new QLabel("No project is open", page);
  title->setFont(typeface(size::kHeadline, true));
  title->setAlignment(Qt::AlignCenter);
  title->setStyleSheet("font-size: 28px; font-weight: bold;");
  auto* words = new QLabel(
      "Plan a new test, open a project, or drop one here. The demo holds two invented bodies, log and raw, "
      "at every native "
      "ISO;\n"
      "it is made once, in about three minutes, and measured in another.",
      page);
  words->setAlignment(Qt::AlignCenter);
  words->setObjectName("quiet");
  auto* row = new QHBoxLayout;
  auto* fresh = new QPushButton("New project\u2026", page);
  connect(fresh, &QPushButton::clicked, this, &MainWindow::askForNewProject);
  auto* open = new QPushButton("Open a project\u2026", page);
  auto* demo = new QPushButton("Make and open the demo", page);
  connect(open, &QPushButton::clicked, this, &MainWindow::askForProject);
  connect(demo, &QPushButton::clicked, this, [this] { openDemo(demoFolder(), false); });
  row->addStretch();
  row->addWidget(fresh);
  row->addWidget(open);
  row->addWidget(demo);
  row->addStretch();
  column->addWidget(title);
  column->addSpacing(size::kGap);
  column->addWidget(words);
  column->addSpacing(size::kMargin);
  column->addLayout(row);
  column->addStretch(2);
  return page;
}

QWidget* MainWindow::buildFoot() {
  auto* foot = new QWidget(this);
  auto* row = new QHBoxLayout(foot);
  row->setContentsMargins(size::kMargin, size::kGrid, size::kMargin, size::kGrid);
  auto* open = new QPushButton("Open…", foot);
  analyse_ = new QPushButton("Analyse", foot);
  undo_ = new QPushButton("Undo", foot), redo_ = new QPushButton("Redo", foot);
  themeButton_ = new QPushButton(foot);
  auto* keys = new QPushButton("Keys  ?", foot);
  auto* sums = new QPushButton("Sums  F3", foot);
  connect(sums, &QPushButton::clicked, this, [this] { showSums(sums_->isHidden()); });
  message_ = new QLabel(foot), jobWords_ = new QLabel(foot);
  message_->setObjectName("quiet"), jobWords_->setObjectName("quiet");
  bar_ = new QProgressBar(foot);
  bar_->setRange(0, 1000);
  bar_->setTextVisible(false);
  bar_->setFixedWidth(200);
  cancel_ = new QPushButton("Cancel", foot);
  for (QWidget* w : std::initializer_list<QWidget*>{open, analyse_, undo_, redo_}) row->addWidget(w);
  row->addWidget(message_, 1);
  row->addWidget(jobWords_);
  row->addWidget(bar_);
  row->addWidget(cancel_);
  row->addWidget(sums);
  row->addWidget(themeButton_);
  row->addWidget(keys);
  bar_->hide(), cancel_->hide();
  analyse_->setEnabled(false);
  connect(open, &QPushButton::clicked, this, &MainWindow::askForProject);
  connect(analyse_, &QPushButton::clicked, this, &MainWindow::analyse);
  connect(cancel_, &QPushButton::clicked, &job_, &Job::cancel);
  connect(keys, &QPushButton::clicked, this, &MainWindow::showKeys);
  connect(themeButton_, &QPushButton::clicked, this,
          [this] { setThemeKind(kind_ == ThemeKind::Dark ? ThemeKind::Light : ThemeKind::Dark); });
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

void MainWindow::buildActions() {
  const auto add = [this](const QKeySequence& keys, std::function<void()> body) {
    auto* action = new QAction(this);
    action->setShortcut(keys);
    connect(action, &QAction::triggered, this, std::move(body));
    addAction(action);
  };
  add(QKeySequence::Undo, [this] { document_.undoStack().undo(); });
  for (const char* keys : {"Ctrl+Shift+Z", "Ctrl+Y"})
    add(QKeySequence(keys), [this] { document_.undoStack().redo(); });
  add(QKeySequence::Open, [this] { askForProject(); });
  add(QKeySequence::New, [this] { askForNewProject(); });
  add(QKeySequence(Qt::Key_F3), [this] { showSums(sums_->isHidden()); });
  add(QKeySequence(Qt::Key_F9), [this] { analyse(); });
  for (int i = 0; i < static_cast<int>(stages_.size()); ++i)
    add(QKeySequence(Qt::ALT | (Qt::Key_1 + i)), [this, i] { showStage(i); });
  add(QKeySequence(Qt::Key_PageDown), [this] { document_.setCurrent(document_.currentIndex() + 1); });
  add(QKeySequence(Qt::Key_PageUp), [this] { document_.setCurrent(document_.currentIndex() - 1); });
}

void MainWindow::openProject(const std::filesystem::path& file) {
  try {
    job_.cancel();
    document_.open(file);
    shown();
  } catch (const Error& e) {
    showProblem(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
}

void MainWindow::createProject(const std::filesystem::path& file) {
  try {
    job_.cancel();
    document_.create(file, q(file.stem().string()));
    shown();
    showStage("Plan");
  } catch (const Error& e) {
    showProblem(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
}

// A project stands open: the stages instead of the welcome.
void MainWindow::shown() {
  problem_->hide();
  welcome_->hide();
  stack_->show();
  setWindowTitle(q(document_.project().title()) + " — Edge Test");
  analyse_->setEnabled(true);
  sums_->setPlanOpen(true);
}

// The drawer lies over the right of the stage, which keeps its size.
void MainWindow::placeSums() {
  const QWidget* below = stack_->isHidden() ? welcome_ : stack_;
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
    showProblem(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
}

void MainWindow::openDemo(const std::filesystem::path& folder, bool small) {
  if (demoStands(folder, small)) {
    openProject(demoFilesIn(folder).project);
    analyse();
    return;
  }
  bar_->show(), cancel_->show();
  job_.start("making the demo", [this, folder, small](const Progress& progress, const Job::Deliver& deliver) {
    const DemoFiles files = makeDemo(folder, small, progress);
    deliver([this, files] {
      openProject(files.project);
      // Started from outside the job that delivers, which must have ended first.
      QMetaObject::invokeMethod(this, &MainWindow::analyse, Qt::QueuedConnection);
    });
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
  job_.start("measuring", [this, tasks](const Progress& progress, const Job::Deliver& deliver) {
    const double total = static_cast<double>(tasks->size());
    for (size_t i = 0; i < tasks->size(); ++i) {
      const Analysis& a = (*tasks)[i];
      const Progress part([&](double f, const std::string&) {
        progress.report((static_cast<double>(i) + f) / total, a.words);
      });
      const nlohmann::json value = a.measure(part);
      deliver([this, id = a.configuration, kind = a.result, hash = a.inputHash, value] {
        document_.storeResult(id, kind, hash, value);
      });
    }
  });
}

void MainWindow::endJob(bool cancelled) {
  bar_->hide(), cancel_->hide();
  jobWords_->clear();
  analyse_->setEnabled(document_.isOpen());
  message_->setText(cancelled ? job_.title() + " stopped; what was measured is kept" : "");
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
  stageButtons_[static_cast<size_t>(index)]->setChecked(true);
  stages_[static_cast<size_t>(index)]->setFocus();
}

void MainWindow::refreshPath() {
  for (size_t i = 0; i < stageButtons_.size(); ++i) {
    stageButtons_[i]->setText(stages_[i]->name() + "   " + stages_[i]->state());
    stageButtons_[i]->setAccessibleName(stages_[i]->name() + ", " + stages_[i]->state());
  }
}

void MainWindow::refreshPicker() {
  picker_->clear();
  for (const auto& f : document_.findings()) picker_->addItem(q(f.configuration.label()));
  picker_->setCurrentIndex(document_.currentIndex());
}

void MainWindow::setThemeKind(ThemeKind kind) {
  kind_ = kind;
  if (kind != ThemeKind::Night) QSettings().setValue("theme", kind == ThemeKind::Dark ? "dark" : "light");
  qApp->setStyleSheet(edge::app::styleSheet(theme(kind)));
  for (auto* s : stages_) s->setTheme(theme(kind));
  welcome_->findChild<RulerWidget*>()->setTheme(theme(kind));
  themeButton_->setText(kind == ThemeKind::Dark ? "Light bench" : "Dark room");
}

void MainWindow::askForProject() {
  const QString file =
      QFileDialog::getOpenFileName(this, "Open a project", QString(), "Edge Test projects (*.edgetest)",
                                   nullptr, QFileDialog::DontUseNativeDialog);
  if (!file.isEmpty()) openProject(file.toStdString());
}

void MainWindow::askForNewProject() {
  QString file = QFileDialog::getSaveFileName(this, "New project", "camera-test.edgetest",
                                              "Edge Test projects (*.edgetest)", nullptr,
                                              QFileDialog::DontUseNativeDialog);
  if (file.isEmpty()) return;
  if (!file.endsWith(".edgetest")) file += ".edgetest";
  createProject(file.toStdString());
}

void MainWindow::showKeys() {
  auto* dialog = new QDialog(this);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  dialog->setObjectName("keys");
  const Stage* s = stages_[static_cast<size_t>(stack_->currentIndex())];
  dialog->setWindowTitle("Keys of " + s->name());
  auto* grid = new QGridLayout(dialog);
  auto rows = s->keys();
  rows.insert(rows.end(), {{"Alt+1, 2, 3 ...", "go to a stage"},
                           {"F3", "sums, beside any stage"},
                           {"Page up, Page down", "previous, next configuration"},
                           {"F9", "analyse what is missing"},
                           {"Ctrl+Z, Ctrl+Shift+Z", "undo, redo"},
                           {"Ctrl+N, Ctrl+O", "new project, open a project"},
                           {"?", "these keys"}});
  for (int i = 0; i < static_cast<int>(rows.size()); ++i) {
    auto* key = new QLabel(rows[static_cast<size_t>(i)].first, dialog);
    key->setObjectName("title");
    grid->addWidget(key, i, 0);
    grid->addWidget(new QLabel(rows[static_cast<size_t>(i)].second, dialog), i, 1);
  }
  dialog->show();
}

void MainWindow::keyPressEvent(QKeyEvent* event) {
  if (event->text() == "?")
    showKeys();
  else
    QMainWindow::keyPressEvent(event);
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
  if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
  for (const auto& url : event->mimeData()->urls())
    if (url.isLocalFile()) return openProject(url.toLocalFile().toStdString());
}

}  // namespace edge::app
