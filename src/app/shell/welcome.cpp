#include "shell/welcome.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "theme/text.h"

namespace edge::app {
namespace {
constexpr size_t kShown = 5;
}

Welcome::Welcome(QWidget* parent) : QWidget(parent) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(size::kMargin, size::kMargin, size::kMargin, size::kMargin);
  ruler_ = new RulerWidget(this);
  ruler_->setObjectName("welcome ruler");
  ruler_->setData({{{"Your cameras", "one row each", {}, {}, {}, false}}, {}, 0, "grey"});
  auto* title = new QLabel("No project is open", this);
  title->setObjectName("headline");
  title->setAlignment(Qt::AlignCenter);
  auto* words = new QLabel(
      "Plan a new test, or begin from clips that were shot already: drop their folder here, or a project. "
      "The demo\n"
      "holds invented bodies, log and raw, at every native ISO; it is made once, in one to two minutes, and "
      "measured in another.",
      this);
  words->setAlignment(Qt::AlignCenter);
  words->setObjectName("quiet");
  auto* row = new QHBoxLayout;
  row->addStretch();
  const auto add = [&](const char* text, void (Welcome::*wanted)()) {
    auto* b = new QPushButton(text, this);
    connect(b, &QPushButton::clicked, this, wanted);
    row->addWidget(b);
  };
  add("New project…", &Welcome::newWanted);
  add("Begin from clips…", &Welcome::clipsWanted);
  add("Open a project…", &Welcome::openWanted);
  add("Make and open the demo", &Welcome::demoWanted);
  row->addStretch();
  recent_ = new QWidget(this);
  list_ = new QVBoxLayout(recent_);
  list_->setAlignment(Qt::AlignHCenter);
  column->addWidget(ruler_);
  column->addStretch();
  column->addWidget(title);
  column->addSpacing(size::kGap);
  column->addWidget(words);
  column->addSpacing(size::kMargin);
  column->addLayout(row);
  column->addSpacing(size::kMargin);
  column->addWidget(recent_);
  column->addStretch();
}

void Welcome::setRecent(const std::vector<std::filesystem::path>& projects) {
  while (QLayoutItem* item = list_->takeAt(0)) {
    delete item->widget();
    delete item;
  }
  recent_->setVisible(!projects.empty());
  if (projects.empty()) return;
  auto* title = new QLabel("Opened last", recent_);
  title->setObjectName("quiet");
  title->setAlignment(Qt::AlignCenter);
  list_->addWidget(title);
  for (size_t i = 0; i < std::min(kShown, projects.size()); ++i) {
    const QString file = q(projects[i].string());
    auto* b = new QPushButton(q(projects[i].stem().string()), recent_);
    b->setToolTip(file);
    connect(b, &QPushButton::clicked, this, [this, file] { emit projectWanted(file); });
    list_->addWidget(b);
  }
}

}  // namespace edge::app
