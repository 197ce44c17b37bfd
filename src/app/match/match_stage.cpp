#include "match/match_stage.h"

#include <QApplication>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeyEvent>
#include <QVBoxLayout>

#include <cmath>

#include "base/files.h"
#include "base/numbers.h"
#include "project/analysis.h"
#include "shell/stage_keys.h"
#include "theme/text.h"
#include "widgets/page_buttons.h"

namespace fs = std::filesystem;

namespace edge::app {
MatchStage::MatchStage(Document& document, Planner& planner, QWidget* parent)
    : Stage(parent), document_(document), work_(document, planner), model_(work_) {
  pages_ = new QStackedWidget(this);
  pages_->addWidget(buildClips());
  pages_->addWidget(charts_ = new ChartPage(document, pages_));
  pages_->addWidget(decoding_ = new DecodePage(document, pages_));
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(size::kMargin, size::kGap, size::kMargin, size::kGap);
  all->addWidget(ruler_);
  all->addWidget(buildHead());
  all->addWidget(pages_, 1);
  setFocusPolicy(Qt::StrongFocus);
  connect(&work_, &MatchWork::changed, this, &MatchStage::refresh);
  connect(&work_, &MatchWork::failed, this, &Stage::failed);
  connect(&document_, &Document::findingsChanged, this, &MatchStage::refresh);
  connect(charts_, &ChartPage::failed, this, &Stage::failed);
  connect(decoding_, &DecodePage::failed, this, &Stage::failed);
  connect(&manifestJob_, &Job::failed, this, &Stage::failed);
  showPage(0);
  refresh();
}

QWidget* MatchStage::buildClips() {
  auto* page = new QWidget(this);
  table_ = new QTableView(page);
  table_->setModel(&model_);
  table_->setItemDelegateForColumn(LinkModel::Clip, joinedClips(theme_, this));
  table_->setItemDelegateForColumn(LinkModel::Take, takeChoice(model_, this));
  table_->setAccessibleName("Clips and their takes");
  table_->verticalHeader()->hide();
  table_->verticalHeader()->setDefaultSectionSize(kClipPicture.height() + 3);
  table_->setIconSize(kClipPicture);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setSelectionMode(QAbstractItemView::SingleSelection);
  table_->setEditTriggers(QAbstractItemView::DoubleClicked);
  table_->setDragDropMode(QAbstractItemView::DragDrop);
  table_->setDragDropOverwriteMode(true);
  table_->setDefaultDropAction(Qt::MoveAction);
  table_->setShowGrid(false);
  table_->setWordWrap(true);
  table_->setTextElideMode(Qt::ElideMiddle);
  table_->horizontalHeader()->setStretchLastSection(true);
  table_->horizontalHeader()->setHighlightSections(false);
  constexpr int kWidths[] = {212, 206, 62, 60};
  for (int i = 0; i < 4; ++i) table_->setColumnWidth(i, kWidths[i]);
  connect(table_->horizontalHeader(), &QHeaderView::sectionResized, this, &MatchStage::fitRows);
  table_->installEventFilter(this);
  table_->setProperty(StageKeys::kOwnLetters, true);
  connect(table_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& i) {
            if (!i.isValid()) return;
            current_ = i.row();
            refreshDetail();
          });
  missing_ = new MissingTakes(model_, work_, page);
  missing_->setFixedHeight(92);
  missingTitle_ = new QLabel(page);
  missingTitle_->setObjectName("quiet");
  panel_ = new CheckPanel(page);
  panel_->setMinimumWidth(360);
  auto* left = new QVBoxLayout;
  left->addWidget(table_, 1);
  left->addWidget(missingTitle_);
  left->addWidget(missing_);
  ruler_ = new RulerWidget(this);
  // A mark is a take: its clip is chosen in the table.
  connect(ruler_, &RulerWidget::markChosen, this, [this](int, const QString& name) {
    for (int i = 0; i < model_.rowCount(); ++i)
      if (const ClipLink* l = model_.link(i);
          l->take && markOf(l) == name && sameSeries(l, model_.link(current_)))
        return choose(i);
  });
  auto* row = new QHBoxLayout;
  row->setSpacing(size::kMargin);
  row->addLayout(left, 5);
  row->addWidget(panel_, 3);
  auto* column = new QVBoxLayout(page);
  column->setContentsMargins(0, 0, 0, 0);
  column->addLayout(row, 1);
  inviting_ = new Inviting(page, this);
  connect(inviting_, &Inviting::taken, this, &Stage::doorWanted);
  return inviting_;
}

