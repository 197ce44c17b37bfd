#include "latitude/latitude_stage.h"

#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QHeaderView>
#include <QKeyEvent>
#include <QTimer>
#include <QVBoxLayout>

#include "base/error.h"
#include "base/numbers.h"
#include "recover/correction_files.h"
#include "report/range_check.h"
#include "ruler/ruler_data.h"
#include "theme/text.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

constexpr int kTakeRow = 22, kLeastLower = 252, kLowStage = 620, kFlipKey = Qt::Key_F;
constexpr Verdict kVerdicts[3] = {Verdict::Clean, Verdict::Cleanable, Verdict::Lost};
constexpr const char* kPanels[] = {"Takes", "Criteria", "Trace", "Profiles", "Stress"};

}  // namespace

LatitudeStage::LatitudeStage(Document& document, QWidget* parent) : Stage(parent), document_(document) {
  build();
  const auto forget = [this] {
    take_.clear();
    base_.clear();
  };
  connect(&document_, &Document::left, this, forget);
  connect(&document_, &Document::findingsChanged, this, &LatitudeStage::refresh);
  connect(&document_, &Document::currentChanged, this, [this, forget] {
    forget();
    refresh();
  });
  connect(ruler_, &RulerWidget::markChosen, this, [this](int, const QString& take) { select(take); });
  connect(strip_, &ContactStrip::takeChosen, this, &LatitudeStage::select);
  connect(pictures_, &TakePictures::broughtBack, strip_, &ContactStrip::setImage);
  connect(pictures_, &TakePictures::stripBegun, strip_, &ContactStrip::clearImages);
  connect(choice_, &ChoiceBar::branchChosen, this, &LatitudeStage::chooseBranch);
  connect(choice_, &ChoiceBar::baseChosen, this, &LatitudeStage::countFrom);
  // Rows drawn to the right bring a darker base under 0.
  connect(ruler_, &RulerWidget::zeroDragged, this, [this](double by) { refreshRuler(-by); });
  connect(ruler_, &RulerWidget::zeroDropped, this, [this](double by) { countFromMoved(-by); });
  connect(choice_, &ChoiceBar::correctionsWanted, this, &LatitudeStage::askForFolder);
  connect(choice_, &ChoiceBar::takesProposed, this, &Stage::done);
  connect(choice_, &ChoiceBar::failed, this, &Stage::failed);
  connect(table_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& now) {
            if (now.isValid()) select(model_->takeAt(now.row()));
          });
  refresh();
}

void LatitudeStage::buildTable() {
  model_ = new TakeModel(this);
  nearness_ = new NearnessDelegate(*model_, this);
  table_ = new QTableView(this);
  table_->setObjectName("takes");
  table_->setModel(model_);
  table_->setItemDelegateForColumn(TakeModel::Near, nearness_);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setSelectionMode(QAbstractItemView::SingleSelection);
  table_->verticalHeader()->hide();
  table_->verticalHeader()->setDefaultSectionSize(kTakeRow);
  table_->horizontalHeader()->setStretchLastSection(true);
  table_->horizontalHeader()->setHighlightSections(false);
  table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  table_->setShowGrid(false);
  table_->setAccessibleName("Takes of the bracket");
  constexpr int kWidths[] = {42, 60, 92, 46, 70, 66, 66, 78, 66, 86};
  for (int i = 0; i < TakeModel::Reason; ++i) table_->setColumnWidth(i, kWidths[i]);
}

QWidget* LatitudeStage::buildPanels() {
  buildTable();
  criteria_ = new CriteriaPanel(document_, this);
  trace_ = new TracePanel(this);
  compare_ = new ComparePanel(this);
  stress_ = new StressPanel(document_, this);
  panels_ = new QStackedWidget(this);
  for (QWidget* w : std::initializer_list<QWidget*>{table_, criteria_, trace_, compare_, stress_})
    panels_->addWidget(w);
  auto* left = new QWidget(this);
  auto* column = new QVBoxLayout(left);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(size::kGrid);
  auto* head = new QHBoxLayout;
  head->setSpacing(size::kGrid);
  panelButtons_ = new QButtonGroup(this);
  for (int i = 0; i < panels_->count(); ++i) {
    auto* button = new QPushButton(kPanels[i], left);
    button->setCheckable(true);
    button->setChecked(i == 0);
    panelButtons_->addButton(button, i);
    head->addWidget(button);
  }
  connect(panelButtons_, &QButtonGroup::idClicked, this, [this](int i) { showPanel(static_cast<Panel>(i)); });
  head->addSpacing(size::kMargin);
  head->addWidget(buildVerdictBar(), 1);
  column->addLayout(head);
  column->addWidget(panels_, 1);
  return left;
}

