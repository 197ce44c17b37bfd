#include "plan/plan_stage.h"

#include <QFileDialog>
#include <QHeaderView>
#include <QInputDialog>
#include <QKeyEvent>
#include <QMenu>

#include "base/numbers.h"
#include "plan/plan_board.h"
#include "plan/text_pages.h"
#include "plan/usual.h"
#include "theme/text.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

constexpr double kRowHeight = 44;
constexpr int kBoardHeight = 300;

struct ExportKind {
  PlanStage::Export kind;
  const char *words, *filter, *suffix, *key;
};
constexpr const char* kPages[] = {"problems", "run list", "checklist", "protocol", "light needed"};
constexpr ExportKind kExports[] = {
    {PlanStage::Export::Pdf, "Run list as PDF", "PDF (*.pdf)", "-run-list.pdf", "P"},
    {PlanStage::Export::Csv, "Run list as a table", "Table (*.csv)", "-run-list.csv", ""},
    {PlanStage::Export::Recipe, "Export the recipe", "Recipe (*.json)", "-recipe.json", ""}};

}  // namespace

PlanStage::PlanStage(Document& document, QWidget* parent)
    : Stage(parent), document_(document), planner_(document), run_(planner_), checks_(planner_) {
  board_ = new RulerWidget;
  board_->setRowHeight(kRowHeight);
  board_->setAccessibleName("Coverage board");
  scroll_ = new QScrollArea(this);
  scroll_->setWidget(board_);
  scroll_->setWidgetResizable(true);
  scroll_->setFrameShape(QFrame::NoFrame);
  scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  tree_ = new RecipeTree(planner_, this);
  tree_->setMinimumWidth(380);
  setFocusPolicy(Qt::StrongFocus);
  setFocusProxy(tree_);
  take_ = new TakePanel(this);
  take_->setMinimumWidth(300);
  auto* lower = new QHBoxLayout;
  lower->setSpacing(size::kMargin);
  lower->addWidget(tree_, 4);
  lower->addWidget(buildPages(), 5);
  lower->addWidget(take_, 3);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(size::kMargin, size::kGap, size::kMargin, size::kGap);
  all->addWidget(scroll_);
  all->addWidget(buildHead());
  all->addLayout(lower, 1);
  for (QAbstractItemView* view : std::initializer_list<QAbstractItemView*>{tree_, runTable_, checkView_})
    view->installEventFilter(this);
  auto* seen = new WhenSeen(this, [this] { refresh(); });
  const auto part = [this, seen](void (PlanStage::*refreshPart)()) {
    return [this, seen, refreshPart] { isVisible() ? (this->*refreshPart)() : seen->changed(); };
  };
  connect(&planner_, &Planner::planChanged, this, [this, seen] {
    if (!isVisible()) refreshHead();  // its buttons say what can be done
    seen->changed();
    emit stateChanged();
  });
  connect(&planner_, &Planner::busyChanged, this, &Stage::stateChanged);
  connect(&document_, &Document::opened, this, [this] { tree_->go("/bodies"); });
  // What the plan makes of a recipe comes with planChanged.
  connect(&document_, &Document::recipeChanged, this, &PlanStage::refreshChecks);
  connect(&document_, &Document::logChanged, this, part(&PlanStage::refreshBoard));
  connect(&document_, &Document::linksChanged, this, part(&PlanStage::refreshBoard));
  connect(board_, &RulerWidget::cellChosen, this, &PlanStage::choose);
  connect(board_, &RulerWidget::rowChosen, this, [this](int row) { choose(row, cell_); });
  connect(&tree_->recipe(), &RecipeModel::refused, this,
          [this](const QString& problem, const QString& remedy) {
            emit failed(problem, "the recipe; the value is as it was", remedy);
          });
  refresh();
}

QWidget* PlanStage::buildHead() {
  auto* head = new QWidget(this);
  auto* row = new QHBoxLayout(head);
  row->setContentsMargins(0, 0, 0, 0);
  headline_ = new QLabel(head);
  headline_->setObjectName("headline");
  totals_ = new WrappedLabel(head);
  totals_->setObjectName("quiet");
  totals_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  usual_ = new QPushButton("Fill in a usual test day", head);
  finer_ = new QPushButton(head);
  auto* import = new QPushButton("Import a recipe…", head);
  auto* write = new QPushButton("Write…", head);
  connect(usual_, &QPushButton::clicked, this,
          [this] { planner_.edit(withUsualDay(document_.recipe()), "a usual test day"); });
  connect(finer_, &QPushButton::clicked, this, &PlanStage::addFiner);
  connect(import, &QPushButton::clicked, this, &PlanStage::askImport);
  auto* menu = new QMenu(write);
  for (const auto& e : kExports) menu->addAction(e.words, this, [this, kind = e.kind] { ask(kind); });
  write->setMenu(menu);
  row->addWidget(headline_);
  row->addSpacing(size::kGap);
  row->addWidget(totals_, 1);
  for (QWidget* w : std::initializer_list<QWidget*>{usual_, finer_, import, write}) row->addWidget(w);
  return head;
}

