#include "begin/begin_dialog.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QScrollArea>
#include <QSignalBlocker>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/numbers.h"
#include "base/units.h"
#include "begin/bracket_order.h"
#include "color/curve.h"
#include "project/analysis.h"
#include "theme/text.h"
#include "widgets/plain_icon.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

constexpr const char* kFile = "a file…";
constexpr double kFreely = 0.1;  // stops that a mark moves by where no step fits
constexpr int kThumbWide = 80, kThumbHigh = 45, kMostRulerHeight = 200;
enum Column { Clip, Camera, For, Measured, Planned, Sigma, Why, Columns };

QLabel* quiet(const QString& text, QWidget* parent) {
  auto* label = new QLabel(text, parent);
  label->setObjectName("quiet");
  return label;
}

// The picture the clip was sorted by, from black to the brightest of it.
QIcon thumbOf(const ClipLook& l) {
  if (l.code.empty()) return {};
  const auto [low, high] = std::minmax_element(l.code.begin(), l.code.end());
  const double span = std::max(1e-6F, *high - *low), power = l.linear() ? 1 / 2.4 : 1;
  QImage image(l.width, l.height, QImage::Format_Grayscale8);
  for (int y = 0; y < l.height; ++y)
    for (int x = 0; x < l.width; ++x) {
      const double v =
          (l.code[static_cast<size_t>(y) * static_cast<size_t>(l.width) + static_cast<size_t>(x)] - *low) /
          span;
      image.scanLine(y)[x] = static_cast<uchar>(255 * std::pow(std::max(0.0, v), power));
    }
  return plainIcon(QPixmap::fromImage(
      image.scaled(kThumbWide, kThumbHigh, Qt::KeepAspectRatio, Qt::SmoothTransformation)));
}

QTableWidgetItem* still(const QString& text) {
  auto* item = new QTableWidgetItem(text);
  item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
  item->setToolTip(text);
  return item;
}

QString groupName(const SortedGroup& g) {
  return q(g.body + " · " + g.mode) + (g.iso > 0 ? QString(" · ISO %1").arg(g.iso) : QString());
}

}  // namespace

BeginDialog::BeginDialog(std::vector<std::filesystem::path> folders, const Theme& theme, QWidget* parent,
                         std::optional<Open> open)
    : QDialog(parent), folders_(std::move(folders)), open_(std::move(open)) {
  setWindowTitle("Begin from clips");
  resize(1160, 700);
  build(theme);
  connect(&job_, &Job::progress, this, [this](double share, const QString& what) {
    bar_->setValue(static_cast<int>(100 * share));
    head_->setText("Looking at " + what);
  });
  connect(&job_, &Job::failed, this,
          [this](const QString& problem, const QString& where, const QString& remedy) {
            say(problem + (where.isEmpty() ? QString() : ", " + where) + ": " + remedy);
            make_->setEnabled(!rows_.empty());
          });
  connect(&job_, &Job::finished, this, [this](bool) { bar_->hide(); });
  look();
}

