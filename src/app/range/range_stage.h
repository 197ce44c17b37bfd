// Stage Range: one wedge to its last step, and several configurations beside each other.
#pragma once
#include <QScrollArea>
#include <QStackedWidget>

#include "range/compare_page.h"
#include "range/wedge_page.h"
#include "ruler/ruler_widget.h"
#include "shell/stage.h"

namespace edge::app {

class RangeStage : public Stage {
  Q_OBJECT
 public:
  explicit RangeStage(Document& document, QWidget* parent = nullptr);

  [[nodiscard]] QString name() const override { return "Range"; }
  [[nodiscard]] QString state() const override;
  [[nodiscard]] std::vector<Command> commands() override;
  void setTheme(const Theme& theme) override;
  void showPage(int page);  // 0: one wedge, 1: compare
  [[nodiscard]] WedgePage& wedge() { return *wedge_; }
  [[nodiscard]] ComparePage& compare() { return *compare_; }

 protected:
 private:
  void refresh();

  Document& document_;
  RulerWidget* ruler_;
  QScrollArea* rulerRoom_;
  Inviting* inviting_;
  QStackedWidget* pages_;
  QButtonGroup* pageButtons_;
  WedgePage* wedge_;
  ComparePage* compare_;
};

}  // namespace edge::app
