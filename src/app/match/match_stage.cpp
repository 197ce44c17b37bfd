#include "match/match_stage.h"

#include <QApplication>
#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeyEvent>
#include <QStyledItemDelegate>
#include <QTimer>
#include <QVBoxLayout>

#include "base/files.h"
#include "base/numbers.h"
#include "project/analysis.h"
#include "recover/picture.h"

namespace fs = std::filesystem;

namespace edge::app {
namespace {

constexpr const char* kNoTake = "(no take)";
constexpr const char* kByItself = "(as found)";

QString q(const std::string& s) {
  return QString::fromStdString(s);
}

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

}  // namespace

LinkModel::LinkModel(MatchWork& work, QObject* parent) : QAbstractTableModel(parent), work_(work) {}

void LinkModel::refresh() {
  beginResetModel();
  order_.clear();
  const auto& links = work_.match().links;
  for (size_t i = 0; i < links.size(); ++i) order_.push_back(i);
  std::stable_sort(order_.begin(), order_.end(), [&](size_t a, size_t b) {
    const auto key = [&](const ClipLink& l) {
      return std::make_tuple(l.trouble.empty() && l.take ? 1 : 0, l.superseded, l.take.value_or(0),
                             work_.facts()[l.clip].path);
    };
    return key(links[a]) < key(links[b]);
  });
  endResetModel();
}

const ClipLink* LinkModel::link(int row) const {
  return row >= 0 && row < static_cast<int>(order_.size())
             ? &work_.match().links[order_[static_cast<size_t>(row)]]
             : nullptr;
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

QVariant LinkModel::headerData(int section, Qt::Orientation orientation, int role) const {
  static const char* const kTitles[ColumnCount] = {"Clip", "Take", "By", "Sure", "Why, or what is wrong"};
  return orientation == Qt::Horizontal && role == Qt::DisplayRole ? QVariant(kTitles[section]) : QVariant();
}

Qt::ItemFlags LinkModel::flags(const QModelIndex& i) const {
  Qt::ItemFlags f = Qt::ItemIsEnabled | Qt::ItemIsSelectable;
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

MatchStage::MatchStage(Document& document, Planner& planner, QWidget* parent)
    : Stage(parent), document_(document), work_(document, planner), model_(work_) {
  table_ = new QTableView(this);
  table_->setModel(&model_);
  table_->setItemDelegateForColumn(LinkModel::Take, new TakeDelegate(model_, this));
  table_->setAccessibleName("Clips and their takes");
  table_->verticalHeader()->hide();
  table_->verticalHeader()->setDefaultSectionSize(24);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setSelectionMode(QAbstractItemView::SingleSelection);
  table_->setEditTriggers(QAbstractItemView::DoubleClicked);
  table_->setShowGrid(false);
  table_->setWordWrap(false);
  table_->setTextElideMode(Qt::ElideMiddle);
  table_->horizontalHeader()->setStretchLastSection(true);
  table_->horizontalHeader()->setHighlightSections(false);
  constexpr int kWidths[] = {210, 210, 56, 56};
  for (int i = 0; i < 4; ++i) table_->setColumnWidth(i, kWidths[i]);
  table_->installEventFilter(this);
  connect(table_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& i) {
            if (!i.isValid()) return;
            current_ = i.row();
            refreshDetail();
          });
  picture_ = new PictureView(this);
  picture_->setMinimumSize(340, 200);
  detail_ = new QTextBrowser(this);
  detail_->setAccessibleName("Checks of this take");
  auto* side = new QVBoxLayout;
  side->addWidget(picture_, 2);
  side->addWidget(detail_, 3);
  auto* lower = new QHBoxLayout;
  lower->setSpacing(size::kMargin);
  lower->addWidget(table_, 5);
  lower->addLayout(side, 2);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(size::kMargin, size::kGap, size::kMargin, size::kGap);
  all->addWidget(buildHead());
  all->addLayout(lower, 1);
  setFocusPolicy(Qt::StrongFocus);
  setFocusProxy(table_);
  connect(&work_, &MatchWork::changed, this, &MatchStage::refresh);
  connect(&work_, &MatchWork::failed, this, &Stage::failed);
  connect(&manifestJob_, &Job::failed, this, &Stage::failed);
  refresh();
}

QWidget* MatchStage::buildHead() {
  auto* head = new QWidget(this);
  auto* row = new QHBoxLayout(head);
  row->setContentsMargins(0, 0, 0, 0);
  headline_ = new QLabel(head);
  headline_->setObjectName("headline");
  quiet_ = new QLabel(head);
  quiet_->setObjectName("quiet");
  quiet_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  auto* folder = new QPushButton("Folder of the cards…", head);
  auto* manifest = new QPushButton("Write hashes…", head);
  keep_ = new QPushButton("Keep these links", head);
  connect(folder, &QPushButton::clicked, this, &MatchStage::askFolder);
  connect(manifest, &QPushButton::clicked, this, &MatchStage::writeManifest);
  connect(keep_, &QPushButton::clicked, &work_, &MatchWork::keep);
  row->addWidget(headline_);
  row->addSpacing(size::kGap);
  row->addWidget(quiet_, 1);
  for (QWidget* w : std::initializer_list<QWidget*>{folder, manifest, keep_}) row->addWidget(w);
  return head;
}

QString MatchStage::state() const {
  if (!document_.isOpen()) return "no project";
  if (work_.busy()) return "reading";
  if (work_.facts().empty()) {
    int clips = 0;
    for (const auto& f : document_.findings()) clips += static_cast<int>(f.configuration.clips.size());
    return clips > 0 ? QString("%1 clips linked").arg(clips) : QString("no clips");
  }
  const int troubles = work_.troubles();
  return troubles > 0 ? QString("%1 to look at").arg(troubles)
                      : QString("%1 takes lack a clip").arg(work_.match().missing.size());
}

std::vector<std::pair<QString, QString>> MatchStage::keys() const {
  return {{"O", "folder of the cards: watched from then on"},
          {"Enter", "say which take a clip is"},
          {"Delete", "this clip is no take"},
          {"Backspace", "as found again"},
          {"K", "keep these links in the project"},
          {"H", "hashes of all files, for xxhsum -c"},
          {"Esc", "stop reading"}};
}

void MatchStage::keyPressEvent(QKeyEvent* event) {
  const ClipLink* l = model_.link(current_);
  switch (event->key()) {
    case Qt::Key_O:
      return askFolder();
    case Qt::Key_K:
      return work_.keep();
    case Qt::Key_H:
      return writeManifest();
    case Qt::Key_Escape:
      return work_.cancel();
    case Qt::Key_Return:
    case Qt::Key_Enter:
      if (l) table_->edit(model_.index(current_, LinkModel::Take));
      return;
    case Qt::Key_Delete:
      if (l) work_.link(l->clip, "");
      return;
    case Qt::Key_Backspace:
      if (l) work_.unlink(l->clip);
      return;
    default:
      Stage::keyPressEvent(event);
  }
}

bool MatchStage::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::KeyPress && watched == table_) {
    auto* key = static_cast<QKeyEvent*>(event);
    const int k = key->key();
    const bool own = k == Qt::Key_Return || k == Qt::Key_Enter || k == Qt::Key_Delete ||
                     k == Qt::Key_Backspace || k == Qt::Key_Escape ||
                     (key->modifiers() == Qt::NoModifier && k >= Qt::Key_A && k <= Qt::Key_Z);
    if (own && QApplication::focusWidget() == table_) {
      keyPressEvent(key);
      return true;
    }
  }
  return Stage::eventFilter(watched, event);
}

