#include "review/blind_setup.h"

#include <QFormLayout>
#include <QHBoxLayout>
#include <QRandomGenerator>
#include <QSignalBlocker>
#include <QVBoxLayout>
#include <algorithm>
#include <set>

#include "base/error.h"
#include "report/review_words.h"
#include "theme/text.h"
#include "theme/tokens.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

// "AB Corvane 35, CD": initials, then the body this person works with.
std::vector<Viewer> viewersOf(const QString& words) {
  std::vector<Viewer> out;
  for (const auto& part : words.split(',', Qt::SkipEmptyParts)) {
    const QString one = part.simplified();
    if (!one.isEmpty())
      out.push_back({one.section(' ', 0, 0).toStdString(), one.section(' ', 1).toStdString()});
  }
  return out;
}

}  // namespace

BlindSetup::BlindSetup(QWidget* parent) : QWidget(parent) {
  auto* columns = new QHBoxLayout(this);
  columns->setContentsMargins(0, 0, 0, 0);
  columns->setSpacing(size::kMargin);
  auto *left = new QVBoxLayout, *right = new QVBoxLayout;
  auto* quick = new QHBoxLayout;
  list_ = new QListWidget(this);
  list_->setAccessibleName("Pictures to be judged");
  connect(list_, &QListWidget::itemChanged, this, [this] {
    if (!filling_) refresh();
  });
  const auto choose = [&](const char* words, const char* tip, auto which) {
    auto* b = new QPushButton(words, this);
    b->setToolTip(tip);
    connect(b, &QPushButton::clicked, this, [this, which] { tick(which); });
    quick->addWidget(b);
  };
  choose("This bracket", "the base and its takes brought back, of the configuration of the first tick",
         [this](const Shown& s) {
           const auto now = ticked();
           const std::string group =
               now.empty() ? (pool_.empty() ? "" : pool_.front().group) : pool_[now.front()].group;
           return s.kind != ShownKind::Ladder && s.group == group;
         });
  choose("All ladders", "every ISO of every ladder, at equal brightness",
         [](const Shown& s) { return s.kind == ShownKind::Ladder && !s.cleanedBy; });
  choose("Cleaned too", "every ISO of every ladder, bare and cleaned by the strongest noise reduction",
         [](const Shown& s) { return s.kind == ShownKind::Ladder; });
  choose("All bases", "the base of every configuration",
         [](const Shown& s) { return s.kind == ShownKind::Base; });
  choose("None", "no tick left", [](const Shown&) { return false; });
  quick->addStretch(1);
  auto* head = new QLabel("Pictures: bases, takes brought back, ladders", this);
  head->setObjectName("title");
  left->addWidget(head);
  left->addLayout(quick);
  left->addWidget(list_, 1);
  auto* form = new QFormLayout;
  title_ = new QLineEdit("Blind review", this);
  ask_ = new QComboBox(this);
  ask_->addItem("one by one: would you accept it?");
  ask_->addItem("pairs: which is better?");
  repeats_ = new QSpinBox(this);
  repeats_->setRange(0, 60), repeats_->setValue(6);
  seconds_ = new QDoubleSpinBox(this);
  seconds_->setRange(0, 600), seconds_->setDecimals(1), seconds_->setSuffix(" s");
  seconds_->setSpecialValueText("as long as one wants");
  reference_ = new QComboBox(this);
  criterion_ = new QComboBox(this);
  criterion_->addItem("none", -1);
  for (const auto& c : criteria()) criterion_->addItem(c.words, static_cast<int>(c.id));
  viewers_ = new QLineEdit(this);
  viewers_->setPlaceholderText("AB Corvane 35, CD, EF");
  viewers_->setToolTip("Initials of each, and the body this person works with, if there is one");
  form->addRow("Called", title_);
  form->addRow("Asked", ask_);
  form->addRow("Shown twice", repeats_);
  form->addRow("Each for", seconds_);
  form->addRow("Hidden reference", reference_);
  form->addRow("Limit fitted to", criterion_);
  form->addRow("Viewers", viewers_);
  words_ = new WrappedLabel(this);
  words_->setObjectName("quiet");
  begin_ = new QPushButton("Seal it and begin", this);
  begin_->setObjectName("seal");
  connect(begin_, &QPushButton::clicked, this, [this] { emit wanted(plan()); });
  for (auto* line : {title_, viewers_}) connect(line, &QLineEdit::textChanged, this, &BlindSetup::refresh);
  for (auto* box : {ask_, reference_, criterion_})
    connect(box, &QComboBox::currentIndexChanged, this, &BlindSetup::refresh);
  connect(repeats_, &QSpinBox::valueChanged, this, &BlindSetup::refresh);
  connect(seconds_, &QDoubleSpinBox::valueChanged, this, &BlindSetup::refresh);
  right->addLayout(form);
  right->addWidget(words_);
  right->addWidget(begin_, 0, Qt::AlignLeft);
  right->addStretch(1);
  columns->addLayout(left, 3);
  columns->addLayout(right, 2);
}

