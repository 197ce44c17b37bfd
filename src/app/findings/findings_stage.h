// Stage Findings: the edge board, one row per configuration; the exposure card of the chosen one; exports.
#pragma once
#include <QLabel>
#include <QPushButton>

#include "ruler/ruler_widget.h"
#include "shell/stage.h"
#include "widgets/explain_panel.h"
#include "widgets/figure_row.h"

class QScrollArea;

namespace edge::app {

class CardView;

class FindingsStage : public Stage {
  Q_OBJECT
 public:
  explicit FindingsStage(Document& document, QWidget* parent = nullptr);

  [[nodiscard]] QString name() const override { return "Findings"; }
  [[nodiscard]] QString state() const override;
  [[nodiscard]] std::vector<Command> commands() override;
  void setTheme(const Theme& theme) override;

  enum class Export { CardPdf, ReportPdf, Csv, Json, Html };
  // Writes without asking; errors are shown in place. For the buttons after they asked for a name.
  void exportTo(Export kind, const std::filesystem::path& file);

 protected:
 private:
  void copyBoard();
  void refresh();
  void ask(Export kind);

  QLayout* buildSide();
  QLayout* buildExports();
  void refreshFigures(const Finding* f);

  Document& document_;
  RulerWidget* board_;
  Inviting* inviting_;
  CardView* card_;
  ExplainPanel* explain_;
  std::vector<FigureRow*> figures_;
  QScrollArea* scroll_;
  QLabel* title_;
  std::vector<QPushButton*> exports_;
};

}  // namespace edge::app
