#include "noise/look_view.h"

#include <QGridLayout>
#include <QMouseEvent>
#include <QPainter>
#include <QSignalBlocker>
#include <algorithm>
#include <cmath>

#include "base/numbers.h"
#include "project/analysis.h"
#include "theme/text.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

constexpr int kCropWidth = 480, kCropHeight = 300;  // pixels of the picture kept of each frame
constexpr std::int64_t kMostFrames = 24;
constexpr int kMostZoom = 3;
constexpr float kAmplified = 6;

}  // namespace

CropView::CropView(QWidget* parent) : QWidget(parent), theme_(edge::app::theme(ThemeKind::Dark)) {
  setMinimumSize(200, 110);
  setCursor(Qt::OpenHandCursor);
}

void CropView::setImage(const QImage& image) {
  image_ = image;
  update();
}

void CropView::setZoom(int zoom) {
  zoom_ = zoom;
  update();
}

void CropView::setTheme(const Theme& t) {
  theme_ = t;
  update();
}

// Real pixels of the screen: a dense screen magnifies nothing by itself.
void CropView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), theme_.window);
  if (image_.isNull()) return;
  const double scale = zoom_ / devicePixelRatioF();
  const QSizeF size(image_.width() * scale, image_.height() * scale);
  const QPointF at = QRectF(rect()).center() - QPointF(size.width() / 2, size.height() / 2) + shift_;
  p.setRenderHint(QPainter::SmoothPixmapTransform, false);
  p.drawImage(QRectF(at, size), image_);
}

void CropView::mousePressEvent(QMouseEvent* event) {
  from_ = event->position();
}

void CropView::mouseMoveEvent(QMouseEvent* event) {
  if (!(event->buttons() & Qt::LeftButton)) return;
  shift_ = event->position() - from_;
  update();
}

void CropView::mouseReleaseEvent(QMouseEvent*) {
  const QPointF moved = shift_ * devicePixelRatioF() / zoom_;
  shift_ = {};
  if (std::hypot(moved.x(), moved.y()) > 1) emit dragged(moved);
}

LookView::LookView(Document& document, QWidget* parent) : NoisePageView(document, parent) {
  auto* head = new QHBoxLayout;
  play_ = new QPushButton("Play", this);
  play_->setObjectName("play");
  play_->setCheckable(true);
  connect(play_, &QPushButton::clicked, this, &LookView::setPlaying);
  residualButton_ = new QPushButton("What moves", this);
  residualButton_->setCheckable(true);
  residualButton_->setToolTip("The frame less the mean of all frames, amplified, on grey");
  connect(residualButton_, &QPushButton::clicked, this, &LookView::setResidual);
  zoomButton_ = new QPushButton(this);
  connect(zoomButton_, &QPushButton::clicked, this, &LookView::turnZoom);
  words_ = new WrappedLabel(this);
  words_->setObjectName("quiet");
  for (QWidget* w : std::initializer_list<QWidget*>{play_, residualButton_, zoomButton_}) head->addWidget(w);
  head->addWidget(words_, 1);
  auto* grid = new QGridLayout;
  grid->setSpacing(size::kGap);
  for (int i = 0; i < kViews; ++i) {
    choices_[i] = new QComboBox(this);
    choices_[i]->setObjectName(QString("look:%1").arg(i));
    choices_[i]->setAccessibleName(QString("ISO of picture %1").arg(i + 1));
    crops_[i] = new CropView(this);
    auto* cell = new QVBoxLayout;
    cell->setSpacing(2);
    cell->addWidget(choices_[i]);
    cell->addWidget(crops_[i], 1);
    grid->addLayout(cell, i / 2, i % 2);
    connect(choices_[i], &QComboBox::activated, this, &LookView::load);
    connect(crops_[i], &CropView::dragged, this, [this](const QPointF& moved) {
      if (!finding_ || !finding_->ladder) return;
      const double w = std::max(1, finding_->ladder->rasterWidth),
                   h = std::max(1, finding_->ladder->rasterHeight);
      centre_ = {std::clamp(centre_.x() - moved.x() / w, 0.0, 1.0),
                 std::clamp(centre_.y() - moved.y() / h, 0.0, 1.0)};
      load();
    });
  }
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(size::kGrid);
  column->addLayout(head);
  column->addLayout(grid, 1);
  connect(&timer_, &QTimer::timeout, this, [this] {
    ++shown_;
    ++sinceClock_;
    showFrame();
    if (clock_.elapsed() < 1000) return;
    rate_ = 1000.0 * sinceClock_ / static_cast<double>(clock_.elapsed());
    sinceClock_ = 0;
    clock_.restart();
    say();
  });
  timer_.setTimerType(Qt::PreciseTimer);
  connect(&job_, &Job::failed, this,
          [this](const QString& problem, const QString& where, const QString& remedy) {
            words_->setText(problem + " " + where + " " + remedy);
          });
  for (auto* c : crops_) c->setZoom(zoom_);
  say();
}

