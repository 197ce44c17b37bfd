#include "sums/sums_drawer.h"

#include <QApplication>
#include <QClipboard>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QVBoxLayout>

#include "base/error.h"
#include "theme/text.h"
#include "theme/tokens.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

QLabel* wrapped(QWidget* parent, const char* name) {
  auto* l = new WrappedLabel(parent);
  l->setObjectName(name);
  l->setTextInteractionFlags(Qt::TextSelectableByMouse);
  return l;
}

}  // namespace

SumsDrawer::SumsDrawer(QWidget* parent) : QWidget(parent) {
  setObjectName("drawer");
  setFixedWidth(380);
  setAttribute(Qt::WA_StyledBackground);
  find_ = new QLineEdit(this);
  find_->setPlaceholderText("Find a sum");
  find_->setAccessibleName("Find a sum");
  find_->installEventFilter(this);
  list_ = new QListWidget(this);
  list_->setAccessibleName("Sums");
  list_->setFixedHeight(170);
  title_ = wrapped(this, "title");
  fields_ = new QWidget(this);
  form_ = new QFormLayout(fields_);
  form_->setContentsMargins(0, 0, 0, 0);
  headline_ = wrapped(this, "headline");
  others_ = wrapped(this, "others");
  working_ = wrapped(this, "quiet");
  warning_ = wrapped(this, "warning");
  copy_ = new QPushButton("Copy", this);
  connect(copy_, &QPushButton::clicked, this, &SumsDrawer::copy);
  auto* close = new QPushButton("Close  Esc", this);
  connect(close, &QPushButton::clicked, this, &SumsDrawer::closed);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(size::kMargin, size::kGap, size::kMargin, size::kGap);
  for (QWidget* w :
       std::initializer_list<QWidget*>{find_, list_, title_, fields_, headline_, others_, working_, warning_})
    column->addWidget(w);
  for (int i = 0; i < 2; ++i) {
    auto* b = new QPushButton(this);
    b->setObjectName("use");
    connect(b, &QPushButton::clicked, this, [this, i] {
      if (i < static_cast<int>(result_.forPlan.size()))
        emit forPlan(SumForPlan(result_.forPlan[static_cast<size_t>(i)]));
    });
    use_.push_back(b);
    column->addWidget(b);
  }
  column->addStretch();
  auto* row = new QHBoxLayout;
  row->addWidget(copy_);
  row->addStretch();
  row->addWidget(close);
  column->addLayout(row);
  connect(find_, &QLineEdit::textChanged, this, &SumsDrawer::filter);
  connect(list_, &QListWidget::currentItemChanged, this, [this](QListWidgetItem* item) {
    if (item) choose(item->data(Qt::UserRole).toString());
  });
  filter("");
}

void SumsDrawer::begin() {
  find_->setFocus();
  find_->selectAll();
}

void SumsDrawer::setPlanOpen(bool open) {
  planOpen_ = open;
  run();
}

void SumsDrawer::filter(const QString& text) {
  list_->clear();
  for (const auto& s : sumSheets()) {
    const QString all = q(s.title + " " + s.hint);
    bool fits = true;
    for (const QString& word : text.split(' ', Qt::SkipEmptyParts))
      fits = fits && all.contains(word, Qt::CaseInsensitive);
    if (!fits) continue;
    auto* item = new QListWidgetItem(q(s.title), list_);
    item->setData(Qt::UserRole, q(s.id));
    item->setToolTip(q(s.hint));
  }
  if (list_->count() > 0) list_->setCurrentRow(0);
}

void SumsDrawer::choose(const QString& id) {
  for (const auto& s : sumSheets())
    if (q(s.id) == id && sheet_ != &s) open(&s);
}