QWidget* LatitudeStage::buildFigures() {
  auto* panel = new QWidget(this);
  panel->setFixedWidth(316);
  auto* right = new QVBoxLayout(panel);
  right->setContentsMargins(0, 0, 0, 0);
  right->setSpacing(0);
  explain_ = new ExplainPanel(document_, "latitude", this);
  const std::vector<std::pair<const char*, const char*>> rows = {{"latitude", "Latitude, clean"},
                                                                 {"over", "Upper edge"},
                                                                 {"under", "Lower edge"},
                                                                 {"cleaned", "With clean-up"},
                                                                 {"under-range", "Range less latitude"}};
  for (const auto& [key, label] : rows) {
    auto* row = new FigureRow(key, label, figures_.empty(), panel);
    connect(row, &FigureRow::asked, this, [this](const QString& asked) {
      explain_->show(branch_ == Branch::Exposure ? asked : asked + "@" + specOf(branch_).key);
    });
    right->addWidget(row);
    figures_.push_back(row);
  }
  warnings_ = new WrappedLabel(this);
  warnings_->setObjectName("quiet");
  right->addSpacing(size::kGap);
  right->addWidget(warnings_);
  right->addSpacing(size::kGap);
  explain_->setMinimumHeight(size::kBar);
  right->addWidget(explain_, 1);
  return panel;
}

void LatitudeStage::build() {
  ruler_ = new RulerWidget(this);
  ruler_->setRowHeight(66);
  choice_ = new ChoiceBar(document_, this);
  strip_ = new ContactStrip(this);
  pictures_ = new TakePictures(document_, this);
  auto* contents = new QWidget(this);
  auto* column = new QVBoxLayout(contents);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(size::kGrid);
  column->addWidget(choice_);
  column->addWidget(strip_);
  column->addWidget(pictures_, 1);  // all the room there is beyond what the table asks for
  lower_ = new QWidget(contents);
  auto* lower = new QHBoxLayout(lower_);
  lower->setContentsMargins(0, 0, 0, 0);
  lower->setSpacing(size::kMargin);
  lower->addWidget(buildPanels(), 1);
  lower->addWidget(buildFigures());
  column->addWidget(lower_);
  inviting_ = new Inviting(contents, this);
  connect(inviting_, &Inviting::taken, this, &Stage::doorWanted);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(size::kMargin, size::kGap, size::kMargin, size::kGap);
  all->addWidget(ruler_);
  all->addWidget(inviting_, 1);
}

QWidget* LatitudeStage::buildVerdictBar() {
  auto* bar = new QWidget(this);
  auto* row = new QHBoxLayout(bar);
  row->setContentsMargins(0, 0, 0, 0);
  verdict_ = new QLabel(bar);
  verdict_->setObjectName("title");
  row->addWidget(verdict_, 1);
  static const char* const kWords[3] = {"&clean", "clean&able", "&lost"};
  for (int i = 0; i < 3; ++i) {
    judged_[i] = new QPushButton(kWords[i], bar);
    judged_[i]->setCheckable(true);
    judged_[i]->setToolTip("Your own verdict; the tool's is kept beside it");
    judged_[i]->setObjectName(QString("judge:%1").arg(wordOf(kVerdicts[i])));
    connect(judged_[i], &QPushButton::clicked, this, [this, i] { judge(kVerdicts[i]); });
    row->addWidget(judged_[i]);
  }
  reason_ = new QLineEdit(bar);
  reason_->setObjectName("reason");
  reason_->setPlaceholderText("your reason");
  reason_->setAccessibleName("Reason of your verdict");
  reason_->setMaxLength(400);
  reason_->setMinimumWidth(40);
  reason_->setMaximumWidth(200);
  row->addWidget(reason_);
  takeBack_ = new QPushButton("Take back", bar);
  connect(takeBack_, &QPushButton::clicked, this, [this] { judge(std::nullopt); });
  row->addWidget(takeBack_);
  return bar;
}

