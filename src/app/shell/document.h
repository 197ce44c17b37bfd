// The open project as the window sees it. Views read findings and listen for changes; every change of a
// decision goes through here as an undoable command and is committed to the file before the call returns.
#pragma once
#include <QObject>
#include <QUndoStack>
#include <memory>

#include "advise/situations.h"
#include "project/match_project.h"
#include "project/noise_project.h"
#include "report/context.h"
#include "report/findings.h"

namespace edge::app {

class Document : public QObject {
  Q_OBJECT
 public:
  explicit Document(QObject* parent = nullptr);

  // A project with all that is shown of it. Reading takes its time, and may be done in any thread.
  struct Opened {
    std::unique_ptr<Project> project;
    RangeOptions rangeOptions;
    CriteriaProfile criteria;
    std::vector<Finding> findings;
    std::vector<NoiseFinding> noise;
    ClipWords clipWords;  // of the checks as they stood
  };
  // Errors as edge::Error.
  [[nodiscard]] static Opened read(const std::filesystem::path& file);
  void open(Opened opened);
  void open(const std::filesystem::path& file) { open(read(file)); }
  // A new project with an empty recipe.
  void create(const std::filesystem::path& file, const QString& title);
  [[nodiscard]] bool isOpen() const { return now_.project != nullptr; }
  [[nodiscard]] const Project& project() const { return *now_.project; }
  [[nodiscard]] const std::vector<Finding>& findings() const { return now_.findings; }
  [[nodiscard]] const std::vector<NoiseFinding>& noise() const { return now_.noise; }
  [[nodiscard]] const ClipWords& clipWordsAsRead() const { return now_.clipWords; }
  [[nodiscard]] const Finding* current() const;
  [[nodiscard]] int currentIndex() const { return current_; }
  void setCurrent(int index);

  [[nodiscard]] const RangeOptions& rangeOptions() const { return now_.rangeOptions; }
  [[nodiscard]] const CriteriaProfile& criteria() const { return now_.criteria; }
  [[nodiscard]] QUndoStack& undoStack() { return undo_; }

  // Undoable decisions.
  void setHeadlineSnr(double snr);
  void setClaim(std::optional<double> stops);  // of the current configuration
  void setOwnCount(std::optional<int> steps);  // likewise
  void setDeliveryRaster(std::optional<Raster> raster);
  // A CDL or LUT that brackets are also judged under; empty: none.
  void setLook(const std::filesystem::path& file);
  void overrideVerdict(const std::string& take, std::optional<Verdict> verdict, const std::string& reason);
  void setCriteria(const CriteriaProfile& profile, const QString& words);
  void setRecipe(const nlohmann::json& recipe, const QString& words);
  void setChecklist(const nlohmann::json& ticked, const QString& words);  // {item: time of the tick}
  // The recipe of the project's plan; an empty one where there is none yet.
  [[nodiscard]] const nlohmann::json& recipe() const { return recipe_; }
  [[nodiscard]] const nlohmann::json& checklist() const { return checklist_; }
  // The log of the shoot. What is logged together is committed at once and is one step; undoing it adds
  // entries that take it back.
  void appendLog(std::vector<LogEntry> entries, const QString& words);
  [[nodiscard]] const ShootLog& shootLog() const { return log_; }
  [[nodiscard]] const std::vector<LogEntry>& logEntries() const { return logEntries_; }
  // Clips as linked, with their checks by configuration. One undoable step.
  void setLinks(std::vector<Configuration> configurations,
                std::vector<std::shared_ptr<const Checked>> checks);
  void setByHand(const nlohmann::json& links, const QString& words);  // {clip path in the project: slate}
  // Decode state, charts and objects of configurations. One undoable step.
  void setSetups(std::vector<Configuration> configurations, const QString& words);
  // Scenes whose readings are kept (advise/readings.h); what can't be read of them is left out.
  [[nodiscard]] std::vector<SceneReadings> scenes() const;
  void setScenes(const std::vector<SceneReadings>& scenes, const QString& words);
  [[nodiscard]] OverruledBySituation overruled() const;  // of the decision table
  void setOverruled(const OverruledBySituation& overruled, const QString& words);
  // What a person typed of price, weight and the like (report/context.h); never judged by.
  [[nodiscard]] Context context() const { return isOpen() ? contextOf(project()) : Context(); }
  void setContext(const Context& context, const QString& words);
  // Shown while dragging; not stored.
  void previewHeadlineSnr(double snr);

  // Blind sessions by their keys. Kept at once and by no step of undo: an answer stands.
  [[nodiscard]] std::vector<std::pair<std::string, nlohmann::json>> reviews() const;
  void keepReview(const std::string& key, const nlohmann::json& session);

  // A result that came from a job.
  void storeResult(std::int64_t configuration, const std::string& kind, const std::string& inputHash,
                   const nlohmann::json& value);

 signals:
  void left();    // another project takes the place of this one: what was kept of it is forgotten
  void opened();  // and all that changed with it was told
  void findingsChanged();
  void currentChanged();  // another one of the same list; of another list findingsChanged tells
  void recipeChanged();
  void logChanged();
  void linksChanged();
  void setupChanged();
  void reviewsChanged();
  void contextChanged();
  void scenesChanged();  // and what is overruled in the decision table

 private:
  friend class DecisionCommand;
  friend class LinksCommand;
  friend class LogCommand;
  friend class SetupCommand;
  void apply(const Decision& decision);
  void push(const Decision& decision, const QString& words);
  void refresh();
  // These, as they are now; what was read of the others stands.
  void readAgain(const std::vector<Configuration>& changed);
  void relink();
  void countAgain();
  void judgeAgain(bool byOtherCriteria);
  void refreshNoise();
  void readPlan();
  void readLog();
  void reanalyse();

  Opened now_;
  nlohmann::json recipe_, checklist_;
  std::vector<LogEntry> logEntries_;
  ShootLog log_;
  QUndoStack undo_;
  int current_ = 0;
};

}  // namespace edge::app
