// The stop ruler as data: rows of bars and marks on one axis, stops from middle grey. Drawn alike in the
// window and on paper; read alike by mouse, keyboard and screen reader.
#pragma once
#include <QRectF>
#include <QString>
#include <optional>
#include <vector>

#include "theme/tokens.h"

class QPainter;

namespace edge::app {

enum class Pattern { Solid, Hatched, Hollow };  // clean, cleanable, lost

struct RulerBar {
  double from = 0, to = 0;  // stops, from < to
  Pattern pattern = Pattern::Solid;
  bool openLow = false, openHigh = false;  // "at least": the bar goes on beyond what was tested
  QString words;                           // what it is, for hover and readers
  bool thin = false;                       // secondary: drawn below the main bar
};

struct RulerEdge {  // one of the two edges: the product
  double at = 0, sigma = 0;
  bool atLeast = false;
  bool upper = true;
  QString words;
};

struct RulerMark {  // a take or an anchor
  double at = 0;
  std::optional<double> planned;  // where it was meant to be
  QString name, words;
  bool selected = false;
  bool edge = false;  // a stroke, not a dot, and named before the others
  int id = -1;        // of what it stands for; below 0: it can't be moved
};

enum class CellKind { Base, Planned, Impossible, Skipped, NotAsked };

struct RulerCell {  // a take that is planned, or the place of one that is not
  double at = 0;
  CellKind kind = CellKind::NotAsked;
  QString text, initials;  // by what the step is made; initials where there is little room
  QString words;
  bool selected = false;
  bool filled = false;  // it is in the can
  bool lost = false;    // it was, and must be shot again
};

struct RulerRow {
  QString label, note;
  std::vector<RulerBar> bars;
  std::vector<RulerEdge> edges;
  std::vector<RulerMark> marks;
  bool selected = false;
  std::vector<RulerCell> cells{};
  bool heading = false;  // of the rows below it: its words go over the whole width
};

struct RulerAnchor {
  double at = 0;
  QString name;
};

struct RulerData {
  std::vector<RulerRow> rows;
  std::vector<RulerAnchor> anchors;
  double zero = 0;  // stops at which the numbers start to count: slides the numbers, never the data
  QString zeroName = "grey";
  bool zeroMoves = false;  // the scale can be taken hold of
  bool marksMove = false;  // marks with an id can be put elsewhere
};

struct RulerLayout {
  double left = 150;  // room for row labels
  double right = 26;  // a scroll bar, and half of the last number
  double scaleHeight = 34;
  double rowHeight = 52;
  double low = -10, high = 10;  // stops at the ends; the same wherever the ruler appears

  [[nodiscard]] double x(const QRectF& area, double stops) const;
  [[nodiscard]] double stops(const QRectF& area, double x) const;
  [[nodiscard]] QRectF row(const QRectF& area, int index) const;
  [[nodiscard]] double heightFor(int rows) const { return scaleHeight + rows * rowHeight + 4; }
};

// Labels narrower than a bar or edge are moved or left out, never drawn over each other.
void paintRuler(QPainter& painter, const QRectF& area, const RulerData& data, const RulerLayout& layout,
                const Theme& theme);

// Everything on the ruler in words, top to bottom, left to right.
struct RulerItem {
  int row;
  double at;
  QString words;
  int cell = -1;  // of the row's cells
};
[[nodiscard]] std::vector<RulerItem> readableItems(const RulerData& data);

}  // namespace edge::app
