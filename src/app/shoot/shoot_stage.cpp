#include "shoot/shoot_stage.h"

#include <QHeaderView>
#include <QKeyEvent>
#include <QVBoxLayout>

#include "base/numbers.h"
#include "shell/stage_keys.h"
#include "theme/text.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

constexpr int kSideWidth = 360;

}  // namespace

ShootStage::ShootStage(Document& document, Planner& planner, QWidget* parent)
    : Stage(parent), document_(document), shooter_(document, planner) {
  setFocusPolicy(Qt::StrongFocus);
  ruler_ = new RulerWidget(this);
  ruler_->setRowHeight(44);
  ruler_->setFocusPolicy(Qt::NoFocus);
  ruler_->setAccessibleName("Takes of this configuration");
  auto* middle = new QHBoxLayout;
  middle->setSpacing(size::kMargin);
  middle->addWidget(buildPages(), 1);
  middle->addWidget(buildSide());
  standIns_ = new StandInPanel(shooter_, this);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(size::kMargin, size::kGap, size::kMargin, size::kGap);
  all->addWidget(ruler_);
  auto* contents = new QWidget(this);
  auto* column = new QVBoxLayout(contents);
  column->setContentsMargins(0, 0, 0, 0);
  column->addLayout(middle, 1);
  column->addWidget(standIns_);
  inviting_ = new Inviting(contents, this);
  connect(inviting_, &Inviting::taken, this, &Stage::doorWanted);
  all->addWidget(inviting_, 1);
  connect(&shooter_, &Shooter::changed, this, &ShootStage::refresh);
  connect(&document_, &Document::currentChanged, this, &ShootStage::followPicker);
  connect(&planner, &Planner::planChanged, standIns_, &StandInPanel::refresh);
  connect(standIns_, &StandInPanel::failed, this, &Stage::failed);
  connect(ruler_, &RulerWidget::cellChosen, this, [this](int, int cell) {
    const auto& cells = ruler_->data().rows[0].cells;
    for (const auto& row : shooter_.planned()->plan.coverage)
      for (const auto& c : row.cells)
        if (cell < static_cast<int>(cells.size()) && c.take >= 0 &&
            c.stops == cells[static_cast<size_t>(cell)].at && q(row.body) == ruler_->data().rows[0].label &&
            ruler_->data().rows[0].note == q(row.note()))
          return shooter_.goTo(static_cast<size_t>(c.take));
  });
  refresh();
  standIns_->refresh();
}

QWidget* ShootStage::buildPages() {
  auto* box = new QWidget(this);
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(0, 0, 0, 0);
  auto* tabs = new QHBoxLayout;
  tabs->setSpacing(0);
  pageGroup_ = new QButtonGroup(this);
  int id = 0;
  for (const char* title : {"Next  P", "Slate  K", "Log  L", "Before striking  G"}) {
    auto* b = new QPushButton(title, box);
    b->setObjectName("page");
    b->setCheckable(true);
    b->setFocusPolicy(Qt::NoFocus);
    pageGroup_->addButton(b, id++);
    tabs->addWidget(b);
  }
  tabs->addStretch();
  connect(pageGroup_, &QButtonGroup::idClicked, this, &ShootStage::showPage);
  pages_ = new QStackedWidget(box);
  prompter_ = new Prompter;
  slate_ = new SlateCard;
  logTable_ = new QTableWidget(0, 5);
  logTable_->setHorizontalHeaderLabels({"Time", "Who", "Take", "What", "In words"});
  logTable_->verticalHeader()->hide();
  logTable_->horizontalHeader()->setStretchLastSection(true);
  logTable_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  logTable_->setSelectionBehavior(QAbstractItemView::SelectRows);
  logTable_->setShowGrid(false);
  logTable_->setAccessibleName("Log");
  logTable_->installEventFilter(this);
  logTable_->setProperty(StageKeys::kOwnLetters, true);
  auto* gate = new QWidget;
  auto* gateColumn = new QVBoxLayout(gate);
  gateColumn->setContentsMargins(0, 0, 0, 0);
  gateWords_ = new QLabel(gate);
  gateWords_->setObjectName("headline");
  gateBody_ = new QComboBox(gate);
  gateBody_->setAccessibleName("Which body is put away");
  connect(gateBody_, &QComboBox::activated, this, &ShootStage::refreshGate);
  gateList_ = new QTreeWidget(gate);
  gateList_->setHeaderHidden(true);
  gateList_->setWordWrap(true);
  gateList_->setAccessibleName("What is left to see to");
  gateList_->installEventFilter(this);
  gateList_->setProperty(StageKeys::kOwnLetters, true);
  connect(gateList_, &QTreeWidget::itemActivated, this, [this](QTreeWidgetItem* item) {
    const auto slate = item->data(0, Qt::UserRole).toString().toStdString();
    if (slate.empty()) return;  // a group: opened and closed
    for (size_t i = 0; shooter_.planned() && i < shooter_.planned()->plan.takes.size(); ++i)
      if (shooter_.planned()->plan.takes[i].slate == slate) shooter_.goTo(i);
    showPage(PrompterPage);
  });
  auto* head = new QHBoxLayout;
  head->addWidget(gateWords_, 1);
  head->addWidget(gateBody_);
  gateColumn->addLayout(head);
  gateColumn->addWidget(gateList_, 1);
  for (QWidget* w : std::initializer_list<QWidget*>{prompter_, slate_, logTable_, gate}) pages_->addWidget(w);
  column->addLayout(tabs);
  column->addWidget(pages_, 1);
  pageGroup_->button(0)->setChecked(true);
  return box;
}

