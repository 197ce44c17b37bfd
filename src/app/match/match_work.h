// The folder of copied cards: watched, read clip by clip beside the interface thread, matched and checked.
// Nothing is stored until the links are kept.
#pragma once
#include <QFileSystemWatcher>
#include <QTimer>

#include "plan/planner.h"
#include "project/match_project.h"
#include "shell/job.h"

namespace edge::app {

class MatchWork : public QObject {
  Q_OBJECT
 public:
  MatchWork(Document& document, Planner& planner, QObject* parent = nullptr);

  void watch(const std::filesystem::path& folder);
  [[nodiscard]] const std::filesystem::path& folder() const { return folder_; }
  [[nodiscard]] const std::vector<ClipFacts>& facts() const { return facts_; }
  [[nodiscard]] const Match& match() const { return match_; }
  [[nodiscard]] const Planned* planned() const { return planner_.planned(); }
  [[nodiscard]] Document& document() { return document_; }
  [[nodiscard]] bool busy() const { return job_.running(); }
  [[nodiscard]] QString words() const { return words_; }
  // Of the take with this slate; nullptr: not checked.
  [[nodiscard]] const CheckedTake* checksOf(const std::string& slate) const;
  [[nodiscard]] int troubles() const;
  [[nodiscard]] bool kept() const { return kept_; }
  [[nodiscard]] size_t keptElsewhere() const;  // clips of the list that lie in other folders

  void link(size_t clip, const std::string& slate);  // by hand; empty: no take
  void link(const std::vector<std::pair<size_t, std::string>>& clips, const QString& words);  // one step
  void unlink(size_t clip);  // takes the word of the hand back
  void keep();
  void cancel() { job_.cancel(); }

 signals:
  void changed();
  void clipWords(const ClipWords& words);
  void failed(const QString& problem, const QString& where, const QString& remedy);

 private:
  void look();
  void take(const std::vector<ClipFacts>& read);
  void dropElsewhere();
  void rematch();
  void forget();
  void noteKept(const Planned& planned);
  void check();
  [[nodiscard]] const ClipWords& storedWords();
  void tell();

  Document& document_;
  Planner& planner_;
  Job job_;
  QFileSystemWatcher watcher_;
  QTimer soon_;
  std::filesystem::path folder_;
  std::vector<ClipFacts> facts_;
  std::map<std::string, std::uintmax_t> sizes_;  // as read
  Match match_;
  std::vector<Configuration> configurations_;
  std::vector<std::shared_ptr<const Checked>> checked_;  // by configuration; nullptr: not yet
  std::shared_ptr<EvidenceShelf> shelf_ = std::make_shared<EvidenceShelf>();  // of the checks, one at a time
  std::optional<ClipWords> stored_;  // by the project; nullopt: to be read anew
  QString words_;
  bool kept_ = true, again_ = false;
};

}  // namespace edge::app