void BlindSetup::setPool(const std::vector<Shown>& pool) {
  std::vector<Shown> fit;
  std::copy_if(pool.begin(), pool.end(), std::back_inserter(fit),
               [](const Shown& s) { return s.equalBrightness; });
  std::set<std::string> before;
  for (const size_t i : ticked()) before.insert(pool_[i].key);
  const bool first = pool_.empty();
  pool_ = std::move(fit);
  if (first && !pool_.empty())
    tick([&](const Shown& s) { return s.kind != ShownKind::Ladder && s.group == pool_.front().group; });
  else
    tick([&](const Shown& s) { return before.count(s.key) > 0; });
}

void BlindSetup::tick(const std::function<bool(const Shown&)>& which) {
  std::vector<bool> on;
  for (const auto& s : pool_) on.push_back(which(s));  // before the list that it may ask is taken down
  filling_ = true;
  list_->clear();
  for (size_t i = 0; i < pool_.size(); ++i) {
    auto* item = new QListWidgetItem(q(pool_[i].title()), list_);
    item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable);
    item->setCheckState(on[i] ? Qt::Checked : Qt::Unchecked);
  }
  filling_ = false;
  refresh();
}

std::vector<size_t> BlindSetup::ticked() const {
  std::vector<size_t> out;
  for (int i = 0; i < list_->count(); ++i)
    if (list_->item(i)->checkState() == Qt::Checked) out.push_back(static_cast<size_t>(i));
  return out;
}

SessionPlan BlindSetup::plan() const {
  SessionPlan p;
  p.title = title_->text().trimmed().toStdString();
  p.ask = static_cast<Ask>(ask_->currentIndex());
  p.repeats = static_cast<size_t>(repeats_->value());
  p.seconds = seconds_->value();
  p.viewers = viewersOf(viewers_->text());
  p.seed = QRandomGenerator::system()->generate64();
  const int c = criterion_->currentData().toInt();
  if (c >= 0) {
    p.criterion = specOf(static_cast<Criterion>(c)).metric;
    p.rising = specOf(static_cast<Criterion>(c)).is(kFalling);
  }
  const QString reference = reference_->currentData().toString();
  for (const size_t i : ticked()) {
    const Shown& s = pool_[i];
    if (q(s.key) == reference) p.reference = p.candidates.size();
    p.candidates.push_back(
        {s.key, s.title(), s.body, c >= 0 ? s.figures[static_cast<size_t>(c)] : std::nullopt});
  }
  return p;
}

void BlindSetup::refresh() {
  {
    const QSignalBlocker quietly(reference_);
    const QVariant before = reference_->currentData();
    reference_->clear();
    reference_->addItem("none", QString());
    for (const size_t i : ticked()) reference_->addItem(q(pool_[i].title()), q(pool_[i].key));
    reference_->setCurrentIndex(std::max(0, reference_->findData(before)));
  }
  QString words;
  try {
    const SessionPlan p = plan();
    checkPlan(p);
    words = QString(
                "%1 pictures, %2 showings for each of %3. Names, order and repeats are sealed until all have "
                "answered.")
                .arg(p.candidates.size())
                .arg(trialsOf(p, 0).size())
                .arg(counted(static_cast<int>(p.viewers.size()), "viewer", "viewers"));
    const auto without =
        std::count_if(p.candidates.begin(), p.candidates.end(), [](const Candidate& c) { return !c.figure; });
    if (!p.criterion.empty() && without > 0)
      words += QString(" %1 of them have no such figure: no limit is learnt from them.").arg(without);
    words += QString("\n") + kScreenUnknown;
    begin_->setEnabled(true);
  } catch (const Error& e) {
    words = q(e.problem() + ": " + e.remedy());
    begin_->setEnabled(false);
  }
  words_->setText(words);
}

}  // namespace edge::app
