#include "paper/run_list_page.h"

#include <QPainter>
#include <QPdfWriter>
#include <cmath>

#include "base/error.h"
#include "base/files.h"
#include "paper/pdf.h"
#include "theme/text.h"
#include "theme/tokens.h"

namespace edge::app {
namespace {

// A4 landscape in 1/96 inch.
constexpr double kWidth = 1123, kHeight = 794, kMargin = 36;
constexpr double kTop = 104, kBottom = kHeight - 46;

struct Column {
  const char* title;
  double width;
  bool bold;
};
constexpr Column kColumns[] = {{"", 18, false},
                               {"no", 30, true},
                               {"start", 40, false},
                               {"slate", 172, true},
                               {"T", 44, true},
                               {"shutter", 92, false},
                               {"ND", 72, false},
                               {"lamps", 196, false},
                               {"meter reads", 92, false},
                               {"grey reads", 96, false},
                               {"change, cautions", 197, false}};

QStringList cellsOf(const RunLine& l) {
  QString last = "change: " + q(l.change);
  if (!l.cautions.empty()) last += "\n" + q(l.cautions);
  QString light = q(l.light), lamps = q(l.lamps), level = q(l.level);
  light.replace(" (", "\n(");
  // What can't be dimmed stands in the cautions; it need not be read at every take.
  QStringList set;
  for (const QString& lamp : lamps.split("; "))
    if (!lamp.endsWith("as it is")) set << lamp;
  lamps = set.join("\n");
  if (const auto at = level.indexOf(" of "); at > 0) level.replace(at, 1, "\n");
  return {"",
          QString::number(l.number),
          q(l.clock),
          q(l.slate),
          q(l.aperture),
          q(l.shutter),
          q(l.nd).isEmpty() ? "none" : q(l.nd),
          lamps,
          light,
          level,
          last};
}

class Pages {
 public:
  Pages(QPainter& painter, QPdfWriter& writer, const Recipe& recipe, const Plan& plan, const QString& notice)
      : p_(painter), writer_(writer), recipe_(recipe), plan_(plan), notice_(notice), t_(paperTheme()) {}

  void run(const std::vector<RunLine>& lines) {
    // Rows first, pages after: the foot says how many there are.
    std::vector<std::vector<size_t>> pages(1);
    double y = kTop;
    for (size_t i = 0; i < lines.size(); ++i) {
      const double need = rowHeight(lines[i]) + (newTest(lines, i) ? 20 : 0);
      if (y + need > kBottom && !pages.back().empty()) pages.emplace_back(), y = kTop;
      pages.back().push_back(i), y += need;
    }
    const auto placed = placeLists();
    const size_t rows = pages.size(), all = rows + placed.back().page + 1;
    for (size_t page = 0; page < rows; ++page) {
      if (page) writer_.newPage();
      frame(page + 1, all, true);
      y = kTop;
      for (size_t i : pages[page]) y = row(lines, i, y);
    }
    size_t page = rows;
    for (const auto& l : placed) {
      for (; page < rows + l.page + 1; ++page) {
        writer_.newPage();
        frame(page + 1, all, false);
      }
      draw(l);
    }
  }

 private:
  static bool newTest(const std::vector<RunLine>& lines, size_t i) {
    return i == 0 || lines[i].test != lines[i - 1].test;
  }

  double cellHeight(const QString& text, double width, bool bold) {
    p_.setFont(typeface(11, bold));
    return p_.boundingRect(QRectF(0, 0, width - 6, 1000), Qt::TextWordWrap, text).height();
  }

  double rowHeight(const RunLine& l) {
    const QStringList cells = cellsOf(l);
    double h = 18;
    for (int i = 0; i < cells.size(); ++i)
      h = std::max(h, cellHeight(cells[i], kColumns[i].width, kColumns[i].bold) + 5);
    return h;
  }

  double row(const std::vector<RunLine>& lines, size_t i, double y) {
    if (newTest(lines, i)) {
      p_.setFont(typeface(12, true)), p_.setPen(t_.text);
      p_.drawText(QPointF(kMargin, y + 14), q(lines[i].test));
      y += 20;
    }
    const double h = rowHeight(lines[i]);
    const QStringList cells = cellsOf(lines[i]);
    double x = kMargin;
    p_.setPen(QPen(t_.text, 1));
    p_.drawRect(QRectF(x + 1, y + 3, 10, 10));
    for (int c = 0; c < cells.size(); ++c) {
      p_.setFont(typeface(11, kColumns[c].bold));
      p_.setPen(c == 10 ? t_.quiet : t_.text);
      p_.drawText(QRectF(x, y + 1, kColumns[c].width - 6, h), Qt::TextWordWrap, cells[c]);
      x += kColumns[c].width;
    }
    p_.setPen(QPen(t_.rule, 0.6));
    p_.drawLine(QPointF(kMargin, y + h - 1), QPointF(kWidth - kMargin, y + h - 1));
    return y + h;
  }

