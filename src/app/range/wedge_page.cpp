#include "range/wedge_page.h"

#include <QHeaderView>
#include <QKeyEvent>
#include <QScrollArea>
#include <QScrollBar>
#include <QVBoxLayout>
#include <cmath>

#include "base/numbers.h"
#include "color/display.h"
#include "measure/range_advice.h"
#include "project/analysis.h"
#include "project/setup.h"
#include "range/state_look.h"
#include "range/wedge_plots.h"
#include "report/range_compare.h"
#include "theme/text.h"
#include "widgets/when_seen.h"

namespace edge::app {
namespace {

constexpr double kLowestSnr = 0.5, kHighestSnr = 50;

double clampSnr(double v) {
  return std::clamp(std::round(v * 10) / 10, kLowestSnr, kHighestSnr);
}

QLabel* quietLabel(const QString& text, QWidget* parent) {
  auto* label = new QLabel(text, parent);
  label->setObjectName("quiet");
  return label;
}

void setUpTable(QTableView& t, QAbstractItemModel& model) {
  t.setModel(&model);
  t.setAccessibleName("Steps of the wedge");
  t.verticalHeader()->hide();
  t.verticalHeader()->setDefaultSectionSize(22);
  t.setSelectionBehavior(QAbstractItemView::SelectRows);
  t.setSelectionMode(QAbstractItemView::SingleSelection);
  t.setShowGrid(false);
  t.setWordWrap(false);
  t.horizontalHeader()->setHighlightSections(false);
  t.horizontalHeader()->setStretchLastSection(true);
  constexpr int kWidths[] = {34, 62, 94, 56, 70, 60, 70};
  for (int i = 0; i < 7; ++i) t.setColumnWidth(i, kWidths[i]);
}

}  // namespace

WedgePage::WedgePage(Document& document, QWidget* parent)
    : QWidget(parent), document_(document), model_(document) {
  picture_ = new PictureView(this);
  trace_ = new Plot(this), snr_ = new Plot(this);
  trace_->setObjectName("trace"), snr_->setObjectName("snr");
  trace_->setAccessibleName("Level trace");
  snr_->setAccessibleName("SNR over stops; up and down move the threshold");
  trace_->setLegendCorner(Qt::AlignLeft | Qt::AlignBottom);
  snr_->setLegendCorner(Qt::AlignLeft | Qt::AlignTop);
  trace_->installEventFilter(this);
  unit_ = new QComboBox(this);
  unit_->setObjectName("unit");
  unit_->addItems({"stops", "code", "per cent"});
  unit_->setAccessibleName("Axis of the level trace");
  table_ = new QTableView(this);
  setUpTable(*table_, model_);
  table_->setIconSize(StepModel::kSwatch);
  table_->installEventFilter(this);

  auto* traceHead = new QHBoxLayout;
  traceHead->addWidget(quietLabel("Level trace, axis in", this));
  traceHead->addWidget(unit_);
  traceHead->addStretch();
  auto* left = new QVBoxLayout;
  left->addWidget(picture_, 5);
  left->addLayout(traceHead);
  left->addWidget(trace_, 6);
  auto* middle = new QVBoxLayout;
  middle->addWidget(quietLabel("SNR over stops: drag the solid line to choose what counts", this));
  middle->addWidget(snr_, 6);
  middle->addWidget(table_, 5);
  auto* columns = new QHBoxLayout(this);
  columns->setContentsMargins(0, 0, 0, 0);
  columns->setSpacing(size::kMargin);
  columns->addLayout(left, 6);
  columns->addLayout(middle, 10);
  columns->addWidget(buildPanel());

  auto* seen = new WhenSeen(this, [this] { refresh(); });
  const auto changed = [this, seen] {
    model_.refresh();  // reads the document: must know its rows even unseen
    seen->changed();
  };
  connect(&document_, &Document::left, this, [this] {
    pictureJob_.abandon();
    shownClip_.reset();
    picture_->clearPicture("");
  });
  connect(&document_, &Document::findingsChanged, this, changed);
  connect(&document_, &Document::currentChanged, this, changed);
  connect(unit_, &QComboBox::currentIndexChanged, this, &WedgePage::refreshTrace);
  connect(snr_, &Plot::levelDragged, this,
          [this](double y) { document_.previewHeadlineSnr(clampSnr(std::exp2(y))); });
  connect(snr_, &Plot::levelDropped, this,
          [this](double y) { document_.setHeadlineSnr(clampSnr(std::exp2(y))); });
  connect(picture_, &PictureView::regionChosen, this, &WedgePage::choosePatch);
  connect(table_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& i) {
            if (i.isValid() && model_.stepAt(i.row()) != chosenPatch_) choosePatch(model_.stepAt(i.row()));
          });
  connect(&pictureJob_, &Job::failed, this,
          [this](const QString& problem, const QString& where, const QString& remedy) {
            picture_->clearPicture(problem + "\n" + where + "\n" + remedy);
          });
  refresh();
}

