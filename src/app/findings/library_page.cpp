#include "findings/library_page.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QSignalBlocker>
#include <QVBoxLayout>
#include <algorithm>

#include "base/numbers.h"
#include "theme/text.h"

namespace fs = std::filesystem;

namespace edge::app {
namespace {

enum FigureColumn { What, Then, Now, Differs, Says, FigureColumns };
constexpr int kRow = 24, kWords = 340;

QString words(const Tested& t) {
  return q(t.date) + " · " + q(t.title);
}

// "changed", "no change shows, 0.21 would", or why nothing is known.
std::string saysOf(const Difference& d) {
  if (d.change == Change::NotKnown) return d.why;
  const std::string words = wordOf(d.change);
  if (d.change == Change::Unchanged) return words + ", " + formatNumber(*d.wouldShow, 2) + " would";
  return d.why.empty() ? words : words + ", " + d.why;
}

}  // namespace

LibraryPage::LibraryPage(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
  model_ = new LibraryModel(this);
  table_ = new QTableView(this);
  table_->setObjectName("library");
  table_->setAccessibleName("Tests in the library");
  table_->setModel(model_);
  table_->verticalHeader()->hide();
  table_->verticalHeader()->setDefaultSectionSize(kRow);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setSelectionMode(QAbstractItemView::SingleSelection);
  table_->setTabKeyNavigation(false);
  table_->horizontalHeader()->setSectionResizeMode(1, QHeaderView::Stretch);
  table_->setColumnWidth(0, 96), table_->setColumnWidth(2, 260);
  for (int c = 3; c < model_->columnCount(); ++c) table_->setColumnWidth(c, 110);
  table_->horizontalHeader()->setSortIndicator(0, Qt::DescendingOrder);
  table_->setSortingEnabled(true);
  connect(table_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          &LibraryPage::chosenChanged);
  connect(table_, &QTableView::doubleClicked, this, [this] { open_->click(); });
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->addLayout(buildTop());
  column->addWidget(table_, 3);
  column->addLayout(buildLower(), 2);
  column->addLayout(buildActions());
  connect(&job_, &Job::progress, this, [this](double f, const QString& what) {
    say(QString("reading %1 %: %2").arg(static_cast<int>(100 * f)).arg(what));
  });
  connect(&job_, &Job::failed, this,
          [this](const QString& problem, const QString& where, const QString& remedy) {
            library_.reset();
            refill();
            say(problem);
            emit failed(problem, where, remedy);
          });
  connect(&job_, &Job::finished, this, [this](bool cancelled) {
    cancel_->hide();
    if (cancelled) say("reading was stopped; what was read before is shown");
  });
  // What is measured or decided in the window is in the file a moment later.
  connect(&document, &Document::findingsChanged, this, [this] {
    if (isVisible()) read(false);
  });
  connect(&document, &Document::opened, this, [this] {
    if (isVisible()) read(false);
  });
  refill();
}

LibraryPage::~LibraryPage() {
  job_.disconnect(this);
}

QLayout* LibraryPage::buildTop() {
  auto* line = new QHBoxLayout;
  line->setSpacing(size::kGap);
  where_ = new QLabel(this);
  where_->setObjectName("quiet");
  where_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  where_->setMaximumWidth(360);
  auto* choose = new QPushButton("Choose folder", this);
  choose->setToolTip("the folder your projects lie in, at any depth");
  again_ = new QPushButton("Read all anew", this);
  again_->setToolTip("reads every project again; normally only those that changed are");
  search_ = new QLineEdit(this);
  search_->setPlaceholderText("body, mode, ISO, light, title or date");
  search_->setAccessibleName("Words that must stand in a test");
  search_->setClearButtonEnabled(true);
  count_ = new QLabel(this);
  count_->setObjectName("quiet");
  cancel_ = new QPushButton("Stop", this);
  cancel_->hide();
  connect(choose, &QPushButton::clicked, this, &LibraryPage::askFolder);
  connect(again_, &QPushButton::clicked, this, [this] { read(true); });
  connect(search_, &QLineEdit::textChanged, this, &LibraryPage::refill);
  connect(cancel_, &QPushButton::clicked, &job_, &Job::cancel);
  line->addWidget(search_, 1);
  line->addWidget(count_);
  line->addWidget(cancel_);
  line->addWidget(where_);
  line->addWidget(choose);
  line->addWidget(again_);
  return line;
}

QLayout* LibraryPage::buildLower() {
  auto* column = new QVBoxLayout;
  auto* head = new QHBoxLayout;
  title_ = new QLabel(this);
  title_->setObjectName("title");
  title_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);  // the longest name widens no window
  against_ = new QComboBox(this);
  against_->setAccessibleName("Test to compare with");
  against_->setFixedWidth(360);
  connect(against_, &QComboBox::currentIndexChanged, this, &LibraryPage::compare);
  head->addWidget(title_, 1);
  head->addWidget(new QLabel("against", this));
  head->addWidget(against_);
  figures_ = new QTableWidget(0, FigureColumns, this);
  figures_->setObjectName("retest");
  figures_->setAccessibleName("What changed between two tests");
  figures_->setHorizontalHeaderLabels({"Stops", "Then", "Now", "Difference", "Says"});
  figures_->horizontalHeaderItem(Differs)->setToolTip(
      "now less then, one standard error: of both tests, and of what a bench leaves open from day to day");
  figures_->verticalHeader()->hide();
  figures_->verticalHeader()->setDefaultSectionSize(kRow);
  figures_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  figures_->setSelectionMode(QAbstractItemView::NoSelection);
  figures_->horizontalHeader()->setSectionResizeMode(Says, QHeaderView::Stretch);
  figures_->setColumnWidth(What, 170), figures_->setColumnWidth(Then, 96), figures_->setColumnWidth(Now, 96),
      figures_->setColumnWidth(Differs, 110);
  words_ = new QTextBrowser(this);
  words_->setAccessibleName("What the comparison says");
  auto* lower = new QHBoxLayout;
  lower->setSpacing(size::kMargin);
  lower->addWidget(figures_, 3);
  lower->addWidget(words_, 2);
  column->addLayout(head);
  column->addLayout(lower, 1);
  return column;
}

