// Stage Findings: the edge board with its cards, and what it says of a scene and of usual
// situations.
#pragma once
#include <QButtonGroup>
#include <QStackedWidget>

#include "findings/board_page.h"
#include "findings/scene_page.h"
#include "findings/situations_page.h"
#include "shell/stage.h"

namespace edge::app {

class FindingsStage : public Stage {
  Q_OBJECT
 public:
  enum Page { Board, Scene, Situations };
  explicit FindingsStage(Document& document, QWidget* parent = nullptr);

  [[nodiscard]] QString name() const override { return "Findings"; }
  [[nodiscard]] QString state() const override;
  [[nodiscard]] std::vector<Command> commands() override;
  void setTheme(const Theme& theme) override;
  void showPage(Page page);
  [[nodiscard]] BoardPage& board() { return *board_; }
  [[nodiscard]] ScenePage& scene() { return *scene_; }
  [[nodiscard]] SituationsPage& situations() { return *situations_; }

 private:
  Document& document_;
  QButtonGroup* buttons_;
  QStackedWidget* pages_;
  BoardPage* board_;
  ScenePage* scene_;
  SituationsPage* situations_;
};

}  // namespace edge::app
