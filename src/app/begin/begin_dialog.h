// Begin from clips: what a folder holds, sorted by looking, in one table to be confirmed. Nothing is stored
// before that.
#pragma once
#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QTableWidget>
#include <map>

#include "begin/begin_join.h"
#include "ruler/ruler_widget.h"
#include "shell/job.h"

namespace edge::app {

class BeginDialog : public QDialog {
  Q_OBJECT
 public:
  // The project that is open, to which the clips can be added; its plan may be null.
  struct Open {
    std::filesystem::path file;
    std::vector<Configuration> configurations;
    nlohmann::json recipe;
  };
  BeginDialog(std::vector<std::filesystem::path> folders, const Theme& theme, QWidget* parent,
              std::optional<Open> open = std::nullopt);

  [[nodiscard]] bool looked() const { return !rows_.empty() && !job_.running(); }
  [[nodiscard]] const SortedShoot& shoot() const { return shoot_; }
  // The project that was written; empty: none.
  [[nodiscard]] const std::filesystem::path& written() const { return written_; }
  // What the open project becomes, to be stored as one step; nullopt: a project was written.
  [[nodiscard]] const std::optional<JoinedShoot>& joined() const { return joined_; }
  void setCurve(const QString& nameOrFile);
  void addToOpen(bool add);

 private:
  void build(const Theme& theme);
  QWidget* buildChoices();
  void look();
  void sort();
  void sorted(SortedShoot shoot);
  void fillLater();
  void fill();
  void fillRow(int row, size_t group, size_t clip);
  void fillRuler();
  void changeRole(size_t group, size_t clip, ClipRole role);
  void changeCell(QTableWidgetItem* item);
  [[nodiscard]] SortedClip& clipAt(size_t row);
  void sayPlanned(SortedClip& clip, std::optional<double> stops);
  void chooseCurve(int index);
  static QComboBox* buildWedgeSteps(QWidget* parent);
  void working();  // nothing can be made while a job runs
  void write();
  void join();
  [[nodiscard]] Open stoodHere() const;
  [[nodiscard]] bool adding() const { return where_->currentIndex() == 1; }
  void say(const QString& problem);

  std::vector<std::filesystem::path> folders_;
  std::vector<ClipLook> looks_;
  SortOptions options_;
  SortedShoot shoot_;
  std::filesystem::path written_;
  std::vector<std::pair<size_t, size_t>> rows_;  // group and clip of each row
  Job job_;
  QLabel *head_, *asked_, *problem_;
  QComboBox *curve_, *range_, *step_, *wedgeStep_, *where_;
  std::optional<Open> open_;
  std::optional<JoinedShoot> joined_;
  std::set<std::filesystem::path> saidBases_;  // of the open project, by hand
  RulerWidget* ruler_;
  QTableWidget* table_;
  QProgressBar* bar_;
  QLineEdit *file_, *iso_;
  QPushButton* make_;
  bool filling_ = false;
  // What a person said, by place in looks_ and by the body's own name: kept when clips are sorted anew.
  std::map<size_t, ClipRole> roleByHand_;
  std::map<size_t, std::optional<double>> plannedByHand_;
  std::map<std::string, std::string> bodyByHand_;
};

}  // namespace edge::app