void BeginDialog::build(const Theme& theme) {
  head_ = new QLabel(this);
  head_->setObjectName("headline");
  head_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);  // a long name moves nothing
  asked_ = quiet({}, this);
  asked_->setWordWrap(true);
  problem_ = new WrappedLabel(this);
  problem_->setObjectName("failure");
  problem_->hide();
  ruler_ = new RulerWidget(this);
  ruler_->setTheme(theme);
  auto* room = new QScrollArea(this);
  room->setWidget(ruler_);
  room->setWidgetResizable(true);
  room->setFrameShape(QFrame::NoFrame);
  room->setMaximumHeight(kMostRulerHeight);
  room->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Maximum);
  table_ = new QTableWidget(0, Columns, this);
  table_->setObjectName("found");
  table_->setAccessibleName("Clips found, what each is for and why");
  table_->setHorizontalHeaderLabels({"clip", "camera", "is for", "measured", "planned", "±", "why"});
  table_->setIconSize({kThumbWide, kThumbHigh});
  table_->verticalHeader()->hide();
  table_->verticalHeader()->setDefaultSectionSize(kThumbHigh + 4);
  table_->horizontalHeader()->setStretchLastSection(true);
  table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setShowGrid(false);
  const int widths[] = {230, 220, 110, 80, 80, 60};
  for (int i = 0; i < static_cast<int>(std::size(widths)); ++i) table_->setColumnWidth(i, widths[i]);
  connect(table_, &QTableWidget::itemChanged, this, &BeginDialog::changeCell);
  connect(ruler_, &RulerWidget::markChosen, this, [this](int, const QString&, int look) {
    for (size_t r = 0; r < rows_.size(); ++r)
      if (clipAt(r).look == static_cast<size_t>(look)) table_->selectRow(static_cast<int>(r));
  });
  connect(ruler_, &RulerWidget::markDropped, this, [this](int look, double at) {
    for (size_t r = 0; r < rows_.size(); ++r) {
      SortedClip& c = clipAt(r);
      if (c.look != static_cast<size_t>(look) || c.role != ClipRole::Take) continue;
      const double own = shoot_.groups[rows_[r].first].step, step = own > 0 ? own : kFreely;
      sayPlanned(c, std::round(at / step) * step);
    }
    fillLater();
  });
  bar_ = new QProgressBar(this);
  bar_->setTextVisible(false);
  file_ = new QLineEdit(this);
  file_->setObjectName("file");
  file_->setAccessibleName("Project file to be made");
  const auto& first = folders_.front();
  file_->setText(q((std::filesystem::absolute(first).lexically_normal().parent_path() /
                    (first.filename().empty() ? first.parent_path().filename() : first.filename()))
                       .string()) +
                 ".edgetest");
  make_ = new QPushButton("Make the project", this);
  make_->setObjectName("make");
  make_->setDefault(true);
  make_->setEnabled(false);
  connect(make_, &QPushButton::clicked, this, &BeginDialog::write);
  auto* leave = new QPushButton("Leave everything as it is", this);
  connect(leave, &QPushButton::clicked, this, &QDialog::reject);
  where_ = new QComboBox(this);
  where_->setObjectName("where");
  where_->setAccessibleName("Where the clips go");
  where_->addItem("a new project");
  if (open_) where_->addItem("the open project, " + q(open_->file.stem().string()));
  where_->setEnabled(open_.has_value());
  connect(where_, &QComboBox::activated, this, [this](int i) { addToOpen(i == 1); });
  auto* foot = new QHBoxLayout;
  foot->addWidget(where_);
  foot->addStretch();
  foot->addWidget(file_, 4);
  foot->addWidget(leave);
  foot->addWidget(make_);
  auto* all = new QVBoxLayout(this);
  all->addWidget(head_);
  all->addWidget(bar_);
  all->addWidget(buildChoices());
  all->addWidget(asked_);
  all->addWidget(room);
  all->addWidget(table_, 1);
  all->addWidget(problem_);
  all->addLayout(foot);
}

