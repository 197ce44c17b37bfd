// Inside of the document: its undoable steps. Each is committed to the file on redo and on undo alike.
#pragma once
#include <algorithm>

#include "shell/document.h"

namespace edge::app {

// Old and new state of one decision.
class DecisionCommand : public QUndoCommand {
 public:
  DecisionCommand(Document& document, Decision before, Decision after, const QString& words)
      : QUndoCommand(words), document_(document), before_(std::move(before)), after_(std::move(after)) {}
  void undo() override { document_.apply(before_); }
  void redo() override { document_.apply(after_); }

 private:
  Document& document_;
  Decision before_, after_;
};

// Entries of the log, and their taking back, which are entries as well.
class LogCommand : public QUndoCommand {
 public:
  LogCommand(Document& document, std::vector<LogEntry> entries, const QString& words)
      : QUndoCommand(words), document_(document), entries_(std::move(entries)) {}
  void undo() override {
    std::vector<LogEntry> back;
    for (size_t i = entries_.size(); i-- > 0;)
      back.push_back({0, "", entries_[i].slate, "undo", {{"entry", ids_[i]}}});
    (void)add(back);
  }
  void redo() override { ids_ = add(entries_); }

 private:
  std::vector<std::int64_t> add(const std::vector<LogEntry>& entries) {
    Project& project = *document_.now_.project;
    std::vector<std::int64_t> ids;
    project.atomically([&] {
      for (const auto& e : entries) ids.push_back(project.appendLog(e));
    });
    document_.readLog();
    return ids;
  }
  Document& document_;
  std::vector<LogEntry> entries_;
  std::vector<std::int64_t> ids_;  // in the project, of the last redo
};

// The clips of all configurations, before and after, with what was checked of them. Configurations that came
// with the links stay: an empty one does no harm.
class LinksCommand : public QUndoCommand {
 public:
  LinksCommand(Document& document, std::vector<Configuration> after,
               std::vector<std::shared_ptr<const Checked>> checks)
      : QUndoCommand("clips linked"),
        document_(document),
        before_(document.now_.project->configurations()),
        after_(std::move(after)),
        checks_(std::move(checks)) {}
  void undo() override {
    Project& project = *document_.now_.project;
    project.atomically([&] {
      for (const auto& c : after_) {
        const auto old = std::find_if(before_.begin(), before_.end(),
                                      [&](const Configuration& b) { return b.id == c.id; });
        project.setClips(c.id, old == before_.end() ? std::vector<ClipRecord>() : old->clips);
      }
    });
    document_.relink();
  }
  void redo() override {
    storeLinks(*document_.now_.project, after_, checks_);
    document_.relink();
  }

 private:
  Document& document_;
  std::vector<Configuration> before_, after_;
  std::vector<std::shared_ptr<const Checked>> checks_;
};

// Decode state, charts and objects, before and after.
class SetupCommand : public QUndoCommand {
 public:
  SetupCommand(Document& document, std::vector<Configuration> after, const QString& words)
      : QUndoCommand(words), document_(document), after_(std::move(after)) {
    for (const auto& c : document.now_.project->configurations())
      if (std::any_of(after_.begin(), after_.end(), [&](const Configuration& a) { return a.id == c.id; }))
        before_.push_back(c);
  }
  void undo() override { put(before_); }
  void redo() override { put(after_); }

 private:
  void put(const std::vector<Configuration>& list) {
    document_.now_.project->atomically([&] {
      for (const auto& c : list) document_.now_.project->setSetup(c);
    });
    auto changed = document_.now_.project->configurations();  // with the clips as they are linked now
    std::erase_if(changed, [&](const Configuration& now) {
      return std::none_of(list.begin(), list.end(), [&](const Configuration& c) { return c.id == now.id; });
    });
    document_.readAgain(changed);
    emit document_.setupChanged();
  }
  Document& document_;
  std::vector<Configuration> before_, after_;
};

}  // namespace edge::app