bool LookView::loaded() const {
  return std::none_of(std::begin(frames_), std::end(frames_), [](const auto& f) { return f.empty(); });
}

void LookView::setTheme(const Theme& t) {
  for (auto* c : crops_) c->setTheme(t);
}

void LookView::hideEvent(QHideEvent* event) {
  NoisePageView::hideEvent(event);
  setPlaying(false);
}

void LookView::turnZoom() {
  zoom_ = zoom_ % kMostZoom + 1;
  for (auto* c : crops_) c->setZoom(zoom_);
  say();
}

void LookView::setPlaying(bool on) {
  play_->setChecked(on);
  if (!on) {
    timer_.stop();
    rate_ = 0;
  } else if (loaded()) {
    sinceClock_ = 0;
    clock_.start();
    timer_.start(static_cast<int>(std::lround(1000 / fps_)));
  }
  say();
}

void LookView::setResidual(bool on) {
  residual_ = on;
  residualButton_->setChecked(on);
  showFrame();
  say();
}

void LookView::show(const NoiseFinding* finding) {
  finding_ = finding;
  shots_.clear();
  if (!finding || !finding->ladder) {
    setPlaying(false);
    job_.abandon();
    wanted_.clear();
    // {} would be assigned as no elements, and keep the room of those that were.
    for (int i = 0; i < kViews; ++i) frames_[i] = std::vector<Picture>(), means_[i] = std::vector<float>();
    return showFrame();
  }
  for (const auto& t : finding->ladder->takes)
    for (const auto& c : finding->subject.clipsOf(ClipKind::IsoLadder))
      if (c.name == t.name) {
        shots_.push_back({t.name, c.hash, t.iso, t.brightness - finding->ladder->takes[0].brightness,
                          document_.project().folder() / c.path, c.first, c.frames});
        break;
      }
  fillChoices();
  load();
}

// The ends of the ladder and two between; a person's choice stays.
void LookView::fillChoices() {
  for (int i = 0; i < kViews; ++i) {
    const QSignalBlocker quietly(choices_[i]);
    const QVariant before = choices_[i]->currentData();
    choices_[i]->clear();
    for (const auto& s : shots_) choices_[i]->addItem(QString("ISO %1").arg(s.iso), q(s.hash));
    const int kept = before.isValid() ? choices_[i]->findData(before) : -1;
    const int last = static_cast<int>(shots_.size()) - 1;
    choices_[i]->setCurrentIndex(kept >= 0 ? kept : last * i / (kViews - 1));
  }
  if (!centre_.isNull()) return;
  // The first face, or the middle of the picture.
  centre_ = {0.5, 0.5};
  const Configuration& c = finding_->subject.setup;
  for (const auto& r : c.regions)
    if (r.role == "skin") {
      QPolygonF polygon;
      for (const auto& p : r.corners) polygon << QPointF(p.x, p.y);
      const QPointF middle = polygon.boundingRect().center();
      centre_ = {middle.x() / c.bench.referenceWidth, middle.y() / c.bench.referenceHeight};
      return;
    }
}