QString LatitudeStage::state() const {
  return progressOf(document_, Need::Bracket);
}

std::vector<Command> LatitudeStage::commands() {
  const auto judged = [this] { return judged_[0]->isEnabled(); };
  const auto measured = [this] { return view_.finding != nullptr; };
  return {{",", "one take darker", [this] { step(-1); }, {}},
          {".", "one take brighter", [this] { step(+1); }, {}},
          {"B", "the next branch of bring-back",
           [this] { chooseBranch(static_cast<Branch>((static_cast<int>(branch_) + 1) % 4)); }, measured},
          {"T",
           "the next panel below",
           [this] { showPanel(static_cast<Panel>((panels_->currentIndex() + 1) % panels_->count())); },
           {}},
          {"V", "the step towards the base in place of the base",
           [this] { pictures_->pinPreviousStep(!pictures_->previousStepPinned()); }, measured},
          {"F", "hold: the base in place of the take", {}, {}},
          {"H", "highlights of raw: as recorded, rebuilt, rebuilt and tinted",
           [this] { pictures_->turnRecovery(); }, measured},
          {"1", "judge the take clean", [this] { judge(Verdict::Clean); }, judged},
          {"2", "judge the take cleanable", [this] { judge(Verdict::Cleanable); }, judged},
          {"3", "judge the take lost", [this] { judge(Verdict::Lost); }, judged},
          {"0", "take your verdict back", [this] { judge(std::nullopt); }, judged},
          {"Z", "pictures fitted or at 100 %", [this] { pictures_->toggleActualSize(); }, {}},
          {"", "write the corrections as CDL, CLF and .cube", [this] { askForFolder(); }, measured},
          {"Ctrl+C", "copy the table", [this] { QApplication::clipboard()->setText(model_->asText()); }, {}},
          {"Enter", "on a figure: where it comes from", {}, {}}};
}

void LatitudeStage::setTheme(const Theme& t) {
  ruler_->setTheme(t);
  strip_->setTheme(t);
  pictures_->setTheme(t);
  criteria_->setTheme(t);
  trace_->setTheme(t);
  nearness_->setTheme(t);
  for (auto* f : figures_) f->setTheme(t);
  refresh();
}

void LatitudeStage::chooseBranch(Branch branch) {
  branch_ = branch;
  refresh();
  if (!take_.isEmpty()) explain_->show("branch:" + take_ + ":" + specOf(branch).key);
}

void LatitudeStage::countFrom(const QString& base) {
  base_ = base;
  refresh();
}

void LatitudeStage::countFromMoved(double stops) {
  if (view_.finding) countFrom(choice_->baseNear(view_.base.stops + stops));
}

void LatitudeStage::showPanel(Panel panel) {
  panels_->setCurrentIndex(panel);
  panelButtons_->button(panel)->setChecked(true);
  refreshCompare();
}

void LatitudeStage::step(int by) {
  const int row = std::clamp(model_->rowOf(take_) + by, 0, std::max(0, model_->rowCount() - 1));
  select(model_->takeAt(row));
}

void LatitudeStage::select(const QString& take) {
  if (take == take_ || take.isEmpty()) return;
  take_ = take;
  refreshTake();
  explain_->show("take:" + take_);
}

void LatitudeStage::judge(std::optional<Verdict> verdict) {
  if (!view_.finding || take_.isEmpty()) return;
  document_.overrideVerdict(take_.toStdString(), verdict, reason_->text().toStdString());
}

