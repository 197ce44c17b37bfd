#include "match/link_model.h"

#include <QComboBox>
#include <QImage>
#include <QPainter>
#include <QTimer>
#include <numeric>

#include "theme/text.h"
#include "theme/tokens.h"
#include "widgets/plain_icon.h"

namespace fs = std::filesystem;

namespace edge::app {
namespace {

constexpr const char* kNoTake = "(no take)";
constexpr const char* kByItself = "(as found)";

// The take of a clip, chosen from the plan's slates; typing finds one.
class TakeDelegate : public QStyledItemDelegate {
 public:
  TakeDelegate(LinkModel& model, QObject* parent) : QStyledItemDelegate(parent), model_(model) {}
  QWidget* createEditor(QWidget* parent, const QStyleOptionViewItem&, const QModelIndex&) const override {
    auto* box = new QComboBox(parent);
    box->setAccessibleName("Take of this clip");
    box->addItems(model_.choices());
    return box;
  }
  void setEditorData(QWidget* editor, const QModelIndex& i) const override {
    qobject_cast<QComboBox*>(editor)->setCurrentText(i.data(Qt::EditRole).toString());
  }
  void setModelData(QWidget* editor, QAbstractItemModel* model, const QModelIndex& i) const override {
    model->setData(i, qobject_cast<QComboBox*>(editor)->currentText(), Qt::EditRole);
  }

 private:
  LinkModel& model_;
};

class JoinedDelegate : public QStyledItemDelegate {
 public:
  JoinedDelegate(const Theme& theme, QObject* parent) : QStyledItemDelegate(parent), theme_(theme) {}
  void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& i) const override {
    QStyleOptionViewItem own = option;
    own.rect.setLeft(own.rect.left() + kRoom);
    if (option.state & QStyle::State_Selected) p->fillRect(option.rect, option.palette.highlight());
    QStyledItemDelegate::paint(p, own, i);
    const auto joined = static_cast<LinkModel::Joined>(i.data(LinkModel::kJoined).toInt());
    if (joined == LinkModel::Joined::Not) return;
    const QRect& r = option.rect;
    const int x = r.left() + kRoom / 2, middle = r.center().y();
    p->setPen(QPen(theme_.quiet, 1.5));
    p->drawLine(x, joined == LinkModel::Joined::First ? middle : r.top(), x,
                joined == LinkModel::Joined::Last ? middle : r.bottom() + 1);
    if (joined != LinkModel::Joined::Middle) p->drawLine(x, middle, r.left() + kRoom, middle);
  }

 private:
  static constexpr int kRoom = 9;  // pixels for the line
  const Theme& theme_;
};

}  // namespace

QStyledItemDelegate* joinedClips(const Theme& theme, QObject* parent) {
  return new JoinedDelegate(theme, parent);
}

QStyledItemDelegate* takeChoice(LinkModel& model, QObject* parent) {
  return new TakeDelegate(model, parent);
}

LinkModel::LinkModel(MatchWork& work, QObject* parent) : QAbstractTableModel(parent), work_(work) {}

void LinkModel::refresh() {
  beginResetModel();
  if (work_.facts().empty()) pictures_.clear();  // of a folder that is left
  order_.clear();
  const auto& links = work_.match().links;
  using Key = std::tuple<int, bool, bool, size_t, std::string, size_t>;
  std::vector<Key> keys;
  keys.reserve(links.size());
  for (size_t i = 0; i < links.size(); ++i) {
    const ClipLink& l = links[i];
    keys.emplace_back(l.trouble.empty() && l.take ? 1 : 0, work_.facts()[l.clip].elsewhere, l.superseded,
                      l.take.value_or(0), work_.facts()[l.clip].path.native(), i);
  }
  // Twins stand where the first of them would.
  std::map<size_t, size_t> linkOf;  // of a clip
  for (size_t i = 0; i < links.size(); ++i) linkOf[links[i].clip] = i;
  std::vector<const Key*> lead(links.size());
  for (size_t i = 0; i < links.size(); ++i) lead[i] = &keys[i];
  for (const auto& twins : work_.match().twins) {
    const Key* first = nullptr;
    for (const size_t clip : twins)
      if (const Key* k = &keys[linkOf.at(clip)]; !first || *k < *first) first = k;
    for (const size_t clip : twins) lead[linkOf.at(clip)] = first;
  }
  order_.resize(links.size());
  std::iota(order_.begin(), order_.end(), 0);
  std::sort(order_.begin(), order_.end(),
            [&](size_t a, size_t b) { return lead[a] != lead[b] ? *lead[a] < *lead[b] : keys[a] < keys[b]; });
  joined_.assign(order_.size(), Joined::Not);
  const auto same = [&](size_t row, size_t next) {
    return next < order_.size() && lead[order_[row]] == lead[order_[next]];
  };
  for (size_t r = 0; r < order_.size(); ++r) {
    const bool above = r > 0 && same(r, r - 1), below = same(r, r + 1);
    joined_[r] = above && below ? Joined::Middle : above ? Joined::Last : below ? Joined::First : Joined::Not;
  }
  endResetModel();
}