QWidget* PlanStage::buildPages() {
  auto* side = new QWidget(this);
  auto* column = new QVBoxLayout(side);
  column->setContentsMargins(0, 0, 0, 0);
  auto* tabs = new QHBoxLayout;
  tabs->setSpacing(0);
  pageGroup_ = new QButtonGroup(this);
  pages_ = new QStackedWidget(side);
  for (size_t i = 0; i < std::size(kPages); ++i) {
    auto* b = new QPushButton(side);
    b->setObjectName("page");
    b->setCheckable(true);
    pageGroup_->addButton(b, static_cast<int>(i));
    tabs->addWidget(b);
  }
  tabs->addStretch();
  connect(pageGroup_, &QButtonGroup::idClicked, this, &PlanStage::showPage);
  problems_ = new ProblemList(planner_, side);
  runTable_ = new QTableView(side);
  runTable_->setModel(&run_);
  runTable_->setAccessibleName("Run list");
  runTable_->verticalHeader()->hide();
  runTable_->verticalHeader()->setDefaultSectionSize(24);
  runTable_->setSelectionBehavior(QAbstractItemView::SelectRows);
  runTable_->setSelectionMode(QAbstractItemView::SingleSelection);
  runTable_->setShowGrid(false);
  runTable_->setWordWrap(false);
  runTable_->setTextElideMode(Qt::ElideMiddle);
  runTable_->horizontalHeader()->setHighlightSections(false);
  connect(runTable_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& i) {
            if (i.isValid() && planner_.planned())
              take_->showTake(*planner_.planned(), static_cast<size_t>(i.row()));
          });
  checkView_ = new QListView(side);
  checkView_->setModel(&checks_);
  checkView_->setWordWrap(true);
  checkView_->setAccessibleName("Checklist before rolling");
  protocol_ = new QTextBrowser(side);
  protocol_->setAccessibleName("Protocol");
  light_ = new QTextBrowser(side);
  light_->setAccessibleName("Light needed by each configuration, and where each lamp ends");
  const auto written = [this](QTextBrowser* page, QString (*words)(const Planned&)) {
    return new WhenSeen(page, [this, page, words] {
      page->setHtml(planner_.planned() ? words(*planner_.planned()) : QString());
    });
  };
  protocolSeen_ = written(protocol_, protocolText);
  lightSeen_ = written(light_, lightTable);
  for (QWidget* w : std::initializer_list<QWidget*>{problems_, runTable_, checkView_, protocol_, light_})
    pages_->addWidget(w);
  column->addLayout(tabs);
  column->addWidget(pages_, 1);
  pageGroup_->button(0)->setChecked(true);
  return side;
}

QString PlanStage::state() const {
  if (!document_.isOpen()) return "no project";
  if (!planner_.contradiction().isEmpty()) return "recipe contradicts itself";
  const Planned* p = planner_.planned();
  if (!p) return "planning";
  int stops = 0;
  for (const auto& problem : p->plan.problems) stops += problem.severity == Severity::Stop;
  if (stops > 0) return counted(stops, "problem", "problems");
  return counted(static_cast<int>(p->plan.takes.size()), "take", "takes");
}

std::vector<Command> PlanStage::commands() {
  std::vector<Command> list;
  for (int i = 0; i < pages_->count(); ++i)
    list.push_back({QString("Ctrl+%1").arg(i + 1), kPages[i], [this, i] { showPage(i); }, {}});
  list.push_back({"R", "to the recipe", [this] { tree_->setFocus(); }, {}});
  list.push_back({"B", "to the board", [this] { board_->setFocus(); }, {}});
  list.push_back({"U", "fill in a usual test day where something lacks", [this] { usual_->click(); },
                  [this] { return !usual_->isHidden(); }});
  list.push_back({"F", "finer steps around the edges measured so far", [this] { finer_->click(); },
                  [this] { return !finer_->isHidden(); }});
  list.push_back({"", "import a recipe\u2026", [this] { askImport(); }, {}});
  for (const auto& e : kExports)
    list.push_back({e.key, q(e.words).toLower() + "\u2026", [this, kind = e.kind] { ask(kind); }, {}});
  for (const auto& [key, words] : std::initializer_list<std::pair<const char*, const char*>>{
           {"Enter", "in the recipe: edit the value; open or close a branch"},
           {"Insert", "in the recipe: add to the list"},
           {"Delete", "in the recipe: remove the item"},
           {"F4", "in the recipe: where the value came from"},
           {"Arrows", "on the board: go from take to take"},
           {"Space", "on the board: skip a take, or ask for it again"}})
    list.push_back({key, words, {}, {}});
  return list;
}

