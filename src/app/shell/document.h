// The open project as the window sees it. Views read findings and listen for changes; every change of a
// decision goes through here as an undoable command and is committed to the file before the call returns.
#pragma once
#include <QObject>
#include <QUndoStack>
#include <memory>

#include "report/findings.h"

namespace edge::app {

class Document : public QObject {
  Q_OBJECT
 public:
  explicit Document(QObject* parent = nullptr);

  // Errors as edge::Error; the document stays as it was.
  void open(const std::filesystem::path& file);
  [[nodiscard]] bool isOpen() const { return project_ != nullptr; }
  [[nodiscard]] const Project& project() const { return *project_; }
  [[nodiscard]] const std::vector<Finding>& findings() const { return findings_; }
  [[nodiscard]] const Finding* current() const;
  [[nodiscard]] int currentIndex() const { return current_; }
  void setCurrent(int index);

  [[nodiscard]] const RangeOptions& rangeOptions() const { return rangeOptions_; }
  [[nodiscard]] const CriteriaProfile& criteria() const { return criteria_; }
  [[nodiscard]] QUndoStack& undoStack() { return undo_; }

  // Undoable decisions.
  void setHeadlineSnr(double snr);
  void overrideVerdict(const std::string& take, std::optional<Verdict> verdict, const std::string& reason);
  void setCriteria(const CriteriaProfile& profile, const QString& words);
  // Shown while dragging; not stored.
  void previewHeadlineSnr(double snr);

  // A result that came from a job.
  void storeResult(std::int64_t configuration, const std::string& kind, const std::string& inputHash,
                   const nlohmann::json& value);

 signals:
  void opened();
  void findingsChanged();
  void currentChanged();

 private:
  friend class DecisionCommand;
  void apply(const Decision& decision);
  void push(const Decision& decision, const QString& words);
  void refresh();
  void reanalyse();

  std::unique_ptr<Project> project_;
  std::vector<Finding> findings_;
  RangeOptions rangeOptions_;
  CriteriaProfile criteria_;
  QUndoStack undo_;
  int current_ = 0;
};

}  // namespace edge::app