const ClipLink* LinkModel::link(int row) const {
  if (row < 0 || row >= static_cast<int>(order_.size())) return nullptr;
  // Until the next refresh the links may be fewer than the rows.
  const auto& links = work_.match().links;
  const size_t i = order_[static_cast<size_t>(row)];
  return i < links.size() ? &links[i] : nullptr;
}

int LinkModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : static_cast<int>(order_.size());
}

QVariant LinkModel::data(const QModelIndex& i, int role) const {
  const ClipLink* l = link(i.row());
  if (!l || !work_.planned() || l->clip >= work_.facts().size()) return {};
  const fs::path& path = work_.facts()[l->clip].path;
  const QString slate = l->take && *l->take < work_.planned()->plan.takes.size()
                            ? q(work_.planned()->plan.takes[*l->take].slate)
                            : QString();
  if (role == kJoined) return static_cast<int>(joined_[static_cast<size_t>(i.row())]);
  if (role == Qt::DecorationRole && i.column() == Clip) return pictureOf(work_.facts()[l->clip]);
  if (role == Qt::ToolTipRole) return q(path.string()) + (l->trouble.empty() ? "" : "\n" + q(l->trouble));
  if (role == Qt::EditRole && i.column() == Take) return slate.isEmpty() ? QString(kNoTake) : slate;
  if (role == Qt::FontRole && !l->trouble.empty() && i.column() == Words) return typeface(size::kBody, true);
  if (role != Qt::DisplayRole) return {};
  switch (i.column()) {
    case Clip:
      return q((path.parent_path() == work_.folder() ? path.filename()
                                                     : path.parent_path().filename() / path.filename())
                   .string());
    case Take:
      return slate.isEmpty() ? QString("–")
                             : slate + (l->attempt > 1 ? QString(" (%1)").arg(l->attempt) : QString());
    case By:
      return l->by == LinkBy::None ? QString("–") : QString(wordOf(l->by));
    case Sure:
      return l->take ? QString("%1 %").arg(qRound(100 * l->sure)) : QString();
    default:
      return l->trouble.empty() ? q(l->words) : q(l->trouble);
  }
}

// Codes as they are: a dark take looks dark, a log one flat.
QIcon LinkModel::pictureOf(const ClipFacts& f) const {
  const GreyPicture& p = f.slate.seen;
  if (p.level.empty()) return {};
  const QString key = q(f.path.string() + f.hash);
  if (const auto known = pictures_.constFind(key); known != pictures_.constEnd()) return *known;
  QImage image(p.width, p.height, QImage::Format_Grayscale8);
  for (int y = 0; y < p.height; ++y)
    for (int x = 0; x < p.width; ++x)
      image.scanLine(y)[x] = static_cast<uchar>(qRound(255 * p.level[static_cast<size_t>(y) * p.width + x]));
  return *pictures_.insert(key, plainIcon(QPixmap::fromImage(image.scaled(kClipPicture, Qt::KeepAspectRatio,
                                                                          Qt::SmoothTransformation))));
}