QString MatchStage::markOf(const ClipLink* l) const {
  const Take& t = work_.planned()->plan.takes[*l->take];
  return t.role == TakeRole::Base
             ? q(t.name)
             : q(formatSigned(t.plannedStops, t.plannedStops == std::round(t.plannedStops) ? 0 : 1));
}

bool MatchStage::sameSeries(const ClipLink* a, const ClipLink* b) const {
  if (!a || !b || !a->take || !b->take) return false;
  const auto& takes = work_.planned()->plan.takes;
  return takes[*a->take].series == takes[*b->take].series;
}

// The chosen clip's series: where each take was measured, and where it was meant to be.
void MatchStage::refreshRuler(const ClipLink* chosen) {
  RulerData d;
  d.zeroName = "base";
  RulerRow row;
  row.label = "Exposure", row.note = "tick: as planned";
  if (chosen && chosen->take && work_.planned())
    for (int i = 0; i < model_.rowCount(); ++i) {
      const ClipLink* l = model_.link(i);
      if (l->superseded || !sameSeries(l, chosen)) continue;
      const Take& t = work_.planned()->plan.takes[*l->take];
      if (t.role != TakeRole::Base && t.role != TakeRole::Step) continue;
      const auto measured = work_.facts()[l->clip].measured;
      RulerMark m;
      m.at = measured.value_or(t.plannedStops), m.planned = t.plannedStops;
      m.name = markOf(l), m.selected = l == chosen;
      m.words = q(t.slate) +
                (measured ? QString(": measured %1, planned %2")
                                .arg(q(formatSigned(*measured, 2)), q(formatSigned(t.plannedStops, 2)))
                          : QString(": not measured, planned %1").arg(q(formatSigned(t.plannedStops, 2))));
      row.marks.push_back(m);
    }
  std::sort(row.marks.begin(), row.marks.end(),
            [](const RulerMark& a, const RulerMark& b) { return a.at < b.at; });
  d.rows = {row};
  ruler_->setData(d);
}

QWidget* MatchStage::buildHead() {
  auto* head = new QWidget(this);
  auto* column = new QVBoxLayout(head);
  column->setContentsMargins(0, 0, 0, 0);
  auto *row = new QHBoxLayout, *below = new QHBoxLayout;
  headline_ = new QLabel(head);
  headline_->setObjectName("headline");
  quiet_ = new QLabel(head);
  quiet_->setObjectName("quiet");
  quiet_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  auto* folder = new QPushButton("Folder of the cards…", head);
  auto* manifest = new QPushButton("Write hashes…", head);
  keep_ = new QPushButton("Keep these links", head);
  connect(folder, &QPushButton::clicked, this, &MatchStage::askFolder);
  connect(manifest, &QPushButton::clicked, this, &MatchStage::writeManifest);
  connect(keep_, &QPushButton::clicked, &work_, &MatchWork::keep);
  row->addWidget(headline_);
  row->addStretch(1);
  for (QWidget* w : std::initializer_list<QWidget*>{folder, manifest, keep_}) row->addWidget(w);
  pageButtons_ = pageButtons({"Clips", "Charts and objects", "Decoding"}, below, head);
  connect(pageButtons_, &QButtonGroup::idClicked, this, &MatchStage::showPage);
  below->addSpacing(size::kGap);
  below->addWidget(quiet_, 1);
  column->addLayout(row);
  column->addLayout(below);
  return head;
}

void MatchStage::showPage(int page) {
  pages_->setCurrentIndex(page);
  pageButtons_->button(page)->setChecked(true);
  setFocusProxy(page == 0 ? static_cast<QWidget*>(table_) : pages_->currentWidget());
  if (isVisible()) pages_->currentWidget()->setFocus();
}