QLayout* LibraryPage::buildActions() {
  auto* line = new QHBoxLayout;
  line->setSpacing(size::kGap);
  open_ = new QPushButton("Open this project", this);
  repeat_ = new QPushButton("Plan it again", this);
  repeat_->setToolTip("a new project with the same plan and limits, its takes still to be shot");
  protocol_ = new QPushButton("Keep its plan as protocol", this);
  protocol_->setToolTip("a recipe in the library's folder \"protocols\", for tests to come");
  begin_ = new QPushButton("Begin from a protocol", this);
  protocols_ = new QMenu(begin_);
  begin_->setMenu(protocols_);
  connect(protocols_, &QMenu::aboutToShow, this, &LibraryPage::fillProtocols);
  auto* takeIn = new QPushButton("Take in somebody's project", this);
  takeIn->setToolTip("it is checked, then copied into the library; no path of yours is opened by it");
  auto* copy = new QPushButton("Copy the table", this);
  connect(open_, &QPushButton::clicked, this, [this] {
    if (const auto* p = chosenProject()) emit projectWanted(library_->folder / p->file);
  });
  connect(repeat_, &QPushButton::clicked, this, &LibraryPage::askRepeat);
  connect(protocol_, &QPushButton::clicked, this, &LibraryPage::askProtocol);
  connect(takeIn, &QPushButton::clicked, this, &LibraryPage::askTakeIn);
  connect(copy, &QPushButton::clicked, this, &LibraryPage::copyTable);
  for (auto* b : {open_, repeat_, protocol_, begin_, takeIn}) line->addWidget(b);
  line->addStretch(1);
  line->addWidget(copy);
  return line;
}

