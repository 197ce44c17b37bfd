#include "paper/still_picture.h"

#include <QBuffer>
#include <QPainter>
#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "theme/text.h"
#include "theme/tokens.h"

namespace edge::app {
namespace {

constexpr int kFrameWidth = 480, kFrameHeight = 270, kGap = 4, kJpegQuality = 90;

// Where the crop stands: about the face's middle, inside the frame.
QRect cropOf(const Picture& picture, const std::vector<Point>& face) {
  const int side = std::min({kFrameHeight, picture.width, picture.height});
  double x = 0.5, y = 0.5;
  if (!face.empty()) {
    x = y = 0;
    for (const auto& p : face)
      x += p.x / static_cast<double>(face.size()), y += p.y / static_cast<double>(face.size());
  }
  const auto from = [side](double middle, int whole) {
    return std::clamp(static_cast<int>(std::lround(middle * whole)) - side / 2, 0, whole - side);
  };
  return {from(x, picture.width), from(y, picture.height), side, side};
}

}  // namespace

QImage stillPicture(const Picture& picture, const Still& still) {
  const QImage frame(picture.rgb.data(), picture.width, picture.height, 3 * picture.width,
                     QImage::Format_RGB888);
  QImage out(kStillWidth, kStillHeight, QImage::Format_RGB888);
  out.fill(Qt::black);
  QPainter p(&out);
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  const QImage whole = frame.scaled(kFrameWidth, kFrameHeight, Qt::KeepAspectRatio, Qt::SmoothTransformation);
  p.drawImage(QPoint((kFrameWidth - whole.width()) / 2, (kFrameHeight - whole.height()) / 2), whole);
  const QRect crop = cropOf(picture, still.face);
  p.drawImage(QPoint(kFrameWidth + kGap, (kFrameHeight - crop.height()) / 2), frame.copy(crop));
  p.setFont(typeface(20));
  p.setPen(Qt::white);
  const QRect line(8, kFrameHeight, kStillWidth - 16, kStillHeight - kFrameHeight);
  p.drawText(line, Qt::AlignVCenter | Qt::AlignLeft,
             p.fontMetrics().elidedText(q(still.identity), Qt::ElideMiddle, line.width()));
  return out;
}

void addStills(Report& report, const std::filesystem::path& folder, const Progress& progress) {
  std::vector<Still> stills;
  for (const auto& f : report.findings)
    for (auto& s : stillsOf(f, folder)) stills.push_back(std::move(s));
  for (size_t i = 0; i < stills.size(); ++i) {
    const Still& s = stills[i];
    progress.report(static_cast<double>(i) / static_cast<double>(stills.size()), s.identity);
    try {
      QByteArray bytes;
      QBuffer buffer(&bytes);
      buffer.open(QIODevice::WriteOnly);
      if (!stillPicture(renderShown(s.shown, Progress()), s).save(&buffer, "JPEG", kJpegQuality))
        throw Error("the picture can't be encoded", s.identity, "", "install the picture formats of Qt");
      report.stills.push_back({s.configuration, s.identity, bytes.toBase64().toStdString()});
    } catch (const Error& e) {
      report.missing.push_back("No still of " + s.identity + ": " + e.problem());
    }
  }
}

}  // namespace edge::app