void MatchStage::setTheme(const Theme& theme) {
  theme_ = theme;
  charts_->setTheme(theme), decoding_->setTheme(theme), panel_->setTheme(theme), ruler_->setTheme(theme);
}

QString MatchStage::state() const {
  if (!document_.isOpen()) return "no project";
  if (work_.busy()) return "reading";
  if (work_.facts().empty()) {
    int clips = 0;
    for (const auto& f : document_.findings()) clips += static_cast<int>(f.configuration.clips.size());
    return clips > 0 ? QString("%1 clips linked").arg(clips) : QString("no clips");
  }
  const int troubles = work_.troubles();
  return troubles > 0 ? QString("%1 to look at").arg(troubles)
                      : QString("%1 takes lack a clip").arg(work_.match().missing.size());
}

std::vector<Command> MatchStage::commands() {
  const auto chosen = [this] { return pages_->currentIndex() == 0 && model_.link(current_); };
  const auto some = [this] { return !work_.facts().empty(); };
  return {{"1", "clips", [this] { showPage(0); }, {}},
          {"2", "charts and objects", [this] { showPage(1); }, {}},
          {"3", "decoding", [this] { showPage(2); }, {}},
          {"O", "folder of the cards\u2026: watched from then on", [this] { askFolder(); }, {}},
          {"K", "keep these links in the project", [this] { work_.keep(); },
           [this] { return keep_->isEnabled(); }},
          {"H", "hashes of all files\u2026, for xxhsum -c", [this] { writeManifest(); }, some},
          {"Return", "say which take a clip is; or drag it onto another, or onto a take below",
           [this] { table_->edit(model_.index(current_, LinkModel::Take)); }, chosen},
          {"Del", "this clip is no take", [this] { work_.link(model_.link(current_)->clip, ""); }, chosen},
          {"Backspace", "as found again", [this] { work_.unlink(model_.link(current_)->clip); }, chosen},
          {"Esc", "stop reading", [this] { work_.cancel(); }, [this] { return work_.busy(); }},
          {"W G J", "on page 2: wedge, chart, objects", {}, {}},
          {"F D", "find the chart; draw it from corner to corner", {}, {}},
          {"Space , .", "next outline; turn it (arrows move it, Shift ten times as far)", {}, {}}};
}

bool MatchStage::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::KeyPress && watched == table_) {
    auto* key = static_cast<QKeyEvent*>(event);
    const int k = key->key();
    const bool own = k == Qt::Key_Return || k == Qt::Key_Enter || k == Qt::Key_Delete ||
                     k == Qt::Key_Backspace || k == Qt::Key_Escape ||
                     (key->modifiers() == Qt::NoModifier &&
                      ((k >= Qt::Key_A && k <= Qt::Key_Z) || (k >= Qt::Key_1 && k <= Qt::Key_3)));
    if (own && QApplication::focusWidget() == table_) {
      keyPressEvent(key);
      return true;
    }
  }
  return Stage::eventFilter(watched, event);
}

void MatchStage::choose(int row) {
  table_->selectRow(row);
}

