// Stage Review: looked at together, judged blind, two bodies on one set.
#pragma once
#include <QButtonGroup>
#include <QStackedWidget>

#include "review/blind_page.h"
#include "review/bodies_page.h"
#include "review/look_page.h"

namespace edge::app {

class ReviewStage : public Stage {
  Q_OBJECT
 public:
  enum Page { Look, Blind, Bodies };
  explicit ReviewStage(Document& document, QWidget* parent = nullptr);

  [[nodiscard]] QString name() const override { return "Review"; }
  [[nodiscard]] QString state() const override;
  [[nodiscard]] std::vector<Command> commands() override;
  void setTheme(const Theme& theme) override;
  void showPage(Page page);
  [[nodiscard]] LookPage& look() { return *look_; }
  [[nodiscard]] BlindPage& blind() { return *blind_; }
  [[nodiscard]] BodiesPage& bodies() { return *bodies_; }
  [[nodiscard]] const std::vector<Shown>& pool() const { return pool_; }

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void refresh();

  Document& document_;
  std::vector<Shown> pool_;
  QButtonGroup* buttons_;
  Inviting* inviting_;
  QStackedWidget* pages_;
  LookPage* look_;
  BlindPage* blind_;
  BodiesPage* bodies_;
  bool stale_ = true;  // refreshed when it is seen
};

}  // namespace edge::app