// What can't be seen, asked once for all clips that need it.
QWidget* BeginDialog::buildChoices() {
  auto* box = new QWidget(this);
  auto* row = new QHBoxLayout(box);
  row->setContentsMargins(0, 0, 0, 0);
  curve_ = new QComboBox(box);
  curve_->setObjectName("curve");
  curve_->setAccessibleName("Curve of the clips that need one");
  curve_->addItem("not known yet", "");
  for (const auto& c : namedCurves()) curve_->addItem(c.name, c.name);
  curve_->addItem(kFile, kFile);
  connect(curve_, &QComboBox::activated, this, &BeginDialog::chooseCurve);
  range_ = new QComboBox(box);
  range_->setAccessibleName("Range of the codes");
  range_->addItem("as tagged", -1);
  range_->addItem("legal", static_cast<int>(Range::Legal));
  range_->addItem("full", static_cast<int>(Range::Full));
  connect(range_, &QComboBox::activated, this, [this](int i) {
    const int value = range_->itemData(i).toInt();
    options_.decode.range = value < 0 ? std::nullopt : std::optional(static_cast<Range>(value));
    look();
  });
  step_ = new QComboBox(box);
  step_->setAccessibleName("Step of the exposures");
  step_->addItem("that fits", 0.0);
  step_->addItem("1 stop", 1.0);
  step_->addItem("1/2 stop", 0.5);
  step_->addItem("1/3 stop", 1.0 / 3);
  connect(step_, &QComboBox::activated, this, [this](int i) {
    const double step = step_->itemData(i).toDouble();
    options_.step = step > 0 ? std::optional(step) : std::nullopt;
    sort();
  });
  wedgeStep_ = buildWedgeSteps(box);
  for (const auto& [words, choice] : {std::pair("curve", curve_), std::pair("range", range_),
                                      std::pair("exposures by", step_), std::pair("wedge by", wedgeStep_)}) {
    row->addWidget(quiet(words, box));
    row->addWidget(choice);
    row->addSpacing(size::kGap);
  }
  iso_ = new QLineEdit(box);
  iso_->setObjectName("iso");
  iso_->setAccessibleName("ISO of the clips whose files say none");
  iso_->setPlaceholderText("as the files say");
  iso_->setMaximumWidth(130);
  connect(iso_, &QLineEdit::editingFinished, this, [this] {
    const auto iso = parseNumber(iso_->text().toStdString());
    const auto wanted = iso && *iso > 0 ? iso : std::nullopt;
    if (wanted == options_.iso) return;
    options_.iso = wanted;
    sort();
  });
  row->addWidget(quiet("ISO", box));
  row->addWidget(iso_);
  row->addStretch();
  return box;
}

// What a wedge is made of is not seen on its own clip: it would hide a wrong curve.
QComboBox* BeginDialog::buildWedgeSteps(QWidget* parent) {
  auto* box = new QComboBox(parent);
  box->setObjectName("wedge steps");
  box->setAccessibleName("Stops from patch to patch of the wedges");
  box->addItem("not known yet", 0.0);
  for (const auto& [words, stops] : {std::pair("1 stop", 1.0), std::pair("2/3 stop", 2.0 / 3),
                                     std::pair("1/2 stop", 0.5), std::pair("1/3 stop", 1.0 / 3)})
    box->addItem(words, stops);
  for (const double density : {0.3, 0.2, 0.15, 0.1})
    box->addItem(QString("density %1").arg(density, 0, 'f', 2), density / kDensityPerStop);
  return box;
}

// A cell or box that is changed is filled anew when it has done with its own signal.
void BeginDialog::fillLater() {
  QMetaObject::invokeMethod(this, &BeginDialog::fill, Qt::QueuedConnection);
}

