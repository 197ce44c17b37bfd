// One figure: label, value, unit and uncertainty in quiet weight. A click or Enter asks for its explanation;
// Ctrl+C or the context menu copies it.
#pragma once
#include <QWidget>

#include "theme/tokens.h"

namespace edge::app {

class FigureRow : public QWidget {
  Q_OBJECT
 public:
  FigureRow(QString key, QString label, bool headline, QWidget* parent = nullptr);

  void setFigure(const QString& value, const QString& unit, const QString& note);
  void setTheme(const Theme& theme);
  [[nodiscard]] QString key() const { return key_; }
  [[nodiscard]] QString text() const;
  [[nodiscard]] QSize sizeHint() const override;
  [[nodiscard]] QSize minimumSizeHint() const override { return QSize(160, sizeHint().height()); }

 signals:
  void asked(const QString& key);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;

 private:
  void copy() const;
  QString key_, label_, value_, unit_, note_;
  bool headline_;
  Theme theme_;
};

}  // namespace edge::app