void LatitudeStage::refresh() {
  emit stateChanged();
  stale_ = !isVisible();
  if (stale_ && !view_.finding) return;
  // The view points into the document's list: it is let go of while nobody looks.
  view_ = stale_ ? BracketView() : bracketViewOf(document_, branch_, base_);
  model_->show(view_, document_.criteria());
  const bool measured = view_.finding != nullptr;
  if (measured && model_->rowOf(take_) < 0) take_ = model_->takeAt(model_->rowCount() - 1);
  if (!measured && !stale_) take_.clear();
  choice_->show(view_, base_);
  criteria_->show(view_);
  refreshFigures();
  refreshCompare();
  inviting_->invite(inviteFor(document_, Need::Bracket));
  share();
  refreshTake();
  explain_->refresh();
}

// What another take changes: nothing is judged anew.
void LatitudeStage::refreshTake() {
  if (view_.finding) {
    const QSignalBlocker quiet(table_->selectionModel());
    const QModelIndex at = model_->index(model_->rowOf(take_), 0);
    table_->setCurrentIndex(at);
    table_->selectRow(at.row());
    table_->scrollTo(at);
  }
  refreshRuler();
  refreshStrip();
  refreshVerdict();
  trace_->show(view_, take_);
  pictures_->show(view_, take_);
  table_->viewport()->update();
}

// Seven profiles by four branches: worked out while it is seen.
void LatitudeStage::refreshCompare() {
  if (panels_->currentIndex() == Compare) compare_->show(view_, document_.criteria());
  if (panels_->currentIndex() == Stress) stress_->show(view_);
}

// The axis stays; the row slides under it, so that 0 is what stops count from.
void LatitudeStage::refreshRuler(double held) {
  RulerData d;
  d.zeroName = view_.base.name.empty() ? QString("base") : q(view_.base.name);
  const Finding* f = document_.current();
  if (!view_.finding) {
    d.rows = {f ? latitudeRow(*f, "Latitude", take_, true)
                : RulerRow{"Latitude", "not measured", {}, {}, {}, false}};
    return ruler_->setData(d);
  }
  Finding shown = *view_.finding;
  shown.latitude = view_.result();
  RulerRow row = shifted(latitudeRow(shown, "Latitude", take_, true), -view_.base.stops - held);
  d.zeroMoves = true;
  d.rows = {row};
  ruler_->setData(d);
}

void LatitudeStage::refreshStrip() {
  std::vector<StripTake> takes;
  for (const size_t i : view_.order) {
    const TakeMetrics& t = view_.measure().takes[i];
    const TakeVerdict& v = view_.result().judged[i];
    QString words = QString("take %1: %2").arg(q(t.name), wordOf(v.verdict));
    if (!v.reasons.empty()) words += ", " + q(reasonWords(v.reasons[0]));
    takes.push_back({q(t.name), words, v.verdict});
  }
  strip_->setTakes(std::move(takes), take_);
}

// The table asks for its rows; the pictures get all else.
void LatitudeStage::share() {
  // Reasons are never cut.
  for (int i = 0; i < model_->rowCount(); ++i)
    if (table_->fontMetrics().horizontalAdvance(model_->index(i, TakeModel::Reason).data().toString()) >
        table_->columnWidth(TakeModel::Reason) - 2 * size::kGap)
      table_->resizeRowToContents(i);
    else
      table_->setRowHeight(i, kTakeRow);
  const int rows =
      table_->horizontalHeader()->height() + table_->verticalHeader()->length() + 2 * size::kGrid;
  lower_->setFixedHeight(
      std::clamp(rows + size::kBar, kLeastLower, std::max(kLeastLower, height() * 38 / 100)));
}

void LatitudeStage::resizeEvent(QResizeEvent* event) {
  Stage::resizeEvent(event);
  strip_->setFixedHeight(height() < kLowStage ? ContactStrip::kLowHeight : ContactStrip::kHeight);
  QTimer::singleShot(0, this, &LatitudeStage::share);  // when the table has its new width
}

void LatitudeStage::showEvent(QShowEvent* event) {
  Stage::showEvent(event);
  if (stale_) refresh();
  qApp->installEventFilter(this);
  QTimer::singleShot(0, this, &LatitudeStage::share);
}

void LatitudeStage::hideEvent(QHideEvent* event) {
  Stage::hideEvent(event);
  qApp->removeEventFilter(this);
  pictures_->flip(false);
}