void BeginDialog::fill() {
  filling_ = true;
  rows_.clear();
  for (size_t g = 0; g < shoot_.groups.size(); ++g)
    for (size_t c = 0; c < shoot_.groups[g].clips.size(); ++c) rows_.emplace_back(g, c);
  table_->setRowCount(static_cast<int>(rows_.size()));
  for (size_t r = 0; r < rows_.size(); ++r) fillRow(static_cast<int>(r), rows_[r].first, rows_[r].second);
  filling_ = false;
  fillRuler();
  head_->setText(QString("%1 clips, %2")
                     .arg(looks_.size())
                     .arg(shoot_.groups.size() == 1
                              ? QString("one configuration")
                              : QString("%1 configurations").arg(shoot_.groups.size())));
  QStringList lines;
  for (const auto& question : shoot_.questions) {
    QStringList of;
    for (const size_t g : question.groups) of << groupName(shoot_.groups[g]);
    lines << QString("Not known: %1 of %2.")
                 .arg(question.what == "iso" ? QString("ISO") : q(question.what), of.join(", "));
  }
  for (const auto& g : shoot_.groups) {
    QStringList stops;
    for (const double m : g.missing) stops << q(formatStops(m));
    if (g.bend != 0) lines << groupName(g) + ": " + q(bendWords(g));
    if (!stops.isEmpty()) lines << QString("%1 lacks %2.").arg(groupName(g), stops.join(", "));
  }
  for (const size_t i : shoot_.unreadable)
    lines << q(looks_[i].clip.filename().string() + ": " + looks_[i].problem + "; " + looks_[i].remedy);
  constexpr int kMostLines = 6;
  asked_->setToolTip(lines.size() > kMostLines ? lines.join("\n") : QString());
  if (lines.size() > kMostLines) {
    const auto more = lines.size() - kMostLines;
    lines = lines.mid(0, kMostLines);
    lines << QString("and %1 more").arg(more);
  }
  asked_->setText(lines.join("\n"));
  wedgeStep_->setEnabled(std::any_of(rows_.begin(), rows_.end(), [this](const auto& at) {
    return shoot_.groups[at.first].clips[at.second].role == ClipRole::Wedge;
  }));
  make_->setEnabled(!rows_.empty());
}

void BeginDialog::fillRow(int row, size_t group, size_t clip) {
  const SortedClip& c = shoot_.groups[group].clips[clip];
  const ClipLook& l = looks_[c.look];
  auto* name = still(q(l.clip.filename().string()));
  name->setIcon(thumbOf(l));
  name->setToolTip(q(l.clip.string()));
  table_->setItem(row, Clip, name);
  auto* camera = new QTableWidgetItem(groupName(shoot_.groups[group]));
  camera->setToolTip("Double click to give the body its name");
  table_->setItem(row, Camera, camera);
  auto* role = new QComboBox(table_);
  role->setAccessibleName("What " + name->text() + " is for");
  for (int i = 0; i <= static_cast<int>(ClipRole::Unknown); ++i)
    role->addItem(wordOf(static_cast<ClipRole>(i)), i);
  role->setCurrentIndex(static_cast<int>(c.role));
  connect(role, &QComboBox::activated, this,
          [this, group, clip](int i) { changeRole(group, clip, static_cast<ClipRole>(i)); });
  table_->setCellWidget(row, For, role);
  table_->setItem(row, Measured, still(c.stops ? q(formatSigned(*c.stops, 2)) : QString("–")));
  auto* planned = new QTableWidgetItem(c.planned ? q(formatSigned(*c.planned, 2)) : QString());
  if (c.role != ClipRole::Take) planned->setFlags(Qt::ItemIsEnabled);
  table_->setItem(row, Planned, planned);
  table_->setItem(row, Sigma, still(c.stops ? q(formatNumber(c.sigma, 2)) : QString()));
  table_->setItem(row, Why, still(q(c.why)));
}

void BeginDialog::fillRuler() {
  RulerData d;
  d.zeroName = "base", d.marksMove = true;
  for (const auto& g : shoot_.groups) {
    RulerRow row;
    row.label = groupName(g);
    int shown = 0;
    for (const auto& c : g.clips) {
      const auto at = c.stops ? c.stops : c.planned;
      if (!at) continue;
      ++shown;
      RulerMark m;
      m.at = *at;
      if (c.planned) m.planned = *c.planned;
      m.id = static_cast<int>(c.look);
      m.name = c.role == ClipRole::Base ? QString("base") : q(formatStops(c.planned.value_or(*at)));
      m.words = "take " + q(looks_[c.look].clip.filename().string()) + ", " + q(formatSigned(*at, 2)) +
                (c.stops ? " stops" : " stops as planned, not measured");
      row.marks.push_back(m);
    }
    row.note = shown > 0 ? QString("%1 exposures").arg(shown) : QString("exposures not known");
    d.rows.push_back(row);
  }
  ruler_->setData(d);
  ruler_->setFixedHeight(ruler_->sizeHint().height());
}

