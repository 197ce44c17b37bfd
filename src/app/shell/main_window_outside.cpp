// What a project reads outside its own folder: shown and asked for once, before anything is opened.
#include <QBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <set>

#include "base/error.h"
#include "project/copy.h"
#include "shell/main_window.h"
#include "theme/text.h"

namespace edge::app {
namespace {

// Of paths as the project keeps them, where links lead; sorted, each once.
QStringList foldersOf(const std::vector<std::string>& paths, const std::filesystem::path& project) {
  std::set<std::string> folders;
  std::error_code ec;
  for (const auto& path : paths) {
    const std::filesystem::path whole = (project / path).lexically_normal(),
                                real = std::filesystem::weakly_canonical(whole, ec);
    folders.insert((ec ? whole : real).parent_path().string());
  }
  QStringList list;
  for (const auto& f : folders) list << q(f);
  return list;
}

constexpr int kFoldersShown = 3;

// As a copy in memory, so that a "no" leaves the file as it was; one that is too large for that is opened.
std::unique_ptr<Project> lookInto(const std::filesystem::path& file) {
  try {
    return Project::read(file);
  } catch (const Error&) {
    return Project::open(file);  // or why it can't be
  }
}

}  // namespace

QWidget* MainWindow::buildOutside() {
  outside_ = new QWidget(this);
  outside_->setObjectName("outside");
  auto* strip = new QHBoxLayout(outside_);
  strip->setContentsMargins(size::kMargin, size::kGap, size::kMargin, size::kGap);
  outsideWords_ = new QLabel(outside_);
  outsideWords_->setWordWrap(true);
  outsideWords_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  auto* yes = new QPushButton("Open and read them", outside_);
  auto* no = new QPushButton("Leave it closed", outside_);
  connect(yes, &QPushButton::clicked, this, [this] { openOwn(asked_); });
  connect(no, &QPushButton::clicked, outside_, &QWidget::hide);
  strip->addWidget(outsideWords_, 1);
  strip->addWidget(no);
  strip->addWidget(yes);
  outside_->hide();
  return outside_;
}

bool MainWindow::mayOpen(const std::filesystem::path& file) {
  const auto project = lookInto(file);
  const auto paths = outsidePaths(*project);
  const QStringList folders = foldersOf(paths, std::filesystem::absolute(file).parent_path());
  if (folders.isEmpty() || session_.allows(project->id(), folders)) return true;
  asked_ = file;
  hideProblem();
  outsideWords_->setText(
      QString("<b>%1</b> reads %2 outside its own folder, in %3%4. Open it if you know where "
              "it comes from; nothing of it has been read yet.")
          .arg(q(file.filename().string()).toHtmlEscaped(),
               counted(static_cast<int>(paths.size()), "clip or file", "clips and files"),
               folders.mid(0, kFoldersShown).join(", ").toHtmlEscaped(),
               folders.size() > kFoldersShown ? QString(" and %1 more").arg(folders.size() - kFoldersShown)
                                              : QString()));
  outsideWords_->setToolTip(folders.mid(0, 40).join("\n"));
  outside_->show();
  return false;
}

void MainWindow::allowOutside(const Project& project) {
  const QStringList folders = foldersOf(outsidePaths(project), project.folder());
  if (!folders.isEmpty()) session_.allow(project.id(), folders);
}

void MainWindow::openOwn(const std::filesystem::path& file) {
  try {
    outside_->hide();
    allowOutside(*lookInto(file));
    openAllowed(file);
  } catch (const Error& e) {
    showProblem(e);
  }
}

void MainWindow::openProject(const std::filesystem::path& file) {
  try {
    outside_->hide();
    if (mayOpen(file)) openAllowed(file);
  } catch (const Error& e) {
    showProblem(e);
  }
}

void MainWindow::openAllowed(const std::filesystem::path& file) {
  try {
    job_.cancel();
    noteView();
    document_.open(std::filesystem::absolute(file).lexically_normal());
    shown();
    if (document_.project().isReadOnly())
      showProblem("the project can't be written to and was opened for reading", q(file.string()),
                  "what you decide now is lost when it is closed; save a copy (Menu) to keep it");
    if (const auto& apart = document_.project().setApart(); !apart.empty())
      showProblem(counted(static_cast<int>(apart.size()), "decision can't be read and was set apart",
                          "decisions can't be read and were set apart"),
                  q(apart.front()) + (apart.size() > 1 ? " …" : ""),
                  "decide anew; all else stands as it was");
    if (const auto view = session_.view(document_.project().file())) {
      document_.setCurrent(view->configuration);
      showStage(view->stage);
    }
  } catch (const Error& e) {
    showProblem(e);
  }
}

}  // namespace edge::app
