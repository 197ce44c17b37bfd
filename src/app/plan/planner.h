// The plan of the open project, worked out beside the interface thread whenever its recipe changes. What is
// shown is always the newest recipe; older work is given up.
#pragma once
#include <QObject>
#include <memory>
#include <optional>

#include "plan/run_list.h"
#include "shell/document.h"
#include "shell/job.h"

namespace edge::app {

struct Planned {
  Recipe recipe;
  Plan plan;
  Knowledge known;
  std::vector<RunLine> lines;
};

class Planner : public QObject {
  Q_OBJECT
 public:
  explicit Planner(Document& document, QObject* parent = nullptr);

  // The recipe as edited, or as it would be while a value is being typed.
  [[nodiscard]] const nlohmann::json& recipe() const {
    return preview_.is_null() ? document_.recipe() : preview_;
  }
  // The last plan that could be made; nullptr before there is one.
  [[nodiscard]] const Planned* planned() const { return planned_.get(); }
  // Why the recipe as it stands can't be planned: problem, place, remedy. Empty: it can.
  [[nodiscard]] const QStringList& contradiction() const { return contradiction_; }
  [[nodiscard]] bool busy() const { return busy_; }
  [[nodiscard]] Document& document() { return document_; }

  void edit(const nlohmann::json& recipe, const QString& words);  // undoable
  void patch(const nlohmann::json& patch, const QString& words);  // RFC 6902
  void preview(const nlohmann::json& recipe);                     // while typing; null: end
  void importFile(const std::filesystem::path& file);             // throws Error; undoable
  void exportFile(const std::filesystem::path& file) const;       // throws Error

  // The run list as drawn from the last plan; where the recipe has come to contradict itself since, it says
  // so on every page. Throws Error, also where nothing was planned yet.
  void writeCsv(const std::filesystem::path& file) const;
  void writePdf(const std::filesystem::path& file) const;

  // Extra steps around the edges measured so far, of the configuration they were measured in; empty: none is
  // needed or nothing was measured.
  struct Finer {
    std::string body, mode, light;
    double iso = 0;
    std::vector<double> steps;
  };
  [[nodiscard]] std::vector<Finer> finer() const;

 signals:
  void planChanged();
  void busyChanged();

 private:
  [[nodiscard]] std::string notice() const;
  [[nodiscard]] const Planned& plannedOrThrow() const;
  void plan();
  void begin();

  Document& document_;
  Job job_;
  nlohmann::json preview_;
  std::shared_ptr<const Planned> planned_;
  std::optional<Knowledge> asked_;  // of the plan that was begun last
  QStringList contradiction_;
  bool busy_ = false, again_ = false;
};

}  // namespace edge::app