void LibraryPage::setFolder(const fs::path& folder) {
  folder_ = folder;
  if (isVisible()) read(false);
}

fs::path LibraryPage::folder() const {
  return !folder_.empty() || !document_.isOpen() ? folder_ : document_.project().folder();
}

// What changed on disk since is seen whenever the page is.
void LibraryPage::showEvent(QShowEvent*) {
  read(false);
}

void LibraryPage::read(bool rebuild) {
  const fs::path at = folder();
  where_->setText(where_->fontMetrics().elidedText(q(at.string()), Qt::ElideMiddle, where_->maximumWidth()));
  where_->setToolTip(q(at.string()));
  if (at.empty()) return;
  cancel_->show();
  job_.start("reading the library",
             [this, at, rebuild](const Progress& progress, const Job::Deliver& deliver) {
               auto library = std::make_shared<Library>(readLibrary(at, indexOf(at), rebuild, progress));
               deliver([this, library] {
                 library_ = library;
                 refill();
               });
             });
}

void LibraryPage::say(const QString& words) {
  count_->setText(count_->fontMetrics().elidedText(words, Qt::ElideMiddle, kWords));
}

void LibraryPage::sayHowMany() {
  if (!library_) return count_->clear();
  QStringList said = {counted(static_cast<int>(model_->rows().size()), "test", "tests") + " of " +
                      counted(static_cast<int>(library_->projects.size()), "project", "projects")};
  const auto unread = std::count_if(library_->projects.begin(), library_->projects.end(),
                                    [](const auto& p) { return !p.problem.empty(); });
  if (unread > 0) said << QString("%1 can't be read").arg(unread);
  if (!library_->notes.empty())
    said << counted(static_cast<int>(library_->notes.size()), "place left out", "places left out");
  say(said.join(", "));
  QStringList notes;
  for (const auto& n : library_->notes) notes << q(n);
  count_->setToolTip(notes.mid(0, 20).join("\n"));
}

void LibraryPage::refill() {
  const auto keyOf = [this](int row) {
    const LibraryProject* p = model_->project(row);
    return p ? p->file + " " + (model_->tested(row) ? std::to_string(model_->tested(row)->id) : "")
             : std::string();
  };
  const std::string before = keyOf(table_->currentIndex().row());
  {
    const QSignalBlocker quietly(table_->selectionModel());
    model_->show(library_, search_->text().toStdString());
  }
  sayHowMany();
  int wanted = 0;
  for (int i = 0; i < model_->rowCount(); ++i)
    if (keyOf(i) == before) wanted = i;
  if (model_->rowCount() > 0) table_->selectRow(wanted);
  chosenChanged();
}

void LibraryPage::choose(int row) {
  table_->selectRow(row);
}

const LibraryProject* LibraryPage::chosenProject() const {
  return model_->project(table_->currentIndex().row());
}

// Every other test of the same configuration, newest first; of the open project as it stands in the window.
void LibraryPage::chosenChanged() {
  const int row = table_->currentIndex().row();
  const LibraryProject* p = chosenProject();
  const Tested* chosen = model_->tested(row);
  const bool sound = p && p->problem.empty();
  for (auto* b : {open_, repeat_, protocol_}) b->setEnabled(sound);
  others_.clear();
  const QSignalBlocker quietly(against_);
  against_->clear();
  title_->setToolTip(p ? q(p->title) : QString());
  title_->setText(chosen ? q(chosen->label()) + ", " + words(*chosen) : p ? q(p->file) : QString());
  if (chosen) {
    for (const auto& other : library_->projects)
      for (const auto& t : other.tested)
        if (sameConfiguration(t, *chosen) && (t.file != chosen->file || t.id != chosen->id))
          others_.push_back(t);
    std::stable_sort(others_.begin(), others_.end(), [&](const Tested& a, const Tested& b) {
      const bool x = a.project == chosen->project, y = b.project == chosen->project;
      return x != y ? y : a.date > b.date;  // copies of the same project last
    });
    for (const auto& t : others_) {
      against_->addItem(words(t));
      against_->setItemData(against_->count() - 1, q(t.file), Qt::ToolTipRole);
    }
  }
  against_->setEnabled(!others_.empty());
  compare();
}

