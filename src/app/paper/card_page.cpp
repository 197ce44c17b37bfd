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

// Text in a column, wrapped; returns the y below it. What does not fit whole is left out: half a line
// misleads.
double paragraph(QPainter& p, double x, double y, double width, const QString& text, const QFont& f,
                 const QColor& ink, double bottom) {
  p.setFont(f);
  p.setPen(ink);
  const QRectF used = p.boundingRect(QRectF(x, y, width, 10000), Qt::TextWordWrap, text);
  if (y + used.height() > bottom) return bottom;
  p.drawText(QRectF(x, y, width, used.height()), Qt::TextWordWrap, text);
  return y + used.height();
}

void drawHeader(QPainter& p, const QString& title, const QString& subtitle, const Theme& t) {
  p.setFont(typeface(20, true));
  p.setPen(t.text);
  p.drawText(QPointF(kMargin, kMargin + 14), title);
  p.setFont(typeface(size::kSmall));
  p.setPen(t.quiet);
  p.drawText(QPointF(kMargin, kMargin + 34), subtitle);
}

void drawLines(QPainter& p, const ExposureCard& card, double y, const Theme& t) {
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
                         t.quiet, kPageHeight) +
               6;
  }
}

void drawCard(QPainter& p, const Finding& f, const QString& project, const Theme& t) {
  const ExposureCard card = cardOf(f);
  p.fillRect(QRectF(0, 0, kPageWidth, kPageHeight), t.window);
  QStringList subtitle = {project, q(card.subtitle)};
  subtitle.removeAll("");
  drawHeader(p, q(card.title), subtitle.join(" · "), t);
  RulerData d;
  d.rows = {latitudeRow(f, "latitude", "", false), rangeRow(f, "range")};
  const RulerLayout l = paperLayout(48);
  paintRuler(p, QRectF(kMargin, 84, kPageWidth - 2 * kMargin, l.heightFor(2)), d, l, t);
  drawLines(p, card, 230, t);
  const double half = (kPageWidth - 2 * kMargin - 24) / 2, top = 404, bottom = kPageHeight - 24;
  double y = paragraph(p, kMargin, top, half, "On set", typeface(size::kBody, true), t.text, bottom);
  for (const auto& a : card.advice)
    y = paragraph(p, kMargin, y + 3, half, q(a), typeface(11), t.text, bottom);
  y = paragraph(p, kMargin + half + 24, top, half, "Not established by this test",
                typeface(size::kBody, true), t.text, bottom);
  for (const auto& n : card.notEstablished)
    y = paragraph(p, kMargin + half + 24, y + 2, half, q(n), typeface(10), t.quiet, bottom);
  p.setFont(typeface(10));
  p.setPen(t.quiet);
  p.drawText(QRectF(kMargin, kPageHeight - 24, kPageWidth - 2 * kMargin, 14), Qt::AlignLeft,
             "Solid: clean. Hatched: usable with clean-up. Hollow: lost. Stops from grey; exposure alone, no "
             "noise reduction.");
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
  drawCard(p, finding, "", paperTheme());
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
      drawCard(p, f, title, paperTheme());
    }
  });
}

void writeCardPdf(const std::filesystem::path& file, const Finding& finding, const QString& title) {
  writePdf(file, title, kPaper, [&](QPainter& p, QPdfWriter&) { drawCard(p, finding, title, paperTheme()); });
}

}  // namespace edge::app
