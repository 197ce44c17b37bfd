#include "match/chart_page.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QRadioButton>
#include <QVBoxLayout>
#include <cmath>

#include "base/numbers.h"
#include "chart/densities.h"
#include "color/display.h"
#include "project/analysis.h"
#include "project/place_charts.h"
#include "recover/follow.h"
#include "theme/text.h"

namespace fs = std::filesystem;

namespace edge::app {
namespace {

constexpr double kWedgeDown = 16;  // the wedge is shot with its first step clipped: shown four stops down

std::string roleOf(const QString& name) {
  if (name.contains("head") || name.contains("cheek")) return "skin";
  if (name.startsWith("white")) return "white";
  if (name.startsWith("black")) return "black";
  return name.startsWith("grey") ? "grey" : "";
}

// "cheek", "cheek 2": every object has its own name.
std::string freeName(const std::vector<Patch>& taken, const std::string& wanted) {
  std::string name = wanted;
  for (int n = 2; std::any_of(taken.begin(), taken.end(), [&](const Patch& p) { return p.name == name; });
       ++n)
    name = wanted + " " + std::to_string(n);
  return name;
}

}  // namespace

ChartPage::ChartPage(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
  editor_ = new RegionEditor(this);
  editor_->setAccessibleName("Clip with the outlines of charts and objects");
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(size::kMargin);
  row->addWidget(editor_, 1);
  row->addWidget(buildSide());
  connect(editor_, &RegionEditor::edited, this, &ChartPage::edited);
  connect(editor_, &RegionEditor::moving, this, &ChartPage::preview);
  connect(editor_, &RegionEditor::drawn, this, &ChartPage::drawn);
  connect(editor_, &RegionEditor::removeWanted, this, &ChartPage::removeObject);
  connect(editor_, &RegionEditor::selectionChanged, this, [this](int i) {
    if (what_ == Placing::Objects) list_->setCurrentRow(i);
  });
  connect(&document_, &Document::left, this, [this] {
    say("");
    pictureJob_.abandon();
    shown_.reset();
    editor_->clearPicture("");
  });
  connect(&document_, &Document::findingsChanged, this, &ChartPage::refreshIfSeen);
  connect(&document_, &Document::currentChanged, this, [this] {
    say("");  // it was said of another configuration
    refreshIfSeen();
  });
  for (Job* j : {&job_, &pictureJob_}) connect(j, &Job::failed, this, &ChartPage::failed);
  connect(&document_, &Document::opened, &job_, &Job::abandon);  // found for another project
  connect(&job_, &Job::failed, this, [this] { say("Not found: place it by its corners."); });
  setFocusProxy(editor_);
}

const Configuration* ChartPage::configuration() const {
  const Finding* f = document_.current();
  return f ? &f->configuration : nullptr;
}

QString ChartPage::words() const {
  return words_->text();
}

void ChartPage::say(const QString& words) {
  words_->setText(words);
}

void ChartPage::setTheme(const Theme& theme) {
  editor_->setTheme(theme);
}

void ChartPage::enableNumbers() {
  const bool layout = kind_->currentIndex() == 1 || kind_->currentIndex() == 2;
  steps_->setEnabled(layout), perRow_->setEnabled(layout);
  stopsPerStep_->setEnabled(layout || setSteps_->isVisibleTo(form_));
}

void ChartPage::show(Placing what) {
  what_ = what;
  which_->button(static_cast<int>(what))->setChecked(true);
  say("");
  refresh();
}

// Pictures, curves and hashes cost time: nothing is done for a page that nobody looks at.
void ChartPage::refreshIfSeen() {
  if (isVisible()) refresh();
}

void ChartPage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  refresh();
}