void LookView::load() {
  if (shots_.empty()) return;
  struct Wanted {
    Shot shot;
    int view;
  };
  std::vector<Wanted> list;
  std::string key =
      pictureHash(finding_->subject.setup) + std::to_string(centre_.x()) + " " + std::to_string(centre_.y());
  for (int i = 0; i < kViews; ++i) {
    const int at = std::clamp(choices_[i]->currentIndex(), 0, static_cast<int>(shots_.size()) - 1);
    list.push_back({shots_[static_cast<size_t>(at)], i});
    key += "|" + list.back().shot.hash;
  }
  if (key == wanted_) return;
  wanted_ = key;
  const double w = finding_->ladder->rasterWidth, h = finding_->ladder->rasterHeight;
  const Rect area{std::max(0, static_cast<int>(centre_.x() * w) - kCropWidth / 2),
                  std::max(0, static_cast<int>(centre_.y() * h) - kCropHeight / 2), kCropWidth, kCropHeight};
  const DecodeOptions decode = decodeOf(finding_->subject.setup, document_.project().folder());
  const std::string display = finding_->subject.setup.display;
  job_.start("look", [this, list, area, decode, display](const Progress& progress,
                                                         const Job::Deliver& deliver) {
    for (const auto& one : list) {
      Correction c;
      c.back.k = std::exp2(one.shot.brightness);
      const std::int64_t count = one.shot.frames > 0 ? std::min(one.shot.frames, kMostFrames) : kMostFrames;
      auto frames = std::make_shared<std::vector<Picture>>(
          renderFrames(one.shot.clip, decode, {one.shot.first, count}, area, c, display, progress));
      const double fps = openClip(one.shot.clip)->info().fps;
      auto mean = std::make_shared<std::vector<float>>(frames->empty() ? 0 : frames->front().rgb.size());
      for (const auto& f : *frames)
        for (size_t i = 0; i < mean->size(); ++i)
          (*mean)[i] += static_cast<float>(f.rgb[i]) / static_cast<float>(frames->size());
      deliver([this, view = one.view, frames, mean, fps] {
        frames_[view] = std::move(*frames);
        means_[view] = std::move(*mean);
        if (fps > 0) fps_ = fps;
        showFrame();
        say();
      });
    }
  });
}

QImage LookView::imageOf(int view) const {
  const auto& frames = frames_[view];
  if (frames.empty()) return {};
  const Picture& p = frames[static_cast<size_t>(shown_) % frames.size()];
  if (!residual_) return QImage(p.rgb.data(), p.width, p.height, 3 * p.width, QImage::Format_RGB888).copy();
  QImage image(p.width, p.height, QImage::Format_RGB888);
  for (int y = 0; y < p.height; ++y) {
    std::uint8_t* out = image.scanLine(y);
    const size_t row = 3 * static_cast<size_t>(y) * p.width;
    for (size_t x = 0; x < 3 * static_cast<size_t>(p.width); ++x)
      out[x] = static_cast<std::uint8_t>(std::clamp(
          128 + kAmplified * (static_cast<float>(p.rgb[row + x]) - means_[view][row + x]), 0.0F, 255.0F));
  }
  return image;
}

void LookView::showFrame() {
  for (int i = 0; i < kViews; ++i) crops_[i]->setImage(imageOf(i));
}

void LookView::say() {
  zoomButton_->setText(QString("%1 %").arg(100 * zoom_));
  const auto count = frames_[0].size();
  QString words = "All at the first one's brightness. ";
  if (!timer_.isActive())
    words += "Frozen.";
  else if (rate_ > 0)
    words += QString("%1 frames in a loop, %2 of %3 a second%4.")
                 .arg(count)
                 .arg(rate_, 0, 'f', 0)
                 .arg(fps_, 0, 'f', 0)
                 .arg(rate_ < 0.9 * fps_ ? ": slower than shot" : "");
  else
    words += QString("%1 frames in a loop.").arg(count);
  if (residual_) words += QString(" What moves, %1 times.").arg(kAmplified);
  words_->setText(words);
}

}  // namespace edge::app