QVariant LinkModel::headerData(int section, Qt::Orientation orientation, int role) const {
  static const char* const kTitles[ColumnCount] = {"Clip", "Take", "By", "Sure", "Why, or what is wrong"};
  return orientation == Qt::Horizontal && role == Qt::DisplayRole ? QVariant(kTitles[section]) : QVariant();
}

Qt::ItemFlags LinkModel::flags(const QModelIndex& i) const {
  Qt::ItemFlags f = Qt::ItemIsEnabled | Qt::ItemIsSelectable;
  if (i.isValid()) f |= Qt::ItemIsDragEnabled | Qt::ItemIsDropEnabled;
  return i.column() == Take ? f | Qt::ItemIsEditable : f;
}

bool LinkModel::setData(const QModelIndex& i, const QVariant& value, int role) {
  const ClipLink* l = link(i.row());
  if (!l || role != Qt::EditRole || i.column() != Take) return false;
  const QString text = value.toString();
  if (text == i.data(Qt::EditRole).toString()) return true;
  // After the editor is gone: a new link puts the rows in a new order.
  QTimer::singleShot(0, this, [this, text, clip = l->clip] {
    if (text == kByItself)
      work_.unlink(clip);
    else
      work_.link(clip, text == kNoTake ? "" : text.toStdString());
  });
  return true;
}

QStringList LinkModel::choices() const {
  QStringList missing, others;
  const Planned* p = work_.planned();
  for (size_t t = 0; p && t < p->plan.takes.size(); ++t) {
    const bool lacks = std::find(work_.match().missing.begin(), work_.match().missing.end(), t) !=
                       work_.match().missing.end();
    (lacks ? missing : others) << q(p->plan.takes[t].slate);
  }
  return QStringList{kNoTake, kByItself} + missing + others;
}

QMimeData* LinkModel::mimeData(const QModelIndexList& indexes) const {
  auto* data = new QMimeData;
  if (!indexes.isEmpty()) data->setData(kClipRow, QByteArray::number(indexes.first().row()));
  return data;
}

int LinkModel::rowOf(const QMimeData* data) {
  bool ok = false;
  const int row = data->data(kClipRow).toInt(&ok);
  return ok ? row : -1;
}

bool LinkModel::dropMimeData(const QMimeData* data, Qt::DropAction, int, int, const QModelIndex& parent) {
  const ClipLink *from = link(rowOf(data)), *to = parent.isValid() ? link(parent.row()) : nullptr;
  if (!from || !to || from == to || !work_.planned()) return false;
  const auto slateOfLink = [&](const ClipLink& l) {
    return l.take ? work_.planned()->plan.takes[*l.take].slate : std::string();
  };
  // After the drag is over: new links put the rows in a new order.
  QTimer::singleShot(0, this,
                     [this, a = from->clip, b = to->clip, sa = slateOfLink(*from), sb = slateOfLink(*to)] {
                       work_.link({{a, sb}, {b, sa}}, "two clips change their takes");
                     });
  return false;  // nothing is moved by the view itself
}

MissingTakes::MissingTakes(LinkModel& model, MatchWork& work, QWidget* parent)
    : QListWidget(parent), model_(model), work_(work) {
  setAccessibleName("Takes without a clip: drop one here");
  setAcceptDrops(true);
  setDragDropMode(QAbstractItemView::DropOnly);
  setFlow(QListView::LeftToRight);
  setWrapping(true);
  setResizeMode(QListView::Adjust);
  setSpacing(2);
}

void MissingTakes::refresh() {
  clear();
  const Planned* p = work_.planned();
  if (!p) return;
  for (size_t t : work_.match().missing)
    if (t < p->plan.takes.size()) addItem(q(p->plan.takes[t].slate));
}

bool MissingTakes::dropMimeData(int index, const QMimeData* data, Qt::DropAction) {
  const ClipLink* l = model_.link(LinkModel::rowOf(data));
  const QListWidgetItem* target = item(index);
  if (!l || !target) return false;
  QTimer::singleShot(
      0, this, [this, clip = l->clip, slate = target->text().toStdString()] { work_.link(clip, slate); });
  return true;
}

}  // namespace edge::app
