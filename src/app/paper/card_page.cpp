#include "paper/card_page.h"

#include <QPainter>
#include <QPdfWriter>
#include <QTextDocument>
#include <cmath>

#include "paper/pdf.h"
#include "ruler/ruler_data.h"
#include "theme/text.h"

namespace edge::app {
namespace {

// Pages are drawn in units of 1/96 inch: A5 landscape is 794 x 559.
constexpr double kPageWidth = 794, kPageHeight = 559, kMargin = 40;

RulerLayout paperLayout(double rowHeight) {
  RulerLayout l;
  l.left = 120, l.rowHeight = rowHeight;
  return l;
}

// Text in a column, wrapped; returns the y below it. Nothing is drawn where it does not fit whole: half a
// line misleads.
std::optional<double> paragraph(QPainter& p, double x, double y, double width, const QString& text,
                                const QFont& f, const QColor& ink, double bottom) {
  p.setFont(f);
  p.setPen(ink);
  const QRectF used = p.boundingRect(QRectF(x, y, width, 10000), Qt::TextWordWrap, text);
  if (y + used.height() > bottom) return std::nullopt;
  p.drawText(QRectF(x, y, width, used.height()), Qt::TextWordWrap, text);
  return y + used.height();
}

// A list of a card that goes on over the page.
struct CardList {
  QString title;
  const std::vector<std::string>& lines;
  double x;
  int pixels;
  size_t next = 0;  // first line not drawn yet
};

void drawList(QPainter& p, CardList& list, double y, double width, const Theme& t, double bottom) {
  if (list.next >= list.lines.size()) return;
  const QString title = list.next ? list.title + ", continued" : list.title;
  auto at = paragraph(p, list.x, y, width, title, typeface(size::kBody, true), t.text, bottom);
  while (at && list.next < list.lines.size()) {
    at =
        paragraph(p, list.x, *at + 3, width, q(list.lines[list.next]), typeface(list.pixels), t.text, bottom);
    if (at) ++list.next;
  }
}

void drawHeader(QPainter& p, const QString& title, const QString& subtitle, const Theme& t) {
  p.setFont(typeface(20, true));
  p.setPen(t.text);
  p.drawText(QPointF(kMargin, kMargin + 14), title);
  p.setFont(typeface(size::kSmall));
  p.setPen(t.quiet);
  p.drawText(QPointF(kMargin, kMargin + 34), subtitle);
}

double drawLines(QPainter& p, const ExposureCard& card, double y, const Theme& t) {
  const double column = (kPageWidth - 2 * kMargin) / 2;
  double at[2] = {y, y};
  for (size_t i = 0; i < card.lines.size(); ++i) {
    const int side = i < (card.lines.size() + 1) / 2 ? 0 : 1;
    const double x = kMargin + side * column;
    p.setFont(typeface(size::kSmall));
    p.setPen(t.quiet);
    p.drawText(QPointF(x, at[side] + 12), q(card.lines[i].label));
    p.setFont(typeface(i == 0 || card.lines[i].label == "Latitude" ? 18 : size::kFigure, true));
    p.setPen(t.text);
    p.drawText(QPointF(x + 150, at[side] + 13), q(card.lines[i].value));
    at[side] = paragraph(p, x + 150, at[side] + 17, column - 165, q(card.lines[i].note), typeface(10),
                         t.quiet, kPageHeight)
                   .value_or(at[side] + 17) +
               6;
  }
  return std::max(at[0], at[1]);
}

// `newPage` null: one page is all there is to see, and it says when there is more.
void drawCard(QPainter& p, const Finding& f, const QString& project, const Theme& t,
              const std::function<void()>& newPage) {
  const ExposureCard card = cardOf(f);
  const double half = (kPageWidth - 2 * kMargin - 24) / 2, foot = kPageHeight - 24, bottom = foot - 14;
  const auto head = [&](const QString& title) {
    p.fillRect(QRectF(0, 0, kPageWidth, kPageHeight), t.window);
    drawHeader(p, title, project, t);
  };
  const auto say = [&](const QString& words) {
    p.setFont(typeface(10));
    p.setPen(t.quiet);
    p.drawText(QRectF(kMargin, foot, kPageWidth - 2 * kMargin, 14), Qt::AlignLeft, words);
  };
  head(q(card.title));
  RulerData d;
  d.rows = {fromGrey(latitudeRow(f, "latitude", "", false), f), rangeRow(f, "range")};
  const RulerLayout l = paperLayout(48);
  paintRuler(p, QRectF(kMargin, 84, kPageWidth - 2 * kMargin, l.heightFor(2)), d, l, t);
  const double top = std::max(404.0, drawLines(p, card, 230, t) + 8);
  CardList lists[2] = {{"On set", card.advice, kMargin, 11},
                       {"Not established by this test", card.notEstablished, kMargin + half + 24, 10}};
  const auto left = [&] {
    return lists[0].next < card.advice.size() || lists[1].next < card.notEstablished.size();
  };
  for (auto& list : lists) drawList(p, list, top, half, t, bottom);
  const QString legend =
      "Solid: clean. Hatched: usable with clean-up. Hollow: lost. Stops from grey; exposure alone, no noise "
      "reduction.";
  say(left() ? legend + " More on the next page." : legend);
  while (newPage && left()) {
    newPage();
    head(q(card.title) + ", continued");
    const size_t before = lists[0].next + lists[1].next;
    for (auto& list : lists) drawList(p, list, 84, half, t, bottom);
    // A line that is longer than a page is cut rather than turned over for ever.
    if (lists[0].next + lists[1].next == before)
      for (auto& list : lists) ++list.next;
  }
}

void drawBoard(QPainter& p, const std::vector<Finding>& findings, size_t from, size_t count,
               const QString& title, const Theme& t) {
  p.fillRect(QRectF(0, 0, kPageWidth, kPageHeight), t.window);
  drawHeader(p, title, "Edge board: clean latitude as the bar, dynamic range as the thin outline below it",
             t);
  RulerData d;
  for (size_t i = from; i < std::min(findings.size(), from + count); ++i)
    d.rows.push_back(boardRow(findings[i]));
  const RulerLayout l = paperLayout(56);
  paintRuler(p, QRectF(kMargin, 92, kPageWidth - 2 * kMargin, l.heightFor(static_cast<int>(d.rows.size()))),
             d, l, t);
}

constexpr Paper kPaper = {QPageSize::A5, kPageWidth};

}  // namespace

QImage cardPreview(const Finding& finding, int width, double ratio) {
  QImage image(static_cast<int>(width * ratio), static_cast<int>(width * ratio * kPageHeight / kPageWidth),
               QImage::Format_RGB32);
  image.setDevicePixelRatio(ratio);
  QPainter p(&image);
  p.scale(width / kPageWidth, width / kPageWidth);
  drawCard(p, finding, "", paperTheme(), nullptr);
  return image;
}

void writeReportPdf(const std::filesystem::path& file, const std::vector<Finding>& findings,
                    const QString& title) {
  constexpr size_t kRowsPerPage = 7;
  writePdf(file, title, kPaper, [&](QPainter& p, QPdfWriter& writer) {
    for (size_t i = 0; i < std::max<size_t>(1, findings.size()); i += kRowsPerPage) {
      if (i) writer.newPage();
      drawBoard(p, findings, i, kRowsPerPage, title, paperTheme());
    }
    for (const auto& f : findings) {
      writer.newPage();
      drawCard(p, f, title, paperTheme(), [&] { writer.newPage(); });
    }
  });
}

void writeCardPdf(const std::filesystem::path& file, const Finding& finding, const QString& title) {
  writePdf(file, title, kPaper, [&](QPainter& p, QPdfWriter& writer) {
    drawCard(p, finding, title, paperTheme(), [&] { writer.newPage(); });
  });
}

}  // namespace edge::app
