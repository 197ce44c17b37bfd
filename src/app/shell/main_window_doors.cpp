// The ways into a project and on from it: begun from clips, added to, copied, and the doors that invitations
// open.
#include "base/error.h"
#include "begin/begin_dialog.h"
#include "match/match_stage.h"
#include "project/analysis.h"
#include "project/copy.h"
#include "project/setup.h"
#include "shell/main_window.h"
#include "theme/text.h"

namespace edge::app {

void MainWindow::beginFrom(const std::vector<std::filesystem::path>& folders) {
  std::optional<BeginDialog::Open> open;
  if (document_.isOpen()) {
    open = BeginDialog::Open{document_.project().file(), {}, nullptr};
    for (const auto& f : document_.findings()) open->configurations.push_back(f.configuration);
    if (const auto& recipe = document_.recipe(); recipe.contains("tests") && !recipe["tests"].empty())
      open->recipe = recipe;
  }
  auto* dialog = new BeginDialog(folders, theme(kind_), this, std::move(open));
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  connect(dialog, &QDialog::accepted, this, [this, dialog] {
    if (const auto& joined = dialog->joined()) {
      join(*joined);
      goOn();
    } else {
      openOwn(dialog->written(), [this] { goOn(); });
    }
  });
  dialog->open();
}

// To what a project needs next before it can be measured, or to measuring it.
void MainWindow::goOn() {
  const auto all = [this](auto is) {
    return std::all_of(document_.findings().begin(), document_.findings().end(),
                       [&](const Finding& f) { return is(f.configuration); });
  };
  if (!all([](const Configuration& c) { return isMarked(c); })) return go(Door::Charts);
  if (!all(isDecoded)) return go(Door::Decoding);
  showStage("Findings");
  analyse();
}

// One step of undo: clips and the plan that they are takes of.
void MainWindow::join(const JoinedShoot& joined) {
  document_.undoStack().beginMacro(QString("%1 clips added").arg(joined.added));
  document_.setLinks(joined.configurations, {});
  if (!joined.recipe.is_null() && joined.recipe != document_.recipe())
    document_.setRecipe(joined.recipe, "with what was shot without a plan");
  document_.undoStack().endMacro();
  QStringList words = {QString("%1 clips added").arg(joined.added)};
  for (const auto& left : joined.leftOut) words << q(left);
  message_->setText(words.mid(0, 3).join(" · "));
  message_->setToolTip(words.join("\n"));
}

void MainWindow::saveCopyTo(const std::filesystem::path& file) {
  try {
    saveCopy(document_.project(), file);
    allowOutside(*Project::open(file));
    message_->setText("copied to " + q(file.string()) + "; clips stay where they are");
  } catch (const Error& e) {
    showProblem(e);
  }
}

void MainWindow::go(Door door) {
  const auto match = [this](int page) {
    showStage("Match");
    static_cast<MatchStage*>(stage("Match"))->showPage(page);
  };
  switch (door) {
    case Door::Plan:
      return showStage("Plan");
    case Door::Clips:
      return match(0);
    case Door::Charts:
      return match(1);
    case Door::Decoding:
      return match(2);
    case Door::Analyse:
      return analyse();
    case Door::Folder:
      return static_cast<MatchStage*>(stage("Match"))->askFolder();
  }
}

}  // namespace edge::app