void MatchStage::refresh() {
  const int row = current_;
  const ClipLink* before = model_.link(row);
  const fs::path path =
      before && before->clip < work_.facts().size() ? work_.facts()[before->clip].path : fs::path();
  model_.refresh();
  current_ = -1;
  for (int i = 0; i < model_.rowCount() && !path.empty(); ++i)
    if (work_.facts()[model_.link(i)->clip].path == path) current_ = i;
  if (current_ < 0 && model_.rowCount() > 0) current_ = std::clamp(row, 0, model_.rowCount() - 1);
  if (current_ >= 0) table_->selectRow(current_);
  const Planned* p = work_.planned();
  const bool planned = document_.isOpen() && p && !p->plan.takes.empty();
  inviting_->invite(invitation());
  if (!planned || work_.facts().empty()) {
    headline_->setText(work_.busy() ? "Reading clips" : "Clips and their takes");
    quiet_->setText(work_.busy() ? work_.words() : QString());
  } else {
    const size_t takes = p->plan.takes.size(), missing = work_.match().missing.size();
    headline_->setText(QString("%1 of %2 takes").arg(takes - missing).arg(takes));
    const size_t elsewhere = work_.keptElsewhere();
    QStringList words = {QString("%1 clips in %2")
                             .arg(work_.facts().size() - elsewhere)
                             .arg(q(work_.folder().filename().string())),
                         QString("%1 pairs of raw and log").arg(work_.match().twins.size())};
    if (elsewhere > 0) words << QString("%1 kept from other folders").arg(elsewhere);
    if (const int n = work_.troubles(); n > 0) words << QString("%1 to look at").arg(n);
    if (!work_.busy()) words << (work_.kept() ? "kept in the project" : "not yet kept");
    fitRows();
    quiet_->setText(words.join(" · ") + (work_.busy() ? "\n" + work_.words() : QString()));
    quiet_->setToolTip(quiet_->text());
  }
  missing_->refresh();
  const bool some = missing_->count() > 0 && !work_.facts().empty();
  missing_->setVisible(some), missingTitle_->setVisible(some);
  missingTitle_->setText(QString("%1 takes without a clip: drop one here").arg(missing_->count()));
  keep_->setEnabled(!work_.facts().empty() && !work_.kept() && !work_.busy());
  refreshDetail();
  emit stateChanged();
}

// What is wrong with a clip is never cut, as far down as anybody reads; all else is one line, as the model's
// reset leaves it.
void MatchStage::fitRows() {
  constexpr int kMost = 200;
  for (int i = 0; i < std::min(kMost, model_.rowCount()); ++i)
    if (!model_.link(i)->trouble.empty()) table_->resizeRowToContents(i);
}

std::optional<Invite> MatchStage::invitation() const {
  const Planned* p = work_.planned();
  int linked = 0;
  for (const auto& f : document_.findings()) linked += static_cast<int>(f.configuration.clips.size());
  const bool unplanned = !p || p->plan.takes.empty();
  if (unplanned && linked > 0)
    return Invite{QString("%1 clips were linked by looking at them, without a plan.").arg(linked),
                  "Mark the chart", Door::Charts};
  if (unplanned)
    return Invite{"A plan says which takes there should be; clips are then matched to them.", "To the plan",
                  Door::Plan};
  if (!work_.facts().empty() || work_.busy()) return std::nullopt;
  return Invite{
      linked > 0
          ? QString("%1 clips are linked and kept. Open their folder to look at them again, or another to "
                    "add to them. Originals are only read.")
                .arg(linked)
          : QString("Open the folder that the cards were copied to. Originals are only read."),
      "Folder of the cards…", Door::Folder};
}

void MatchStage::refreshDetail() {
  const ClipLink* l = model_.link(current_);
  refreshRuler(l);
  if (!l || !work_.planned()) return panel_->clear("Choose a clip.");
  const ClipFacts& f = work_.facts()[l->clip];
  if (!f.problem.empty()) return panel_->clear(q(f.problem + ". " + f.remedy + "."));
  QString words =
      f.elsewhere ? QString("In another folder: %1").arg(q(f.path.parent_path().string())) : QString();
  if (!f.elsewhere)
    words = QString("%1 x %2, %3%4%5")
                .arg(f.width)
                .arg(f.height)
                .arg(q(f.pixels), f.iso ? QString(", ISO %1").arg(*f.iso) : QString(),
                     f.slate.lastFrame >= 0 ? QString(", slate up to frame %1").arg(f.slate.lastFrame)
                                            : QString(", no slate seen"));
  words += QString(", steady from frame %1").arg(f.slate.steady.first);
  if (f.slate.steady.count > 0) words += QString(" for %1").arg(f.slate.steady.count);
  for (const auto& text : {l->words, l->trouble})
    if (!text.empty()) words += "\n" + q(text);
  if (l->take) words += alsoOf(*l);
  const auto* checked = l->take ? work_.checksOf(work_.planned()->plan.takes[*l->take].slate) : nullptr;
  if (!checked && l->take)
    words +=
        "\nNo checks yet: they need the base of the configuration, its decode state and its chart (2, 3).";
  panel_->show(words, checked, sourcesOf(f, *l));
}

