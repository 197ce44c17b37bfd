// All takes of a bracket side by side, brought back, cropped to the face: darkest on the left. The chosen one
// is framed; a bar below each says clean, cleanable or lost by its pattern.
#pragma once
#include <QImage>
#include <QWidget>
#include <map>

#include "recover/criteria.h"
#include "theme/tokens.h"

namespace edge::app {

struct StripTake {
  QString name, words;  // words: for hover and readers
  Verdict verdict = Verdict::Clean;
};

class ContactStrip : public QWidget {
  Q_OBJECT
 public:
  explicit ContactStrip(QWidget* parent = nullptr);
  static constexpr int kHeight = 96, kLowHeight = 76;

  void setTakes(std::vector<StripTake> takes, const QString& selected);
  void setImage(const QString& take, const QImage& image);
  void clearImages();
  [[nodiscard]] bool hasImage(const QString& take) const { return images_.count(take) > 0; }
  [[nodiscard]] bool complete() const;  // every take has its picture
  [[nodiscard]] size_t count() const { return takes_.size(); }
  void setTheme(const Theme& theme);
  [[nodiscard]] QSize sizeHint() const override { return {600, kHeight}; }

 signals:
  void takeChosen(const QString& take);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;

 private:
  [[nodiscard]] QRectF cell(size_t i) const;
  [[nodiscard]] int cellAt(const QPointF& position) const;

  std::vector<StripTake> takes_;
  std::map<QString, QImage> images_;
  QString selected_;
  Theme theme_;
};

}  // namespace edge::app
