#include "findings/board_page.h"

#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QGridLayout>
#include <QKeyEvent>
#include <QPainter>
#include <QScrollArea>
#include <QVBoxLayout>
#include <cmath>

#include "advise/report_page.h"
#include "base/files.h"
#include "base/numbers.h"
#include "paper/report_paper.h"
#include "ruler/ruler_data.h"
#include "widgets/when_seen.h"

namespace edge::app {

// The card as it will be printed, fitted to its room.
class CardView : public QWidget {
 public:
  explicit CardView(QWidget* parent) : QWidget(parent) {
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setAccessibleName("Exposure card");
  }
  void show(const Finding* finding) {
    finding_ = finding ? std::optional(*finding) : std::nullopt;
    cache_ = QImage();
    update();
  }
  void setTheme(const Theme& t) { theme_ = t, update(); }

 protected:
  void paintEvent(QPaintEvent*) override {
    QPainter p(this);
    p.fillRect(rect(), theme_.window);
    if (!finding_) return;
    const int width = std::min(this->width(), height() * 794 / 559);
    if (cache_.isNull() || cachedWidth_ != width)
      cache_ = cardPreview(*finding_, width, devicePixelRatioF()), cachedWidth_ = width;
    p.drawImage(QPointF(0, 0), cache_);
  }
  // As wide as its shape asks for, and no wider: a third of an A5 page is left for the figures.
  void resizeEvent(QResizeEvent*) override {
    cache_ = QImage();
    setMaximumWidth(std::max(320, height() * 794 / 559));
  }
  [[nodiscard]] QSize sizeHint() const override { return {794, 559}; }

