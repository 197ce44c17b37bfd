// The simulated set beside the prompter: set as prompted, read the meter, roll. Clips appear in a folder
// beside the project as a card would be copied there.
#pragma once
#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QWidget>
#include <functional>

#include "shell/job.h"
#include "shoot/shooter.h"
#include "simulate/stand_ins.h"

namespace edge::app {

class StandInPanel : public QWidget {
  Q_OBJECT
 public:
  explicit StandInPanel(Shooter& shooter, QWidget* parent = nullptr);
  // Whether the plan's bodies are ones the stand-ins can play.
  [[nodiscard]] bool available() const { return available_; }
  [[nodiscard]] bool rolling() const { return job_.running(); }
  [[nodiscard]] std::filesystem::path folder() const;
  void refresh();
  void prepare();
  void readMeter();
  void readSpot();
  // "T4 ND0.6, Key 40%": what is written is changed on the set, the rest stands. Throws UsageError.
  void setByHand(const QString& text);
  void roll();
  void inject(Mistake mistake);

 signals:
  void rolled(const QString& clip);
  void failed(const QString& problem, const QString& where, const QString& remedy);
  void said(const QString& words);

 protected:
  void resizeEvent(QResizeEvent* event) override;

 private:
  void say(const QString& words);
  void saySettings();
  void logRead(const std::function<QString(const std::string& position)>& read, bool spot,
               const QString& instrument);
  bool stand();  // makes the set when it is first needed
  Shooter& shooter_;
  std::shared_ptr<SimulatedSet> set_;
  nlohmann::json recipe_;
  QLabel* words_;
  QComboBox* mistake_;
  Job job_;
  bool available_ = false;
};

}  // namespace edge::app