void BeginDialog::changeRole(size_t group, size_t clip, ClipRole role) {
  SortedGroup& g = shoot_.groups[group];
  // Of several bases of the project the one that is meant: all is counted anew.
  const auto& file = looks_[g.clips[clip].look].clip;
  if (const Open open = stoodHere(); role == ClipRole::Base && adding()) {
    const auto bases = keptBases(open.configurations, open.file.parent_path());
    if (std::find(bases.begin(), bases.end(), file) != bases.end()) {
      for (const auto& c : g.clips) saidBases_.erase(looks_[c.look].clip);
      saidBases_.insert(file);
      return sort();
    }
  }
  if (role == ClipRole::Base)
    for (const auto& c : g.clips)
      if (const auto i = roleByHand_.find(c.look); i != roleByHand_.end() && i->second == role)
        roleByHand_.erase(i);
  roleByHand_[g.clips[clip].look] = role;
  setRole(g, clip, role);
  if (role == ClipRole::Base) snapToStep(g, options_.step);
  fillLater();
}

SortedClip& BeginDialog::clipAt(size_t row) {
  return shoot_.groups[rows_[row].first].clips[rows_[row].second];
}

void BeginDialog::sayPlanned(SortedClip& c, std::optional<double> stops) {
  c.planned = plannedByHand_[c.look] = stops;
  c.why = "said by hand";
}

void BeginDialog::changeCell(QTableWidgetItem* item) {
  if (filling_) return;
  const auto [group, clip] = rows_[static_cast<size_t>(item->row())];
  SortedGroup& g = shoot_.groups[group];
  SortedClip& c = g.clips[clip];
  QString text = item->text().trimmed();
  if (item->column() == Camera) {
    const QString body = text.section(" · ", 0, 0).trimmed();
    if (!body.isEmpty() && body.toStdString() != g.body) {
      std::string own = g.body;
      for (const auto& [was, is] : bodyByHand_)
        if (is == g.body) own = was;
      g.body = bodyByHand_[own] = body.toStdString();
    }
  } else if (item->column() == Planned) {
    const auto stops = parseNumber(text.replace(QChar(0x2212), '-').toStdString());
    if (stops || text.isEmpty()) sayPlanned(c, stops);
  }
  fillLater();
}

void BeginDialog::chooseCurve(int index) {
  const QString chosen = curve_->itemData(index).toString();
  if (chosen != kFile) return setCurve(chosen);
  const QString file = QFileDialog::getOpenFileName(this, "Curve of the clips", {},
                                                    "Curves (*.clf *.cube *.spi1d *.csv *.json)", nullptr,
                                                    QFileDialog::DontUseNativeDialog);
  if (file.isEmpty())
    curve_->setCurrentIndex(curve_->findData(q(options_.decode.curve)));
  else
    setCurve(file);
}

void BeginDialog::setCurve(const QString& nameOrFile) {
  problem_->hide();
  try {
    if (!nameOrFile.isEmpty()) (void)makeCurve(nameOrFile.toStdString());
    options_.decode.curve = nameOrFile.toStdString();
  } catch (const Error& e) {
    options_.decode.curve.clear();
    say(q(e.problem() + ": " + e.remedy()));
  }
  const QSignalBlocker quietly(curve_);
  const QString curve = q(options_.decode.curve);
  if (curve_->findData(curve) < 0) curve_->insertItem(1, QFileInfo(curve).fileName(), curve);
  curve_->setCurrentIndex(curve_->findData(curve));
  if (problem_->isHidden()) look();
}

void BeginDialog::say(const QString& problem) {
  problem_->setText(problem);
  problem_->show();
  head_->setText("Begin from clips");
}

}  // namespace edge::app
