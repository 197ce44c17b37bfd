// What the buttons of the library do: an old test planned again, somebody's project taken in, protocols.
#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QInputDialog>

#include "base/error.h"
#include "findings/library_page.h"
#include "library/shelf.h"
#include "theme/text.h"

namespace fs = std::filesystem;

namespace edge::app {
namespace {

constexpr const char* kProjects = "Edge Test projects (*.edgetest)";

}  // namespace

void LibraryPage::attempt(const std::function<void()>& work) {
  try {
    work();
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
}

void LibraryPage::repeatTo(const fs::path& file) {
  const LibraryProject* p = chosenProject();
  if (!p) return;
  attempt([&] {
    repeatTest(*Project::read(library_->folder / p->file), file);
    emit projectWanted(file);
  });
}

void LibraryPage::takeInFrom(const fs::path& file) {
  attempt([&] {
    const TakenIn taken = takeIn(file, folder());
    QStringList said = {"taken in as " + q(fs::relative(taken.file, folder()).string())};
    for (const auto& n : taken.notes) said << q(n);
    emit done(said.join("; "));
    read(false);
  });
}

void LibraryPage::keepProtocolAs(const QString& name) {
  const LibraryProject* p = chosenProject();
  if (!p) return;
  attempt([&] {
    const auto kept = keepProtocol(*Project::read(library_->folder / p->file), library_->folder,
                                   name.trimmed().toStdString());
    emit done("kept as " + q(fs::relative(kept, library_->folder).string()));
  });
}

void LibraryPage::beginFrom(const fs::path& protocol, const fs::path& file) {
  attempt([&] {
    beginFromProtocol(protocol, file);
    emit projectWanted(file);
  });
}

namespace {

// A new project's file; empty: none was given.
QString askNewProject(QWidget* parent, const QString& title, const fs::path& suggestion) {
  QString file = QFileDialog::getSaveFileName(parent, title, q(suggestion.string()), kProjects, nullptr,
                                              QFileDialog::DontUseNativeDialog);
  if (!file.isEmpty() && !file.endsWith(".edgetest")) file += ".edgetest";
  return file;
}

}  // namespace

void LibraryPage::askFolder() {
  const QString chosen =
      QFileDialog::getExistingDirectory(this, "Folder of the library", q(folder().string()),
                                        QFileDialog::ShowDirsOnly | QFileDialog::DontUseNativeDialog);
  if (chosen.isEmpty()) return;
  setFolder(chosen.toStdString());
  emit folderChosen(folder_);
}

void LibraryPage::askRepeat() {
  const LibraryProject* p = chosenProject();
  if (!p) return;
  const fs::path own = library_->folder / p->file;
  const QString file =
      askNewProject(this, "Plan it again as", own.parent_path() / (own.stem().string() + "-again.edgetest"));
  if (!file.isEmpty()) repeatTo(file.toStdString());
}

void LibraryPage::askTakeIn() {
  const QString file = QFileDialog::getOpenFileName(this, "Take in somebody's project", {}, kProjects,
                                                    nullptr, QFileDialog::DontUseNativeDialog);
  if (!file.isEmpty()) takeInFrom(file.toStdString());
}

void LibraryPage::askProtocol() {
  const LibraryProject* p = chosenProject();
  if (!p) return;
  const QString name = QInputDialog::getText(this, "Keep its plan as protocol", "Name of the protocol",
                                             QLineEdit::Normal, q(p->title));
  if (!name.isNull()) keepProtocolAs(name);
}

void LibraryPage::fillProtocols() {
  protocols_->clear();
  for (const auto& file : protocolsIn(folder()))
    protocols_->addAction(q(file.stem().string()), this, [this, file] {
      const QString to = askNewProject(this, "Begin as", folder() / (file.stem().string() + ".edgetest"));
      if (!to.isEmpty()) beginFrom(file, to.toStdString());
    });
  if (protocols_->isEmpty())
    protocols_->addAction("none is kept yet: choose a test and keep its plan")->setEnabled(false);
}

void LibraryPage::copyTable() {
  if (!library_) return;
  QApplication::clipboard()->setText(q(libraryCsv(*library_, model_->rows())));
  emit done("the table was copied");
}

}  // namespace edge::app
