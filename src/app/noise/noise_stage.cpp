#include "noise/noise_stage.h"

#include <QApplication>
#include <QClipboard>
#include <QHBoxLayout>
#include <QPushButton>
#include <algorithm>

#include "noise/floor_view.h"
#include "noise/infrared_view.h"
#include "noise/iso_view.h"
#include "noise/light_view.h"
#include "noise/look_view.h"
#include "noise/pair_view.h"
#include "noise/readout_view.h"
#include "noise/transfer_view.h"
#include "project/setup.h"
#include "theme/text.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

constexpr int kSubjectWidth = 360;  // the longest name widens no window

constexpr int kSide = 316;

NoisePageView* viewOf(NoisePage page, Document& document, QWidget* parent) {
  switch (page) {
    case NoisePage::Iso:
      return new IsoView(document, parent);
    case NoisePage::Floor:
      return new FloorView(document, parent);
    case NoisePage::Look:
      return new LookView(document, parent);
    case NoisePage::Pair:
      return new PairView(document, parent);
    case NoisePage::MoreLight:
      return new LightView(document, parent);
    case NoisePage::Transfer:
      return new TransferView(document, parent);
    case NoisePage::Readout:
      return new ReadoutView(document, parent);
    case NoisePage::Infrared:
      return new InfraredView(document, parent);
  }
  return nullptr;
}

bool isMeasured(const NoiseFinding& f, NoisePage page) {
  switch (page) {
    case NoisePage::Iso:
      return f.sweep || f.ladder;
    case NoisePage::Floor:
    case NoisePage::Look:
      return f.ladder.has_value();
    case NoisePage::Pair:
      return f.pair.has_value();
    case NoisePage::MoreLight:
      return f.bracket.has_value();
    case NoisePage::Transfer:
      return !f.transfer.empty();
    case NoisePage::Readout:
      return f.strobe.has_value();
    case NoisePage::Infrared:
      return f.infrared.has_value();
  }
  return false;
}

bool isShot(const NoiseFinding& f, const NoisePageSpec& page) {
  return std::any_of(page.kinds.begin(), page.kinds.end(),
                     [&](ClipKind kind) { return !f.subject.clipsOf(kind).empty(); });
}

}  // namespace

NoiseStage::NoiseStage(Document& document, QWidget* parent)
    : Stage(parent), document_(document), theme_(theme(ThemeKind::Dark)) {
  auto* buttons = new QHBoxLayout;
  buttons->setSpacing(0);
  buttons_ = new QButtonGroup(this);
  views_ = new QStackedWidget(this);
  for (const auto& spec : noisePages()) {
    const int id = static_cast<int>(spec.id);
    auto* b = new QPushButton(QString("%1  %2").arg(spec.words).arg(id + 1), this);
    b->setObjectName("page");
    b->setCheckable(true);
    buttons_->addButton(b, id);
    buttons->addWidget(b);
    pages_.push_back(viewOf(spec.id, document_, views_));
    views_->addWidget(pages_.back());
  }
  buttons->addStretch();
  subject_ = new QLabel(this);
  subject_->setObjectName("quiet");
  subject_->setMaximumWidth(kSubjectWidth);
  buttons->addWidget(subject_);
  auto* contents = new QWidget(this);
  auto* row = new QHBoxLayout(contents);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(size::kMargin);
  row->addWidget(views_, 1);
  row->addWidget(buildSide());
  inviting_ = new Inviting(contents, this);
  connect(inviting_, &Inviting::taken, this, &Stage::doorWanted);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(size::kMargin, size::kGap, size::kMargin, size::kGap);
  all->addLayout(buttons);
  all->addWidget(inviting_, 1);
  connect(buttons_, &QButtonGroup::idClicked, this, [this](int id) { showPage(static_cast<NoisePage>(id)); });
  connect(&document_, &Document::findingsChanged, this, &NoiseStage::refresh);
  connect(&document_, &Document::currentChanged, this, &NoiseStage::refresh);
  showPage(NoisePage::Iso);
}