void PlanStage::setTheme(const Theme& t) {
  board_->setTheme(t);
}

void PlanStage::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Space && board_->hasFocus())
    skipCell();
  else
    Stage::keyPressEvent(event);
}

// Letters are keys of the stage in its lists as well, which would search with them.
bool PlanStage::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::KeyPress) {
    auto* key = static_cast<QKeyEvent*>(event);
    if (key->modifiers() == Qt::NoModifier && key->key() >= Qt::Key_A && key->key() <= Qt::Key_Z) {
      keyPressEvent(key);
      return true;
    }
  }
  return Stage::eventFilter(watched, event);
}

void PlanStage::askImport() {
  const QString file = QFileDialog::getOpenFileName(this, "Import a recipe", QString(), "Recipe (*.json)",
                                                    nullptr, QFileDialog::DontUseNativeDialog);
  if (!file.isEmpty()) importRecipe(file.toStdString());
}

void PlanStage::showPage(int page) {
  pages_->setCurrentIndex(page);
  pageGroup_->button(page)->setChecked(true);
}

void PlanStage::choose(int row, int cell) {
  row_ = row, cell_ = cell;
  refreshBoard();
  take_->show(planner_.planned(), row_, cell_);
  const auto area = RulerLayout();
  scroll_->ensureVisible(0, static_cast<int>(area.scaleHeight + (row + 0.5) * kRowHeight), 0,
                         static_cast<int>(kRowHeight));
}

void PlanStage::refresh() {
  refreshBoard();
  refreshHead();
  refreshPages();
  take_->show(planner_.planned(), row_, cell_);
}

void PlanStage::refreshBoard() {
  const Planned* p = planner_.planned();
  RulerData d = p ? planBoard(*p, standsOf(*p, document_), row_, cell_) : RulerData();
  if (d.rows.empty()) d.rows.push_back({"Nothing yet", "add a body", {}, {}, {}, false});
  board_->setData(std::move(d));
  board_->setFixedHeight(board_->sizeHint().height());
  scroll_->setFixedHeight(std::min(kBoardHeight, board_->sizeHint().height() + 2));
}

void PlanStage::refreshHead() {
  const Planned* p = planner_.planned();
  const bool empty = !p || p->plan.takes.empty();
  usual_->setVisible(empty && document_.isOpen());
  const auto finer = planner_.finer();
  size_t steps = 0;
  for (const auto& f : finer) steps += f.steps.size();
  finer_->setVisible(steps > 0);
  finer_->setText(QString("Finer steps at the edges (%1)").arg(steps));
  if (empty) {
    headline_->setText("Nothing to shoot yet");
    totals_->setText(
        "Say what there is and what you want to know: Insert adds to a list, Enter edits, U fills in a usual "
        "day.");
    return;
  }
  const Totals& t = p->plan.totals;
  headline_->setText(QString("%1, %2").arg(counted(static_cast<int>(p->plan.takes.size()), "take", "takes"),
                                           q(durationWords(t.seconds))));
  QStringList words = {counted(t.relights, "relight", "relights"), counted(t.dims, "dim", "dims"),
                       counted(t.bodyChanges, "body change", "body changes"),
                       counted(t.cardChanges, "card change", "card changes"), q(sizeWords(t.bytes))};
  if (p->recipe.budgetMinutes)
    words << QString("budget %1 min%2")
                 .arg(*p->recipe.budgetMinutes)
                 .arg(p->plan.shortened.empty() ? "" : ", shortened");
  totals_->setText(words.join(" · ") +
                   "\nBoxes: takes (both: light and ND); filled: shot; hatched: to be shot again. Dots: "
                   "where a tone clips. "
                   "Strokes: measured edges.");
  totals_->setToolTip(totals_->text());
}

