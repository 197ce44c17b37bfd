#include "plan/recipe_model.h"

#include <fmt/format.h>

#include "plan/usual.h"
#include "theme/text.h"

using nlohmann::json;

namespace edge::app {

namespace {

const json& at(const json& j, const std::string& path) {
  static const json none;
  const json::json_pointer p(path);
  return j.contains(p) ? j.at(p) : none;
}

bool edited(const FieldSpec& f) {
  return f.kind != FieldKind::Items && f.kind != FieldKind::Group;
}

}  // namespace

struct RecipeModel::Node {
  Node* parent = nullptr;
  int row = 0;
  const FieldSpec* spec = nullptr;  // of the field, list or group; nullptr for items and the root
  std::string path, label;
  std::vector<std::unique_ptr<Node>> children;

  [[nodiscard]] std::string shape() const {
    std::string s = path + ";";
    for (const auto& c : children) s += c->shape();
    return s;
  }
};

RecipeModel::RecipeModel(Planner& planner, QObject* parent)
    : QAbstractItemModel(parent), planner_(planner), root_(build()) {
  connect(&planner_.document(), &Document::recipeChanged, this, &RecipeModel::refresh);
}
RecipeModel::~RecipeModel() = default;

std::unique_ptr<RecipeModel::Node> RecipeModel::build() const {
  auto root = std::make_unique<Node>();
  fill(*root, recipeSpec(), planner_.document().recipe(), "");
  return root;
}

void RecipeModel::fill(Node& parent, const ObjectSpec& spec, const json& value,
                       const std::string& path) const {
  const auto add = [](Node& to, const FieldSpec* f, std::string at, std::string label) -> Node& {
    auto n = std::make_unique<Node>();
    n->parent = &to, n->row = static_cast<int>(to.children.size()), n->spec = f, n->path = std::move(at),
    n->label = std::move(label);
    to.children.push_back(std::move(n));
    return *to.children.back();
  };
  for (const auto& f : spec.fields) {
    if (f.key == "exceptions") continue;  // made and undone on the board
    const std::string here = path + "/" + f.key;
    Node& n = add(parent, &f, here, f.label);
    const json& v = value.is_object() && value.contains(f.key) ? value[f.key] : json();
    if (f.kind == FieldKind::Group) fill(n, *f.item, v, here);
    if (f.kind != FieldKind::Items || !v.is_array()) continue;
    for (size_t i = 0; i < v.size(); ++i) {
      const std::string itemPath = fmt::format("{}/{}", here, i);
      Node& item = add(n, nullptr, itemPath, "");
      fill(item, *f.item, v[i], itemPath);
    }
  }
}

void RecipeModel::refresh() {
  auto fresh = build();
  if (root_ && fresh->shape() == root_->shape()) {
    // The same tree: views keep selection, open branches and editor.
    const std::function<void(const QModelIndex&)> touch = [&](const QModelIndex& p) {
      const int rows = rowCount(p);
      if (rows == 0) return;
      emit dataChanged(index(0, Name, p), index(rows - 1, From, p));
      for (int r = 0; r < rows; ++r) touch(index(r, 0, p));
    };
    touch({});
    return;
  }
  beginResetModel();
  root_ = std::move(fresh);
  endResetModel();
}

RecipeModel::Node* RecipeModel::node(const QModelIndex& i) const {
  return i.isValid() ? static_cast<Node*>(i.internalPointer()) : root_.get();
}

QModelIndex RecipeModel::index(int row, int column, const QModelIndex& parent) const {
  const Node* p = node(parent);
  if (row < 0 || row >= static_cast<int>(p->children.size()) || column < 0 || column >= ColumnCount)
    return {};
  return createIndex(row, column, p->children[static_cast<size_t>(row)].get());
}

QModelIndex RecipeModel::parent(const QModelIndex& i) const {
  if (!i.isValid()) return {};
  Node* p = node(i)->parent;
  return p && p->parent ? createIndex(p->row, 0, p) : QModelIndex();
}

int RecipeModel::rowCount(const QModelIndex& parent) const {
  return parent.column() > 0 ? 0 : static_cast<int>(node(parent)->children.size());
}

// What stands in the value column: the value, or what an item is in a few words.
QString RecipeModel::valueText(const Node& n) const {
  const json& v = at(planner_.document().recipe(), n.path);
  if (n.spec && n.spec->kind == FieldKind::Items)
    return v.is_array() && !v.empty() ? QString::number(v.size()) : "none";
  if (n.spec && n.spec->kind == FieldKind::Group) return "";
  if (n.spec) {
    const QString text = q(fieldText(*n.spec, v));
    return text.isEmpty() || n.spec->unit.empty() ? text
           : n.spec->unit == "T"                  ? "T" + text
                                                  : text + " " + q(n.spec->unit);
  }
  const auto of = [&](const char* key) { return v.contains(key) ? plainValue(v[key]) : json(); };
  if (of("kind").is_string() && n.path.rfind("/tests/", 0) == 0)
    if (const auto kind = parseTestKind(of("kind"))) return q(blockOf(*kind).title);
  if (of("density").is_number()) return "ND" + QString::number(of("density").get<double>());
  if (of("native_iso").is_number()) return "ISO " + QString::number(of("native_iso").get<double>());
  return of("name").is_string() ? q(of("name")) : QString();
}

QVariant RecipeModel::data(const QModelIndex& i, int role) const {
  if (!i.isValid()) return {};
  const Node& n = *node(i);
  const json& v = at(planner_.document().recipe(), n.path);
  if (role == Qt::ToolTipRole && n.spec) return q(n.spec->hint);
  if (role == Qt::EditRole && n.spec) return i.column() == From ? q(originOf(v)) : q(fieldText(*n.spec, v));
  if (role == Qt::AccessibleTextRole) return n.spec ? q(n.label) + ": " + valueText(n) : valueText(n);
  if (role != Qt::DisplayRole) return {};
  switch (i.column()) {
    case Name:
      return n.spec ? q(n.label) : valueText(n);
    case Value:
      return n.spec ? valueText(n) : QString();
    default:
      return n.spec && n.spec->isNumber() && !v.is_null() ? q(originOf(v)) : QString();
  }
}

QVariant RecipeModel::headerData(int section, Qt::Orientation orientation, int role) const {
  static const char* const kTitles[ColumnCount] = {"Recipe", "Value", "From"};
  return orientation == Qt::Horizontal && role == Qt::DisplayRole ? QVariant(kTitles[section]) : QVariant();
}

Qt::ItemFlags RecipeModel::flags(const QModelIndex& i) const {
  if (!i.isValid()) return {};
  Qt::ItemFlags f = Qt::ItemIsEnabled | Qt::ItemIsSelectable;
  const Node& n = *node(i);
  if (!n.spec || !edited(*n.spec)) return f;
  const bool from =
      i.column() == From && n.spec->isNumber() && !at(planner_.document().recipe(), n.path).is_null();
  return i.column() == Value || from ? f | Qt::ItemIsEditable : f;
}

json RecipeModel::with(const Node& n, const json& value) const {
  json r = planner_.document().recipe();
  const json::json_pointer p(n.path), parent = p.parent_pointer();
  if (value.is_null()) {
    if (r.contains(p)) r.at(parent).erase(p.back());
  } else {
    if (!r.contains(parent)) r[parent] = json::object();
    r[p] = value;
  }
  return r;
}

bool RecipeModel::setData(const QModelIndex& i, const QVariant& value, int role) {
  const Node* n = i.isValid() ? node(i) : nullptr;
  if (!n || !n->spec || role != Qt::EditRole) return false;
  const json& now = at(planner_.document().recipe(), n->path);
  try {
    json next;
    if (i.column() == From) {
      next = withOrigin(now, value.toString().toStdString());
    } else {
      next = readField(*n->spec, value.toString().toStdString());
      // A number that is typed anew is typed, whatever it was before.
      if (plainValue(now) == next) return true;
    }
    planner_.edit(with(*n, next), q(n->label) + " " + value.toString());
    return true;
  } catch (const Error& e) {
    planner_.preview(nullptr);
    emit refused(q(e.problem()), q(e.remedy()));
    return false;
  }
}

void RecipeModel::preview(const QModelIndex& i, const QString& text) {
  const Node* n = i.isValid() ? node(i) : nullptr;
  if (!n || !n->spec || i.column() != Value) return;
  try {
    planner_.preview(with(*n, readField(*n->spec, text.toStdString())));
  } catch (const Error&) {
    planner_.preview(nullptr);  // half a number is no error yet
  }
}

const FieldSpec* RecipeModel::field(const QModelIndex& i) const {
  return i.isValid() ? node(i)->spec : nullptr;
}

QString RecipeModel::path(const QModelIndex& i) const {
  return i.isValid() ? q(node(i)->path) : QString();
}

QModelIndex RecipeModel::indexOf(const QString& path, int column) const {
  const std::function<QModelIndex(const Node&)> find = [&](const Node& n) -> QModelIndex {
    if (q(n.path) == path && n.parent) return createIndex(n.row, column, const_cast<Node*>(&n));
    for (const auto& c : n.children)
      if (const QModelIndex i = find(*c); i.isValid()) return i;
    return {};
  };
  return find(*root_);
}

QString RecipeModel::listOf(const QModelIndex& i) const {
  for (const Node* n = i.isValid() ? node(i) : nullptr; n && n->parent; n = n->parent)
    if (n->spec && n->spec->kind == FieldKind::Items) return q(n->path);
  return {};
}

QString RecipeModel::addTo(const QString& list) {
  const json::json_pointer p(list.toStdString());
  json r = planner_.document().recipe();
  json items = r.contains(p) && r[p].is_array() ? r[p] : json::array();
  items.push_back(starterItem(p.back(), items));
  r[p] = items;
  const FieldSpec* spec = field(indexOf(list));
  planner_.edit(r, "added: " + (spec && spec->item ? q(spec->item->name) : list));
  return QString("%1/%2").arg(list).arg(items.size() - 1);
}

bool RecipeModel::remove(const QModelIndex& i) {
  for (const Node* n = i.isValid() ? node(i) : nullptr; n && n->parent; n = n->parent) {
    if (n->spec) continue;
    const json::json_pointer p(n->path);
    json r = planner_.document().recipe();
    const QString words = "removed: " + valueText(*n);
    r[p.parent_pointer()].erase(static_cast<size_t>(std::stoul(p.back())));
    planner_.edit(r, words);
    return true;
  }
  return false;
}

}  // namespace edge::app
