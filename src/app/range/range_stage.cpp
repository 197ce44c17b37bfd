#include "range/range_stage.h"

#include <QHBoxLayout>
#include <QKeyEvent>

#include "base/numbers.h"
#include "project/setup.h"
#include "report/range_compare.h"
#include "ruler/ruler_data.h"
#include "theme/text.h"

namespace edge::app {
namespace {
constexpr int kOneRow = 58, kOfMany = 40;
constexpr int kMostRuler = 284,
              kLeastRuler = 156;  // pixels: six configurations; nearly three in a low window

// From where the floor would lie with the circuit of the ISO below to where it lies.
RulerBar circuitBar(const Finding& f, const IsoStep& s) {
  const double floor = -f.range->belowGrey->stops;
  return {floor,
          floor + s.jump->stops,
          Pattern::Hollow,
          false,
          false,
          "gained by another circuit: " + q(limitWords(s.jump)),
          true};
}

}  // namespace

RangeStage::RangeStage(Document& document, QWidget* parent) : Stage(parent), document_(document) {
  ruler_ = new RulerWidget(this);
  pages_ = new QStackedWidget(this);
  pages_->addWidget(wedge_ = new WedgePage(document, pages_));
  pages_->addWidget(compare_ = new ComparePage(document, pages_));
  pageButtons_ = new QButtonGroup(this);
  auto* buttons = new QHBoxLayout;
  buttons->setSpacing(0);
  int id = 0;
  for (const char* name : {"One wedge  1", "Compare  2"}) {
    auto* b = new QPushButton(name, this);
    b->setObjectName("page");
    b->setCheckable(true);
    pageButtons_->addButton(b, id++);
    buttons->addWidget(b);
  }
  buttons->addStretch();
  rulerRoom_ = new QScrollArea(this);
  rulerRoom_->setWidgetResizable(true);
  rulerRoom_->setFrameShape(QFrame::NoFrame);
  rulerRoom_->setWidget(ruler_);
  rulerRoom_->setFocusPolicy(Qt::NoFocus);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(size::kMargin, size::kGap, size::kMargin, size::kGap);
  all->addWidget(rulerRoom_, 1000);  // all it wants, before the pages have more than they need
  all->addLayout(buttons);
  inviting_ = new Inviting(pages_, this);
  connect(inviting_, &Inviting::taken, this, &Stage::doorWanted);
  all->addWidget(inviting_, 1);
  connect(pageButtons_, &QButtonGroup::idClicked, this, &RangeStage::showPage);
  connect(&document_, &Document::findingsChanged, this, &RangeStage::refresh);
  connect(&document_, &Document::currentChanged, this, &RangeStage::refresh);
  connect(compare_, &ComparePage::chosenChanged, this, &RangeStage::refresh);
  connect(ruler_, &RulerWidget::rowChosen, this, [this](int row) {
    if (pages_->currentIndex() == 1 && row < static_cast<int>(compare_->chosen().size()))
      document_.setCurrent(static_cast<int>(compare_->chosen()[static_cast<size_t>(row)]));
  });
  showPage(0);
}

void RangeStage::showPage(int page) {
  // The page that is not seen must not hold the window open.
  for (int i = 0; i < pages_->count(); ++i) {
    const auto policy = i == page ? QSizePolicy::Preferred : QSizePolicy::Ignored;
    pages_->widget(i)->setSizePolicy(policy, policy);
  }
  pageButtons_->button(page)->setChecked(true);
  refresh();
  pages_->setCurrentIndex(page);
  setFocusProxy(page == 1 ? static_cast<QWidget*>(compare_) : nullptr);
  if (isVisible() && page == 1) compare_->setFocus();
}

QString RangeStage::state() const {
  return progressOf(document_, Need::Wedge);
}

std::vector<Command> RangeStage::commands() {
  return {{"1", "one wedge", [this] { showPage(0); }, {}},
          {"2", "compare", [this] { showPage(1); }, {}},
          {"F", "where a figure comes from", [this] { wedge_->showSide(WedgePage::WhereFrom); }, {}},
          {"H", "what limits it", [this] { wedge_->showSide(WedgePage::Honesty); }, {}},
          {"S", "the chosen step", [this] { wedge_->showSide(WedgePage::Step); }, {}},
          {"V", "next axis of the level trace", [this] { wedge_->nextUnit(); }, {}},
          {"Z", "picture fitted or at 100 %", [this] { wedge_->togglePictureSize(); }, {}},
          {"Tab", "next figure, plot or ruler", {}, {}},
          {"Enter", "where a figure comes from; in the comparison: edit claim or count", {}, {}},
          {"Up, Down", "in the SNR plot: move the threshold by 0.1 (Shift: 0.5)", {}, {}},
          {"Space, R", "in the comparison: take in or out, make it the reference", {}, {}},
          {"Ctrl+C", "copy the figure, table or plot in focus", {}, {}}};
}

void RangeStage::setTheme(const Theme& t) {
  ruler_->setTheme(t), wedge_->setTheme(t), compare_->setTheme(t);
}

void RangeStage::refresh() {
  emit stateChanged();
  const Finding* f = document_.current();
  // Beside each other there is something to see as soon as one is measured.
  const auto& all = document_.findings();
  const bool some = std::any_of(all.begin(), all.end(), [](const Finding& x) { return x.range.has_value(); });
  inviting_->invite(pageButtons_->checkedId() == 1 && some ? std::nullopt
                                                           : inviteFor(document_, Need::Wedge));
  RulerData d;
  const bool compare = pageButtons_->checkedId() == 1 && f;
  const auto isos = compare ? isoSteps(document_.findings()) : std::vector<IsoStep>();
  if (compare)
    for (const size_t i : compare_->chosen()) {
      const Finding& other = document_.findings()[i];
      RulerRow row = rangeRow(other, q(other.configuration.body));
      row.note = q(other.configuration.mode + " " + formatNumber(other.configuration.iso, 0)) + " · " +
                 (other.range ? q(limitFigure(other.range->headline)) : row.note);
      row.selected = static_cast<int>(i) == document_.currentIndex();
      for (const IsoStep& s : isos)
        if (s.to == i && s.circuit) row.bars.push_back(circuitBar(other, s));
      d.rows.push_back(row);
    }
  else if (f)
    d.rows = {rangeRow(*f, "Range")};
  if (d.rows.empty())
    d.rows = {RulerRow{"Range", f ? "nothing taken in" : "not measured", {}, {}, {}, false}};
  ruler_->setRowHeight(d.rows.size() > 1 ? kOfMany : kOneRow);
  ruler_->setData(d);
  // Many rows are scrolled: the curves and the table below keep their room.
  const int wanted = std::min(kMostRuler, ruler_->sizeHint().height());
  rulerRoom_->setMinimumHeight(std::min(kLeastRuler, wanted)), rulerRoom_->setMaximumHeight(wanted);
}

}  // namespace edge::app
