#include "noise/pair_view.h"

#include <QHBoxLayout>
#include <cmath>

#include "base/numbers.h"
#include "project/analysis.h"
#include "theme/text.h"

namespace edge::app {

PairView::PairView(Document& document, QWidget* parent) : NoisePageView(document, parent) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(size::kGap);
  for (auto& p : pictures_) {
    p = new PictureView(this);
    p->setActualSize(actualSize_);
    row->addWidget(p, 1);
    connect(p, &PictureView::centreMoved, this, [this](const QPointF& centre) {
      for (auto* other : pictures_) other->setCentre(centre);
    });
  }
  connect(&job_, &Job::failed, this,
          [this](const QString& problem, const QString& where, const QString& remedy) {
            for (auto* p : pictures_)
              if (!p->hasPicture()) p->clearPicture(problem + "\n" + where + "\n" + remedy);
          });
}

void PairView::setTheme(const Theme& t) {
  for (auto* p : pictures_) p->setTheme(t);
}

void PairView::turnZoom() {
  actualSize_ = !actualSize_;
  for (auto* p : pictures_) p->setActualSize(actualSize_);
}

void PairView::show(const NoiseFinding* finding) {
  if (!finding || !finding->pair || finding->pair->takes.size() < 2) {
    shown_.clear();
    for (auto* p : pictures_) p->clearPicture("");
    return;
  }
  struct Wanted {
    std::filesystem::path clip;
    std::int64_t frame = 0;
    double k = 1;
    QString caption;
  };
  std::vector<Wanted> wanted;
  std::string key = pictureHash(finding->subject.setup);
  for (size_t i = 0; i < 2; ++i) {
    const ZonesOfTake& t = finding->pair->takes[i];
    // Both at the brightness of the native, brighter one.
    const double lift = t.brightness - finding->pair->takes[1].brightness;
    for (const auto& c : finding->subject.clipsOf(ClipKind::PushPair)) {
      if (c.name != t.name) continue;
      wanted.push_back({document_.project().folder() / c.path, c.first, std::exp2(lift),
                        std::abs(lift) < 0.05 ? QString("ISO %1").arg(t.iso)
                                              : QString("ISO %1, brought to equal brightness by %2 stops")
                                                    .arg(t.iso)
                                                    .arg(q(formatSigned(-lift, 2)))});
      key += c.hash + std::to_string(lift);
      break;
    }
  }
  if (wanted.size() < 2 || key == shown_) return;
  shown_ = key;
  for (auto* p : pictures_) p->clearPicture("…");
  const DecodeOptions decode = decodeOf(finding->subject.setup, document_.project().folder());
  const std::string display = finding->subject.setup.display;
  job_.start("pair", [this, wanted, decode, display](const Progress& progress, const Job::Deliver& deliver) {
    for (size_t i = 0; i < 2; ++i) {
      auto picture = std::make_shared<const Picture>(
          renderPicture(wanted[i].clip, decode, wanted[i].frame, wanted[i].k, 0, display, progress));
      deliver(
          [this, i, picture, caption = wanted[i].caption] { pictures_[i]->setPicture(*picture, caption); });
    }
  });
}

}  // namespace edge::app