QWidget* NoiseStage::buildSide() {
  auto* side = new QWidget(this);
  side->setFixedWidth(kSide);
  auto* column = new QVBoxLayout(side);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  figureColumn_ = new QVBoxLayout;
  figureColumn_->setSpacing(0);
  column->addLayout(figureColumn_);
  column->addSpacing(size::kGap);
  advice_ = new WrappedLabel(side);
  advice_->setObjectName("advice");
  column->addWidget(advice_);
  column->addSpacing(size::kGap);
  warnings_ = new WrappedLabel(side);
  warnings_->setObjectName("quiet");
  column->addWidget(warnings_);
  column->addSpacing(size::kGap);
  explain_ = new QTextBrowser(side);
  explain_->setAccessibleName("Where this number comes from");
  explain_->setMinimumHeight(60);
  column->addWidget(explain_, 1);
  return side;
}

NoisePage NoiseStage::page() const {
  return static_cast<NoisePage>(std::max(0, buttons_->checkedId()));
}

void NoiseStage::showPage(NoisePage page) {
  const int index = static_cast<int>(page);
  for (int i = 0; i < views_->count(); ++i) {
    const auto policy = i == index ? QSizePolicy::Preferred : QSizePolicy::Ignored;
    views_->widget(i)->setSizePolicy(policy, policy);
  }
  buttons_->button(index)->setChecked(true);
  views_->setCurrentIndex(index);
  key_.clear();
  refresh();
}

const NoiseFinding* NoiseStage::finding() const {
  const Finding* f = document_.current();
  if (!f) return nullptr;
  for (const auto& n : document_.noise())
    if (n.subject.holds(f->configuration)) return &n;
  return nullptr;
}

QString NoiseStage::state() const {
  if (!document_.isOpen()) return "no project";
  int shot = 0, measured = 0;
  for (const auto& f : document_.noise())
    for (const auto& spec : noisePages()) {
      shot += isShot(f, spec);
      measured += isShot(f, spec) && isMeasured(f, spec.id);
    }
  return shot == 0 ? QString("no noise test yet") : QString("%1 of %2 measured").arg(measured).arg(shot);
}

std::optional<Invite> NoiseStage::inviteForPage() const {
  const NoiseFinding* f = finding();
  const NoisePageSpec& spec = noisePages()[static_cast<size_t>(page())];
  if (f && isMeasured(*f, page())) return std::nullopt;
  if (!f) return inviteFor(document_, Need::Bracket);
  if (!isShot(*f, spec)) return Invite{spec.missing, "To the plan", Door::Plan};
  if (!isDecoded(f->subject.setup))
    return Invite{"The files don't say how their codes were made.", "Answer what is asked", Door::Decoding};
  if (spec.onChart && f->subject.setup.bench.patches.empty())
    return Invite{"Nobody has said yet where the chart lies in the picture.", "Mark the chart", Door::Charts};
  if (spec.onChart && !hasChartLight(f->subject.setup))
    return Invite{"The chart is marked. What light its patches have, nobody has said yet.", "Say it",
                  Door::Charts};
  return Invite{"This has not been measured yet.", "Analyse", Door::Analyse};
}

void NoiseStage::refresh() {
  emit stateChanged();
  feedViews();
  if (isVisible()) refreshShown();
}

void NoiseStage::refreshShown() {
  const NoiseFinding* f = finding();
  const QString subject = f ? q(f->subject.label()) : QString();
  subject_->setText(subject_->fontMetrics().elidedText(subject, Qt::ElideMiddle, kSubjectWidth));
  subject_->setToolTip(subject);
  inviting_->invite(inviteForPage());
  refreshFigures();
}

// Pointers into the document's list: every page is told anew, those that are not seen let go, and decode
// nothing.
void NoiseStage::feedViews() {
  const NoiseFinding* f = isVisible() ? finding() : nullptr;
  for (size_t i = 0; i < pages_.size(); ++i)
    pages_[i]->show(static_cast<int>(i) == views_->currentIndex() ? f : nullptr);
}

void NoiseStage::showEvent(QShowEvent* event) {
  Stage::showEvent(event);
  feedViews();
  refreshShown();
}

