#include "latitude/latitude_stage.h"

#include <QApplication>
#include <QClipboard>
#include <QHeaderView>
#include <QKeyEvent>
#include <QTimer>
#include <QVBoxLayout>

#include "base/numbers.h"
#include "ruler/ruler_data.h"
#include "theme/text.h"

namespace edge::app {
namespace {
constexpr int kTakeRow = 22, kLeastLower = 260;
constexpr Verdict kVerdicts[3] = {Verdict::Clean, Verdict::Cleanable, Verdict::Lost};
}  // namespace

LatitudeStage::LatitudeStage(Document& document, QWidget* parent) : Stage(parent), document_(document) {
  build();
  connect(&document_, &Document::findingsChanged, this, &LatitudeStage::refresh);
  connect(&document_, &Document::currentChanged, this, [this] {
    take_.clear();
    refresh();
  });
  connect(ruler_, &RulerWidget::markChosen, this, [this](int, const QString& take) { select(take); });
  connect(table_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& now) {
            if (now.isValid()) select(model_->takeAt(now.row()));
          });
  connect(&pictureJob_, &Job::failed, this,
          [this](const QString& problem, const QString& where, const QString& remedy) {
            for (auto* view : {base_, shot_, back_})
              view->clearPicture(problem + "\n" + where + "\n" + remedy);
          });
  refresh();
}

void LatitudeStage::build() {
  ruler_ = new RulerWidget(this);
  ruler_->setRowHeight(74);
  base_ = new PictureView(this), shot_ = new PictureView(this), back_ = new PictureView(this);
  model_ = new TakeModel(document_, this);
  table_ = new QTableView(this);
  table_->setModel(model_);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setSelectionMode(QAbstractItemView::SingleSelection);
  table_->verticalHeader()->hide();
  table_->verticalHeader()->setDefaultSectionSize(kTakeRow);
  table_->horizontalHeader()->setStretchLastSection(true);
  table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  table_->setShowGrid(false);
  table_->setAccessibleName("Takes of the bracket");
  table_->setColumnWidth(TakeModel::Name, 56), table_->setColumnWidth(TakeModel::Planned, 66);
  table_->setColumnWidth(TakeModel::Measured, 104), table_->setColumnWidth(TakeModel::VerdictWord, 150);
  warnings_ = new QLabel(this);
  warnings_->setObjectName("quiet");
  warnings_->setWordWrap(true);
  explain_ = new ExplainPanel(document_, "latitude", this);

  auto* pictures = new QHBoxLayout;
  pictures->setSpacing(size::kGap);
  for (auto* view : {base_, shot_, back_}) pictures->addWidget(view, 1);
  auto* left = new QVBoxLayout;
  left->addWidget(buildVerdictBar());
  left->addWidget(table_, 1);
  auto* panel = new QWidget(this);
  panel->setFixedWidth(316);
  auto* right = new QVBoxLayout(panel);
  right->setContentsMargins(0, 0, 0, 0);
  right->setSpacing(0);
  const std::vector<std::pair<const char*, const char*>> rows = {{"latitude", "Latitude, clean"},
                                                                 {"over", "Upper edge"},
                                                                 {"under", "Lower edge"},
                                                                 {"cleaned", "With clean-up"}};
  for (const auto& [key, label] : rows) {
    auto* row = new FigureRow(key, label, figures_.empty(), panel);
    connect(row, &FigureRow::asked, explain_, &ExplainPanel::show);
    right->addWidget(row);
    figures_.push_back(row);
  }
  right->addSpacing(size::kGap);
  right->addWidget(warnings_);
  right->addSpacing(size::kGap);
  right->addWidget(explain_, 1);
  auto* lower = new QHBoxLayout;
  lower->setSpacing(size::kMargin);
  lower->addLayout(left, 1);
  lower->addWidget(panel);
  auto* contents = new QWidget(this);
  auto* column = new QVBoxLayout(contents);
  column->setContentsMargins(0, 0, 0, 0);
  column->addLayout(pictures, 1);  // all the room there is beyond what the table asks for
  lower_ = new QWidget(contents);
  lower_->setLayout(lower);
  lower->setContentsMargins(0, 0, 0, 0);
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
  auto* label = new QLabel("Your verdict", bar);
  label->setObjectName("quiet");
  row->addWidget(label);
  static const char* const kWords[3] = {"&clean", "clean&able", "&lost"};
  for (int i = 0; i < 3; ++i) {
    judged_[i] = new QPushButton(kWords[i], bar);
    judged_[i]->setCheckable(true);
    judged_[i]->setObjectName(QString("judge:%1").arg(wordOf(kVerdicts[i])));
    connect(judged_[i], &QPushButton::clicked, this, [this, i] { judge(kVerdicts[i]); });
    row->addWidget(judged_[i]);
  }
  reason_ = new QLineEdit(bar);
  reason_->setPlaceholderText("why (kept with the verdict)");
  reason_->setAccessibleName("Reason of your verdict");
  reason_->setMaxLength(400);
  reason_->setFixedWidth(200);
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
  return {{",", "one take darker", [this] { step(-1); }, {}},
          {".", "one take brighter", [this] { step(+1); }, {}},
          {"1", "judge the take clean", [this] { judge(Verdict::Clean); }, judged},
          {"2", "judge the take cleanable", [this] { judge(Verdict::Cleanable); }, judged},
          {"3", "judge the take lost", [this] { judge(Verdict::Lost); }, judged},
          {"0", "take your verdict back", [this] { judge(std::nullopt); }, judged},
          {"Z", "pictures fitted or at 100 %", [this] { togglePictureSize(); }, {}},
          {"Ctrl+C", "copy the table", [this] { QApplication::clipboard()->setText(model_->asText()); }, {}},
          {"Enter", "on a figure: where it comes from", {}, {}}};
}

