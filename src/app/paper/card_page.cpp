#include "paper/card_page.h"

#include <QPainter>
#include <QPdfWriter>
#include <algorithm>
#include <cmath>
#include <functional>

#include "paper/pdf.h"
#include "ruler/ruler_data.h"
#include "theme/text.h"

namespace edge::app {
namespace {

// Pages are drawn in units of 1/96 inch.
struct CardShape {
  double width, height, margin;
  int small, list;  // pixels of the small print, of the lists
};
constexpr CardShape kA5 = {kPageWidth, kPageHeight, kPageMargin, 10, 11}, kA6 = {559, 397, 22, 9, 10};

RulerLayout paperLayout(double rowHeight, double left) {
  RulerLayout l;
  l.left = left, l.rowHeight = rowHeight;
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

void drawHeader(QPainter& p, const QString& title, const QString& subtitle, const CardShape& shape,
                const Theme& t) {
  p.setFont(typeface(20, true));
  p.setPen(t.text);
  p.drawText(QPointF(shape.margin, shape.margin + 12), title);
  p.setFont(typeface(size::kSmall));
  p.setPen(t.quiet);
  p.drawText(QPointF(shape.margin, shape.margin + 30), subtitle);
}

// Edges, clip and rating, to be read at arm's length in the dark.
double drawLarge(QPainter& p, const ExposureCard& card, double y, const CardShape& shape, const Theme& t) {
  const double column = (shape.width - 2 * shape.margin) / static_cast<double>(card.large.size());
  double below = y;
  for (size_t i = 0; i < card.large.size(); ++i) {
    const double x = shape.margin + static_cast<double>(i) * column;
    p.setFont(typeface(size::kSmall));
    p.setPen(t.quiet);
    p.drawText(QPointF(x, y + 12), q(card.large[i].label));
    p.setFont(typeface(size::kHeadline, true));
    // "beyond −6.0" is as wide as it is: it shrinks to its column.
    for (int pixels = size::kHeadline; pixels > size::kFigure; --pixels) {
      p.setFont(typeface(pixels, true));
      if (p.fontMetrics().horizontalAdvance(q(card.large[i].value)) < column - 8) break;
    }
    p.setPen(t.text);
    p.drawText(QPointF(x, y + 42), q(card.large[i].value));
    below = std::max(below, paragraph(p, x, y + 47, column - 8, q(card.large[i].note), typeface(size::kSmall),
                                      t.text, shape.height)
                                .value_or(y + 60));
  }
  return below;
}

// Figures in two columns, as many as end above `bottom`, from line `next` on, which then is the first that is
// left. Returns the y below them.
double drawLines(QPainter& p, const std::vector<CardLine>& lines, size_t& next, double y, double bottom,
                 const CardShape& shape, const Theme& t) {
  const double column = (shape.width - 2 * shape.margin) / 2, label = column * 0.4;
  const size_t half = next + (lines.size() - next + 1) / 2;
  double lowest = y;
  for (int side = 0; side < 2; ++side) {
    const double x = shape.margin + side * column;
    double at = y;
    for (; next < lines.size() && (side == 1 || next < half); ++next) {
      const CardLine& line = lines[next];
      const double wide = column - label - 12;
      const auto room = [&](double width, const std::string& text, const QFont& f) {
        return text.empty() ? 0.0
                            : QFontMetricsF(f)
                                  .boundingRect(QRectF(0, 0, width, 10000), Qt::TextWordWrap, q(text))
                                  .height();
      };
      const QFont name = typeface(shape.list), value = typeface(shape.list + 1, true),
                  note = typeface(shape.small);
      const double height = std::max(room(label - 8, line.label, name),
                                     room(wide, line.value, value) + room(wide, line.note, note));
      if (at + height > bottom) break;
      paragraph(p, x, at, label - 8, q(line.label), name, t.quiet, shape.height);
      const double below =
          paragraph(p, x + label, at, wide, q(line.value), value, t.text, shape.height).value_or(at);
      if (!line.note.empty()) paragraph(p, x + label, below, wide, q(line.note), note, t.quiet, shape.height);
      at += height + 3;
    }
    lowest = std::max(lowest, at);
  }
  return lowest;
}

// `newPage` null: one page is all there is to see, and it says when there is more.
void drawCard(QPainter& p, const Finding& f, const QString& project, const CardShape& shape, const Theme& t,
              const std::function<void()>& newPage) {
  const ExposureCard card = cardOf(f);
  const double half = (shape.width - 2 * shape.margin - 24) / 2, foot = shape.height - 20, bottom = foot - 10;
  const auto head = [&](const QString& title) {
    p.fillRect(QRectF(0, 0, shape.width, shape.height), t.window);
    drawHeader(p, title, project, shape, t);
  };
  const auto say = [&](const QString& words) {
    p.setFont(typeface(shape.small));
    p.setPen(t.quiet);
    p.drawText(QRectF(shape.margin, foot, shape.width - 2 * shape.margin, 14), Qt::AlignLeft, words);
  };
  head(q(card.title));
  RulerData d;
  d.rows = {boardRow(f)};
  d.rows[0].label.clear(), d.rows[0].note.clear();
  RulerLayout l = paperLayout(54, 14);
  const double strip = shape.margin + 36;
  paintRuler(p, QRectF(shape.margin, strip, shape.width - 2 * shape.margin, l.heightFor(1)), d, l, t);
  double at = drawLarge(p, card, strip + l.heightFor(1) + 4, shape, t) + 8;
  CardList lists[2] = {
      {"On set", card.advice, shape.margin, shape.list},
      {"Not established by this test", card.notEstablished, shape.margin + half + 24, shape.small}};
  size_t line = 0;
  const auto left = [&] {
    return line < card.lines.size() || lists[0].next < card.advice.size() ||
           lists[1].next < card.notEstablished.size();
  };
  const QString legend = "Stops from grey. Solid: clean. Hatched: with clean-up. Hollow: lost. Thin: range.";
  at = drawLines(p, card.lines, line, at, bottom, shape, t) + 6;
  if (line == card.lines.size())
    for (auto& list : lists) drawList(p, list, at, half, t, bottom);
  say(left() ? legend + " More on the next page." : legend);
  while (newPage && left()) {
    newPage();
    head(q(card.title) + ", continued");
    const size_t before = line + lists[0].next + lists[1].next;
    const double below = drawLines(p, card.lines, line, shape.margin + 44, bottom, shape, t) + 6;
    if (line == card.lines.size())
      for (auto& list : lists) drawList(p, list, below, half, t, bottom);
    // A line that is longer than a page is cut rather than turned over for ever.
    if (line + lists[0].next + lists[1].next == before) {
      line = std::min(line + 1, card.lines.size());
      for (auto& list : lists) ++list.next;
    }
  }
}

constexpr size_t kRowsPerPage = 7;

void drawBoard(QPainter& p, const std::vector<Finding>& findings, size_t from, const QString& title,
               const Theme& t) {
  p.fillRect(QRectF(0, 0, kA5.width, kA5.height), t.window);
  drawHeader(p, title, "Edge board: clean latitude as the bar, dynamic range as the thin outline below it",
             kA5, t);
  RulerData d;
  for (size_t i = from; i < std::min(findings.size(), from + kRowsPerPage); ++i)
    d.rows.push_back(boardRow(findings[i]));
  const RulerLayout l = paperLayout(56, 120);
  paintRuler(p,
             QRectF(kA5.margin, 88, kA5.width - 2 * kA5.margin, l.heightFor(static_cast<int>(d.rows.size()))),
             d, l, t);
}

// A body's configurations on one page: strips, and under them what the cards say largest.
void drawBody(QPainter& p, const std::vector<const Finding*>& rows, const QString& project, const Theme& t) {
  p.fillRect(QRectF(0, 0, kA5.width, kA5.height), t.window);
  drawHeader(p, q(rows[0]->configuration.body), project, kA5, t);
  RulerData d;
  for (const Finding* f : rows) {
    d.rows.push_back(boardRow(*f));
    d.rows.back().label = d.rows.back().note, d.rows.back().note = q(f->configuration.light);
  }
  const double height = (kA5.height - 190) / static_cast<double>(rows.size()) - 22;
  const RulerLayout l = paperLayout(std::min(56.0, std::max(40.0, height)), 140);
  const double strip = kA5.margin + 36;
  paintRuler(
      p, QRectF(kA5.margin, strip, kA5.width - 2 * kA5.margin, l.heightFor(static_cast<int>(rows.size()))), d,
      l, t);
  double y = strip + l.heightFor(static_cast<int>(rows.size())) + 12;
  for (const Finding* f : rows) {
    const ExposureCard card = cardOf(*f);
    QStringList words;
    for (const auto& line : card.large)
      words << q(line.label).toLower() + " " + q(line.value) +
                   (line.note.empty() ? QString() : " (" + q(line.note) + ")");
    p.setFont(typeface(12, true));
    p.setPen(t.text);
    p.drawText(QPointF(kA5.margin, y + 12),
               q(f->configuration.mode + " · ISO ") + QString::number(f->configuration.iso));
    y = paragraph(p, kA5.margin + 120, y, kA5.width - 2 * kA5.margin - 120, words.join(" · "), typeface(12),
                  t.text, kA5.height)
            .value_or(y + 14) +
        4;
  }
  p.setFont(typeface(kA5.small));
  p.setPen(t.quiet);
  p.drawText(QRectF(kA5.margin, kA5.height - 20, 700, 14), Qt::AlignLeft,
             "Stops from grey. Solid: clean. Hatched: with clean-up. Hollow: lost. Thin: range.");
}

// Four A6 cards on an A4 sheet, from left to right, then down; the next sheet when it is full.
class Tiles {
 public:
  Tiles(QPainter& p, QPdfWriter& writer) : painter_(p), writer_(writer) {}
  void next() {
    if (used_ > 0) painter_.restore();
    if (used_ > 0 && used_ % 4 == 0) writer_.newPage();
    const int at = used_++ % 4;
    painter_.save();
    painter_.translate(at % 2 * kA6.width, at / 2 * kA6.height);
    painter_.setPen(QPen(paperTheme().rule, 0.5));
    painter_.drawRect(QRectF(0, 0, kA6.width, kA6.height));
    painter_.setClipRect(QRectF(1, 1, kA6.width - 2, kA6.height - 2));
  }
  void end() {
    if (used_ > 0) painter_.restore();
  }

 private:
  QPainter& painter_;
  QPdfWriter& writer_;
  int used_ = 0;
};

constexpr Paper kPaper = {QPageSize::A5, kA5.width}, kSmallPaper = {QPageSize::A6, kA6.width},
                kSheetPaper = {QPageSize::A4, 2 * kA6.width};

// In the order in which a body comes first.
std::vector<std::vector<const Finding*>> byBody(const std::vector<Finding>& findings) {
  std::vector<std::vector<const Finding*>> pages;
  for (const auto& f : findings) {
    const auto same = [&](const auto& page) {
      return page[0]->configuration.body == f.configuration.body && page.size() < kRowsPerPage;
    };
    const auto at = std::find_if(pages.begin(), pages.end(), same);
    if (at == pages.end())
      pages.push_back({&f});
    else
      at->push_back(&f);
  }
  return pages;
}

}  // namespace

const std::vector<CardPaperSpec>& cardPapers() {
  static const std::vector<CardPaperSpec> list = {{CardPaper::A5, "A5, a page each"},
                                                  {CardPaper::A6, "A6, a page each"},
                                                  {CardPaper::Body, "A5, a page a body"},
                                                  {CardPaper::Sheet, "four on a sheet"}};
  return list;
}

QImage cardPreview(const Finding& finding, int width, double ratio) {
  QImage image(static_cast<int>(width * ratio), static_cast<int>(width * ratio * kA5.height / kA5.width),
               QImage::Format_RGB32);
  image.setDevicePixelRatio(ratio);
  QPainter p(&image);
  p.scale(width / kA5.width, width / kA5.width);
  drawCard(p, finding, "", kA5, paperTheme(), nullptr);
  return image;
}

void drawBoardPages(QPainter& p, const std::vector<Finding>& findings, const QString& title,
                    const std::function<void()>& newPage) {
  for (size_t i = 0; i < std::max<size_t>(1, findings.size()); i += kRowsPerPage) {
    if (i) newPage();
    drawBoard(p, findings, i, title, paperTheme());
  }
}

void drawCardPages(QPainter& p, const Finding& finding, const QString& title,
                   const std::function<void()>& newPage) {
  drawCard(p, finding, title, kA5, paperTheme(), newPage);
}

void drawPageHeader(QPainter& p, const QString& title, const QString& subtitle) {
  p.fillRect(QRectF(0, 0, kA5.width, kA5.height), paperTheme().window);
  drawHeader(p, title, subtitle, kA5, paperTheme());
}

void writeCardsPdf(const std::filesystem::path& file, const std::vector<Finding>& findings,
                   const QString& title, CardPaper paper) {
  const CardShape& shape = paper == CardPaper::A6 || paper == CardPaper::Sheet ? kA6 : kA5;
  const Paper& pages = paper == CardPaper::A6      ? kSmallPaper
                       : paper == CardPaper::Sheet ? kSheetPaper
                                                   : kPaper;
  writePdf(file, title, pages, [&](QPainter& p, QPdfWriter& writer) {
    bool first = true;
    const auto page = [&] {
      if (!first) writer.newPage();
      first = false;
    };
    if (paper == CardPaper::Body) {
      for (const auto& rows : byBody(findings)) page(), drawBody(p, rows, title, paperTheme());
      return;
    }
    Tiles tiles(p, writer);
    const std::function<void()> next = paper == CardPaper::Sheet
                                           ? std::function<void()>([&] { tiles.next(); })
                                           : std::function<void()>(page);
    for (const auto& f : findings) {
      next();
      drawCard(p, f, title, shape, paperTheme(), next);
    }
    tiles.end();
  });
}

}  // namespace edge::app
