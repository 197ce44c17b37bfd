// The edge board, one row per configuration; the exposure card of the chosen one; exports.
#pragma once
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QStackedWidget>

#include "paper/card_page.h"
#include "report/board.h"
#include "ruler/ruler_widget.h"
#include "shell/job.h"
#include "shell/stage.h"
#include "widgets/explain_panel.h"
#include "widgets/figure_row.h"

class QScrollArea;

namespace edge::app {

class CardView;

class BoardPage : public QWidget {
  Q_OBJECT
 public:
  explicit BoardPage(Document& document, QWidget* parent = nullptr);

  [[nodiscard]] std::vector<Command> commands();
  void setTheme(const Theme& theme);

  enum class Export { CardPdf, AllCardsPdf, ReportPdf, Csv, Json, Html };
  // Writes without asking, in a job: done or failed is said when it ends. For the buttons after they asked
  // for a name.
  void exportTo(Export kind, const std::filesystem::path& file);
  [[nodiscard]] bool writing() const { return job_.running(); }
  void sortBy(BoardSort sort) { sort_->setCurrentIndex(static_cast<int>(sort)); }
  void setFilter(const QString& words) { filter_->setText(words); }
  // Of the findings, by row of the board; -1: a heading.
  [[nodiscard]] const std::vector<int>& rows() const { return rows_; }
  void setPaper(CardPaper paper) { paper_->setCurrentIndex(static_cast<int>(paper)); }

 signals:
  void failed(const QString& problem, const QString& where, const QString& remedy);
  void done(const QString& words);
  void doorWanted(Door door);

 private:
  QLayout* buildControls();
  [[nodiscard]] RulerData boardData();
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
  QComboBox *paper_, *sort_, *anchor_;
  QLineEdit* filter_;
  std::vector<int> rows_;
  double moved_ = 0;  // stops from the anchor, where it was drawn along
  std::vector<QPushButton*> exports_;
  QStackedWidget* papers_;  // their choice, or the button that stops writing
  Job job_;
};

}  // namespace edge::app