void MatchStage::choose(int row) {
  table_->selectRow(row);
}

void MatchStage::refresh() {
  const int row = current_;
  const ClipLink* before = model_.link(row);
  const fs::path path =
      before && before->clip < work_.facts().size() ? work_.facts()[before->clip].path : fs::path();
  model_.refresh();
  current_ = -1;
  for (int i = 0; i < model_.rowCount() && !path.empty(); ++i)
    if (work_.facts()[model_.link(i)->clip].path == path) current_ = i;
  if (current_ < 0 && model_.rowCount() > 0) current_ = std::clamp(row, 0, model_.rowCount() - 1);
  if (current_ >= 0) table_->selectRow(current_);
  const Planned* p = work_.planned();
  if (!document_.isOpen() || !p) {
    headline_->setText("No plan to match with");
    quiet_->setText("A plan says which takes there should be: Alt+1.");
  } else if (work_.facts().empty()) {
    headline_->setText(work_.busy() ? "Reading clips" : "No folder is open");
    quiet_->setText(work_.busy()
                        ? work_.words()
                        : "O opens the folder that the cards were copied to. Originals are only read.");
  } else {
    const size_t takes = p->plan.takes.size(), missing = work_.match().missing.size();
    headline_->setText(QString("%1 of %2 takes").arg(takes - missing).arg(takes));
    QStringList words = {
        QString("%1 clips in %2").arg(work_.facts().size()).arg(q(work_.folder().filename().string())),
        QString("%1 pairs of raw and log").arg(work_.match().twins.size())};
    if (const int n = work_.troubles(); n > 0) words << QString("%1 to look at").arg(n);
    words << (work_.kept() ? "kept in the project" : "not yet kept");
    if (missing > 0 && missing < takes) {
      QStringList lack;
      for (size_t i = 0; i < std::min<size_t>(3, missing); ++i)
        lack << q(p->plan.takes[work_.match().missing[i]].slate);
      words << "missing: " + lack.join(", ") +
                   (missing > 3 ? QString(" and %1 more").arg(missing - 3) : QString());
    }
    quiet_->setText(words.join(" · ") + (work_.busy() ? "\n" + work_.words() : QString()));
    quiet_->setToolTip(quiet_->text());
  }
  keep_->setEnabled(!work_.facts().empty() && !work_.kept() && !work_.busy());
  refreshDetail();
  emit stateChanged();
}