  void frame(size_t page, size_t pages, bool takes) {
    p_.setFont(typeface(18, true)), p_.setPen(t_.text);
    p_.drawText(QPointF(kMargin, kMargin + 14), recipe_.title.empty() ? "Run list" : q(recipe_.title));
    p_.setFont(typeface(12, true));
    p_.drawText(QRectF(kWidth / 2, kMargin, kWidth / 2 - kMargin, 32), Qt::AlignRight | Qt::TextWordWrap,
                notice_);
    p_.setFont(typeface(11)), p_.setPen(t_.quiet);
    const Totals& t = plan_.totals;
    p_.drawText(
        QPointF(kMargin, kMargin + 32),
        QString(
            "Run list · %1 takes · %2 · %3 relights, %4 body changes, %5 card changes · %6 · protocol %7, %8")
            .arg(plan_.takes.size())
            .arg(q(durationWords(t.seconds)))
            .arg(t.relights)
            .arg(t.bodyChanges)
            .arg(t.cardChanges)
            .arg(q(sizeWords(t.bytes)))
            .arg(plan_.protocol.version)
            .arg(q(plan_.protocol.key)));
    double x = kMargin;
    for (const auto& c : kColumns) {
      if (takes) p_.drawText(QPointF(x, kTop - 8), c.title);
      x += c.width;
    }
    p_.setPen(QPen(t_.text, 1));
    p_.drawLine(QPointF(kMargin, kTop - 2), QPointF(kWidth - kMargin, kTop - 2));
    p_.setPen(t_.quiet);
    p_.drawText(QRectF(kMargin, kHeight - 34, kWidth - 2 * kMargin, 16), Qt::AlignRight,
                QString("page %1 of %2").arg(page).arg(pages));
    p_.drawText(QRectF(kMargin, kHeight - 34, kWidth - 2 * kMargin, 16), Qt::AlignLeft, q(cautionDeferral()));
  }

  QStringList safetyLines() const {
    QStringList lines;
    for (const auto& p : plan_.problems)
      if (p.code == "safety") lines << q(p.words).remove(" " + q(cautionDeferral()));
    return lines;
  }

  // A line of the lists behind the takes: where it stands, on which of their pages.
  struct Placed {
    size_t page;
    QRectF at;
    QString words;
    bool title, box;
  };

  // Two columns a page, as many pages as it takes: nothing is left out.
  std::vector<Placed> placeLists() {
    constexpr double kBetween = 30;
    const double width = (kWidth - 2 * kMargin - kBetween) / 2;
    std::vector<Placed> placed;
    size_t column = 0;
    double y = kTop;
    const auto put = [&](const QString& words, bool title, bool box, double keep) {
      p_.setFont(typeface(title ? 13 : 11, title));
      const double indent = box ? 16 : 0;
      const double height =
          p_.boundingRect(QRectF(0, 0, width - indent, 1000), Qt::TextWordWrap, words).height() + 2;
      if (y + height + keep > kBottom && y > kTop) ++column, y = kTop;
      const double x = kMargin + static_cast<double>(column % 2) * (width + kBetween);
      placed.push_back({column / 2, QRectF(x + indent, y, width - indent, height), words, title, box});
      y += height + 3;
    };
    for (const auto& [title, lines, boxes] : lists()) {
      put(title, true, false, 40);  // never alone at the foot
      for (const auto& l : lines) put(l, false, boxes, 0);
      y += 12;
    }
    return placed;
  }

  void draw(const Placed& l) {
    p_.setFont(typeface(l.title ? 13 : 11, l.title));
    p_.setPen(QPen(t_.text, 1));
    if (l.box) p_.drawRect(QRectF(l.at.left() - 15, l.at.top() + 3, 9, 9));
    p_.drawText(l.at, Qt::TextWordWrap, l.words);
  }

  struct List {
    QString title;
    QStringList lines;
    bool boxes;
  };
  std::vector<List> lists() const {
    QStringList checks, problems, protocol;
    for (const auto& c : plan_.checklist) checks << q(c);
    for (const auto& p : plan_.problems)
      if (p.code != "safety") problems << q(p.where) + ": " + q(p.words);
    for (const auto& l : plan_.protocol.lines) protocol << q(l.question) + ": " + q(l.answer);
    return {{"Safety", safetyLines(), false},
            {"Before rolling", checks, true},
            {"Problems and cautions of the plan", problems, false},
            {"Protocol", protocol, false}};
  }

  QPainter& p_;
  QPdfWriter& writer_;
  const Recipe& recipe_;
  const Plan& plan_;
  QString notice_;
  Theme t_;
};

}  // namespace

void writeRunListPdf(const std::filesystem::path& file, const Recipe& recipe, const Plan& plan,
                     const Knowledge& known, const std::string& notice) {
  writePdf(file, q(recipe.title), {QPageSize::A4, kWidth}, [&](QPainter& p, QPdfWriter& writer) {
    Pages(p, writer, recipe, plan, q(notice)).run(runLines(recipe, plan, known));
  });
}

}  // namespace edge::app