void NoiseStage::refreshFigures() {
  const NoiseFinding* f = finding();
  const NoiseWords words = f ? noiseWords(*f, page(), document_.criteria()) : NoiseWords();
  bool same = words.figures.size() == figures_.size();
  for (size_t i = 0; same && i < figures_.size(); ++i) same = q(words.figures[i].key) == figures_[i]->key();
  if (!same) {
    for (auto* row : figures_) delete row;
    figures_.clear();
    for (const auto& figure : words.figures) {
      auto* row = new FigureRow(q(figure.key), q(figure.label), figures_.empty(), this);
      row->setTheme(theme_);
      connect(row, &FigureRow::asked, this, &NoiseStage::explain);
      figureColumn_->addWidget(row);
      figures_.push_back(row);
    }
  }
  for (size_t i = 0; i < figures_.size(); ++i)
    figures_[i]->setFigure(q(words.figures[i].value), q(words.figures[i].unit), q(words.figures[i].note));
  advice_->setText(q(words.advice));
  // One sentence for all places of which it is true.
  QStringList lines;
  std::vector<std::pair<std::string, QStringList>> said;
  for (const auto& w : words.warnings) {
    auto at = std::find_if(said.begin(), said.end(), [&](const auto& one) { return one.first == w.message; });
    if (at == said.end()) at = said.insert(said.end(), {w.message, {}});
    if (!w.where.empty()) at->second << q(w.where);
  }
  for (const auto& [message, places] : said)
    lines << "• " +
                 (places.isEmpty()
                      ? QString()
                      : places.first() +
                            (places.size() > 1 ? QString(" and %1 more").arg(places.size() - 1) : QString()) +
                            ": ") +
                 q(message);
  constexpr int kMostLines = 6;
  if (lines.size() > kMostLines) {
    warnings_->setToolTip(lines.join("\n"));
    const auto more = lines.size() - kMostLines;
    lines = lines.mid(0, kMostLines);
    lines << QString("• and %1 more").arg(more);
  } else {
    warnings_->setToolTip({});
  }
  warnings_->setText(lines.join("\n"));
  explain(key_.isEmpty() && !figures_.empty() ? figures_.front()->key() : key_);
}

void NoiseStage::explain(const QString& key) {
  key_ = key;
  const NoiseFinding* f = finding();
  if (!f || key.isEmpty()) return explain_->clear();
  const Explanation e = explainNoise(*f, key.toStdString(), document_.criteria());
  QString html = "<p><b>" + esc(e.title) + "</b></p>";
  for (const auto& p : e.paragraphs) html += "<p>" + esc(p) + "</p>";
  explain_->setHtml(html);
}

std::vector<Command> NoiseStage::commands() {
  std::vector<Command> list;
  for (const auto& spec : noisePages())
    list.push_back({QString::number(static_cast<int>(spec.id) + 1),
                    QString(spec.words).toLower(),
                    [this, id = spec.id] { showPage(id); },
                    {}});
  const auto measured = [this] { return finding() && isMeasured(*finding(), page()); };
  const auto look = [this] { return static_cast<LookView*>(pages_[static_cast<size_t>(NoisePage::Look)]); };
  const auto looking = [this] { return page() == NoisePage::Look && finding() && finding()->ladder; };
  list.push_back(
      {"Space", "in Look: play or freeze", [look] { look()->setPlaying(!look()->playing()); }, looking});
  list.push_back({"M", "in Look: what moves alone, amplified",
                  [look] { look()->setResidual(!look()->residual()); }, looking});
  list.push_back({"Z",
                  "pictures fitted or at 100 %; in Look 100, 200, 300 %",
                  [this] { pages_[static_cast<size_t>(page())]->turnZoom(); },
                  {}});
  list.push_back({"Ctrl+C", "copy the page's figures and table",
                  [this] {
                    QApplication::clipboard()->setText(
                        q(noiseTable(*finding(), page(), document_.criteria())));
                  },
                  measured});
  list.push_back({"Enter", "on a figure: where it comes from", {}, {}});
  list.push_back({"Up, Down", "in a plot with limits: move the limit by 0.1 (Shift: 0.5)", {}, {}});
  return list;
}

void NoiseStage::setTheme(const Theme& t) {
  theme_ = t;
  for (auto* p : pages_) p->setTheme(t);
  for (auto* f : figures_) f->setTheme(t);
}

}  // namespace edge::app
