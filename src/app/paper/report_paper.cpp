#include "paper/report_paper.h"

#include <QAbstractTextDocumentLayout>
#include <QPainter>
#include <QPdfWriter>
#include <QTextDocument>

#include "paper/pdf.h"
#include "theme/text.h"
#include "theme/tokens.h"

namespace edge::app {
namespace {

constexpr const char* kPaperStyle =
    "h2{font-size:15px}h3{font-size:12px}th{text-align:left;color:#666}td,th{padding:2px 8px 2px 0}"
    ".quiet{color:#666;font-size:9px}.figure{font-weight:600}";
constexpr double kTextTop = kPageMargin, kFoot = 24;
constexpr int kColumns = 2, kRows = 4;

// Words and tables, over as many pages as they need.
void drawText(QPainter& p, const std::string& html, const QString& title,
              const std::function<void()>& newPage) {
  if (html.empty()) return;
  QTextDocument text;
  text.setDocumentMargin(0);
  text.setDefaultFont(typeface(10));
  text.setDefaultStyleSheet(kPaperStyle);
  text.setHtml(q(html));
  const double width = kPageWidth - 2 * kPageMargin,
               height = kPageHeight - kTextTop - kFoot - kPageMargin / 2;
  text.setPageSize(QSizeF(width, height));
  for (int page = 0; page < text.pageCount(); ++page) {
    newPage();
    p.fillRect(QRectF(0, 0, kPageWidth, kPageHeight), paperTheme().window);
    p.save();
    p.translate(kPageMargin, kTextTop - page * height);
    QAbstractTextDocumentLayout::PaintContext context;
    context.clip = QRectF(0, page * height, width, height);
    context.palette.setColor(QPalette::Text, paperTheme().text);
    p.setClipRect(context.clip);
    text.documentLayout()->draw(&p, context);
    p.restore();
    p.setFont(typeface(size::kSmall - 2));
    p.setPen(paperTheme().quiet);
    p.drawText(QRectF(kPageMargin, kPageHeight - kFoot, width, 14), Qt::AlignLeft, title);
  }
}

void drawStills(QPainter& p, const Report& report, const Finding& f, const std::function<void()>& newPage) {
  constexpr double kTop = 76, kBetween = 4;
  const double height = (kPageHeight - kTop - kFoot) / kRows - kBetween,
               width = height * kStillWidth / kStillHeight;
  int at = 0;
  for (const auto& s : report.stills) {
    if (s.configuration != f.configuration.id) continue;
    if (at % (kColumns * kRows) == 0) {
      newPage();
      drawPageHeader(p, q(f.configuration.label()), kScreenLegend);
    }
    const int cell = at++ % (kColumns * kRows);
    const QImage picture = QImage::fromData(QByteArray::fromBase64(QByteArray::fromStdString(s.jpeg)));
    p.drawImage(QRectF(kPageMargin + cell % kColumns * (width + 2 * kBetween),
                       kTop + cell / kColumns * (height + kBetween), width, height),
                picture);
  }
}

}  // namespace

void writeReportPdf(const std::filesystem::path& file, const Report& report) {
  const QString title = q(report.title);
  writePdf(file, title, {QPageSize::A5, kPageWidth}, [&](QPainter& p, QPdfWriter& writer) {
    const auto newPage = [&] { writer.newPage(); };
    drawBoardPages(p, report.findings, title, newPage);
    drawText(p, reportFront(report), title, newPage);
    for (const auto& f : report.findings) {
      newPage();
      drawCardPages(p, f, title, newPage);
      drawStills(p, report, f, newPage);
    }
    drawText(p, reportBack(report), title, newPage);
  });
}

}  // namespace edge::app
