#include "plan/recipe_tree.h"

#include <QComboBox>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLineEdit>
#include <QStyledItemDelegate>

#include "theme/tokens.h"

namespace edge::app {
namespace {

// Choices as a list, everything else as text that is planned with while it is typed.
class FieldDelegate : public QStyledItemDelegate {
 public:
  explicit FieldDelegate(RecipeModel& model, QObject* parent) : QStyledItemDelegate(parent), model_(model) {}

  QWidget* createEditor(QWidget* parent, const QStyleOptionViewItem&, const QModelIndex& i) const override {
    const FieldSpec* f = model_.field(i);
    if (!f) return nullptr;
    QStringList choices;
    if (i.column() == RecipeModel::From)
      for (const char* o : kOrigins) choices << o;
    else if (f->kind == FieldKind::Toggle)
      choices = {"no", "yes"};
    else
      for (const auto& c : f->choices) choices << QString::fromStdString(c);
    if (!choices.isEmpty()) {
      auto* box = new QComboBox(parent);
      box->addItems(choices);
      box->setAccessibleName(QString::fromStdString(f->label));
      return box;
    }
    auto* line = new QLineEdit(parent);
    line->setAccessibleName(QString::fromStdString(f->label));
    line->setPlaceholderText(QString::fromStdString(f->hint));
    const QPersistentModelIndex place = i;
    QObject::connect(line, &QLineEdit::textEdited, line,
                     [this, place](const QString& text) { model_.preview(place, text); });
    return line;
  }

  void setEditorData(QWidget* editor, const QModelIndex& i) const override {
    const QString text = i.data(Qt::EditRole).toString();
    if (auto* box = qobject_cast<QComboBox*>(editor)) box->setCurrentText(text);
    if (auto* line = qobject_cast<QLineEdit*>(editor); line && !line->isModified())
      line->setText(text), line->selectAll();
  }

  void setModelData(QWidget* editor, QAbstractItemModel* model, const QModelIndex& i) const override {
    const auto* box = qobject_cast<QComboBox*>(editor);
    const auto* line = qobject_cast<QLineEdit*>(editor);
    model->setData(i, box ? box->currentText() : line ? line->text() : QString(), Qt::EditRole);
  }

  void updateEditorGeometry(QWidget* editor, const QStyleOptionViewItem& option,
                            const QModelIndex&) const override {
    editor->setGeometry(option.rect.adjusted(-2, -1, 2, 1));
  }

  QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& i) const override {
    return QSize(QStyledItemDelegate::sizeHint(option, i).width(), 24);
  }

 private:
  RecipeModel& model_;
};

}  // namespace

RecipeTree::RecipeTree(Planner& planner, QWidget* parent) : QTreeView(parent), model_(planner) {
  setModel(&model_);
  setItemDelegate(new FieldDelegate(model_, this));
  setAccessibleName("Recipe");
  setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed |
                  QAbstractItemView::SelectedClicked);
  setUniformRowHeights(true);
  setIndentation(14);
  setAllColumnsShowFocus(true);
  header()->setStretchLastSection(false);
  header()->setSectionResizeMode(RecipeModel::Name, QHeaderView::Stretch);
  header()->resizeSection(RecipeModel::Value, 156);
  header()->resizeSection(RecipeModel::From, 70);
  // Escape takes back what was planned while typing.
  connect(itemDelegate(), &QAbstractItemDelegate::closeEditor, this,
          [&planner](QWidget*, QAbstractItemDelegate::EndEditHint hint) {
            if (hint == QAbstractItemDelegate::RevertModelCache) planner.preview(nullptr);
          });
  connect(&model_, &QAbstractItemModel::modelAboutToBeReset, this, &RecipeTree::keepPlace);
  connect(&model_, &QAbstractItemModel::modelReset, this, &RecipeTree::restorePlace);
}

void RecipeTree::keepPlace() {
  open_.clear();
  current_ = model_.path(currentIndex());
  const std::function<void(const QModelIndex&)> visit = [&](const QModelIndex& p) {
    for (int r = 0; r < model_.rowCount(p); ++r) {
      const QModelIndex i = model_.index(r, 0, p);
      if (!isExpanded(i)) continue;
      open_ << model_.path(i);
      visit(i);
    }
  };
  visit({});
}

void RecipeTree::restorePlace() {
  for (const QString& path : open_)
    if (const QModelIndex i = model_.indexOf(path); i.isValid()) expand(i);
  QString path = current_;
  while (!path.isEmpty() && !model_.indexOf(path).isValid()) path = path.section('/', 0, -2);
  if (!path.isEmpty()) setCurrentIndex(model_.indexOf(path, RecipeModel::Value));
}

void RecipeTree::go(const QString& path) {
  const QModelIndex i = model_.indexOf(path, RecipeModel::Value);
  if (!i.isValid()) return;
  for (QModelIndex p = i.parent(); p.isValid(); p = p.parent()) expand(p);
  setCurrentIndex(i);
  scrollTo(i, QAbstractItemView::EnsureVisible);
}

void RecipeTree::addHere() {
  const QString list = model_.listOf(currentIndex());
  if (list.isEmpty()) return;
  const QString item = model_.addTo(list);
  const QModelIndex i = model_.indexOf(item);
  if (!i.isValid()) return;
  expand(i.parent());
  expand(i);
  go(model_.path(model_.index(0, 0, i)));
  edit(currentIndex());
}

void RecipeTree::removeHere() {
  model_.remove(currentIndex());
}

void RecipeTree::keyPressEvent(QKeyEvent* event) {
  const bool enter = event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter;
  if (enter && state() == EditingState) return;  // the editor's own, already on its way to be stored
  const QModelIndex value = currentIndex().siblingAtColumn(
      currentIndex().column() == RecipeModel::From ? RecipeModel::From : RecipeModel::Value);
  if (enter && (model_.flags(value) & Qt::ItemIsEditable)) {
    setCurrentIndex(value);
    edit(value);
  } else if (enter) {
    setExpanded(currentIndex().siblingAtColumn(0), !isExpanded(currentIndex().siblingAtColumn(0)));
  } else if (event->key() == Qt::Key_Insert) {
    addHere();
  } else if (event->key() == Qt::Key_Delete) {
    removeHere();
  } else if (event->key() == Qt::Key_Right || event->key() == Qt::Key_Left) {
    // Open and close with the arrows, wherever in the row the cursor stands.
    const QModelIndex i = currentIndex().siblingAtColumn(0);
    const bool right = event->key() == Qt::Key_Right;
    if (model_.rowCount(i) > 0 && isExpanded(i) != right)
      setExpanded(i, right);
    else if (right && model_.rowCount(i) > 0)
      setCurrentIndex(model_.index(0, RecipeModel::Value, i));
    else if (!right && i.parent().isValid())
      setCurrentIndex(i.parent().siblingAtColumn(RecipeModel::Value));
  } else if (event->key() == Qt::Key_F4) {
    if (const QModelIndex from = currentIndex().siblingAtColumn(RecipeModel::From);
        model_.flags(from) & Qt::ItemIsEditable)
      setCurrentIndex(from), edit(from);
  } else {
    QTreeView::keyPressEvent(event);
  }
}

}  // namespace edge::app
