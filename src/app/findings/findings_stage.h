// Stage Findings: the edge board with its cards, what it says of a scene and of usual situations, tests over
// the years, and what a choice also weighs.
#pragma once
#include <QButtonGroup>
#include <QStackedWidget>

#include "findings/board_page.h"
#include "findings/context_page.h"
#include "findings/library_page.h"
#include "findings/scene_page.h"
#include "findings/situations_page.h"
#include "shell/stage.h"

namespace edge::app {

class FindingsStage : public Stage {
  Q_OBJECT
 public:
  enum Page { Board, Scene, Situations, Library, Bodies };
  explicit FindingsStage(Document& document, QWidget* parent = nullptr);

  [[nodiscard]] QString name() const override { return "Findings"; }
  [[nodiscard]] QString state() const override;
  [[nodiscard]] std::vector<Command> commands() override;
  void setTheme(const Theme& theme) override;
  void showPage(Page page);
  [[nodiscard]] BoardPage& board() { return *board_; }
  [[nodiscard]] ScenePage& scene() { return *scene_; }
  [[nodiscard]] SituationsPage& situations() { return *situations_; }
  [[nodiscard]] LibraryPage& library() { return *library_; }
  [[nodiscard]] ContextPage& bodies() { return *context_; }

 signals:
  void projectWanted(const std::filesystem::path& file);
  void libraryChosen(const std::filesystem::path& folder);
  void scored(const Score& total);

 private:
  Document& document_;
  QButtonGroup* buttons_;
  QStackedWidget* pages_;
  BoardPage* board_;
  ScenePage* scene_;
  SituationsPage* situations_;
  LibraryPage* library_;
  ContextPage* context_;
};

}  // namespace edge::app
