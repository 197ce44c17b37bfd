// A scene to guess at, then to see: for assistants. Keeps a score, no more.
#pragma once
#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>

#include "advise/exercise.h"

namespace edge::app {

class ExerciseDialog : public QDialog {
  Q_OBJECT
 public:
  // reaches: what scenes may be drawn on; one of them must give an exercise.
  ExerciseDialog(std::vector<Reach> reaches, std::int64_t first, Score before, std::uint64_t seed,
                 QWidget* parent);

  void guess(int tone, Held held);
  void see();
  void another();
  [[nodiscard]] const Exercise& exercise() const { return exercise_; }
  [[nodiscard]] QString words() const { return words_->text(); }

 signals:
  void scored(const Score& total);
  void sceneWanted(const SceneReadings& scene);

 private:
  void fill();
  [[nodiscard]] QComboBox* box(int tone) const;
  void ready();

  std::vector<Reach> reaches_;
  size_t at_ = 0;
  Score total_;
  std::uint64_t seed_;
  Exercise exercise_;
  bool seen_ = false;
  QComboBox* on_;
  QLabel *ask_, *words_;
  QTableWidget* table_;
  QPushButton *see_, *another_, *scene_;
};

// Of which an exercise can be made.
[[nodiscard]] std::vector<Reach> exercisable(const std::vector<Reach>& reaches);

}  // namespace edge::app
