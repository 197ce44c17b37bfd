#include "review/review_stage.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "widgets/page_buttons.h"

namespace edge::app {

ReviewStage::ReviewStage(Document& document, QWidget* parent) : Stage(parent), document_(document) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(size::kMargin, size::kMargin, size::kMargin, size::kMargin);
  auto* row = new QHBoxLayout;
  buttons_ = pageButtons({"Look", "Blind", "Two bodies"}, row, this);
  row->addStretch(1);
  connect(buttons_, &QButtonGroup::idClicked, this, [this](int page) { showPage(static_cast<Page>(page)); });
  pages_ = new QStackedWidget(this);
  look_ = new LookPage(this);
  blind_ = new BlindPage(document, this);
  bodies_ = new BodiesPage(document, this);
  for (QWidget* p : std::initializer_list<QWidget*>{look_, blind_, bodies_}) pages_->addWidget(p);
  const auto speak = [this](auto* page) {
    using Page = std::remove_pointer_t<decltype(page)>;
    connect(page, &Page::failed, this, &Stage::failed);
    connect(page, &Page::done, this, &Stage::done);
  };
  speak(look_), speak(blind_), speak(bodies_);
  auto* contents = new QWidget(this);
  auto* inner = new QVBoxLayout(contents);
  inner->setContentsMargins(0, 0, 0, 0);
  inner->addLayout(row);
  inner->addWidget(pages_, 1);
  inviting_ = new Inviting(contents, this);
  connect(inviting_, &Inviting::taken, this, &Stage::doorWanted);
  column->addWidget(inviting_, 1);
  const auto changed = [this] {
    stale_ = true;
    if (isVisible()) refresh();
    emit stateChanged();
  };
  connect(&document, &Document::left, this, [this] {
    blind_->refresh();
    look_->forget();
  });
  connect(&document, &Document::findingsChanged, this, changed);
  connect(&document, &Document::linksChanged, this, changed);
  connect(&document, &Document::reviewsChanged, this, &Stage::stateChanged);
  showPage(Look);
}

void ReviewStage::showEvent(QShowEvent*) {
  if (stale_) refresh();
}

// One display transform for all: that of the first configuration, or the look of the project's user.
void ReviewStage::refresh() {
  stale_ = false;
  pool_.clear();
  if (document_.isOpen())
    pool_ = shownOf(document_.findings(), document_.noise(), document_.project().folder());
  for (auto& s : pool_) s.display = pool_.front().display;
  inviting_->invite(pool_.empty() ? inviteFor(document_, Need::Bracket) : std::nullopt);
  look_->setPool(pool_);
  blind_->setPool(pool_);
  bodies_->refresh();
}

void ReviewStage::showPage(Page page) {
  pages_->setCurrentIndex(page);
  buttons_->button(page)->setChecked(true);
  setFocusProxy(pages_->currentWidget());
  emit stateChanged();
}

void ReviewStage::setTheme(const Theme& theme) {
  look_->setTheme(theme), blind_->setTheme(theme), bodies_->setTheme(theme);
}

QString ReviewStage::state() const {
  if (!document_.isOpen()) return "no project";
  int open = 0, all = 0;
  for (const auto& [key, value] : document_.reviews()) ++all, open += !value.value("unsealed", false);
  if (all == 0) return "no session yet";
  return open > 0 ? QString("%1 sealed").arg(open) : QString("%1 unsealed").arg(all);
}

std::vector<Command> ReviewStage::commands() {
  // While pictures are judged 1, 2 and 3 are the answers.
  if (pages_->currentIndex() == Blind && blind_->part() == BlindPage::Showing) return blind_->commands();
  std::vector<Command> list = {{"1", "pictures side by side", [this] { showPage(Look); }, {}},
                               {"2", "blind sessions", [this] { showPage(Blind); }, {}},
                               {"3", "two bodies", [this] { showPage(Bodies); }, {}}};
  const auto own = pages_->currentIndex() == Look    ? look_->commands()
                   : pages_->currentIndex() == Blind ? blind_->commands()
                                                     : bodies_->commands();
  list.insert(list.end(), own.begin(), own.end());
  return list;
}

}  // namespace edge::app