QWidget* ShootStage::buildSide() {
  auto* side = new QWidget(this);
  side->setFixedWidth(kSideWidth);
  auto* column = new QVBoxLayout(side);
  column->setContentsMargins(0, 8, 0, 0);
  entryWords_ = new WrappedLabel(side);
  entryWords_->setObjectName("quiet");
  entryChoice_ = new QComboBox(side);
  entryChoice_->setAccessibleName("Which one");
  entryScale_ = new QComboBox(side);
  entryScale_->setAccessibleName("Scale of the level");
  for (const auto& scale : levelScales()) entryScale_->addItem(scale.words, scale.key);
  entryLine_ = new QLineEdit(side);
  entryLine_->setAccessibleName("Entry");
  entryLine_->installEventFilter(this);
  connect(entryLine_, &QLineEdit::returnPressed, this, &ShootStage::enter);
  judged_ = new QTextBrowser(side);
  judged_->setAccessibleName("Readings and what they say");
  judged_->setFocusPolicy(Qt::NoFocus);
  column->addWidget(entryWords_);
  column->addWidget(entryChoice_);
  column->addWidget(entryScale_);
  column->addWidget(entryLine_);
  column->addWidget(judged_, 1);
  leaveEntry();
  return side;
}

QString ShootStage::state() const {
  if (!document_.isOpen()) return "no project";
  if (!shooter_.take()) return "no plan";
  if (shooter_.allDone()) return "all shot";
  const ShotSoFar soFar = shotSoFar(shooter_.planned()->plan, shooter_.log());
  return QString("%1 of %2").arg(soFar.done).arg(soFar.total);
}

std::vector<Command> ShootStage::commands() {
  const auto entry = [this](Entry e) { return [this, e] { begin(e); }; };
  const auto page = [this](Page p) { return [this, p] { showPage(p); }; };
  const auto go = [this](int by) { return [this, by] { shooter_.go(by); }; };
  std::vector<Command> list = {
      {"Space", "shot as planned; on to the next", [this] { shooter_.done(""); }, {}},
      {"X", "shot, but with other settings: type them", entry(Entry::Actual), {}},
      {"R", "shoot this one, or the last one, again; with a reason", entry(Entry::Redo), {}},
      {"S", "skip with a reason", entry(Entry::Skip), {}},
      {"N", "note", entry(Entry::Note), {}},
      {"M", "incident reading. Up and Down choose the position", entry(Entry::Reading), {}},
      {"Shift+M", "spot reading", entry(Entry::Spot), {}},
      {"V", "level read on the camera: card, face or white, in a named scale", entry(Entry::Level), {}},
      {"I", "which meter, and its offset", entry(Entry::Meter), {}},
      {"Y", "make up for light that can't be had: choose how", [this] { begin(Entry::WayOut); },
       [this] { return !shooter_.waysOutHere().empty(); }},
      {"J", "what is off here may stay; with a reason", [this] { gateItemStays(); },
       [this] { return pages_->currentIndex() == GatePage || !shooter_.offHere().empty(); }},
      {"W", "who writes the log", entry(Entry::Who), {}},
      {"C", "what was seen at a guided check: holds or fails, a few words, a file", entry(Entry::Seen),
       [this] { return shooter_.take() && shooter_.take()->role == TakeRole::Check; }},
      {",", "back through the plan (also Left, Up, Backspace)", go(-1), {}},
      {".", "on through the plan (also Right, Down)", go(1), {}},
      {"P", "next take", page(PrompterPage), {}},
      {"K", "slate", page(SlatePage), {}},
      {"L", "log", page(LogPage), {}},
      {"G", "before striking", page(GatePage), {}},
      {"F", "slate over the whole screen", [this] { slate_->fillScreen(); }, {}},
      {"+", "slate of the next attempt", [this] { shooter_.changeAttempt(1); }, {}},
      {"-", "slate of the attempt before", [this] { shooter_.changeAttempt(-1); }, {}},
      {"D", "dark set: red on black, and back", [this] { emit nightWanted(); }, {}},
      {"Ctrl+P", "slates as PDF\u2026; on the log: log as a table\u2026", [this] { askForPaper(); }, {}}};
  if (standIns_->available()) {
    list.push_back({"A", "simulated set: set as prompted", [this] { standIns_->prepare(); }, {}});
    list.push_back({"E", "simulated set: read the meter", [this] { standIns_->readMeter(); }, {}});
    list.push_back({"U", "simulated set: spot meter", [this] { standIns_->readSpot(); }, {}});
    list.push_back({"H", "simulated set: set by hand", entry(Entry::Hands), {}});
    list.push_back({"O", "simulated set: roll", [this] { standIns_->roll(); }, {}});
  }
  return list;
}

