// Two to four pictures looked at together: side by side, divided by a line, one in place of the other, or
// what lies between two of them. They zoom and pan as one. What is done to a picture for looking is written
// on it.
#pragma once
#include <QImage>
#include <QWidget>
#include <vector>

#include "theme/tokens.h"

namespace edge::app {

enum class LookWay { Side, Divided, InPlace, Difference };
[[nodiscard]] QString wordOf(LookWay way);
inline constexpr int kLookWays = 4;

struct LookPane {
  QImage image;  // RGB888; null: on its way, or failed
  QString caption, message;
};

class LookCanvas : public QWidget {
  Q_OBJECT
 public:
  explicit LookCanvas(QWidget* parent = nullptr);

  void setPanes(std::vector<LookPane> panes);
  [[nodiscard]] const std::vector<LookPane>& panes() const { return panes_; }
  void setWay(LookWay way);
  [[nodiscard]] LookWay way() const { return way_; }
  void setZoom(int zoom);  // 0: fitted; else screen pixels to one of the picture
  [[nodiscard]] int zoom() const { return zoom_; }
  void setCentre(const QPointF& centre);  // share of the picture
  [[nodiscard]] QPointF centre() const { return centre_; }
  void setLift(int stops);       // shadows lifted for looking; 0: not
  void setChannel(int channel);  // 0 to 2 as grey; -1: colour
  void setGain(int gain);        // of the difference
  void showNext();               // in place: the next of the panes
  [[nodiscard]] int shownInPlace() const { return shown_; }
  void turnLine(double degrees);
  void moveLine(double share);  // of the way across, 0..1
  [[nodiscard]] double lineAngle() const { return angle_; }
  [[nodiscard]] double linePlace() const { return place_; }
  void setCaptions(bool on);
  [[nodiscard]] bool captions() const { return captions_; }
  void setTheme(const Theme& theme);
  // As on the screen, captions burnt in.
  [[nodiscard]] QImage asSeen();
  // "lifted by 3 stops · red alone": what is done to the pictures for looking.
  [[nodiscard]] QString treatment() const;

 signals:
  void changed();  // what is seen of the pictures, and how

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;

 private:
  struct Part {
    QRectF room;    // of the widget
    QRectF source;  // of the picture
    QRectF target;  // where that lies
  };
  [[nodiscard]] Part partOf(const QImage& image, const QRectF& room) const;
  void paintAll(QPainter& p, bool captions);
  void paintPane(QPainter& p, size_t pane, const QRectF& room, bool caption);
  void paintDifference(QPainter& p, const QRectF& room);
  void paintCaption(QPainter& p, const QRectF& room, const QString& words, bool right = false) const;
  [[nodiscard]] QImage seen(const QImage& image, const Part& part) const;
  void treat(QImage& image) const;
  [[nodiscard]] QRectF roomOf(size_t pane) const;
  [[nodiscard]] QLineF line() const;
  [[nodiscard]] bool nearLine(const QPointF& at) const;
  [[nodiscard]] const QImage* first() const;

  std::vector<LookPane> panes_;
  LookWay way_ = LookWay::Side;
  int zoom_ = 0, lift_ = 0, channel_ = -1, gain_ = 4, shown_ = 0;
  QPointF centre_ = {0.5, 0.5};
  double angle_ = 90, place_ = 0.5;  // degrees of the line from level; share of the way across
  bool captions_ = true, onLine_ = false;
  QPointF from_;
  Theme theme_;
};

}  // namespace edge::app
