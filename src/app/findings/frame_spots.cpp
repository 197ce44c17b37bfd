#include "findings/frame_spots.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QMouseEvent>
#include <QPushButton>
#include <QVBoxLayout>

#include "base/numbers.h"
#include "media/clip.h"
#include "project/analysis.h"
#include "theme/text.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

// A picture that says where it was clicked.
class ClickedPicture : public PictureView {
 public:
  ClickedPicture(std::function<void(double, double)> clicked, QWidget* parent)
      : PictureView(parent), clicked_(std::move(clicked)) {
    setCursor(Qt::CrossCursor);
  }

 protected:
  void mousePressEvent(QMouseEvent* event) override {
    const QRectF r = pictureRect();
    if (event->button() == Qt::LeftButton && r.contains(event->position()))
      clicked_((event->position().x() - r.left()) / r.width(),
               (event->position().y() - r.top()) / r.height());
  }

 private:
  std::function<void(double, double)> clicked_;
};

}  // namespace

FrameSpots::FrameSpots(Document& document, const Theme& theme, QWidget* parent)
    : QDialog(parent), document_(document) {
  setWindowTitle("Readings from a frame");
  // What is read here is of the project it was opened over.
  connect(&document, &Document::opened, this, &QDialog::reject);
  resize(900, 620);
  auto* column = new QVBoxLayout(this);
  auto* line = new QHBoxLayout;
  configuration_ = new QComboBox(this);
  configuration_->setAccessibleName("Configuration the frame is decoded as");
  for (const auto& f : document.findings()) configuration_->addItem(q(f.configuration.label()));
  configuration_->setCurrentIndex(document.currentIndex());
  exposed_ = new QDoubleSpinBox(this);
  exposed_->setAccessibleName("Exposed over the meter, stops");
  exposed_->setToolTip("how far over the meter's word the frame was exposed: it is taken off every reading");
  exposed_->setRange(-10, 10), exposed_->setSingleStep(1.0 / 3), exposed_->setSuffix(" stops over the meter");
  auto* choose = new QPushButton("Choose a clip or frame…", this);
  connect(choose, &QPushButton::clicked, this, &FrameSpots::ask);
  line->addWidget(new QLabel("Decoded as", this));
  line->addWidget(configuration_, 1);
  line->addWidget(exposed_);
  line->addWidget(choose);
  picture_ = new ClickedPicture([this](double x, double y) { read(x, y); }, this);
  picture_->setTheme(theme);
  picture_->clearPicture("A frame of the scene, shot with one of the configurations, its exposure known.");
  words_ = new WrappedLabel("Click a tone: it joins the readings.", this);
  auto* close = new QPushButton("Done", this);
  connect(close, &QPushButton::clicked, this, &QDialog::accept);
  column->addLayout(line);
  column->addWidget(picture_, 1);
  auto* foot = new QHBoxLayout;
  foot->addWidget(words_, 1);
  foot->addWidget(close);
  column->addLayout(foot);
}

void FrameSpots::ask() {
  const QString file =
      QFileDialog::getOpenFileName(this, "A clip or frame", q(document_.project().folder().string()), {},
                                   nullptr, QFileDialog::DontUseNativeDialog);
  if (!file.isEmpty()) load(file.toStdString());
}

void FrameSpots::load(const std::filesystem::path& clip) {
  const int at = configuration_->currentIndex();
  if (at < 0 || at >= static_cast<int>(document_.findings().size())) return;
  const Configuration& c = document_.findings()[static_cast<size_t>(at)].configuration;
  DecodeOptions decode = decodeOfBracket(c, document_.project().folder());
  frame_ = {};
  picture_->clearPicture("reading …");
  job_.start("frame", [this, clip, decode, display = c.display](const Progress& progress,
                                                                const Job::Deliver& deliver) {
    auto frame = std::make_shared<SpotFrame>();
    auto picture = std::make_shared<Picture>();
    QString trouble;
    try {
      // The middle: a slate stands at the beginning.
      const std::int64_t middle = std::max<std::int64_t>(0, openClip(clip)->info().frames / 2);
      *frame = readSpotFrame(clip, decode, middle, progress);
      *picture = renderPicture(clip, decode, middle, 1, 0, display, progress);
    } catch (const Error& e) {
      trouble = q(e.problem() + ": " + e.remedy());
    }
    deliver([this, frame, picture, trouble, name = q(clip.filename().string())] {
      if (!trouble.isEmpty()) return picture_->clearPicture(trouble);
      frame_ = std::move(*frame);
      picture_->setPicture(*picture, name);
    });
  });
}

void FrameSpots::read(double x, double y) {
  const auto spot = spotAt(frame_, x, y);
  if (!spot) return words_->setText("There is no light to be read there.");
  const double stops = spot->stops - exposed_->value();
  if (spot->clipped)
    return words_->setText("It clips there: the tone is brighter than " + q(formatSigned(stops, 1)) +
                           ". Read it in a frame exposed less, or with a spot meter.");
  words_->setText(q(formatSigned(stops, 1)) + " stops from grey: added. Give it its name in the list.");
  emit found(stops);
}

}  // namespace edge::app
