#include "findings/findings_stage.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "widgets/page_buttons.h"

namespace edge::app {

FindingsStage::FindingsStage(Document& document, QWidget* parent) : Stage(parent), document_(document) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(size::kMargin, size::kGap, size::kMargin, size::kGap);
  auto* row = new QHBoxLayout;
  buttons_ = pageButtons({"Edge board", "A scene", "Situations", "Library", "Bodies"}, row, this);
  row->addStretch(1);
  connect(buttons_, &QButtonGroup::idClicked, this, [this](int page) { showPage(static_cast<Page>(page)); });
  pages_ = new QStackedWidget(this);
  board_ = new BoardPage(document, this);
  scene_ = new ScenePage(document, this);
  situations_ = new SituationsPage(document, this);
  library_ = new LibraryPage(document, this);
  context_ = new ContextPage(document, this);
  const auto speak = [this](auto* page) {
    using Page = std::remove_pointer_t<decltype(page)>;
    pages_->addWidget(page);
    connect(page, &Page::failed, this, &Stage::failed);
    connect(page, &Page::done, this, &Stage::done);
    connect(page, &Page::doorWanted, this, &Stage::doorWanted);
  };
  speak(board_), speak(scene_), speak(situations_), speak(library_), speak(context_);
  connect(situations_, &SituationsPage::sceneWanted, this, [this](const SceneReadings& scene) {
    scene_->form().fill(scene);
    showPage(Scene);
  });
  connect(library_, &LibraryPage::projectWanted, this, &FindingsStage::projectWanted);
  connect(library_, &LibraryPage::folderChosen, this, &FindingsStage::libraryChosen);
  connect(scene_, &ScenePage::scored, this, &FindingsStage::scored);
  column->addLayout(row);
  column->addWidget(pages_, 1);
  connect(&document, &Document::findingsChanged, this, &Stage::stateChanged);
  showPage(Board);
}

void FindingsStage::showPage(Page page) {
  pages_->setCurrentIndex(page);
  buttons_->button(page)->setChecked(true);
  setFocusProxy(pages_->currentWidget());
  emit stateChanged();
}

QString FindingsStage::state() const {
  if (!document_.isOpen()) return "no project";
  int complete = 0;
  for (const auto& f : document_.findings()) complete += f.range && f.latitude;
  return QString("%1 of %2 complete").arg(complete).arg(document_.findings().size());
}

std::vector<Command> FindingsStage::commands() {
  std::vector<Command> list = {
      {"1", "the edge board and its cards", [this] { showPage(Board); }, {}},
      {"2", "will a scene hold?", [this] { showPage(Scene); }, {}},
      {"3", "usual situations, and what to rate for them", [this] { showPage(Situations); }, {}},
      {"4", "tests over the years", [this] { showPage(Library); }, {}},
      {"5", "bodies, and what a choice also weighs", [this] { showPage(Bodies); }, {}}};
  const auto own = [this] {
    switch (pages_->currentIndex()) {
      case Board:
        return board_->commands();
      case Scene:
        return scene_->commands();
      case Situations:
        return situations_->commands();
      case Library:
        return library_->commands();
      default:
        return context_->commands();
    }
  }();
  list.insert(list.end(), own.begin(), own.end());
  return list;
}

void FindingsStage::setTheme(const Theme& t) {
  board_->setTheme(t), scene_->setTheme(t);
}

}  // namespace edge::app