// The key of flipping works while it is held, wherever the focus is but in a text.
bool LatitudeStage::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() != QEvent::KeyPress && event->type() != QEvent::KeyRelease) return false;
  const auto* key = static_cast<QKeyEvent*>(event);
  if (key->key() != kFlipKey || key->modifiers() != Qt::NoModifier ||
      qobject_cast<QLineEdit*>(QApplication::focusWidget()))
    return false;
  if (!key->isAutoRepeat() && view_.finding) pictures_->flip(event->type() == QEvent::KeyPress);
  return qobject_cast<QWidget*>(watched) != nullptr;
}

void LatitudeStage::refreshFigures() {
  if (!view_.finding) {
    for (auto* row : figures_) row->setFigure("not measured", "", "");
    warnings_->clear();
    return;
  }
  const LatitudeResult r = restated(view_.result(), view_.base.stops);
  const auto set = [&](size_t i, const std::optional<Limit>& l, bool sign, const QString& note) {
    figures_[i]->setFigure(q(limitFigure(l, sign)), l ? "stops" : "", note);
  };
  set(0, r.edges.latitude, false, QString("%1, no noise reduction").arg(specOf(branch_).words));
  set(1, r.edges.over.estimate, true, q(wordsOf(r.edges.over.cause)));
  set(2, r.edges.under.estimate, true, q(wordsOf(r.edges.under.cause)));
  set(3, r.cleaned.latitude, false, "exposure alone, then the reducer");
  const RangeCheck check = checkAgainstRange(*view_.finding, r);
  figures_[4]->setFigure(check.gap ? q(formatNumber(*check.gap, 1)) : "–", check.gap ? "stops" : "",
                         q(check.words));
  QStringList lines;
  int disagreed = 0;
  for (size_t i = 0; i < r.judged.size(); ++i) disagreed += r.judged[i].verdict != r.verdicts[i].verdict;
  if (disagreed > 0)
    lines << QString("• on %1 of %2 takes a person judged otherwise").arg(disagreed).arg(r.judged.size());
  for (const auto& w : r.warnings)
    lines << "• " + (w.where.empty() ? QString() : q(w.where) + ": ") + q(w.message);
  warnings_->setText(lines.join("\n"));
}

void LatitudeStage::refreshVerdict() {
  const int i = view_.indexOf(take_);
  for (auto* b : judged_) {
    b->setEnabled(i >= 0);
    b->setChecked(false);
  }
  takeBack_->setEnabled(false);
  verdict_->setText(i >= 0 ? "" : "No take selected");
  if (i < 0) return;
  verdict_->setText(
      QString("Take %1: %2").arg(take_, wordOf(view_.result().judged[static_cast<size_t>(i)].verdict)));
  const auto own =
      document_.project().decision(view_.finding->configuration.id, take_.toStdString(), kOverrideKey);
  takeBack_->setEnabled(own.has_value());
  if (!reason_->hasFocus()) reason_->setText(own ? q(own->reason) : QString());
  for (int k = 0; k < 3; ++k) judged_[k]->setChecked(own && own->value == wordOf(kVerdicts[k]));
}

void LatitudeStage::askForFolder() {
  const QString folder = QFileDialog::getExistingDirectory(this, "Folder for the corrections");
  if (!folder.isEmpty()) exportCorrections(folder.toStdString());
}

void LatitudeStage::exportCorrections(const std::filesystem::path& folder) {
  if (!view_.finding) return;
  try {
    size_t written = 0, left = 0;
    const std::string logEncoding =
        logEncodingOf(decodeOf(view_.finding->configuration, document_.project().folder()).curve);
    for (const auto format : {CorrectionFormat::Cdl, CorrectionFormat::Clf, CorrectionFormat::Cube}) {
      const CorrectionFiles files = writeCorrections(folder, format, view_.measure(), logEncoding);
      written += files.written.size();
      left += files.warnings.size();
    }
    emit done(
        QString("%1 files written to %2").arg(written).arg(q(folder.string())) +
        (left ? QString("; %1 are no CDL and stand there as CLF and .cube only").arg(left) : QString()));
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
}

}  // namespace edge::app