void SumsDrawer::open(const SumSheet* sheet) {
  sheet_ = sheet;
  for (int i = 0; i < list_->count(); ++i)
    if (list_->item(i)->data(Qt::UserRole).toString() == q(sheet->id)) list_->setCurrentRow(i);
  title_->setText(q(sheet->title));
  title_->setToolTip(q(sheet->hint));
  while (form_->rowCount() > 0) form_->removeRow(0);
  auto& values = values_[sheet->id];
  for (const auto& f : sheet->fields) {
    const auto kept = values.try_emplace(f.key, f.initial).first->second;
    const QString label = q(f.label + (f.unit.empty() ? "" : "  " + f.unit));
    const auto changed = [this, key = f.key](const QString& text) {
      values_[sheet_->id][key] = text.toStdString();
      run();
    };
    if (f.choices.empty()) {
      auto* line = new QLineEdit(q(kept), fields_);
      line->setObjectName(q("sum:" + f.key));
      line->setAccessibleName(label);
      connect(line, &QLineEdit::textChanged, this, changed);
      form_->addRow(label, line);
    } else {
      auto* box = new QComboBox(fields_);
      for (const auto& c : f.choices) box->addItem(q(c));
      box->setCurrentText(q(kept));
      box->setObjectName(q("sum:" + f.key));
      box->setAccessibleName(label);
      connect(box, &QComboBox::currentTextChanged, this, changed);
      form_->addRow(label, box);
    }
  }
  run();
}

void SumsDrawer::setField(const QString& key, const QString& text) {
  if (auto* line = fields_->findChild<QLineEdit*>("sum:" + key)) line->setText(text);
  if (auto* box = fields_->findChild<QComboBox*>("sum:" + key)) box->setCurrentText(text);
}

void SumsDrawer::run() {
  if (!sheet_) return;
  try {
    result_ = sheet_->run(values_[sheet_->id]);
    headline_->setText(q(result_.answers.front().value));
    QStringList others;
    for (size_t i = 1; i < result_.answers.size(); ++i)
      others << q(result_.answers[i].label + (result_.answers[i].label.empty() ? "" : ": ") +
                  result_.answers[i].value);
    others_->setText(q(result_.answers.front().label) + (others.isEmpty() ? "" : "\n" + others.join("\n")));
    working_->setText(q(result_.working));
    warning_->setText(q(result_.warning));
  } catch (const Error& e) {
    result_ = {};
    headline_->setText("–");
    others_->clear();
    working_->setText(q(e.problem()));
    warning_->setText(q(e.remedy()));
  }
  warning_->setVisible(!warning_->text().isEmpty());
  copy_->setEnabled(!result_.answers.empty());
  for (size_t i = 0; i < use_.size(); ++i) {
    const bool has = planOpen_ && i < result_.forPlan.size();
    use_[i]->setVisible(has);
    if (has) use_[i]->setText("Into the plan: " + q(result_.forPlan[i].words));
  }
}

QString SumsDrawer::answer() const {
  return result_.answers.empty() ? QString()
                                 : q(result_.answers.front().label + ": " + result_.answers.front().value);
}

void SumsDrawer::copy() const {
  QStringList lines;
  for (const auto& a : result_.answers) lines << q(a.label + (a.label.empty() ? "" : ": ") + a.value);
  lines << q(result_.working);
  QApplication::clipboard()->setText(lines.join("\n"));
}

void SumsDrawer::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Escape)
    emit closed();
  else if (event->matches(QKeySequence::Copy))
    copy();
  else
    QWidget::keyPressEvent(event);
}

// From the search line the arrows choose, Enter goes to the first field.
bool SumsDrawer::eventFilter(QObject* watched, QEvent* event) {
  if (watched != find_ || event->type() != QEvent::KeyPress) return QWidget::eventFilter(watched, event);
  const int key = static_cast<QKeyEvent*>(event)->key();
  if (key == Qt::Key_Down || key == Qt::Key_Up) {
    list_->setCurrentRow(
        std::clamp(list_->currentRow() + (key == Qt::Key_Down ? 1 : -1), 0, list_->count() - 1));
    return true;
  }
  if (key == Qt::Key_Return || key == Qt::Key_Enter) {
    if (form_->rowCount() > 0)
      if (auto* item = form_->itemAt(0, QFormLayout::FieldRole); item && item->widget())
        item->widget()->setFocus();
    return true;
  }
  return QWidget::eventFilter(watched, event);
}

}  // namespace edge::app