 private:
  std::optional<Finding> finding_;
  QImage cache_;
  int cachedWidth_ = 0;
  Theme theme_ = theme(ThemeKind::Dark);
};

namespace {

constexpr double kRowHeight = 46;
constexpr int kMostHeight = 366, kLeastHeight = 218;  // of the board: four rows stay in a low window

constexpr double kAnchorStep = 1.0 / 3;  // stops

struct Anchor {
  const char *words, *name;
  double stops;  // over grey
  bool fromBase;
};
constexpr Anchor kAnchors[] = {{"grey", "grey", 0, false},
                               {"a forehead, one over grey", "forehead", 1, false},  // common practice
                               {"the base as metered", "base", 0, true}};

struct ExportKind {
  BoardPage::Export kind;
  const char *button, *filter, *suffix, *key;
};
constexpr ExportKind kExports[] = {
    {BoardPage::Export::CardPdf, "This card as PDF", "PDF (*.pdf)", "pdf", "P"},
    {BoardPage::Export::AllCardsPdf, "All cards as PDF", "PDF (*.pdf)", "pdf", "Shift+P"},
    {BoardPage::Export::ReportPdf, "Whole report as PDF", "PDF (*.pdf)", "pdf", ""},
    {BoardPage::Export::Html, "Report as a web page", "Web page (*.html)", "html", ""},
    {BoardPage::Export::Csv, "Edge board as table", "Table (*.csv)", "csv", ""},
    {BoardPage::Export::Json, "All findings as data", "Findings (*.json)", "json", ""}};

}  // namespace

BoardPage::BoardPage(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
  board_ = new RulerWidget;
  board_->setObjectName("edgeBoard");
  board_->setRowHeight(kRowHeight);
  scroll_ = new QScrollArea(this);
  scroll_->setWidget(board_);
  scroll_->setWidgetResizable(true);
  scroll_->setFrameShape(QFrame::NoFrame);
  scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  card_ = new CardView(this);
  auto* lower = new QHBoxLayout;
  lower->setSpacing(size::kMargin);
  lower->addWidget(card_);
  lower->addLayout(buildSide(), 1);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addLayout(buildControls());
  // The board has its rows before the card has its size; it gives way to what the card needs.
  all->addWidget(scroll_, 100);
  auto* contents = new QWidget(this);
  contents->setLayout(lower);
  lower->setContentsMargins(0, 0, 0, 0);
  inviting_ = new Inviting(contents, this);
  connect(inviting_, &Inviting::taken, this, &BoardPage::doorWanted);
  all->addWidget(inviting_, 1);
  connect(&document_, &Document::left, this, [this] { card_->show(nullptr); });
  connect(board_, &RulerWidget::rowChosen, this, [this](int row) {
    if (row >= 0 && row < static_cast<int>(rows_.size()) && rows_[static_cast<size_t>(row)] >= 0)
      document_.setCurrent(rows_[static_cast<size_t>(row)]);
  });
  const auto draw = [this](double by) {
    RulerData d = boardData();
    d.zero += by;
    board_->setData(d);
  };
  connect(board_, &RulerWidget::zeroDragged, this, draw);
  connect(board_, &RulerWidget::zeroDropped, this, [this](double by) {
    moved_ = std::round((moved_ + by) / kAnchorStep) * kAnchorStep;
    refresh();
  });
  const auto ended = [this](const QString& words) {
    if (!words.isEmpty()) emit done(words);
    papers_->setCurrentWidget(paper_);
  };
  connect(&job_, &Job::failed, this,
          [this, ended](const QString& what, const QString& where, const QString& remedy) {
            ended("nothing was written");
            emit failed(what, where, remedy);
          });
  connect(&job_, &Job::progress, this, [this](double f, const QString& what) {
    emit done(QString("writing, %1 %: %2").arg(static_cast<int>(100 * f)).arg(what));
  });
  connect(&job_, &Job::finished, this,
          [ended](bool cancelled) { ended(cancelled ? "stopped, nothing was written" : QString()); });
  auto* seen = new WhenSeen(this, [this] { refresh(); });
  connect(&document_, &Document::findingsChanged, seen, &WhenSeen::changed);
  connect(&document_, &Document::currentChanged, seen, &WhenSeen::changed);
  refresh();
}

QLayout* BoardPage::buildControls() {
  auto* line = new QHBoxLayout;
  line->setSpacing(size::kGap);
  filter_ = new QLineEdit(this);
  filter_->setPlaceholderText("only rows with these words");
  filter_->setAccessibleName("Words that must stand in a row");
  filter_->setClearButtonEnabled(true);
  sort_ = new QComboBox(this);
  sort_->setAccessibleName("Order of the rows");
  for (const auto& s : boardSorts()) sort_->addItem(s.words);
  anchor_ = new QComboBox(this);
  anchor_->setAccessibleName("What stops count from");
  anchor_->setToolTip("slides the numbers, never the data; the scale can also be drawn along with the mouse");
  for (const auto& a : kAnchors) anchor_->addItem(a.words);
  connect(filter_, &QLineEdit::textChanged, this, &BoardPage::refresh);
  connect(sort_, &QComboBox::currentIndexChanged, this, &BoardPage::refresh);
  connect(anchor_, &QComboBox::currentIndexChanged, this, [this] {
    moved_ = 0;
    refresh();
  });
  line->addWidget(filter_, 1);
  line->addWidget(new QLabel("in order", this));
  line->addWidget(sort_);
  line->addWidget(new QLabel("counted from", this));
  line->addWidget(anchor_);
  return line;
}

// Rows in their order, unlike ones under a heading of their own.
RulerData BoardPage::boardData() {
  RulerData d;
  rows_.clear();
  const auto& findings = document_.findings();
  for (const auto& group :
       boardOf(findings, static_cast<BoardSort>(sort_->currentIndex()), filter_->text().toStdString())) {
    if (!group.differs.empty()) {
      RulerRow heading;
      heading.label = "not alike";
      heading.note = QString::fromStdString(group.differs);
      heading.heading = true;
      d.rows.push_back(heading);
      rows_.push_back(-1);
    }
    for (const size_t i : group.rows) {
      d.rows.push_back(boardRow(findings[i]));
      d.rows.back().selected = static_cast<int>(i) == document_.currentIndex();
      rows_.push_back(static_cast<int>(i));
    }
  }
  if (d.rows.empty())
    d.rows.push_back({"Edge board", findings.empty() ? "one row each" : "no row fits", {}, {}, {}, false});
  const auto& anchor = kAnchors[std::max(0, anchor_->currentIndex())];
  const double base = document_.current() ? document_.current()->baseAboveGrey : 0;
  d.zero = (anchor.fromBase ? base : anchor.stops) + moved_;
  d.zeroName = moved_ == 0 ? anchor.name : "moved";
  d.zeroMoves = true;
  return d;
}

QLayout* BoardPage::buildSide() {
  title_ = new QLabel(this);
  title_->setObjectName("title");
  explain_ = new ExplainPanel(document_, "latitude", this);
  auto* side = new QVBoxLayout;
  side->setSpacing(0);
  side->addWidget(title_);
  side->addSpacing(size::kGap);
  const std::vector<std::pair<const char*, const char*>> rows = {{"headline", "Dynamic range"},
                                                                 {"latitude", "Latitude, clean"},
                                                                 {"over", "Upper edge"},
                                                                 {"under", "Lower edge"}};
  for (const auto& [key, label] : rows) {
    auto* row = new FigureRow(key, label, false, this);
    connect(row, &FigureRow::asked, explain_, &ExplainPanel::show);
    side->addWidget(row);
    figures_.push_back(row);
  }
  side->addSpacing(size::kGap);
  side->addWidget(explain_, 1);
  side->addSpacing(size::kGap);
  side->addLayout(buildExports());
  return side;
}

QLayout* BoardPage::buildExports() {
  auto* grid = new QGridLayout;
  grid->setSpacing(size::kGap);
  for (const auto& e : kExports) {
    auto* button = new QPushButton(e.button, this);
    connect(button, &QPushButton::clicked, this, [this, kind = e.kind] { ask(kind); });
    exports_.push_back(button);
  }
  paper_ = new QComboBox(this);
  paper_->setAccessibleName("Paper of the cards");
  paper_->setToolTip("how cards are printed");
  for (const auto& spec : cardPapers()) paper_->addItem(QString("Cards: ") + spec.words);
  auto* copy = new QPushButton("Copy edge board", this);
  connect(copy, &QPushButton::clicked, this, &BoardPage::copyBoard);
  exports_.push_back(copy);
  for (size_t i = 0; i < exports_.size(); ++i)
    grid->addWidget(exports_[i], static_cast<int>(i) / 4, static_cast<int>(i) % 4);
  // While something is written, it is the place to stop it: nothing moves.
  auto* stop = new QPushButton("Stop writing", this);
  connect(stop, &QPushButton::clicked, &job_, &Job::cancel);
  papers_ = new QStackedWidget(this);
  papers_->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
  papers_->addWidget(paper_), papers_->addWidget(stop);
  grid->addWidget(papers_, 1, 3);
  for (int column = 0; column < 4; ++column) grid->setColumnStretch(column, 1);
  return grid;
}

void BoardPage::refreshFigures(const Finding* f) {
  const auto figure = [](const std::optional<Limit>& l, bool sign) {
    return QString::fromStdString(limitFigure(l, sign));
  };
  const bool range = f && f->range, latitude = f && f->latitude;
  figures_[0]->setFigure(range ? figure(f->range->headline, false) : "not measured",
                         range && f->range->headline ? "stops" : "", "");
  figures_[1]->setFigure(latitude ? figure(f->latitude->edges.latitude, false) : "not measured",
                         latitude ? "stops" : "", "");
  figures_[2]->setFigure(latitude ? figure(f->latitude->edges.over.estimate, true) : "not measured",
                         latitude ? "stops" : "", "");
  figures_[3]->setFigure(latitude ? figure(f->latitude->edges.under.estimate, true) : "not measured",
                         latitude ? "stops" : "", "");
}

std::vector<Command> BoardPage::commands() {
  std::vector<Command> list = {{"Up, Down", "on the board: read what stands there", {}, {}},
                               {"Enter", "on the board: choose that configuration", {}, {}},
                               {"Ctrl+C", "copy the edge board", [this] { copyBoard(); }, {}}};
  for (const auto& e : kExports)
    list.push_back(
        {e.key, e.button, [this, kind = e.kind] { ask(kind); }, [this] { return document_.current(); }});
  return list;
}

void BoardPage::setTheme(const Theme& t) {
  board_->setTheme(t);
  card_->setTheme(t);
  for (auto* row : figures_) row->setTheme(t);
}

void BoardPage::copyBoard() {
  QApplication::clipboard()->setText(QString::fromStdString(boardCsv(document_.findings())));
}

void BoardPage::refresh() {
  board_->setData(boardData());
  board_->setFixedHeight(board_->sizeHint().height());
  const int height = board_->sizeHint().height() + 2;
  scroll_->setMaximumHeight(std::min(kMostHeight, height));
  scroll_->setMinimumHeight(std::min(kLeastHeight, height));
  const Finding* f = document_.current();
  title_->setText(f ? QString::fromStdString(f->configuration.label()) : QString());
  card_->show(f);
  inviting_->invite(f && (f->range || f->latitude) ? std::nullopt : inviteFor(document_, Need::Bracket));
  refreshFigures(f);
  explain_->refresh();
  for (auto* b : exports_) b->setEnabled(f != nullptr);
}

void BoardPage::ask(Export kind) {
  if (!document_.current()) return;
  for (const auto& e : kExports) {
    if (e.kind != kind) continue;
    const QString suggestion =
        QString::fromStdString((document_.project().folder() / document_.project().file().stem()).string()) +
        "." + e.suffix;
    const QString file = QFileDialog::getSaveFileName(this, e.button, suggestion, e.filter, nullptr,
                                                      QFileDialog::DontUseNativeDialog);
    if (!file.isEmpty()) exportTo(kind, file.toStdString());
  }
}

// Written in a thread: a report renders many pictures.
void BoardPage::exportTo(Export kind, const std::filesystem::path& file) {
  const auto report = std::make_shared<Report>(reportOf(document_.project(), document_.findings()));
  const QString title = QString::fromStdString(report->title);
  const auto paper = static_cast<CardPaper>(paper_->currentIndex());
  const Finding* current = document_.current();
  const auto one = std::make_shared<std::vector<Finding>>();
  if (current) one->push_back(*current);
  const auto folder = document_.project().folder();
  papers_->setCurrentIndex(1);
  job_.start("writing", [this, kind, file, report, title, paper, one, folder](const Progress& progress,
                                                                              const Job::Deliver& deliver) {
    if (kind == Export::ReportPdf || kind == Export::Html) addStills(*report, folder, progress);
    progress.report(1, file.filename().string());
    switch (kind) {
      case Export::CardPdf:
        writeCardsPdf(file, *one, title, paper);
        break;
      case Export::AllCardsPdf:
        writeCardsPdf(file, report->findings, title, paper);
        break;
      case Export::ReportPdf:
        writeReportPdf(file, *report);
        break;
      case Export::Csv:
        writeFileAtomically(file, boardCsv(report->findings));
        break;
      case Export::Json:
        writeFileAtomically(file, reportJson(*report).dump(2) + "\n");
        break;
      case Export::Html:
        writeFileAtomically(file, reportPage(*report));
        break;
    }
    deliver([this, file, report] {
      const QString missing = report->missing.empty()
                                  ? QString()
                                  : ", without some stills: " + QString::fromStdString(report->missing[0]);
      emit done("written: " + QString::fromStdString(file.string()) + missing);
    });
  });
}

}  // namespace edge::app
