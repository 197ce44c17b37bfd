// What is known of one clip: what it is, why it is its take, every check with its tolerance, and what the
// chosen check was seen by.
#pragma once
#include <QLabel>
#include <QListWidget>
#include <QStackedWidget>

#include "project/match_project.h"
#include "shell/job.h"
#include "widgets/picture_view.h"
#include "widgets/plot.h"

namespace edge::app {

class CheckPanel : public QWidget {
  Q_OBJECT
 public:
  explicit CheckPanel(QWidget* parent = nullptr);

  // What the evidence pictures are made from.
  struct Sources {
    std::filesystem::path take, base;  // base empty: none
    DecodeOptions decode;
    std::string display = "bt709";
    std::int64_t takeFrame = 0, baseFrame = 0;
    double k = 1;  // brings the take to the base's exposure
    QString caption;
  };
  void show(const QString& words, const CheckedTake* checked, const Sources& sources);
  void clear(const QString& words);
  void choose(int check);
  void setTheme(const Theme& theme);
  [[nodiscard]] QListWidget& checks() { return *list_; }
  [[nodiscard]] Plot& curve() { return *plot_; }
  [[nodiscard]] bool busy() const { return job_.running(); }

 private:
  void loadPictures();
  void showEvidence();
  void showPlace(const nlohmann::json& place);
  void showCurve(const nlohmann::json& curve, const TakeCheck& check);

  PictureView *whole_, *left_, *right_;
  QLabel* words_;
  QListWidget* list_;
  QStackedWidget* evidence_;
  Plot* plot_;
  Job job_;
  Sources sources_;
  std::vector<TakeCheck> shown_;
  std::string key_;
  std::shared_ptr<Picture> take_, base_;
};

}  // namespace edge::app