void ChartPage::refresh() {
  const Configuration* c = configuration();
  title_->setText(c ? q(c->label()) : QString("No configuration yet"));
  form_->setVisible(what_ != Placing::Objects), objects_->setVisible(what_ == Placing::Objects);
  if (!c) {
    editor_->setOutlines({}, -1);
    editor_->setRegions({}, 1, 1);
    list_->clear();
    shown_.reset();
    return editor_->clearPicture("Link clips to takes and keep the links: then charts are placed here.");
  }
  // Steps are asked where none are known, and corrected where they are even; calibrated ones are left alone.
  setSteps_->setVisible(what_ == Placing::Wedge && isWedgePlaced(*c) && isEvenlyStepped(c->wedge));
  enableNumbers();
  if (setSteps_->isVisibleTo(form_) && !hasWedge(*c) && words_->text().isEmpty())
    say(QString("%1 patches are marked. How many stops lie from one to the next? F says what "
                "the clip shows.")
            .arg(c->wedge.patches.size()));
  refreshList(*c);
  refreshSeenOn();
  refreshOutlines();
  loadPicture();
}

std::vector<Patch> ChartPage::patchesShown(const Configuration& c) const {
  return what_ == Placing::Wedge ? c.wedge.patches : what_ == Placing::Chart ? c.bench.patches : c.regions;
}

void ChartPage::refreshList(const Configuration& c) {
  const QSignalBlocker quiet(list_);
  const int row = list_->currentRow();
  list_->clear();
  for (const auto& p : patchesShown(c)) {
    QString text = q(p.name);
    if (p.stops) text += QString("   %1 stops").arg(q(formatSigned(*p.stops, 2)));
    if (!p.role.empty()) text += "   " + q(p.role);
    list_->addItem(text);
  }
  list_->setCurrentRow(row < list_->count() ? row : -1);
}

// Outline of the chart, or of every object; patches of a chart as thin areas beneath it.
void ChartPage::refreshOutlines() {
  const Configuration* c = configuration();
  if (!c) return;
  std::vector<EditOutline> outlines;
  std::vector<PictureRegion> regions;
  const bool looking = seenOn_->currentIndex() > 0;
  const Chart& chart = what_ == Placing::Wedge ? c->wedge : c->bench;
  const double perPixel = c->bench.referenceWidth / std::max(1.0, clipWidth_);
  for (const auto& p : patchesShown(*c)) {
    const Quad at = looking ? framed(p.corners, followed_, clipWidth_, clipHeight_, perPixel) : p.corners;
    if (what_ == Placing::Objects && !looking) outlines.push_back({q(p.name), at});
    regions.push_back({at, q(p.name), q(p.name), Qt::DotLine, false});
  }
  if (what_ != Placing::Objects && !chart.patches.empty() && !looking)
    outlines.push_back({"chart", outlineOf(chart)});
  const Chart& reference = chart.patches.empty() ? c->bench : chart;
  const bool known = !reference.patches.empty() || !c->regions.empty();
  editor_->setRegions(std::move(regions), known ? reference.referenceWidth : std::max(1.0, clipWidth_),
                      known ? reference.referenceHeight : std::max(1.0, clipHeight_));
  int selected = -1;
  if (what_ == Placing::Objects) selected = list_->currentRow();
  if (what_ != Placing::Objects && !outlines.empty()) selected = 0;
  editor_->setOutlines(std::move(outlines), selected);
}

void ChartPage::refreshSeenOn() {
  const Configuration* c = configuration();
  const QString wanted = seenOn_->currentText();
  QStringList names = {what_ == Placing::Wedge ? "the wedge, where it is placed"
                                               : "the base, where it is placed"};
  if (what_ != Placing::Wedge)
    for (const auto& r : c->clips)
      if (r.kind == ClipKind::Take) names << q(r.name);
  QStringList there;
  for (int i = 0; i < seenOn_->count(); ++i) there << seenOn_->itemText(i);
  if (there == names) return;
  seenOn_->clear();
  seenOn_->addItems(names);
  seenOn_->setCurrentIndex(std::max<int>(0, static_cast<int>(names.indexOf(wanted))));
}

void ChartPage::lookAt(int take) {
  seenOn_->setCurrentIndex(take);
  followed_ = {};
  refreshOutlines();
  loadPicture();
}

