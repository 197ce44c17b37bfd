// Clips and the takes they are, as a table that can be edited and dragged.
#pragma once
#include <QAbstractTableModel>
#include <QHash>
#include <QIcon>
#include <QListWidget>
#include <QMimeData>
#include <QStyledItemDelegate>

#include "match/match_work.h"
#include "theme/tokens.h"

namespace edge::app {

class LinkModel : public QAbstractTableModel {
  Q_OBJECT
 public:
  enum Column { Clip, Take, By, Sure, Words, ColumnCount };
  // One exposure in raw and log: rows that follow each other, drawn as joined. Of the clip's column.
  enum class Joined { Not, First, Middle, Last };
  static constexpr int kJoined = Qt::UserRole;
  explicit LinkModel(MatchWork& work, QObject* parent = nullptr);
  [[nodiscard]] int rowCount(const QModelIndex& parent = {}) const override;
  [[nodiscard]] int columnCount(const QModelIndex& = {}) const override { return ColumnCount; }
  [[nodiscard]] QVariant data(const QModelIndex& index, int role) const override;
  [[nodiscard]] QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
  [[nodiscard]] Qt::ItemFlags flags(const QModelIndex& index) const override;
  bool setData(const QModelIndex& index, const QVariant& value, int role) override;
  // A row dragged onto another: the two clips change their takes.
  [[nodiscard]] Qt::DropActions supportedDropActions() const override { return Qt::MoveAction; }
  [[nodiscard]] QStringList mimeTypes() const override { return {kClipRow}; }
  [[nodiscard]] QMimeData* mimeData(const QModelIndexList& indexes) const override;
  bool dropMimeData(const QMimeData* data, Qt::DropAction action, int row, int column,
                    const QModelIndex& parent) override;
  static constexpr const char* kClipRow = "application/x-edge-test-clip";
  // Row of the table that such data came from; -1: none.
  [[nodiscard]] static int rowOf(const QMimeData* data);
  // Troubles first, then the order of the takes.
  void refresh();
  [[nodiscard]] const ClipLink* link(int row) const;
  [[nodiscard]] QStringList choices() const;  // slates, those without a clip first

 private:
  [[nodiscard]] QIcon pictureOf(const ClipFacts& facts) const;

  MatchWork& work_;
  std::vector<size_t> order_;
  std::vector<Joined> joined_;              // by row
  mutable QHash<QString, QIcon> pictures_;  // by path and content
};

inline constexpr QSize kClipPicture(48, 27);  // as recorded, beside its name

// Chooses the take of a clip in place; typing finds one.
[[nodiscard]] QStyledItemDelegate* takeChoice(LinkModel& model, QObject* parent);

// Draws the clips of one exposure as joined.
[[nodiscard]] QStyledItemDelegate* joinedClips(const Theme& theme, QObject* parent);

// Takes that no clip was found for; a clip dropped on one becomes it.
class MissingTakes : public QListWidget {
  Q_OBJECT
 public:
  explicit MissingTakes(LinkModel& model, MatchWork& work, QWidget* parent = nullptr);
  void refresh();

 protected:
  [[nodiscard]] QStringList mimeTypes() const override { return {LinkModel::kClipRow}; }
  [[nodiscard]] Qt::DropActions supportedDropActions() const override { return Qt::MoveAction; }
  bool dropMimeData(int index, const QMimeData* data, Qt::DropAction action) override;

 private:
  LinkModel& model_;
  MatchWork& work_;
};

}  // namespace edge::app