void MatchStage::refreshDetail() {
  const ClipLink* l = model_.link(current_);
  if (!l || !work_.planned()) {
    detail_->setHtml(QString());
    picture_->clearPicture("Choose a clip.");
    shown_.clear();
    return;
  }
  const ClipFacts& f = work_.facts()[l->clip];
  QString html = QString("<p><b>%1</b></p>").arg(q(f.path.filename().string()).toHtmlEscaped());
  if (!f.problem.empty()) {
    html += QString("<p>%1. %2.</p>").arg(q(f.problem).toHtmlEscaped(), q(f.remedy).toHtmlEscaped());
  } else {
    html += QString("<p>%1 x %2, %3%4%5</p>")
                .arg(f.width)
                .arg(f.height)
                .arg(q(f.pixels).toHtmlEscaped(), f.iso ? QString(", ISO %1").arg(*f.iso) : QString(),
                     f.slate.lastFrame >= 0 ? QString(", slate up to frame %1").arg(f.slate.lastFrame)
                                            : QString(", no slate seen"));
    if (!l->words.empty()) html += "<p>" + q(l->words).toHtmlEscaped() + "</p>";
    if (!l->trouble.empty()) html += "<p><b>" + q(l->trouble).toHtmlEscaped() + "</b></p>";
  }
  const auto* checked = l->take ? work_.checksOf(work_.planned()->plan.takes[*l->take].slate) : nullptr;
  if (checked) {
    html += "<table>";
    for (const auto& c : checked->checks)
      html += QString("<tr><td style='padding-right:8px'>%1</td><td>%2</td></tr>")
                  .arg(!c.told  ? "not told"
                       : c.pass ? "holds"
                                : "<b>fails</b>",
                       q(c.words).toHtmlEscaped() +
                           (c.tolerance > 0 ? QString(" <i>(%1 %2 %3)</i>")
                                                  .arg(c.code == "focus" ? "at least" : "within",
                                                       q(formatNumber(c.tolerance, 2)), q(c.unit))
                                            : QString()));
    html += "</table>";
  } else if (f.problem.empty() && l->take) {
    html +=
        "<p>No checks yet: they need the base of the configuration, its curve and the places of the "
        "charts.</p>";
  }
  detail_->setHtml(html);
  loadPicture();
}

void MatchStage::loadPicture() {
  const ClipLink* l = model_.link(current_);
  const ClipFacts& f = work_.facts()[l->clip];
  const std::string wanted = f.path.string() + (l->take ? std::to_string(*l->take) : "");
  if (wanted == shown_) return;
  shown_ = wanted;
  picture_->clearPicture("reading …");
  if (!f.problem.empty()) return picture_->clearPicture(q(f.problem));
  DecodeOptions decode;
  decode.curve = f.mosaic ? "linear" : "bt709";
  std::string display = "bt709";
  if (l->take) {
    const Take& t = work_.planned()->plan.takes[*l->take];
    const TestSeries& s = work_.planned()->plan.series[t.series];
    const BodySpec& body = work_.planned()->recipe.bodies[s.body];
    for (const auto& finding : document_.findings())
      if (finding.configuration.body == body.name && finding.configuration.mode == body.modes[s.mode].name)
        decode = decodeOf(finding.configuration, document_.project().folder()),
        display = finding.configuration.display;
  }
  const QString caption = q(f.path.filename().string()) + " · first frame";
  pictureJob_.start("picture", [this, path = f.path, decode, display, caption](const Progress& progress,
                                                                               const Job::Deliver& deliver) {
    try {
      auto picture = std::make_shared<Picture>(renderPicture(path, decode, 0, 1, 0, display, progress));
      deliver([this, picture, caption] { picture_->setPicture(*picture, caption); });
    } catch (const Error& e) {
      deliver([this, words = q(e.problem())] { picture_->clearPicture(words); });
    }
  });
}

void MatchStage::askFolder() {
  if (!document_.isOpen()) return;
  const QString start = q(document_.project().folder().string());
  const QString folder =
      QFileDialog::getExistingDirectory(this, "Folder of the copied cards", start,
                                        QFileDialog::ShowDirsOnly | QFileDialog::DontUseNativeDialog);
  if (!folder.isEmpty()) work_.watch(folder.toStdString());
}

void MatchStage::writeManifest() {
  if (work_.facts().empty()) return;
  const QString file =
      QFileDialog::getSaveFileName(this, "Hashes of all files", q((work_.folder() / "hashes.xxh").string()),
                                   "Hash lists (*.xxh)", nullptr, QFileDialog::DontUseNativeDialog);
  if (file.isEmpty()) return;
  std::vector<fs::path> clips;
  for (const auto& f : work_.facts())
    if (f.problem.empty()) clips.push_back(f.path);
  manifestJob_.start("hashing", [this, clips, folder = work_.folder(), file](const Progress& progress,
                                                                             const Job::Deliver& deliver) {
    writeFileAtomically(fs::path(file.toStdString()), manifestOf(clips, folder, progress));
    deliver([this, file] { emit done("written: " + file + "; verify it there with xxhsum -c"); });
  });
}

}  // namespace edge::app
