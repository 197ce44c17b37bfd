#include "findings/situations_page.h"

#include <QApplication>
#include <QClipboard>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QSignalBlocker>
#include <QVBoxLayout>
#include <algorithm>
#include <utility>

#include "base/numbers.h"
#include "theme/text.h"
#include "widgets/when_seen.h"

namespace edge::app {
namespace {

enum Column { Words, Configuration, Rating, Cost, Columns };
constexpr int kExplainHeight = 160, kRow = 44;  // two lines

}  // namespace

SituationsPage::SituationsPage(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
  auto* contents = new QWidget(this);
  auto* column = new QVBoxLayout(contents);
  column->setContentsMargins(0, 0, 0, 0);
  table_ = new QTableWidget(0, Columns, this);
  table_->setObjectName("situations");
  table_->setAccessibleName("Situations and what to rate for them");
  table_->setHorizontalHeaderLabels({"Situation", "Take", "Rate", "What it costs"});
  table_->verticalHeader()->hide();
  table_->verticalHeader()->setDefaultSectionSize(kRow);
  table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setSelectionMode(QAbstractItemView::SingleSelection);
  table_->setWordWrap(true);
  table_->horizontalHeader()->setSectionResizeMode(Cost, QHeaderView::Stretch);
  table_->setColumnWidth(Words, 210), table_->setColumnWidth(Configuration, 210),
      table_->setColumnWidth(Rating, 90);
  connect(table_, &QTableWidget::itemSelectionChanged, this, &SituationsPage::explain);
  explain_ = new QTextBrowser(this);
  explain_->setAccessibleName("Why");
  explain_->setMinimumHeight(kExplainHeight);
  auto* lower = new QHBoxLayout;
  lower->setSpacing(size::kMargin);
  lower->addWidget(explain_, 3);
  lower->addLayout(buildOverrule(), 2);
  column->addWidget(table_, 3);
  column->addLayout(lower, 2);
  inviting_ = new Inviting(contents, this);
  connect(inviting_, &Inviting::taken, this, &SituationsPage::doorWanted);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addWidget(inviting_, 1);
  auto* seen = new WhenSeen(this, [this] { refresh(); });
  connect(&document, &Document::findingsChanged, seen, &WhenSeen::changed);
  connect(&document, &Document::scenesChanged, seen, &WhenSeen::changed);
  refresh();
}

QLayout* SituationsPage::buildOverrule() {
  auto* column = new QVBoxLayout;
  auto* title = new QLabel("You know better?", this);
  title->setObjectName("title");
  configuration_ = new QComboBox(this);
  configuration_->setAccessibleName("Configuration to take instead");
  ei_ = new QLineEdit(this);
  ei_->setPlaceholderText("EI to rate it at");
  reason_ = new QLineEdit(this);
  reason_->setPlaceholderText("reason: it stands beside the answer");
  reason_->setMaxLength(300);
  overrule_ = new QPushButton("Overrule", this);
  takeBack_ = new QPushButton("Take the table's answer", this);
  scene_ = new QPushButton("Look at it as a scene", this);
  connect(overrule_, &QPushButton::clicked, this,
          [this] { overrule(configuration_->currentIndex(), ei_->text(), reason_->text()); });
  connect(reason_, &QLineEdit::returnPressed, overrule_, &QPushButton::click);
  connect(takeBack_, &QPushButton::clicked, this, &SituationsPage::takeBack);
  connect(scene_, &QPushButton::clicked, this, &SituationsPage::openAsScene);
  auto* copy = new QPushButton("Copy the table", this);
  connect(copy, &QPushButton::clicked, this, &SituationsPage::copyTable);
  column->addWidget(title);
  column->addWidget(configuration_);
  column->addWidget(ei_);
  column->addWidget(reason_);
  auto* line = new QHBoxLayout;
  line->addWidget(overrule_), line->addWidget(takeBack_);
  column->addLayout(line);
  auto* second = new QHBoxLayout;
  second->addWidget(scene_), second->addWidget(copy);
  column->addStretch(1);
  column->addLayout(second);
  return column;
}

const DecisionRow* SituationsPage::chosen() const {
  const int row = table_->currentRow();
  return row >= 0 && row < static_cast<int>(rows_.size()) ? &rows_[static_cast<size_t>(row)] : nullptr;
}

void SituationsPage::choose(int row) {
  table_->selectRow(row);
}

void SituationsPage::refresh() {
  const auto reaches = reachesOf(document_.findings());
  const bool any =
      std::any_of(reaches.begin(), reaches.end(), [](const Reach& r) { return r.cleanOver.has_value(); });
  inviting_->invite(any ? std::nullopt : inviteFor(document_, Need::Bracket));
  rows_.clear();
  if (any) rows_ = decisionTable(reaches, document_.overruled());
  const int before = std::max(0, table_->currentRow()), wanted = configuration_->currentIndex();
  {
    const QSignalBlocker quietly(table_);
    table_->setRowCount(static_cast<int>(rows_.size()));
    for (int i = 0; i < table_->rowCount(); ++i) {
      const DecisionRow& r = rows_[static_cast<size_t>(i)];
      const QString cells[] = {r.situation->words, q(r.configuration),
                               q(r.rating) + (r.overruled ? ", yours" : ""), q(r.cost)};
      for (int c = 0; c < Columns; ++c) {
        auto* item = new QTableWidgetItem(cells[c]);
        item->setToolTip(cells[c]);
        table_->setItem(i, c, item);
      }
    }
  }
  configuration_->clear();
  for (const auto& r : reaches) configuration_->addItem(q(r.label));
  configuration_->setCurrentIndex(std::max(0, wanted));
  if (!rows_.empty()) table_->selectRow(std::min(before, table_->rowCount() - 1));
  explain();
}

void SituationsPage::explain() {
  const DecisionRow* row = chosen();
  for (QWidget* w : std::initializer_list<QWidget*>{overrule_, scene_, ei_, reason_, configuration_})
    w->setEnabled(row);
  takeBack_->setEnabled(row && row->overruled);
  if (!row) return explain_->clear();
  QString html =
      "<p><b>" + esc(row->situation->words) + "</b>: " + esc(row->situation->why) + " (common practice).</p>";
  QStringList tones;
  for (const auto& t : row->situation->scene.readings)
    tones << esc(t.name) + " " + esc(formatSigned(t.stops, 1)) +
                 (t.may == Held::Holds ? QString() : " (may be: " + QString(wordOf(t.may)) + ")");
  html += "<p>Asked: " + tones.join(", ") + ".</p><p>" + esc(row->result.reason) + ".</p>";
  if (row->overruled)
    html += "<p><b>Overruled</b>: " + esc(row->configuration) + ", " + esc(row->rating) + ". " +
            esc(row->overruled->reason) + "</p>";
  explain_->setHtml(html);
}

void SituationsPage::overrule(int configuration, const QString& ei, const QString& reason) {
  const DecisionRow* row = chosen();
  if (!row || configuration < 0 || configuration >= static_cast<int>(document_.findings().size())) return;
  auto number = parseNumber(trim(ei.toStdString()));
  if (!number) number = parseNumber(trim(ei.toUpper().remove("EI").toStdString()));
  if (!number || *number < 1 || *number > 1e7)
    return emit failed("no EI can be read", ei, "write a number: 640");
  if (document_.findings()[static_cast<size_t>(configuration)].configuration.iso <= 0)
    return emit failed("the ISO of that configuration is not known", "", "say it in Match, then rate it");
  if (reason.trimmed().isEmpty())
    return emit failed("an answer is overruled with a reason", "", "say why in a few words");
  auto all = document_.overruled();
  all[row->situation->key] = {document_.findings()[static_cast<size_t>(configuration)].configuration.id,
                              *number, reason.trimmed().toStdString()};
  const QString words = row->situation->words;
  ei_->clear(), reason_->clear();
  document_.setOverruled(all, "overrule: " + words);
}

void SituationsPage::takeBack() {
  const DecisionRow* row = chosen();
  if (!row) return;
  auto all = document_.overruled();
  const QString words = row->situation->words;
  if (all.erase(row->situation->key)) document_.setOverruled(all, "take the table's answer: " + words);
}

void SituationsPage::openAsScene() {
  const DecisionRow* row = chosen();
  if (!row) return;
  SceneReadings scene = row->situation->scene;
  scene.name = row->situation->words;
  emit sceneWanted(scene);
}

void SituationsPage::copyTable() {
  QApplication::clipboard()->setText(q(decisionCsv(rows_)));
  emit done("the decision table was copied");
}

std::vector<Command> SituationsPage::commands() {
  const auto can = [this] { return chosen() != nullptr; };
  return {{"S", "look at the situation as a scene", [this] { openAsScene(); }, can},
          {"Ctrl+C", "copy the decision table", [this] { copyTable(); }, can}};
}

}  // namespace edge::app