void ChartPage::loadPicture() {
  const Configuration* c = configuration();
  const ClipRecord* clip = clipFor(*c, what_);
  const int at = seenOn_->currentIndex();
  const ClipRecord* looked = clip;
  if (at > 0)
    for (const auto& r : c->clips)
      if (r.kind == ClipKind::Take && q(r.name) == seenOn_->currentText()) looked = &r;
  const fs::path folder = document_.project().folder();
  const std::string wanted =
      looked ? (folder / looked->path).string() + pictureHash(*c) + std::to_string(what_ == Placing::Wedge)
             : "";
  if (wanted == shown_) return;
  shown_ = wanted;
  if (!looked)
    return editor_->clearPicture(what_ == Placing::Wedge ? "No wedge was shot in this configuration."
                                                         : "No base was shot in this configuration.");
  editor_->clearPicture("reading …");
  const DecodeOptions decode = lookingDecode(*c, folder);
  const bool guessed = decode.curve != decodeOf(*c, folder).curve;
  const double k = what_ == Placing::Wedge ? kWedgeDown : std::exp2(looked->plannedStops.value_or(0));
  const QString caption = q(c->label()) + " · " + q(looked->name) +
                          (guessed  ? " · curve not known yet"
                           : k == 1 ? ""
                                    : " · brought to base exposure");
  pictureJob_.start(
      "picture", [this, path = folder / looked->path, basePath = clip ? folder / clip->path : fs::path(),
                  base = clip ? FrameWindow{clip->first, clip->frames} : FrameWindow{}, decode, k, caption,
                  window = FrameWindow{looked->first, looked->frames}, chart = c->bench,
                  follow = looked != clip](const Progress& progress, const Job::Deliver& deliver) {
        auto picture = std::make_shared<Picture>(
            renderPicture(path, decode, window.first, k, 0, kSoftShoulder, progress));
        const auto format = openClip(path)->info().format;
        Followed f;
        if (follow && !chart.patches.empty())
          f = followFraming(firstPicture(basePath, decode, base, progress), path, decode, window, chart, {},
                            progress);
        deliver([this, picture, caption, f, format, follow, chart] {
          clipWidth_ = format.width, clipHeight_ = format.height;
          followed_ = f.framing;
          editor_->setPicture(*picture, caption);
          refreshOutlines();
          if (follow)
            say(f.moved
                    ? "The chart is followed: " + q(wordsOf(f.framing)) + "."
                    : QString("The framing is that of the base, within %1 pixel.").arg(kFollowFromPixels));
        });
      });
}

void ChartPage::placeByCorners() {
  if (!configuration() || !editor_->hasPicture()) return;
  lookAt(0);
  drawingObject_ = object_->currentText();
  editor_->startDrawing(what_ == Placing::Objects ? drawingObject_
                                                  : QString("the chart's outermost corners"));
}

void ChartPage::addObject(const QString& name) {
  object_->setCurrentText(name);
  placeByCorners();
}

