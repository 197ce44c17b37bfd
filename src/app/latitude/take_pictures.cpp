#include "latitude/take_pictures.h"

#include <QHBoxLayout>
#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/numbers.h"
#include "project/analysis.h"
#include "theme/text.h"

namespace edge::app {
namespace {

constexpr const char* kRecoveryWords[] = {"; H rebuilds highlights", "; highlights rebuilt",
                                          "; what is rebuilt is tinted"};
constexpr QSize kLeastPicture = {128, 72};  // a low window keeps its figures whole

QImage imageOf(const Picture& p) {
  return QImage(p.rgb.data(), p.width, p.height, 3 * p.width, QImage::Format_RGB888);
}

std::string keyOf(const ClipRecord& clip, const Configuration& c) {
  return clip.path + clip.hash + pictureHash(c);
}

// Where faceOf() cuts.
std::string facesOf(const Configuration& c) {
  Chart faces;
  faces.referenceWidth = c.bench.referenceWidth, faces.referenceHeight = c.bench.referenceHeight;
  for (const auto& r : c.regions)
    if (r.role == "skin") faces.patches.push_back(r);
  return toJson(faces).dump();
}

// The faces, with some room about them; the whole picture where none is marked.
QImage faceOf(const Picture& picture, const Configuration& c) {
  constexpr int kTall = 240;  // twice what the strip shows, for dense screens
  const QImage whole = imageOf(picture);
  QRectF faces;
  const double sx = picture.width / c.bench.referenceWidth, sy = picture.height / c.bench.referenceHeight;
  for (const auto& r : c.regions) {
    if (r.role != "skin") continue;
    QPolygonF polygon;
    for (const auto& p : r.corners) polygon << QPointF(p.x * sx, p.y * sy);
    const QRectF box = polygon.boundingRect();
    // The first face: sitters that stand apart would make both small.
    if (faces.isNull() ||
        box.adjusted(-box.width(), -box.height(), box.width(), box.height()).intersects(faces))
      faces = faces.united(box);
  }
  QRectF part = whole.rect();
  if (!faces.isNull()) {
    const double room = 1.1 * std::max(faces.width(), faces.height());
    part = faces.adjusted(-room, -room, room, room).intersected(QRectF(whole.rect()));
  }
  return whole.copy(part.toRect()).scaledToHeight(kTall, Qt::SmoothTransformation);
}

}  // namespace

TakePictures::TakePictures(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
  connect(&document_, &Document::left, this, [this] { store_.clear(), faces_.clear(); });
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(size::kGap);
  base_ = new PictureView(this);
  shot_ = new PictureView(this);
  back_ = new PictureView(this);
  for (auto* view : {base_, shot_, back_}) {
    view->setMinimumSize(kLeastPicture);
    row->addWidget(view, 1);
    connect(view, &PictureView::centreMoved, this, [this](const QPointF& centre) {
      for (auto* other : {base_, shot_, back_}) other->setCentre(centre);
    });
  }
  const auto failed = [this](const QString& problem, const QString& where, const QString& remedy) {
    for (auto* view : {base_, shot_, back_})
      if (!view->hasPicture()) view->clearPicture(problem + "\n" + where + "\n" + remedy);
  };
  connect(&job_, &Job::failed, this, failed);
}

void TakePictures::setTheme(const Theme& t) {
  for (auto* view : {base_, shot_, back_}) view->setTheme(t);
}

void TakePictures::toggleActualSize() {
  actualSize_ = !actualSize_;
  for (auto* view : {base_, shot_, back_}) view->setActualSize(actualSize_);
}

void TakePictures::flip(bool held) {
  if (flipped_ == held) return;
  flipped_ = held;
  load();
}

void TakePictures::pinPreviousStep(bool on) {
  pinned_ = on;
  load();
}

void TakePictures::show(const BracketView& view, const QString& take) {
  view_ = view;
  take_ = take;
  load();
  loadStrip();
  outline();
}

void TakePictures::turnRecovery() {
  recovery_ = recovery_ == Recovery::Off  ? Recovery::On
              : recovery_ == Recovery::On ? Recovery::Tinted
                                          : Recovery::Off;
  load();
}

std::optional<TakePictures::Wanted> TakePictures::baseWanted() const {
  const Finding* f = document_.current();
  const ClipRecord* clip = f ? f->configuration.clipOfKind(ClipKind::Base) : nullptr;
  if (!clip) return std::nullopt;
  return Wanted{
      keyOf(*clip, f->configuration), document_.project().folder() / clip->path, clip->first + 1, {}, "base"};
}

std::optional<TakePictures::Wanted> TakePictures::takeWanted(const QString& name, bool corrected) const {
  const int i = view_.indexOf(name);
  if (i < 0) return std::nullopt;
  const TakeMetrics& m = view_.take(static_cast<size_t>(i));
  for (const auto& clip : view_.finding->configuration.clips) {
    if (clip.kind != ClipKind::Take || clip.name != m.name) continue;
    Wanted w{keyOf(clip, view_.finding->configuration),
             document_.project().folder() / clip.path,
             clip.first + 1,
             {},
             QString("take %1 as shot").arg(name)};
    if (!corrected) return w;
    w.correction = m.solved.correction;
    const BranchSpec& branch = specOf(w.correction.branch);
    w.key += std::string("|") + branch.key + "|" + std::to_string(m.k()) + "|" + std::to_string(m.q());
    w.caption =
        w.correction.branch == Branch::Exposure
            ? QString("take %1 brought back by %2 stops").arg(name, q(formatSigned(-std::log2(m.k()), 2)))
            : QString("take %1 brought back, %2").arg(name, branch.words);
    return w;
  }
  return std::nullopt;
}

std::optional<TakePictures::Wanted> TakePictures::backWanted(const QString& take) const {
  auto w = takeWanted(take, true);
  const int i = view_.indexOf(take);
  if (!w || i < 0 || !view_.take(static_cast<size_t>(i)).rebuiltSkin)
    return w;  // not raw, or nothing to rebuild
  w->recovery = recovery_;
  if (recovery_ != Recovery::Off) w->key += "|" + std::to_string(static_cast<int>(recovery_));
  w->caption += kRecoveryWords[static_cast<size_t>(recovery_)];
  return w;
}

// The neighbour of the chosen take on the side of the base; empty: the base itself.
QString TakePictures::stepTowardsBase() const {
  const int chosen = view_.indexOf(take_);
  if (chosen < 0) return {};
  const auto& takes = view_.measure().takes;
  const double planned = takes[static_cast<size_t>(chosen)].planned;
  QString best;
  double nearest = 0;
  for (const auto& t : takes) {
    const bool between = std::abs(t.planned) < std::abs(planned) && t.planned * planned > 0;
    if (between && std::abs(t.planned) > nearest) {
      nearest = std::abs(t.planned);
      best = q(t.name);
    }
  }
  return best;
}

void TakePictures::put(PictureView* view, const std::optional<Wanted>& wanted) {
  if (!wanted) return view->clearPicture(document_.current() ? "Measured takes appear here." : "");
  if (const auto picture = store_.find(wanted->key)) return view->setPicture(*picture, wanted->caption);
}

void TakePictures::load() {
  const QString before = pinned_ ? stepTowardsBase() : QString();
  const auto left = before.isEmpty() ? baseWanted() : backWanted(before);
  const std::vector<std::pair<PictureView*, std::optional<Wanted>>> list = {
      {base_, left}, {shot_, takeWanted(take_, false)}, {back_, flipped_ ? baseWanted() : backWanted(take_)}};
  std::vector<std::pair<PictureView*, Wanted>> missing;
  for (const auto& [view, wanted] : list) {
    put(view, wanted);
    if (wanted && !store_.find(wanted->key)) missing.emplace_back(view, *wanted);
  }
  if (missing.empty() || !document_.current()) return;
  const Configuration& c = document_.current()->configuration;
  const DecodeOptions decode = decodeOfBracket(c, document_.project().folder());
  const std::string display = c.display;
  job_.start("pictures",
             [this, missing, decode, display](const Progress& progress, const Job::Deliver& deliver) {
               for (const auto& [view, w] : missing) {
                 auto picture = std::make_shared<const Picture>(
                     renderPicture(w.clip, decode, w.frame, w.correction, display, progress, w.recovery));
                 deliver([this, picture, view = view, w = w] {
                   store_.put(w.key, picture);
                   view->setPicture(*picture, w.caption);
                 });
               }
             });
}

// All takes; those next to the chosen one come first.
void TakePictures::loadStrip() {
  if (!view_.finding) {
    stripOf_.clear();
    return;
  }
  std::vector<std::pair<QString, Wanted>> all, missing;
  std::string keys;
  const std::string faces = facesOf(view_.finding->configuration);
  for (const size_t i : view_.order) {
    const QString name = q(view_.measure().takes[i].name);
    if (auto w = takeWanted(name, true)) {
      w->key += faces;
      all.emplace_back(name, *w);
      keys += w->key + ";";
    }
  }
  if (keys == stripOf_) return;
  stripOf_ = keys;
  emit stripBegun();
  for (const auto& [name, w] : all)
    if (const auto seen = faces_.find(w.key))
      emit broughtBack(name, *seen);
    else
      missing.emplace_back(name, w);
  const int chosen = view_.indexOf(take_);
  const double here = chosen < 0 ? 0 : view_.measure().takes[static_cast<size_t>(chosen)].planned;
  const auto far = [&](const QString& name) {
    return std::abs(view_.measure().takes[static_cast<size_t>(view_.indexOf(name))].planned - here);
  };
  std::stable_sort(missing.begin(), missing.end(),
                   [&](const auto& a, const auto& b) { return far(a.first) < far(b.first); });
  const Configuration& c = view_.finding->configuration;
  const DecodeOptions decode = decodeOfBracket(c, document_.project().folder());
  stripJob_.start(
      "contact strip", [this, missing, decode, c](const Progress& progress, const Job::Deliver& deliver) {
        for (const auto& [name, w] : missing) {
          const Picture picture = renderPicture(w.clip, decode, w.frame, w.correction, c.display, progress);
          deliver([this, name = name, key = w.key, face = faceOf(picture, c)] {
            faces_.put(key, std::make_shared<QImage>(face), static_cast<std::size_t>(face.sizeInBytes()));
            emit broughtBack(name, face);
          });
        }
      });
}

// Places that decide the chosen take's verdict.
void TakePictures::outline() {
  std::vector<PictureRegion> regions;
  const int chosen = view_.indexOf(take_);
  if (chosen >= 0) {
    const Configuration& c = view_.finding->configuration;
    const LatitudeMeasure& m = view_.measure();
    const auto add = [&](const std::string& place, const QString& words) {
      const std::string wanted = place.empty() ? m.faceGrey : place == "a dark grey" ? m.darkPatch : place;
      for (const auto* list : {&c.regions, &c.bench.patches})
        for (const auto& p : *list)
          if (p.name == wanted) regions.push_back({p.corners, q(p.name), words});
    };
    for (const auto& r : view_.result().verdicts[static_cast<size_t>(chosen)].reasons)
      add(r.place, q(reasonWords(r)));
    back_->setRegions(regions, c.bench.referenceWidth, c.bench.referenceHeight);
    return;
  }
  back_->setRegions({}, 1, 1);
}

}  // namespace edge::app