QWidget* WedgePage::buildPanel() {
  // More figures than a low window has room for are scrolled.
  auto* room = new QScrollArea(this);
  room->setFixedWidth(316 + room->verticalScrollBar()->sizeHint().width());
  room->setWidgetResizable(true);
  room->setFrameShape(QFrame::NoFrame);
  room->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* panel = new QWidget(room);
  room->setWidget(panel);
  auto* column = new QVBoxLayout(panel);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  const std::vector<std::pair<const char*, const char*>> rows = {
      {"headline", "Dynamic range"},      {"above-grey", "Above grey"},
      {"below-grey", "Below grey"},       {"noise-floor", "Noise floor below grey"},
      {"safe", "Safe shadow below grey"}, {"snr1", "Luma to SNR 1"},
      {"snr2", "Luma to SNR 2"},          {"snr10", "Luma to SNR 10"},
      {"total", "With fixed pattern"},    {"corrected", "Before filter or codec"},
      {"raster", "At delivery raster"},   {"rebuilt", "Rebuilt, not counted"},
      {"steps", "Steps above noise"},     {"filtering", "Noise filtering"}};
  for (const auto& [key, label] : rows) {
    auto* figure = new FigureRow(key, label, figures_.empty(), panel);
    connect(figure, &FigureRow::asked, this, [this](const QString& k) {
      explain_->show(k);
      showSide(WhereFrom);
    });
    column->addWidget(figure);
    figures_.push_back(figure);
  }
  column->addWidget(buildTyped(panel));
  column->addLayout(buildSides(panel));
  sides_ = new QStackedWidget(panel);
  sides_->addWidget(explain_ = new ExplainPanel(document_, "headline", panel));
  sides_->addWidget(honesty_ = new QTextBrowser(panel));
  sides_->addWidget(step_ = new StepPanel(document_, panel));
  honesty_->setAccessibleName("What limits this figure, and what to shoot");
  column->addWidget(sides_, 1);
  showSide(Honesty);
  return room;
}