void ChartPage::drawn(const Quad& corners) {
  const Configuration* c = configuration();
  if (!c) return;
  Configuration changed = *c;
  try {
    if (what_ == Placing::Objects) {
      if (changed.bench.patches.empty())
        changed.bench.referenceWidth = clipWidth_, changed.bench.referenceHeight = clipHeight_;
      std::vector<Patch> parts;
      if (drawingObject_ == ChartPage::kWholeFace) {
        parts = faceRegions(
            corners, freeName(changed.regions, "face forehead") == "face forehead" ? "face" : "second face");
      } else {
        Patch p;
        p.name = drawingObject_.trimmed().isEmpty() ? "object" : drawingObject_.trimmed().toStdString();
        p.role = roleOf(drawingObject_), p.corners = corners;
        parts = {p};
      }
      for (auto& p : parts) {
        p.name = freeName(changed.regions, p.name);
        changed.regions.push_back(p);
      }
      return put(changed, "object drawn: " + q(parts[0].name));
    }
    (what_ == Placing::Wedge ? changed.wedge : changed.bench) =
        placedOn(layoutWanted(), corners, clipWidth_, clipHeight_);
    put(changed, "chart placed");
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
}

void ChartPage::edited(int outline, const Quad& corners, const QString& how) {
  const Configuration* c = configuration();
  if (!c) return;
  Configuration changed = *c;
  try {
    if (what_ == Placing::Objects) {
      Patch& p = changed.regions.at(static_cast<size_t>(outline));
      p.corners = corners;
      return put(changed, q(p.name) + " " + how);
    }
    Chart& chart = what_ == Placing::Wedge ? changed.wedge : changed.bench;
    chart = placedOn(chart, corners, chart.referenceWidth, chart.referenceHeight);
    put(changed, "chart " + how);
  } catch (const Error& e) {
    say(q(e.problem()) + ": " + q(e.remedy()));
    refreshOutlines();
  }
}

void ChartPage::preview(int, const Quad& corners) {
  const Configuration* c = configuration();
  if (!c || what_ == Placing::Objects) return;
  try {
    const Chart& chart = what_ == Placing::Wedge ? c->wedge : c->bench;
    const Chart placed = placedOn(chart, corners, chart.referenceWidth, chart.referenceHeight);
    std::vector<PictureRegion> regions;
    for (const auto& p : placed.patches)
      regions.push_back({p.corners, q(p.name), q(p.name), Qt::DotLine, false});
    editor_->setRegions(std::move(regions), chart.referenceWidth, chart.referenceHeight);
  } catch (const Error&) {  // out of the picture for a moment: the last place stays shown
  }
}

void ChartPage::removeObject(int outline) {
  const Configuration* c = configuration();
  if (!c || what_ != Placing::Objects || outline < 0) return;
  Configuration changed = *c;
  const QString name = q(changed.regions.at(static_cast<size_t>(outline)).name);
  changed.regions.erase(changed.regions.begin() + outline);
  put(changed, name + " removed");
}

void ChartPage::putDensities(const std::vector<PatchLight>& lights, const fs::path& from) {
  Configuration changed = *configuration();
  Chart& placed = what_ == Placing::Wedge ? changed.wedge : changed.bench;
  if (placed.patches.empty())
    throw Error("no chart is placed yet", from.string(), "", "place the chart, then give its densities");
  calibrate(placed, lights, from);
  put(changed, "densities of " + q(from.filename().string()));
}

void ChartPage::typeDensities(const QString& text) {
  if (!configuration()) return;
  try {
    putDensities(typedDensities(text.toStdString()), "what was typed");
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.place()), q(e.remedy()));
  }
}

void ChartPage::loadChart(const fs::path& file) {
  const Configuration* c = configuration();
  if (!c) return;
  try {
    if (file.extension() != ".json") return putDensities(readDensities(file), file);
    const Chart chart = readChart(file);
    Configuration changed = *c;
    // A chart file knows its own raster; what was never placed lies where the file says.
    (chart.kind == "wedge" ? changed.wedge : changed.bench) = chart;
    kind_->setCurrentIndex(0);
    show(chart.kind == "wedge" ? Placing::Wedge : Placing::Chart);
    put(changed, "chart file loaded");
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
}

void ChartPage::useForAll() {
  const Configuration* c = configuration();
  if (!c) return;
  std::vector<Configuration> changed;
  for (const auto& f : document_.findings())
    if (f.configuration.id != c->id) {
      changed.push_back(f.configuration);
      takeOver(*c, changed.back());
    }
  if (changed.empty()) return say("There is no other configuration.");
  const auto n = changed.size();
  document_.setSetups(std::move(changed), "places used for all");
  say(QString("Charts and objects lie alike in %1 other configurations now.").arg(n));
}

void ChartPage::put(Configuration changed, const QString& words) {
  kind_->setCurrentIndex(0);
  document_.setSetups({std::move(changed)}, words);
}

void ChartPage::keyPressEvent(QKeyEvent* event) {
  switch (event->key()) {
    case Qt::Key_F:
      return find();
    case Qt::Key_D:
      return placeByCorners();
    case Qt::Key_W:
      return show(Placing::Wedge);
    case Qt::Key_G:
      return show(Placing::Chart);
    case Qt::Key_J:
      return show(Placing::Objects);
    default:
      QWidget::keyPressEvent(event);
  }
}

}  // namespace edge::app