// Its twin in another mode, and the checks that see to the side effects of what was changed for it.
QString MatchStage::alsoOf(const ClipLink& l) const {
  QString words;
  for (const auto& pair : work_.match().twins) {
    if (std::find(pair.begin(), pair.end(), l.clip) == pair.end()) continue;
    for (const size_t other : pair)
      if (other != l.clip)
        for (const auto& link : work_.match().links)
          if (link.clip == other && link.take)
            words += "\nPair with " + q(work_.planned()->plan.takes[*link.take].slate);
  }
  static const std::map<Control, const char*> kSeenBy = {{Control::Light, "light: balance, ratio"},
                                                         {Control::Distance, "distance: ratio, evenness"},
                                                         {Control::Nd, "ND: balance, black"},
                                                         {Control::Iris, "iris: focus, vignetting"},
                                                         {Control::Shutter, "shutter: flicker"}};
  QStringList changed;
  for (const Control c : work_.planned()->plan.takes[*l.take].changed)
    if (const auto seen = kSeenBy.find(c); seen != kSeenBy.end()) changed << seen->second;
  if (!changed.isEmpty()) words += "\nChanged for it, and checked for what that does: " + changed.join("; ");
  return words;
}

// What the pictures of this clip and of its base are made with.
CheckPanel::Sources MatchStage::sourcesOf(const ClipFacts& f, const ClipLink& l) const {
  CheckPanel::Sources s;
  s.take = f.path, s.takeFrame = f.slate.steady.first;
  s.caption = q(f.path.filename().string()) + " · first frame";
  s.decode.curve = f.mosaic ? "linear" : "bt709";
  if (!l.take) return s;
  const Take& t = work_.planned()->plan.takes[*l.take];
  const TestSeries& series = work_.planned()->plan.series[t.series];
  const BodySpec& body = work_.planned()->recipe.bodies[series.body];
  const CircuitSpec* circuit = body.circuitFor(t.iso);
  for (const auto& finding : document_.findings()) {
    const Configuration& c = finding.configuration;
    if (c.body != body.name || c.mode != body.modes[series.mode].name || !isDecoded(c)) continue;
    s.decode = decodeOfBracket(c, document_.project().folder()), s.display = c.display;
    if (circuit && std::abs(c.iso - circuit->nativeIso) > 0.5) continue;
    const ClipRecord* base = c.clipOfKind(ClipKind::Base);
    if (!base || series.kind != TestKind::Bracket) break;
    s.base = document_.project().folder() / base->path, s.baseFrame = base->first;
    s.k = std::exp2(f.measured.value_or(t.plannedStops));
    break;
  }
  return s;
}

void MatchStage::askFolder() {
  if (!document_.isOpen()) return;
  const QString start = q(document_.project().folder().string());
  const QString folder =
      QFileDialog::getExistingDirectory(this, "Folder of the copied cards", start,
                                        QFileDialog::ShowDirsOnly | QFileDialog::DontUseNativeDialog);
  if (!folder.isEmpty()) work_.watch(folder.toStdString());
}

void MatchStage::writeManifest() {
  if (work_.facts().empty()) return;
  const QString file =
      QFileDialog::getSaveFileName(this, "Hashes of all files", q((work_.folder() / "hashes.xxh").string()),
                                   "Hash lists (*.xxh)", nullptr, QFileDialog::DontUseNativeDialog);
  if (file.isEmpty()) return;
  std::vector<fs::path> clips;
  for (const auto& f : work_.facts())
    if (f.problem.empty() && !f.elsewhere) clips.push_back(f.path);
  manifestJob_.start("hashing", [this, clips, folder = work_.folder(), file](const Progress& progress,
                                                                             const Job::Deliver& deliver) {
    writeFileAtomically(fs::path(file.toStdString()), manifestOf(clips, folder, progress));
    deliver([this, file] { emit done("written: " + file + "; verify it there with xxhsum -c"); });
  });
}

}  // namespace edge::app
