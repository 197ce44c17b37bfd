#include "findings/context_page.h"

#include <QApplication>
#include <QClipboard>
#include <QHeaderView>
#include <QSignalBlocker>
#include <QVBoxLayout>
#include <algorithm>
#include <utility>

#include "base/error.h"
#include "base/numbers.h"
#include "theme/text.h"
#include "widgets/when_seen.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

enum Column { Body, Mode, Range, FirstField };
constexpr int kRow = 32;

const ContextFieldSpec* fieldOf(int column) {
  const int i = column - FirstField;
  return i >= 0 && i < static_cast<int>(kContextFields) ? &contextFields()[static_cast<size_t>(i)] : nullptr;
}

QString plain(const std::optional<double>& v) {
  return v ? QString::number(*v, 'g', 10) : QString();
}

// The largest range of its ISOs; nothing: none was measured.
std::optional<double> largest(const ContextRow& r) {
  std::optional<double> most;
  for (const auto& [iso, limit] : r.ranges) most = std::max(most.value_or(limit.stops), limit.stops);
  return most;
}

}  // namespace

ContextPage::ContextPage(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
  auto* contents = new QWidget(this);
  auto* column = new QVBoxLayout(contents);
  column->setContentsMargins(0, 0, 0, 0);
  auto* said = new WrappedLabel(
      "What a choice also weighs. Type it here: it stands beside the findings and in the report, and never "
      "decides a verdict or a recommendation.",
      this);
  table_ = new QTableWidget(0, FirstField + static_cast<int>(kContextFields), this);
  table_->setObjectName("context");
  table_->setAccessibleName("Bodies and what a choice also weighs");
  QStringList head = {"Body", "Mode", "Dynamic range over its ISOs"};
  for (const auto& f : contextFields()) head << f.words;
  table_->setHorizontalHeaderLabels(head);
  table_->verticalHeader()->hide();
  table_->verticalHeader()->setDefaultSectionSize(kRow);
  table_->setTabKeyNavigation(false);
  table_->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed |
                          QAbstractItemView::AnyKeyPressed);
  table_->horizontalHeader()->setSectionResizeMode(Range, QHeaderView::Stretch);
  table_->horizontalHeader()->setSectionsClickable(true);
  table_->horizontalHeader()->setSortIndicatorShown(false);
  table_->setColumnWidth(Body, 150), table_->setColumnWidth(Mode, 80);
  for (int c = FirstField; c < table_->columnCount(); ++c) table_->setColumnWidth(c, 124);
  connect(table_->horizontalHeader(), &QHeaderView::sectionClicked, this, [this](int c) {
    sortBy(c, c == sorted_ && order_ == Qt::AscendingOrder ? Qt::DescendingOrder : Qt::AscendingOrder);
  });
  connect(table_, &QTableWidget::itemChanged, this, &ContextPage::edited);
  column->addWidget(said);
  column->addWidget(table_, 1);
  inviting_ = new Inviting(contents, this);
  connect(inviting_, &Inviting::taken, this, &ContextPage::doorWanted);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addWidget(inviting_, 1);
  auto* seen = new WhenSeen(this, [this] { refresh(); });
  connect(&document, &Document::findingsChanged, seen, &WhenSeen::changed);
  connect(&document, &Document::contextChanged, seen, &WhenSeen::changed);
  refresh();
}

void ContextPage::sortBy(int column, Qt::SortOrder order) {
  sorted_ = column, order_ = order;
  table_->horizontalHeader()->setSortIndicatorShown(true);
  table_->horizontalHeader()->setSortIndicator(column, order);
  refresh();
}

void ContextPage::refresh() {
  inviting_->invite(document_.findings().empty() ? inviteFor(document_, Need::Wedge) : std::nullopt);
  rows_ = contextRows(document_.findings(), document_.context());
  if (sorted_ >= 0)
    std::stable_sort(rows_.begin(), rows_.end(), [this](const ContextRow& a, const ContextRow& b) {
      const bool falling = order_ == Qt::DescendingOrder;
      if (sorted_ < Range) {
        const auto &x = sorted_ == Body ? a.body : a.mode, &y = sorted_ == Body ? b.body : b.mode;
        return falling ? x > y : x < y;
      }
      const auto value = [this](const ContextRow& r) {
        return sorted_ == Range ? largest(r) : r.values[static_cast<size_t>(sorted_ - FirstField)];
      };
      const auto x = value(a), y = value(b);
      if (!x || !y) return x.has_value() && !y;  // what nobody typed stands last either way
      return falling ? *x > *y : *x < *y;
    });
  const QSignalBlocker quietly(table_);
  table_->setRowCount(static_cast<int>(rows_.size()));
  for (int i = 0; i < table_->rowCount(); ++i) {
    const ContextRow& r = rows_[static_cast<size_t>(i)];
    for (int c = 0; c < table_->columnCount(); ++c) {
      const ContextFieldSpec* field = fieldOf(c);
      auto* item = new QTableWidgetItem(field       ? plain(r.values[static_cast<size_t>(field->id)])
                                        : c == Body ? q(r.body)
                                        : c == Mode ? q(r.mode)
                                                    : q(rangeWords(r)));
      if (!field) item->setFlags(item->flags() & ~Qt::ItemIsEditable);
      item->setToolTip(field ? field->ofMode ? "of this mode" : "of the body, in all its modes"
                             : item->text());
      table_->setItem(i, c, item);
    }
  }
}

void ContextPage::edited(QTableWidgetItem* item) {
  const ContextFieldSpec* field = fieldOf(item->column());
  if (!field || item->row() >= static_cast<int>(rows_.size())) return;
  const ContextRow row = rows_[static_cast<size_t>(item->row())];
  const std::string text = trim(item->text().toStdString());
  const auto number = parseNumber(text);
  Context context = document_.context();
  try {
    if (!text.empty() && !number)
      throw UsageError("no number can be read", text, "", "write the number alone: 2.1");
    context.set(row.body, row.mode, *field, number);
    document_.setContext(context, QString(field->words) + " of " + q(row.body));
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
  refresh();
}

void ContextPage::copyTable() {
  QApplication::clipboard()->setText(q(contextCsv(rows_)));
  emit done("the table was copied");
}

std::vector<Command> ContextPage::commands() {
  return {{"F2", "type into the chosen cell", {}, {}},
          {"Delete", "empty the chosen cell",
           [this] {
             if (auto* item = table_->currentItem()) item->setText("");
           },
           [this] { return table_->currentItem() && fieldOf(table_->currentColumn()); }},
          {"Ctrl+C", "copy the table", [this] { copyTable(); }, {}}};
}

}  // namespace edge::app
