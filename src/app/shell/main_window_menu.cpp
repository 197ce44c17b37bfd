// All commands of the window: the menu and the keys that work in every stage.
#include <QAction>

#include "shell/main_window.h"
#include "theme/text.h"

namespace edge::app {

std::vector<CommandGroup> MainWindow::commandGroups() {
  QUndoStack& undo = document_.undoStack();
  const auto open = [this] { return document_.isOpen(); };
  std::vector<CommandGroup> groups = {
      {"Project",
       {{"Ctrl+N", "new project…", [this] { askForNewProject(); }, {}},
        {"Ctrl+B", "begin from clips…", [this] { askForClips(); }, {}},
        {"Ctrl+O", "open a project…", [this] { askForProject(); }, {}},
        {"Ctrl+Shift+S", "save a copy…", [this] { askForCopy(); }, open},
        {"", "make and open the demo", [this] { openDemo(demoFolder(), false); }, {}},
        {"Ctrl+Q", "quit; everything is stored already", [this] { close(); }, {}}}},
      {"Edit",
       {{"Ctrl+Z", "undo", [&undo] { undo.undo(); }, [&undo] { return undo.canUndo(); }},
        {"Ctrl+Shift+Z", "redo", [&undo] { undo.redo(); }, [&undo] { return undo.canRedo(); }}}},
      {"Measure",
       {{"F9", "analyse what is missing", [this] { analyse(); }, open},
        {"", "cancel what is running", [this] { job_.cancel(); }, [this] { return job_.running(); }},
        {"PgDown", "next configuration", [this] { document_.setCurrent(document_.currentIndex() + 1); },
         open},
        {"PgUp", "previous configuration", [this] { document_.setCurrent(document_.currentIndex() - 1); },
         open}}},
      {"Look", {{"F3", "sums, beside any stage", [this] { showSums(sums_->isHidden()); }, {}}}},
      {"Help", {}}};
  for (const ThemeKind kind : kThemeKinds)
    groups[3].commands.push_back(
        {"", wordOf(kind), [this, kind] { setThemeKind(kind); }, [this, kind] { return kind != kind_; }});
  auto& help = groups[4].commands;
  help.push_back({"F1",
                  "guide, at the stage one is in",
                  [this] { showHelp(this, HelpPage::Guide, currentStage()->name()); },
                  {}});
  for (const HelpPage page : kHelpPages)
    if (page != HelpPage::Guide)
      help.push_back({"", wordOf(page), [this, page] { showHelp(this, page); }, {}});
  help.push_back({"?", "keys of this stage", [this] { showKeys(); }, {}});
  help.push_back({"", "about Edge Test, licences", [this] { showAbout(this); }, {}});
  return groups;
}

// Keys that work in every stage. `?` comes by its text: where it lies differs from keyboard to keyboard.
void MainWindow::buildActions() {
  const auto add = [this](const QKeySequence& keys, std::function<void()> body) {
    auto* action = new QAction(this);
    action->setShortcut(keys);
    connect(action, &QAction::triggered, this, std::move(body));
    addAction(action);
  };
  for (const auto& group : commandGroups())
    for (const auto& c : group.commands)
      if (!c.key.isEmpty() && c.key != "?")
        add(QKeySequence(c.key), [c] {
          if (c.possible()) c.run();
        });
  add(QKeySequence("Ctrl+Y"), [this] { document_.undoStack().redo(); });
  add(QKeySequence(Qt::Key_F10), [this] { path_->openMenu(); });
  for (int i = 0; i < static_cast<int>(stages_.size()); ++i)
    add(QKeySequence(Qt::ALT | (Qt::Key_1 + i)), [this, i] { showStage(i); });
}

// Made anew each time: what is possible changes. Keys are shown, not bound: that is done once.
void MainWindow::fillMenu() {
  QMenu& menu = path_->menu();
  // clear() leaves them.
  for (auto* sub : menu.findChildren<QMenu*>(QString(), Qt::FindDirectChildrenOnly)) sub->deleteLater();
  menu.clear();
  const auto put = [](QMenu& m, const Command& c) {
    QString words = c.words.left(1).toUpper() + c.words.mid(1);
    auto* action = m.addAction(words.replace("&", "&&") + "\t" + c.key, [c] { c.run(); });
    action->setEnabled(c.possible());
  };
  const auto groups = commandGroups();
  for (const auto& g : groups) {
    if (g.name == groups.back().name) {
      menu.addSeparator();
      for (int i = 0; i < static_cast<int>(stages_.size()); ++i) {
        QMenu* sub = menu.addMenu(stages_[static_cast<size_t>(i)]->name());
        put(*sub, {QString("Alt+%1").arg(i + 1), "go to this stage", [this, i] { showStage(i); }, {}});
        sub->addSeparator();
        for (const auto& c : stages_[static_cast<size_t>(i)]->commands())
          if (c.run)
            put(*sub, {c.key, c.words, [this, i, run = c.run] { showStage(i), run(); },
                       [this, c] { return document_.isOpen() && c.possible(); }});
      }
      menu.addSeparator();
    }
    QMenu* sub = menu.addMenu(g.name);
    for (const auto& c : g.commands) put(*sub, c);
    if (&g != &groups.front()) continue;
    QMenu* recent = new QMenu("Opened last", sub);
    sub->insertMenu(sub->actions().at(2), recent);
    for (const auto& file : session_.recent())
      put(*recent, {"", q(file.string()), [this, file] { openProject(file); }, {}});
    recent->setEnabled(!recent->isEmpty());
  }
}

}  // namespace edge::app
