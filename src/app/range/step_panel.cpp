#include "range/step_panel.h"

#include <QPainter>
#include <QVBoxLayout>
#include <cmath>

#include "base/numbers.h"
#include "project/analysis.h"
#include "project/setup.h"
#include "report/explain.h"
#include "theme/text.h"

namespace edge::app {
namespace {

constexpr float kShownSds = 3;

QImage noiseImage(const std::vector<float>& sds, int width, int height) {
  QImage image(width, height, QImage::Format_Grayscale8);
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x) {
      const float v = sds[static_cast<size_t>(y) * static_cast<size_t>(width) + static_cast<size_t>(x)];
      image.scanLine(y)[x] = static_cast<uchar>(std::clamp(127.5F + 127.5F * v / kShownSds, 0.0F, 255.0F));
    }
  return image;
}

}  // namespace

NoiseView::NoiseView(QWidget* parent) : QWidget(parent), theme_(theme(ThemeKind::Dark)) {
  setAccessibleName("Noise of the step, amplified: moving and standing");
  setToolTip("Deviations of luma: black and white are three standard deviations of the moving noise.");
  setFixedSize(168, 96);
}

void NoiseView::setLook(std::shared_ptr<const StepLook> look) {
  look_ = std::move(look);
  moving_ = look_ ? noiseImage(look_->moving, look_->width, look_->height) : QImage();
  standing_ = look_ ? noiseImage(look_->standing, look_->width, look_->height) : QImage();
  update();
}

void NoiseView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), theme_.window);
  p.setPen(theme_.quiet);
  p.setFont(typeface(size::kSmall));
  if (!look_) return p.drawText(rect(), Qt::AlignCenter, "looking at the step …");
  const int side = std::min((width() - size::kGap) / 2, height() - 18);
  int x = 0;
  for (const auto& [image, name] : {std::pair(&moving_, "moving"), std::pair(&standing_, "standing")}) {
    QSize shown = image->size().scaled(side, side, Qt::KeepAspectRatio);
    p.drawImage(QRect(x, 0, shown.width(), shown.height()), *image);
    p.drawText(QRect(x, side + 2, side + size::kGap, 16), Qt::AlignLeft, name);
    x += side + size::kGap;
  }
}

StepPanel::StepPanel(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
  words_ = new QTextBrowser(this);
  words_->setAccessibleName("Why this step is of its class");
  words_->setMinimumHeight(52);
  histogram_ = new Plot(this);
  histogram_->setAccessibleName("Histogram of the step");
  histogram_->setMinimumSize(120, 92);
  noise_ = new NoiseView(this);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  auto* seen = new QHBoxLayout;
  seen->addWidget(histogram_, 1);
  seen->addWidget(noise_);
  column->addWidget(words_, 1);
  column->addLayout(seen);
  connect(&job_, &Job::failed, this,
          [this](const QString& problem, const QString& where, const QString& remedy) {
            words_->append(problem + ": " + where + ". " + remedy);
          });
}

void StepPanel::setTheme(const Theme& t) {
  histogram_->setTheme(t), noise_->setTheme(t);
}

void StepPanel::show(const QString& step) {
  step_ = step;
  refresh();
}

void StepPanel::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  look();
}

void StepPanel::refresh() {
  const Finding* f = document_.current();
  if (!f || !f->range || step_.isEmpty()) {
    words_->setPlainText("Choose a step on the picture, on the trace or in the table.");
    noise_->hide(), histogram_->hide();
    return;
  }
  const Explanation e =
      explain(*f, "patch:" + step_.toStdString(), document_.rangeOptions(), document_.criteria());
  QString html = "<p><b>" + esc(e.title) + "</b></p>";
  for (const auto& p : e.paragraphs) html += "<p>" + esc(p) + "</p>";
  words_->setHtml(html);
  if (isVisible()) look();
}

// Only a panel that is seen reads the clip.
void StepPanel::look() {
  const Finding* f = document_.current();
  const ClipRecord* clip = f ? f->configuration.clipOfKind(ClipKind::Wedge) : nullptr;
  if (!clip || !f->range || step_.isEmpty() || !f->configuration.wedge.find(step_.toStdString())) return;
  const std::string path = (document_.project().folder() / clip->path).string();
  const std::string key =
      path + pictureHash(f->configuration) + toJson(f->configuration.wedge).dump() + step_.toStdString();
  noise_->show(), histogram_->show();
  if (key == looked_) return;
  looked_ = key;
  noise_->setLook(nullptr);
  histogram_->clearAll();
  histogram_->drawSoon();
  const DecodeOptions decode = decodeOf(f->configuration, document_.project().folder());
  job_.start("step " + step_, [this, path, decode, chart = f->configuration.wedge, step = step_.toStdString(),
                               window = FrameWindow{clip->first, clip->frames}, fallback = f->wedge->curve](
                                  const Progress& progress, const Job::Deliver& deliver) {
    DecodeOptions d = decode;
    if (d.curve.empty()) d.curve = fallback;
    const auto reader = openClip(path);
    auto look = std::make_shared<StepLook>(lookAtStep(*reader, d, chart, step, window, progress));
    deliver([this, look] {
      noise_->setLook(look);
      drawHistogram(*look);
    });
  });
}

void StepPanel::drawHistogram(const StepLook& look) {
  const Theme& t = histogram_->currentTheme();
  histogram_->clearAll();
  const QColor ink[3] = {t.red, t.green, t.blue};
  const char* names[3] = {"red", "green", "blue"};
  double low = 1e300, high = -1e300, top = 0;
  for (int c = 0; c < 3; ++c) {
    std::vector<double> x, y;
    const StepHistogram& h = look.histogram[c];
    for (size_t i = 0; i < h.share.size(); ++i) {
      const double left = h.low + h.binWidth * static_cast<double>(i);
      x.insert(x.end(), {left, left + h.binWidth});
      y.insert(y.end(), {100 * h.share[i], 100 * h.share[i]});
      top = std::max(top, y.back());
    }
    if (x.empty()) continue;
    low = std::min(low, x.front()), high = std::max(high, x.back());
    histogram_->addCurve(names[c], ink[c], x, y, false);
  }
  histogram_->setAxes(look.levels > 0 ? "code" : "scene-linear", "");
  histogram_->yAxis->setTickLabels(false);
  histogram_->xAxis->ticker()->setTickCount(3);
  histogram_->xAxis->setRange(low - 0.04 * (high - low), high + 0.04 * (high - low));
  histogram_->yAxis->setRange(0, 1.1 * top);
  histogram_->legend->setVisible(false);
  histogram_->drawSoon();
}

}  // namespace edge::app