void ShootStage::setTheme(const Theme& t) {
  ruler_->setTheme(t);
  prompter_->setTheme(t);
}

void ShootStage::showPage(int page) {
  pages_->setCurrentIndex(page);
  pageGroup_->button(page)->setChecked(true);
  if (page == GatePage) {
    refreshGate();
    gateList_->setFocus();
  } else if (page == LogPage) {
    refreshLog();
    logTable_->setFocus();
  } else {
    setFocus();
  }
}

void ShootStage::askForPaper() {
  if (pages_->currentIndex() == LogPage)
    ask("Log as a table", "-log.csv", "Table (*.csv)", [this](const auto& f) { writeLog(f); });
  else
    ask("Slates as PDF", "-slates.pdf", "PDF (*.pdf)", [this](const auto& f) { writeSlates(f); });
}

void ShootStage::keyPressEvent(QKeyEvent* event) {
  const bool plain = event->modifiers() == Qt::NoModifier;
  const int k = event->key();
  if (plain && (k == Qt::Key_Left || k == Qt::Key_Up || k == Qt::Key_Backspace))
    shooter_.go(-1);
  else if (plain && (k == Qt::Key_Right || k == Qt::Key_Down))
    shooter_.go(1);
  else
    Stage::keyPressEvent(event);
}

bool ShootStage::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() != QEvent::KeyPress) return Stage::eventFilter(watched, event);
  auto* key = static_cast<QKeyEvent*>(event);
  if (watched == entryLine_) {
    if (key->key() == Qt::Key_Escape) {
      leaveEntry();
      return true;
    }
    if ((key->key() == Qt::Key_Up || key->key() == Qt::Key_Down) && entryChoice_->isVisible()) {
      const int count = std::max(1, entryChoice_->count());
      entryChoice_->setCurrentIndex(
          (entryChoice_->currentIndex() + (key->key() == Qt::Key_Down ? 1 : count - 1)) % count);
      return true;
    }
    return Stage::eventFilter(watched, event);
  }
  // Letters and Space belong to the stage in its lists as well.
  if (key->key() == Qt::Key_Space || (key->key() >= Qt::Key_A && key->key() <= Qt::Key_Z)) {
    keyPressEvent(key);
    return true;
  }
  return Stage::eventFilter(watched, event);
}

void ShootStage::showEvent(QShowEvent* event) {
  Stage::showEvent(event);
  refresh();
}

// Only what is seen is drawn anew: the plan changes with every keystroke in its own stage.
void ShootStage::refresh() {
  emit stateChanged();
  if (!isVisible()) return;
  const auto prompt = shooter_.prompt();
  const TakeState state = shooter_.take() ? shooter_.log().of(shooter_.take()->slate).state : TakeState::Open;
  prompter_->show(prompt, state,
                  !document_.isOpen() ? "Open a project, or begin a new one."
                                      : "There is nothing to shoot yet: the plan makes the list of takes.");
  inviting_->invite(
      prompt ? std::nullopt
             : std::optional(Invite{"There is nothing to shoot yet: the plan makes the list of takes.",
                                    "To the plan", Door::Plan}));
  std::optional<SlateFace> face;
  if (const Take* t = shooter_.take())
    face = slateFace(document_.project().id(), shooter_.planned()->recipe, *t, shooter_.attempt());
  slate_->setFace(std::move(face));
  followTake();
  refreshRuler();
  refreshSide();
  if (pages_->currentIndex() == LogPage) refreshLog();
  if (pages_->currentIndex() == GatePage) refreshGate();
}

}  // namespace edge::app