void PlanStage::refreshPages() {
  const Planned* p = planner_.planned();
  problems_->refresh();
  const int row = runTable_->currentIndex().row();
  run_.refresh();
  if (row >= 0 && row < run_.rowCount()) runTable_->selectRow(row);
  constexpr int kWidths[] = {34, 44, 186, 54, 72, 128, 140, 160, 110, 260, 220};
  for (int i = 0; i < run_.columnCount(); ++i) runTable_->setColumnWidth(i, kWidths[i]);
  refreshChecks();
  protocolSeen_->changed();
  lightSeen_->changed();
  pageGroup_->button(0)->setText(QString("Problems  %1").arg(p ? p->plan.problems.size() : 0));
  pageGroup_->button(1)->setText(QString("Run list  %1").arg(run_.rowCount()));
  pageGroup_->button(3)->setText("Protocol");
  pageGroup_->button(4)->setText("Light");
}

void PlanStage::refreshChecks() {
  checks_.refresh();
  pageGroup_->button(2)->setText(
      QString("Before rolling  %1 of %2").arg(checks_.ticked()).arg(checks_.rowCount()));
}

// Skipped by choice, or asked for again.
void PlanStage::skipCell() {
  const Planned* p = planner_.planned();
  if (!p || row_ < 0 || row_ >= static_cast<int>(p->plan.coverage.size())) return;
  const CoverageRow& row = p->plan.coverage[static_cast<size_t>(row_)];
  if (cell_ < 0 || cell_ >= static_cast<int>(row.cells.size())) return;
  const CoverageCell& cell = row.cells[static_cast<size_t>(cell_)];
  if (cell.stops == 0 || cell.state == CellState::Impossible || cell.state == CellState::NotAsked) return;
  auto recipe = document_.recipe();
  auto& list = recipe["exceptions"];
  if (!list.is_array()) list = nlohmann::json::array();
  const auto same = [&](const nlohmann::json& e) {
    return e.value("configuration", "") == row.label &&
           std::abs(plainValue(e["stops"]).get<double>() - cell.stops) < 1e-6;
  };
  const auto found = std::find_if(list.begin(), list.end(), same);
  const QString what = QString("%1 %2").arg(q(row.label)).arg(cell.stops);
  if (found != list.end()) {
    list.erase(found);
    planner_.edit(recipe, "asked for again: " + what);
  } else {
    list.push_back({{"configuration", row.label}, {"stops", cell.stops}});
    askReason(recipe, what);
  }
}

// The last exception of this recipe lacks its reason.
void PlanStage::askReason(const nlohmann::json& recipe, const QString& what) {
  auto* dialog = new QInputDialog(this);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  dialog->setWindowTitle("Skip " + what);
  dialog->setLabelText("Why is it skipped?");
  dialog->setTextValue("skipped by choice");
  connect(dialog, &QInputDialog::textValueSelected, this,
          [this, changed = recipe, what](const QString& reason) mutable {
            // Bytes are what is limited: no letter has more than four.
            if (const QString said = reason.trimmed().left(static_cast<int>(kTextLimit) / 4); !said.isEmpty())
              changed["exceptions"].back()["reason"] = said.toStdString();
            planner_.edit(changed, "skipped: " + what);
          });
  dialog->open();
}

// Each configuration gets those of its own edges and no others.
void PlanStage::addFiner() {
  auto recipe = document_.recipe();
  for (const auto& f : planner_.finer())
    recipe = withExtraTakes(recipe, f.body, f.mode, f.iso, f.light, f.steps);
  planner_.edit(recipe, "finer steps at the edges");
}

void PlanStage::guarded(const std::function<void()>& body) {
  try {
    body();
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject() + (e.place().empty() ? "" : " (" + e.place() + ")")),
                q(e.remedy()));
  }
}

void PlanStage::importRecipe(const std::filesystem::path& file) {
  guarded([&] { planner_.importFile(file); });
}

void PlanStage::ask(Export kind) {
  if (!document_.isOpen()) return;
  for (const auto& e : kExports) {
    if (e.kind != kind) continue;
    const auto stem = document_.project().folder() / document_.project().file().stem();
    const QString file = QFileDialog::getSaveFileName(this, e.words, q(stem.string()) + e.suffix, e.filter,
                                                      nullptr, QFileDialog::DontUseNativeDialog);
    if (!file.isEmpty()) exportTo(kind, file.toStdString());
  }
}

void PlanStage::exportTo(Export kind, const std::filesystem::path& file) {
  guarded([&] {
    if (kind == Export::Pdf) planner_.writePdf(file);
    if (kind == Export::Csv) planner_.writeCsv(file);
    if (kind == Export::Recipe) planner_.exportFile(file);
    emit done("written: " + q(file.string()));
  });
}

}  // namespace edge::app