void LatitudeStage::setTheme(const Theme& t) {
  ruler_->setTheme(t);
  for (auto* view : {base_, shot_, back_}) view->setTheme(t);
  for (auto* f : figures_) f->setTheme(t);
  refresh();
}

void LatitudeStage::togglePictureSize() {
  actualSize_ = !actualSize_;
  for (auto* view : {base_, shot_, back_}) view->setActualSize(actualSize_);
}

void LatitudeStage::step(int by) {
  const int row = std::clamp(model_->rowOf(take_) + by, 0, std::max(0, model_->rowCount() - 1));
  select(model_->takeAt(row));
}

void LatitudeStage::select(const QString& take) {
  if (take == take_ || take.isEmpty()) return;
  take_ = take;
  refresh();
  explain_->show("take:" + take_);
}

void LatitudeStage::judge(std::optional<Verdict> verdict) {
  const Finding* f = document_.current();
  if (!f || !f->latitude || take_.isEmpty()) return;
  document_.overrideVerdict(take_.toStdString(), verdict, reason_->text().toStdString());
}

void LatitudeStage::refresh() {
  emit stateChanged();
  model_->refresh();
  const Finding* f = document_.current();
  const bool measured = f && f->latitude;
  if (measured && model_->rowOf(take_) < 0) take_ = model_->takeAt(model_->rowCount() - 1);
  RulerData d;
  d.zeroName = "base";
  d.rows = {f ? latitudeRow(*f, "Latitude", take_, true)
              : RulerRow{"Latitude", "not measured", {}, {}, {}, false}};
  ruler_->setData(d);
  if (measured) {
    const QSignalBlocker quiet(table_->selectionModel());
    const QModelIndex at = model_->index(model_->rowOf(take_), 0);
    table_->setCurrentIndex(at);
    table_->selectRow(at.row());
    table_->scrollTo(at);
    refreshFigures(*f);
  } else {
    take_.clear();
    for (auto* row : figures_) row->setFigure("not measured", "", "");
    warnings_->clear();
  }
  inviting_->invite(inviteFor(document_, Need::Bracket));
  table_->viewport()->update();
  share();
  refreshVerdict();
  explain_->refresh();
  loadPictures();
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
      std::clamp(rows + size::kBar, kLeastLower, std::max(kLeastLower, height() * 45 / 100)));
}

void LatitudeStage::resizeEvent(QResizeEvent* event) {
  Stage::resizeEvent(event);
  QTimer::singleShot(0, this, &LatitudeStage::share);  // when the table has its new width
}

void LatitudeStage::showEvent(QShowEvent* event) {
  Stage::showEvent(event);
  QTimer::singleShot(0, this, &LatitudeStage::share);
}

