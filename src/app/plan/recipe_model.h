// The recipe as a tree to edit in place: name, value, where it came from.
#pragma once
#include <QAbstractItemModel>
#include <memory>

#include "plan/planner.h"
#include "plan/recipe_spec.h"

namespace edge::app {

class RecipeModel : public QAbstractItemModel {
  Q_OBJECT
 public:
  enum Column { Name, Value, From, ColumnCount };
  explicit RecipeModel(Planner& planner, QObject* parent = nullptr);
  ~RecipeModel() override;

  [[nodiscard]] QModelIndex index(int row, int column, const QModelIndex& parent = {}) const override;
  [[nodiscard]] QModelIndex parent(const QModelIndex& index) const override;
  [[nodiscard]] int rowCount(const QModelIndex& parent = {}) const override;
  [[nodiscard]] int columnCount(const QModelIndex& = {}) const override { return ColumnCount; }
  [[nodiscard]] QVariant data(const QModelIndex& index, int role) const override;
  [[nodiscard]] QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
  [[nodiscard]] Qt::ItemFlags flags(const QModelIndex& index) const override;
  bool setData(const QModelIndex& index, const QVariant& value, int role) override;

  // nullptr for lists and items.
  [[nodiscard]] const FieldSpec* field(const QModelIndex& index) const;
  // Path of a node in the recipe, "/bodies/0/name"; stays the same over edits that keep the structure.
  [[nodiscard]] QString path(const QModelIndex& index) const;
  [[nodiscard]] QModelIndex indexOf(const QString& path, int column = Name) const;
  // The list that `index` is, or is inside of; empty: none.
  [[nodiscard]] QString listOf(const QModelIndex& index) const;
  // Adds to a list; path of what was added.
  QString addTo(const QString& list);
  // The item that `index` is or is inside of; false: there is none.
  bool remove(const QModelIndex& index);
  // As it would be with this text, while it is being typed.
  void preview(const QModelIndex& index, const QString& text);

 signals:
  void refused(const QString& problem, const QString& remedy);

 private:
  struct Node;
  void refresh();
  [[nodiscard]] std::unique_ptr<Node> build() const;
  void fill(Node& parent, const ObjectSpec& spec, const nlohmann::json& value, const std::string& path) const;
  [[nodiscard]] Node* node(const QModelIndex& index) const;
  [[nodiscard]] QString valueText(const Node& n) const;
  [[nodiscard]] nlohmann::json with(const Node& n, const nlohmann::json& value) const;

  Planner& planner_;
  std::unique_ptr<Node> root_;
};

}  // namespace edge::app