// What a person knows and the clip does not: the published claim, the own count, the delivery.
QWidget* WedgePage::buildTyped(QWidget* panel) {
  auto* box = new QWidget(panel);
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(4, 4, 0, 2);
  column->setSpacing(2);
  auto* line = new QHBoxLayout;
  claim_ = new QLineEdit(box), count_ = new QLineEdit(box);
  claim_->setToolTip("Stops, as published"), count_->setToolTip("Steps of the wedge that you can tell apart");
  claim_->setObjectName("claim"), count_->setObjectName("count");
  claim_->setAccessibleName("Published claim in stops"),
      count_->setAccessibleName("Own count of visible steps");
  for (QLineEdit* e : {claim_, count_}) e->setFixedWidth(50);
  raster_ = new QComboBox(box);
  raster_->setObjectName("raster");
  raster_->setAccessibleName("Delivery raster");
  raster_->setEditable(true);
  raster_->addItems({"no raster", "3840 x 2160", "2048 x 1080", "1920 x 1080", "1280 x 720"});
  raster_->setMinimumContentsLength(9);
  line->addWidget(quietLabel("Claimed", box));
  line->addWidget(claim_);
  line->addWidget(quietLabel("counted", box));
  line->addWidget(count_);
  line->addWidget(raster_, 1);
  typed_ = quietLabel("", box);
  typed_->setWordWrap(true);
  column->addLayout(line);
  column->addWidget(typed_);
  connect(claim_, &QLineEdit::editingFinished, this, [this] {
    const auto v = parseNumber(claim_->text().trimmed().toStdString());
    if (claim_->text().trimmed().isEmpty()) return document_.setClaim(std::nullopt);
    if (v && *v > 0 && *v < 40) return document_.setClaim(*v);
    typed_->setText("A claim is a number of stops, for instance 14.5.");
  });
  connect(count_, &QLineEdit::editingFinished, this, [this] {
    bool whole = false;
    const int v = count_->text().trimmed().toInt(&whole);
    if (count_->text().trimmed().isEmpty()) return document_.setOwnCount(std::nullopt);
    if (whole && v >= 0 && v < 200) return document_.setOwnCount(v);
    typed_->setText("A count is a whole number of steps.");
  });
  const auto chosen = [this] {
    const QStringList sides = raster_->currentText().toLower().replace(QChar(0xd7), 'x').split('x');
    bool w = false, h = false;
    const Raster r =
        sides.size() == 2 ? Raster{sides[0].trimmed().toInt(&w), sides[1].trimmed().toInt(&h)} : Raster{};
    const auto before = document_.isOpen() ? deliveryRasterOf(document_.project()) : std::nullopt;
    if (!document_.isOpen()) return;
    if (!w || !h || r.width < 16 || r.height < 16) {
      if (raster_->currentIndex() == 0 && before) document_.setDeliveryRaster(std::nullopt);
      if (raster_->currentText() != raster_->itemText(0))
        typed_->setText("A raster is width x height, for instance 1920 x 1080.");
      return;
    }
    if (!before || before->width != r.width || before->height != r.height) document_.setDeliveryRaster(r);
  };
  connect(raster_, &QComboBox::activated, this, chosen);
  connect(raster_->lineEdit(), &QLineEdit::editingFinished, this, chosen);
  return box;
}

QLayout* WedgePage::buildSides(QWidget* panel) {
  auto* line = new QHBoxLayout;
  line->setSpacing(2);
  sideButtons_ = new QButtonGroup(this);
  int id = 0;
  for (const char* name : {"Where from", "What limits it", "Step"}) {
    auto* b = new QPushButton(name, panel);
    b->setCheckable(true);
    sideButtons_->addButton(b, id++);
    line->addWidget(b, 1);
  }
  connect(sideButtons_, &QButtonGroup::idClicked, this, [this](int i) { showSide(static_cast<Side>(i)); });
  return line;
}

void WedgePage::showSide(Side side) {
  sides_->setCurrentIndex(side);
  sideButtons_->button(side)->setChecked(true);
}

FigureRow* WedgePage::row(const char* key) {
  for (auto* f : figures_)
    if (f->key() == key) return f;
  return nullptr;
}

void WedgePage::setTheme(const Theme& t) {
  picture_->setTheme(t), trace_->setTheme(t), snr_->setTheme(t), step_->setTheme(t);
  for (auto* f : figures_) f->setTheme(t);
  model_.setInk(t.text);
  refresh();
}

void WedgePage::nextUnit() {
  unit_->setCurrentIndex((unit_->currentIndex() + 1) % unit_->count());
}

void WedgePage::togglePictureSize() {
  const bool actual = !property("actual").toBool();
  setProperty("actual", actual);
  picture_->setActualSize(actual);
}

