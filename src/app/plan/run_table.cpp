#include "plan/run_table.h"

#include <QDateTime>

#include "base/numbers.h"
#include "theme/text.h"

namespace edge::app {
namespace {

struct Column {
  const char* title;
  std::string RunLine::*text;
};
constexpr Column kColumns[] = {{"Start", &RunLine::clock},       {"Slate", &RunLine::slate},
                               {"T", &RunLine::aperture},        {"ND", &RunLine::nd},
                               {"Meter reads", &RunLine::light}, {"Grey card at", &RunLine::level},
                               {"Change", &RunLine::change},     {"Shutter", &RunLine::shutter},
                               {"Lamps", &RunLine::lamps},       {"Cautions", &RunLine::cautions}};

}  // namespace

RunModel::RunModel(Planner& planner, QObject* parent) : QAbstractTableModel(parent), planner_(planner) {}

void RunModel::refresh() {
  beginResetModel();
  endResetModel();
}

int RunModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() || !planner_.planned() ? 0 : static_cast<int>(planner_.planned()->lines.size());
}

int RunModel::columnCount(const QModelIndex&) const {
  return 1 + static_cast<int>(std::size(kColumns));
}

QVariant RunModel::data(const QModelIndex& i, int role) const {
  if (!i.isValid() || i.row() >= rowCount()) return {};
  const RunLine& l = planner_.planned()->lines[static_cast<size_t>(i.row())];
  if (role == Qt::DisplayRole || role == Qt::ToolTipRole)
    return i.column() == 0 ? QString::number(l.number) : q(l.*kColumns[i.column() - 1].text);
  if (role == Qt::TextAlignmentRole && i.column() == 0) return int(Qt::AlignRight | Qt::AlignVCenter);
  return {};
}

QVariant RunModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation != Qt::Horizontal || role != Qt::DisplayRole) return {};
  return section == 0 ? "No" : kColumns[section - 1].title;
}

ChecklistModel::ChecklistModel(Planner& planner, QObject* parent)
    : QAbstractListModel(parent), planner_(planner) {}

void ChecklistModel::refresh() {
  beginResetModel();
  endResetModel();
}

int ChecklistModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() || !planner_.planned()
             ? 0
             : static_cast<int>(planner_.planned()->plan.checklist.size());
}

int ChecklistModel::ticked() const {
  int n = 0;
  for (int r = 0; r < rowCount(); ++r) n += data(index(r), Qt::CheckStateRole).toInt() == Qt::Checked;
  return n;
}

QVariant ChecklistModel::data(const QModelIndex& i, int role) const {
  if (!i.isValid() || i.row() >= rowCount()) return {};
  const std::string& item = planner_.planned()->plan.checklist[static_cast<size_t>(i.row())];
  const auto& done = planner_.document().checklist();
  const bool ticked = done.contains(item);
  if (role == Qt::CheckStateRole) return ticked ? Qt::Checked : Qt::Unchecked;
  if (role == Qt::DisplayRole || role == Qt::AccessibleTextRole)
    return ticked ? QString("%1   (%2)").arg(q(item), q(done[item].get<std::string>())) : q(item);
  return {};
}

Qt::ItemFlags ChecklistModel::flags(const QModelIndex& i) const {
  return i.isValid() ? Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable : Qt::NoItemFlags;
}

bool ChecklistModel::setData(const QModelIndex& i, const QVariant& value, int role) {
  if (role != Qt::CheckStateRole || i.row() >= rowCount()) return false;
  const std::string item = planner_.planned()->plan.checklist[static_cast<size_t>(i.row())];
  auto done = planner_.document().checklist();
  const bool tick = value.toInt() == Qt::Checked;
  if (tick)
    done[item] = QDateTime::currentDateTime().toString("yyyy-MM-dd HH:mm").toStdString();
  else
    done.erase(item);
  planner_.document().setChecklist(done, (tick ? "seen to: " : "not seen to: ") + q(item));
  return true;
}

}  // namespace edge::app