void LatitudeStage::refreshFigures(const Finding& f) {
  const Edges &e = f.latitude->edges, &cleaned = f.latitude->cleaned;
  const auto set = [&](size_t i, const std::optional<Limit>& l, bool sign, const std::string& note) {
    figures_[i]->setFigure(q(limitFigure(l, sign)), l ? "stops" : "", q(note));
  };
  set(0, e.latitude, false, "exposure alone, no noise reduction");
  set(1, e.over.estimate, true, wordsOf(e.over.cause));
  set(2, e.under.estimate, true, wordsOf(e.under.cause));
  set(3, cleaned.latitude, false, "");
  QStringList lines;
  for (const auto& w : f.latitude->warnings)
    lines << "• " + (w.where.empty() ? QString() : q(w.where) + ": ") + q(w.message);
  warnings_->setText(lines.join("\n"));
}

void LatitudeStage::refreshVerdict() {
  const Finding* f = document_.current();
  const bool any = f && f->latitude && !take_.isEmpty();
  for (auto* b : judged_) b->setEnabled(any), b->setChecked(false);
  takeBack_->setEnabled(false);
  verdict_->setText(any ? "" : "No take selected");
  if (!any) return;
  for (size_t i = 0; i < f->latitudeMeasure->takes.size(); ++i) {
    if (q(f->latitudeMeasure->takes[i].name) != take_) continue;
    verdict_->setText(QString("Take %1: %2").arg(take_, wordOf(f->latitude->judged[i].verdict)));
  }
  const auto own = document_.project().decision(f->configuration.id, take_.toStdString(), kOverrideKey);
  takeBack_->setEnabled(own.has_value());
  if (!reason_->hasFocus()) reason_->setText(own ? q(own->reason) : QString());
  for (int i = 0; i < 3; ++i) judged_[i]->setChecked(own && own->value == wordOf(kVerdicts[i]));
}

void LatitudeStage::loadPictures() {
  const Finding* f = document_.current();
  const TakeMetrics* metrics = nullptr;
  if (f && f->latitudeMeasure)
    for (const auto& t : f->latitudeMeasure->takes)
      if (q(t.name) == take_) metrics = &t;
  const ClipRecord *baseClip = f ? f->configuration.clipOfKind(ClipKind::Base) : nullptr, *takeClip = nullptr;
  if (metrics)
    for (const auto& c : f->configuration.clips)
      if (c.kind == ClipKind::Take && c.name == metrics->name) takeClip = &c;
  const std::string wanted = (baseClip ? baseClip->path : "") + "|" + (takeClip ? takeClip->path : "");
  if (wanted == shown_) return;
  const bool baseStands = baseClip && shown_.rfind(baseClip->path + "|", 0) == 0 && base_->hasPicture();
  shown_ = wanted;
  if (!baseClip) {
    for (auto* view : {base_, shot_, back_}) view->clearPicture("");
    return;
  }
  if (!takeClip)
    for (auto* view : {shot_, back_}) view->clearPicture("Measured takes appear here.");
  const auto folder = document_.project().folder();
  const DecodeOptions decode = decodeOf(f->configuration, folder);
  const std::string display = f->configuration.display;
  struct Wanted {
    PictureView* view;
    std::filesystem::path clip;
    std::int64_t frame;
    double k, q;
    QString caption;
  };
  std::vector<Wanted> list;
  if (!baseStands) list.push_back({base_, folder / baseClip->path, baseClip->first + 1, 1, 0, "base"});
  if (takeClip) {
    list.push_back(
        {shot_, folder / takeClip->path, takeClip->first + 1, 1, 0, QString("take %1 as shot").arg(take_)});
    list.push_back({back_, folder / takeClip->path, takeClip->first + 1, metrics->k(), metrics->q(),
                    QString("take %1 brought back by %2 stops, exposure alone")
                        .arg(take_, q(formatSigned(-std::log2(metrics->k()), 2)))});
  }
  pictureJob_.start(
      "pictures", [list, decode, display](const Progress& progress, const Job::Deliver& deliver) {
        for (const auto& w : list) {
          auto picture =
              std::make_shared<Picture>(renderPicture(w.clip, decode, w.frame, w.k, w.q, display, progress));
          deliver([picture, w] { w.view->setPicture(*picture, w.caption); });
        }
      });
}

}  // namespace edge::app