bool WedgePage::eventFilter(QObject* watched, QEvent* event) {
  const Finding* f = document_.current();
  if (watched == trace_ && event->type() == QEvent::MouseButtonPress && f && f->range) {
    const int step = stepAt(*trace_, *f, static_cast<QMouseEvent*>(event)->position().x());
    if (step >= 0) choosePatch(model_.stepAt(step));
  }
  if (watched == table_ && event->type() == QEvent::KeyPress &&
      static_cast<QKeyEvent*>(event)->matches(QKeySequence::Copy)) {
    QApplication::clipboard()->setText(model_.asText());
    return true;
  }
  return QWidget::eventFilter(watched, event);
}

void WedgePage::clearFigures() {
  for (auto* f : figures_) f->setFigure("not measured", "", "");
  for (const char* key : {"total", "corrected", "raster", "rebuilt"}) row(key)->hide();
  honesty_->clear();
  trace_->clearAll(), snr_->clearAll();
  trace_->drawSoon(), snr_->drawSoon();
}

void WedgePage::refresh() {
  const Finding* f = document_.current();
  refreshTyped();
  if (f && f->range) {
    refreshFigures(*f);
    refreshHonesty(*f);
    fillSnr(*snr_, *f, document_.rangeOptions().headlineSnr);
    refreshTrace();
    refreshRegions(*f);
    table_->selectRow(model_.rowOf(chosenPatch_));
  } else {
    clearFigures();
    if (!f) picture_->clearPicture("");
  }
  explain_->refresh();
  step_->refresh();
  loadPicture();
}

void WedgePage::refreshFigures(const Finding& f) {
  const RangeResult& r = *f.range;
  const auto set = [&](const char* key, const std::optional<Limit>& l, const QString& note = "") {
    row(key)->setFigure(q(limitFigure(l)), l ? "stops" : "", note);
  };
  const QString school = q(formatNumber(document_.rangeOptions().headlineSnr, 1));
  // First, as the note may be cut off at its end; what they are stands under "What limits it".
  const auto warned = static_cast<int>(r.warnings.size());
  const QString warnings = warned == 0   ? QString()
                           : warned == 1 ? QString("1 warning; ")
                                         : QString("%1 warnings; ").arg(warned);
  for (const char* key : {"total", "corrected", "raster", "rebuilt"}) row(key)->hide();
  for (const Convention& c : conventionsOf(f, document_.rangeOptions())) {
    const std::string key = c.key;
    if (FigureRow* figure = row(key.c_str())) {
      set(key.c_str(), c.limit,
          c.chosen ? warnings + "counts: colour-complete to luma SNR " + school : q(c.name + ", " + c.note));
      figure->show();
    }
  }
  row("headline")->setToolTip(q(r.headlineLabel));
  if (!f.rasterRange && deliveryRasterOf(document_.project())) {
    row("raster")->show();
    row("raster")->setFigure("use Analyse", "", "not measured at this raster yet");
  }
  set("above-grey", r.aboveGrey), set("below-grey", r.belowGrey), set("noise-floor", r.noiseFloorBelowGrey);
  set("safe", r.safeShadow);
  row("steps")->setFigure(QString::number(r.stepsVisible), "of " + QString::number(f.wedge->patches.size()),
                          "");
  const ChannelFiltering& y = f.wedge->filtering[kY];
  row("filtering")
      ->setFigure(r.filtered    ? "filtered"
                  : r.sharpened ? "sharpened"
                                : "none found",
                  "lag " + q(formatNumber(y.verticalLag, 2)), "");
}

void WedgePage::refreshHonesty(const Finding& f) {
  QString html;
  if (!f.range->warnings.empty()) html += "<p><b>Warnings of the measurement</b></p>";
  for (const auto& w : f.range->warnings)
    html += "<p>• " + esc(w.message) + (w.where.empty() ? QString() : " (" + esc(w.where) + ")") + "</p>";
  html += "<p><b>To expose the wedge</b><br>" + esc(adviseExposure(*f.wedge, *f.range).words) + "</p>";
  const auto list = limitationsOf(*f.wedge, *f.range, f.black.has_value());
  if (list.empty()) html += "<p>Nothing known limits this figure beyond its error.</p>";
  for (const auto& l : list) html += "<p><b>" + esc(l.words) + "</b><br>" + esc(l.shoot) + "</p>";
  honesty_->setHtml(html);
}

