#include "noise/readout_view.h"

#include <QHBoxLayout>
#include <algorithm>

#include "project/analysis.h"
#include "theme/text.h"

namespace edge::app {
namespace {
constexpr size_t kFramesShown = 2;
}

ReadoutView::ReadoutView(Document& document, QWidget* parent) : NoisePageView(document, parent) {
  picture_ = new PictureView(this);
  trace_ = new Plot(this);
  trace_->setObjectName("rows");
  trace_->setAccessibleName("Mean level of every row, two frames, with the strobe period found");
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(size::kGap);
  row->addWidget(picture_, 1);
  row->addWidget(trace_, 1);
}

void ReadoutView::setTheme(const Theme& t) {
  picture_->setTheme(t);
  trace_->setTheme(t);
  plot();
}

void ReadoutView::show(const NoiseFinding* finding) {
  finding_ = finding;
  plot();
  const auto clips = finding ? finding->subject.clipsOf(ClipKind::RollingShutter) : std::vector<ClipRecord>();
  if (clips.empty() || !finding->strobe) {
    shown_.clear();
    picture_->clearPicture("");
    return;
  }
  const ClipRecord& c = clips.front();
  std::string key = c.hash + pictureHash(finding->subject.setup);
  if (key == shown_) return;
  shown_ = std::move(key);
  picture_->clearPicture("…");
  const DecodeOptions decode = decodeOf(finding->subject.setup, document_.project().folder());
  const std::string display = finding->subject.setup.display;
  const auto clip = document_.project().folder() / c.path;
  job_.start("strobe", [this, clip, frame = c.first, decode, display](const Progress& progress,
                                                                      const Job::Deliver& deliver) {
    auto picture =
        std::make_shared<const Picture>(renderPicture(clip, decode, frame, 1, 0, display, progress));
    deliver([this, picture] { picture_->setPicture(*picture, "the first frame measured"); });
  });
}

// Rows run downward, as in the picture beside.
void ReadoutView::plot() {
  trace_->clearAll();
  if (!finding_ || !finding_->strobe) return trace_->drawSoon();
  const RowTraces& t = *finding_->strobe;
  const Theme& theme = trace_->currentTheme();
  double top = 0;
  for (size_t f = 0; f < std::min(kFramesShown, t.frames.size()); ++f) {
    auto* curve = new QCPCurve(trace_->xAxis, trace_->yAxis);
    curve->setPen(QPen(f ? theme.quiet : theme.solid, f ? 1 : 1.6));
    curve->setName(QString("frame %1").arg(f + 1));
    QVector<double> level, row, at;
    for (size_t y = 0; y < t.frames[f].size(); ++y) {
      at << static_cast<double>(y);
      level << t.frames[f][y];
      row << static_cast<double>(y) * t.rowsPerSample;
      top = std::max(top, t.frames[f][y]);
    }
    curve->setData(at, level, row, true);
  }
  trace_->axisRect()->setVisible(true);
  trace_->legend->setVisible(true);
  trace_->setAxes("level, scene-linear", "row");
  trace_->yAxis->setRangeReversed(true);
  trace_->yAxis->setRange(0, t.rows);
  trace_->xAxis->setRange(0, top * 1.25);
  if (finding_->readout) {
    const Readout& r = *finding_->readout;
    // A line a period, from where the bars of the first frame are brightest.
    if (r.rowsPerPeriod && !r.phases.empty()) {
      const double first = -r.phases[0] * *r.rowsPerPeriod;
      for (double y = first - std::floor(first / *r.rowsPerPeriod) * *r.rowsPerPeriod; y < t.rows;
           y += *r.rowsPerPeriod)
        trace_->addLevel(y, {}, false);
    }
  }
  trace_->drawSoon();
}

}  // namespace edge::app
