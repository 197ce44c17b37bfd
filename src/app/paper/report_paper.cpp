#include "paper/report_paper.h"

#include <QAbstractTextDocumentLayout>
#include <QPainter>
#include <QPdfWriter>
#include <QTextDocument>
#include <algorithm>
#include <cmath>

#include "base/numbers.h"
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

// Luma signal to noise of every step, stops from grey, with the thresholds of the range.
void drawSnr(QPainter& p, const QRectF& area, const std::vector<std::pair<double, double>>& points) {
  constexpr double kFrom = -10, kTo = 10, kLow = -1, kHigh = 10;  // stops; log2 SNR
  const Theme t = paperTheme();
  const QRectF plot = area.adjusted(8, 2, -8, -16);
  const auto at = [&](double stops, double snr) {
    return QPointF(plot.left() + (std::clamp(stops, kFrom, kTo) - kFrom) / (kTo - kFrom) * plot.width(),
                   plot.bottom() - (std::clamp(snr, kLow, kHigh) - kLow) / (kHigh - kLow) * plot.height());
  };
  p.setFont(typeface(8));
  for (const double snr : {1.0, 2.0, 10.0, 100.0}) {
    const double y = at(0, std::log2(snr)).y();
    p.setPen(QPen(t.rule, 0.5));
    p.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y));
    p.setPen(t.quiet);
    p.drawText(QPointF(plot.left(), y - 2), QString("SNR %1").arg(snr));
  }
  for (int stops = static_cast<int>(kFrom); stops <= static_cast<int>(kTo); stops += 5)
    p.drawText(QRectF(at(stops, 0).x() - 20, plot.bottom() + 2, 40, 12), Qt::AlignHCenter,
               stops == 0 ? QString("grey") : q(formatSigned(stops, 0)));
  QPolygonF line;
  for (const auto& [stops, snr] : points) line << at(stops, snr);
  p.setPen(QPen(t.text, 1));
  p.drawPolyline(line);
  p.setBrush(t.text);
  for (const QPointF& dot : line) p.drawEllipse(dot, 1.5, 1.5);
  p.setBrush(Qt::NoBrush);
}

// Stills, then the plot, four rows a page.
void drawPictures(QPainter& p, const Report& report, const Finding& f, const std::function<void()>& newPage) {
  constexpr double kTop = 76, kBetween = 4;
  const double height = (kPageHeight - kTop - kFoot) / kRows - kBetween,
               width = height * kStillWidth / kStillHeight;
  int used = 0;
  const auto next = [&] {
    if (used % (kColumns * kRows) == 0) {
      newPage();
      drawPageHeader(p, q(f.configuration.label()), kScreenLegend);
    }
    const int cell = used++ % (kColumns * kRows);
    return QRectF(kPageMargin + cell % kColumns * (width + 2 * kBetween),
                  kTop + cell / kColumns * (height + kBetween), width, height);
  };
  for (const auto& s : report.stills)
    if (s.configuration == f.configuration.id)
      p.drawImage(next(), QImage::fromData(QByteArray::fromBase64(QByteArray::fromStdString(s.jpeg))));
  if (const auto points = snrCurve(f); points.size() > 1) drawSnr(p, next(), points);
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
      drawPictures(p, report, f, newPage);
    }
    drawText(p, reportBack(report), title, newPage);
  });
}

}  // namespace edge::app