void WedgePage::refreshTyped() {
  const Finding* f = document_.current();
  for (QWidget* w : std::initializer_list<QWidget*>{claim_, count_, raster_}) w->setEnabled(f != nullptr);
  if (!claim_->hasFocus())
    claim_->setText(f && f->claimStops ? q(formatNumber(*f->claimStops, 1)) : QString());
  if (!count_->hasFocus()) count_->setText(f && f->ownCount ? QString::number(*f->ownCount) : QString());
  const auto raster = document_.isOpen() ? deliveryRasterOf(document_.project()) : std::nullopt;
  const QString text =
      raster ? QString("%1 x %2").arg(raster->width).arg(raster->height) : raster_->itemText(0);
  if (raster_->currentText() != text && !raster_->lineEdit()->hasFocus()) {
    raster_->setCurrentIndex(std::max(0, raster_->findText(text)));
    raster_->setEditText(text);
  }
  QStringList words;
  if (f)
    for (const std::string& w : {claimWords(*f), countWords(*f)})
      if (!w.empty()) words << q(w);
  typed_->setText(words.join(". "));
  typed_->setVisible(!words.isEmpty());
}

void WedgePage::refreshTrace() {
  if (const Finding* f = document_.current(); f && f->range)
    fillTrace(*trace_, *f, static_cast<TraceUnit>(unit_->currentIndex()),
              document_.rangeOptions().headlineSnr, chosenPatch_);
}

void WedgePage::refreshRegions(const Finding& f) {
  std::vector<PictureRegion> regions;
  for (size_t k = 0; k < f.configuration.wedge.patches.size() && k < f.range->states.size(); ++k) {
    const Patch& p = f.configuration.wedge.patches[k];
    const PatchState s = f.range->states[k];
    PictureRegion region{
        p.corners, q(p.name),
        QString("step %1: %2, luma SNR %3").arg(q(p.name), stateWord(s), snrWord(*f.range, k)), statePen(s),
        q(p.name) == chosenPatch_};
    // What still shows the scene is left clear.
    if (s != PatchState::Intact) region.fill = stateFill(s), region.below = stateWord(s);
    regions.push_back(region);
  }
  picture_->setRegions(std::move(regions), f.configuration.wedge.referenceWidth,
                       f.configuration.wedge.referenceHeight);
}

void WedgePage::choosePatch(const QString& name) {
  chosenPatch_ = name;
  const Finding* f = document_.current();
  if (f && f->range) {
    refreshRegions(*f);
    refreshTrace();
    table_->selectRow(model_.rowOf(name));
  }
  step_->show(name);
  showSide(Step);
}

void WedgePage::loadPicture() {
  const Finding* f = document_.current();
  const ClipRecord* clip = f ? f->configuration.clipOfKind(ClipKind::Wedge) : nullptr;
  const std::string path = clip ? (document_.project().folder() / clip->path).string() : "";
  const std::string wanted = clip ? path + pictureHash(f->configuration) : "";
  if (wanted == shownClip_) return;
  shownClip_ = wanted;
  if (!clip) return picture_->clearPicture("No wedge in this configuration.");
  picture_->clearPicture("reading the wedge …");
  const DecodeOptions decode = decodeOf(f->configuration, document_.project().folder());
  const QString caption = q(f->configuration.label()) + " · wedge, shown 4 stops down";
  pictureJob_.start("wedge picture", [this, path, decode, caption, first = clip->first](
                                         const Progress& progress, const Job::Deliver& deliver) {
    // The wedge is shot with its first step clipped: shown four stops down so that its bright steps can
    // be told apart.
    auto picture =
        std::make_shared<Picture>(renderPicture(path, decode, first, 16, 0, kSoftShoulder, progress));
    deliver([this, picture, caption] { picture_->setPicture(*picture, caption); });
  });
}

}  // namespace edge::app