void LibraryPage::compare() {
  const int row = table_->currentIndex().row();
  const Tested* chosen = model_->tested(row);
  const LibraryProject* p = chosenProject();
  retest_.reset();
  figures_->setRowCount(0);
  const int at = against_->currentIndex();
  if (chosen && at >= 0 && at < static_cast<int>(others_.size()))
    return showRetest(*chosen, others_[static_cast<size_t>(at)]);
  QString text;
  if (p && !p->problem.empty())
    text = esc(p->file) + ": " + esc(p->problem);
  else if (chosen)
    text =
        "No other test of " + esc(chosen->label()) +
        " lies here. <b>Plan it again</b> makes a project with the same plan; shoot it, and both stand here.";
  else if (p)
    text = "This project has no configuration yet: nothing was shot.";
  else if (library_ && search_->text().isEmpty())
    text = "No project lies in this folder. <b>Choose the folder</b> your tests lie in, at any depth.";
  else if (library_)
    text = "No test has all these words.";
  words_->setHtml("<p>" + text + "</p>");
}

void LibraryPage::showRetest(const Tested& chosen, const Tested& other) {
  const bool newer = chosen.date >= other.date;
  const Tested &before = newer ? other : chosen, &after = newer ? chosen : other;
  retest_ = retest(before, after);
  figures_->setRowCount(static_cast<int>(retest_->figures.size()));
  for (int i = 0; i < figures_->rowCount(); ++i) {
    const Difference& d = retest_->figures[static_cast<size_t>(i)];
    const bool sign = d.figure->metered || d.figure->id == TestedFigure::Clip;
    const QString cells[] = {d.figure->words, q(limitFigure(d.before, sign)), q(limitFigure(d.after, sign)),
                             d.stops ? q(formatSigned(*d.stops, 2) + " ±" + formatNumber(*d.sigma, 2)) : "–",
                             q(saysOf(d))};
    for (int c = 0; c < FigureColumns; ++c) {
      auto* item = new QTableWidgetItem(cells[c]);
      item->setToolTip(
          c == Differs && d.wouldShow
              ? QString("a change of %1 or more would be called one").arg(q(formatNumber(*d.wouldShow, 2)))
              : cells[c]);
      if (d.change == Change::Changed) {
        QFont bold = figures_->font();
        bold.setBold(true);
        item->setFont(bold);
      }
      figures_->setItem(i, c, item);
    }
  }
  QString html = "<p><b>" + esc(retest_->sentence) + ".</b></p><p>Then: " + words(before).toHtmlEscaped() +
                 (before.dateOfFile ? " (date of the file)" : "") +
                 "<br>Now: " + words(after).toHtmlEscaped() +
                 (after.dateOfFile ? " (date of the file)" : "") + "</p>";
  for (const auto& w : retest_->warnings) {
    QString message = esc(w.message);
    message[0] = message[0].toUpper();
    html += "<p>" + message + ".</p>";
  }
  words_->setHtml(html);
}

std::vector<Command> LibraryPage::commands() {
  const auto can = [this] { return chosenProject() && chosenProject()->problem.empty(); };
  return {{"/", "search the library", [this] { search_->setFocus(); }, {}},
          {"Enter", "open the chosen project", [this] { open_->click(); }, can},
          {"R", "plan the chosen test again", [this] { askRepeat(); }, can},
          {"", "choose the folder of the library", [this] { askFolder(); }, {}},
          {"", "take in somebody's project", [this] { askTakeIn(); }, {}},
          {"", "keep the chosen plan as protocol", [this] { askProtocol(); }, can},
          {"Ctrl+C", "copy the table", [this] { copyTable(); }, {}}};
}

}  // namespace edge::app
