#include "paper/slate_page.h"

#include <QPainter>
#include <QPdfWriter>
#include <algorithm>

#include "paper/pdf.h"
#include "plan/run_list.h"
#include "theme/text.h"
#include "theme/tokens.h"

namespace edge::app {
namespace {

constexpr int kQuiet = 4;  // white modules around the symbol (ISO/IEC 18004)

// Largest type in which the words fit the width, wrapped.
void drawFitted(QPainter& p, const QRectF& room, const QString& words, double most, bool bold) {
  for (double pixels = most; pixels > 8; pixels *= 0.92) {
    p.setFont(typeface(static_cast<int>(pixels), bold));
    const QRectF needed = p.boundingRect(room, Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, words);
    if (needed.height() <= room.height() && needed.width() <= room.width()) break;
  }
  p.drawText(room, Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, words);
}

}  // namespace

SlateFace slateFace(const std::string& project, const Recipe& recipe, const Take& t, int attempt) {
  SlateFace f;
  f.symbol = qrOf(slateText(slateOf(project, t, attempt)));
  f.title = q(recipe.title), f.slate = q(t.slate);
  f.settings = QString("ISO %1 · %2 · %3 · %4")
                   .arg(t.iso)
                   .arg(q(t.settings.engraved), q(shutterWords(t.settings)),
                        t.settings.filters.empty() ? QString("no ND") : q(filterWords(t.settings)));
  if (const QString lamps = q(lampWords(t.settings)); !lamps.isEmpty()) f.settings += "\n" + lamps;
  f.attempt =
      QString("take %1%2").arg(t.number).arg(attempt > 1 ? QString(", attempt %1").arg(attempt) : QString());
  return f;
}

void paintSlate(QPainter& p, const QRectF& area, const SlateFace& f) {
  p.save();
  p.fillRect(area, Qt::white);
  p.setPen(Qt::black);
  const double side = std::min(area.height(), area.width() * 0.56), margin = area.height() * 0.05;
  // Whole pixels a module, so that no edge is grey.
  const double module = std::max(1.0, std::floor(side / (f.symbol.side + 2 * kQuiet)));
  const double left = area.left() + kQuiet * module, top = area.center().y() - module * f.symbol.side / 2;
  for (int y = 0; y < f.symbol.side; ++y)
    for (int x = 0; x < f.symbol.side; ++x)
      if (f.symbol.at(x, y))
        p.fillRect(QRectF(left + x * module, top + y * module, module, module), Qt::black);
  const double textLeft = area.left() + side + margin / 2, width = area.right() - textLeft - margin;
  const double h = area.height() - 2 * margin;
  const auto room = [&](double from, double to) {
    return QRectF(textLeft, area.top() + margin + from * h, width, (to - from) * h);
  };
  drawFitted(p, room(0, 0.13), f.title, h * 0.05, false);
  drawFitted(p, room(0.15, 0.58), f.slate, h * 0.16, true);
  drawFitted(p, room(0.60, 0.86), f.settings, h * 0.055, false);
  drawFitted(p, room(0.88, 1), f.attempt, h * 0.08, true);
  p.restore();
}

void writeSlatesPdf(const std::filesystem::path& file, const std::string& project, const Recipe& recipe,
                    const Plan& plan, const std::vector<int>& attempts) {
  constexpr double kA5Width = 794, kA5Height = 559;  // landscape, in 1/96 inch
  writePdf(file, "Slates, " + q(recipe.title), {QPageSize::A5, kA5Width},
           [&](QPainter& p, QPdfWriter& writer) {
             for (size_t i = 0; i < plan.takes.size(); ++i) {
               if (i > 0) writer.newPage();
               paintSlate(p, QRectF(0, 0, kA5Width, kA5Height),
                          slateFace(project, recipe, plan.takes[i], attempts[i]));
             }
           });
}

}  // namespace edge::app
