// What a project reads outside its own folder: shown and asked for once, before anything is opened.
#include <QBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <optional>
#include <set>

#include "base/error.h"
#include "project/copy.h"
#include "shell/main_window.h"
#include "theme/text.h"
#include "widgets/wrapped_label.h"

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

// The file may lie where looking takes its time: in any thread.
Outside outsideOf(const Project& project) {
  const auto paths = outsidePaths(project);
  return {project.id(), static_cast<int>(paths.size()), foldersOf(paths, project.folder())};
}

}  // namespace

QWidget* MainWindow::buildOutside() {
  outside_ = new QWidget(this);
  outside_->setObjectName("outside");
  auto* strip = new QHBoxLayout(outside_);
  strip->setContentsMargins(size::kMargin, size::kGap, size::kMargin, size::kGap);
  outsideWords_ = new WrappedLabel(outside_);
  outsideWords_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  auto* yes = new QPushButton("Open and read them", outside_);
  auto* no = new QPushButton("Leave it closed", outside_);
  connect(yes, &QPushButton::clicked, this, [this] { askedToOpen_(); });
  connect(no, &QPushButton::clicked, outside_, &QWidget::hide);
  strip->addWidget(outsideWords_, 1);
  strip->addWidget(no);
  strip->addWidget(yes);
  outside_->hide();
  return outside_;
}

void MainWindow::askAboutOutside(const std::filesystem::path& file, const Outside& outside) {
  hideProblem();
  message_->clear();
  outsideWords_->setText(
      QString("<b>%1</b> reads %2 outside its own folder, in %3%4. Open it if you know where "
              "it comes from; nothing of it has been read yet.")
          .arg(q(file.filename().string()).toHtmlEscaped(),
               counted(outside.paths, "clip or file", "clips and files"),
               outside.folders.mid(0, kFoldersShown).join(", ").toHtmlEscaped(),
               outside.folders.size() > kFoldersShown
                   ? QString(" and %1 more").arg(outside.folders.size() - kFoldersShown)
                   : QString()));
  outsideWords_->setToolTip(outside.folders.mid(0, 40).join("\n"));
  outside_->show();
}

void MainWindow::allowOutside(const Outside& outside) {
  if (!outside.folders.isEmpty()) session_.allow(outside.project, outside.folders);
}

void MainWindow::allowOutside(const Project& project) {
  allowOutside(outsideOf(project));
}

void MainWindow::lookAt(const std::filesystem::path& file, std::function<void(const Outside&)> then) {
  outside_->hide();
  message_->setText("Opening " + q(file.filename().string()) + "…");
  const auto whole = std::filesystem::absolute(file).lexically_normal();
  opening_.start("opening", [whole, then = std::move(then)](const Progress&, const Job::Deliver& deliver) {
    deliver([then, outside = outsideOf(*lookInto(whole))] { then(outside); });
  });
}

void MainWindow::openOwn(const std::filesystem::path& file, std::function<void()> then) {
  lookAt(file, [this, file, then = std::move(then)](const Outside& outside) {
    allowOutside(outside);
    openAllowed(file, then);
  });
}

void MainWindow::openProject(const std::filesystem::path& file, std::function<void()> then) {
  lookAt(file, [this, file, then = std::move(then)](const Outside& outside) {
    if (outside.folders.isEmpty() || session_.allows(outside.project, outside.folders))
      return openAllowed(file, then);
    askedToOpen_ = [this, file, then, outside] {
      outside_->hide();
      allowOutside(outside);
      openAllowed(file, then);
    };
    askAboutOutside(file, outside);
  });
}

void MainWindow::openAllowed(const std::filesystem::path& file, const std::function<void()>& then) {
  const auto whole = std::filesystem::absolute(file).lexically_normal();
  const auto writes = [this, whole] {
    const bool own = document_.isOpen() && document_.project().file() == whole;
    return own ? std::optional(document_.project().writes()) : std::nullopt;
  };
  const auto before = writes();
  if (before) job_.cancel();  // results that arrive meanwhile would have it read again and again
  const auto read = [=, this](const Progress&, const Job::Deliver& deliver) {
    const auto opened = std::make_shared<Document::Opened>(Document::read(whole));
    deliver([=, this] {
      // What was decided while its own file was read is missing in what was read.
      if (writes() != before) return openAllowed(whole, then);
      take(std::move(*opened), then);
    });
  };
  opening_.start("opening", read);
}

void MainWindow::openingFailed(const QString& problem, const QString& where, const QString& remedy) {
  message_->clear();
  showProblem(problem, where, remedy);
}

void MainWindow::take(Document::Opened opened, const std::function<void()>& then) {
  try {
    job_.cancel();
    noteView();
    document_.open(std::move(opened));
    message_->clear();
    shown();
    if (document_.project().isReadOnly())
      showProblem("the project can't be written to and was opened for reading",
                  q(document_.project().file().string()),
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
    if (then) then();
  } catch (const Error& e) {
    showProblem(e);
  }
}

}  // namespace edge::app
