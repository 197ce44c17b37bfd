// The buttons of a stage's pages: one is checked, each is named with its key. Ids count from 0.
#pragma once
#include <QBoxLayout>
#include <QButtonGroup>
#include <QPushButton>

namespace edge::app {

[[nodiscard]] inline QButtonGroup* pageButtons(std::initializer_list<const char*> words, QBoxLayout* row,
                                               QWidget* parent) {
  auto* group = new QButtonGroup(parent);
  int id = 0;
  for (const char* name : words) {
    auto* b = new QPushButton(QString("%1  %2").arg(name).arg(id + 1), parent);
    b->setObjectName("page");
    b->setCheckable(true);
    group->addButton(b, id++);
    row->addWidget(b);
  }
  return group;
}

}  // namespace edge::app
