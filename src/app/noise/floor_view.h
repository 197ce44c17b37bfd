// Where light drowns: each ISO of the ladder on the stop ruler, and what the noise of each is made of.
#pragma once
#include <QStyledItemDelegate>
#include <QTableWidget>

#include "noise/noise_view.h"
#include "ruler/ruler_widget.h"

namespace edge::app {

// Shares of a noise, drawn as one stacked bar by pattern.
class PartsDelegate : public QStyledItemDelegate {
  Q_OBJECT
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  void setTheme(const Theme& theme) { theme_ = theme; }
  void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override;

 private:
  Theme theme_;
};

class FloorView : public NoisePageView {
  Q_OBJECT
 public:
  explicit FloorView(Document& document, QWidget* parent);
  void show(const NoiseFinding* finding) override;
  void setTheme(const Theme& theme) override;

 private:
  void fillTable(const LadderMeasure& ladder);

  RulerWidget* ruler_;
  QTableWidget* table_;
  PartsDelegate* parts_;
};

}  // namespace edge::app
