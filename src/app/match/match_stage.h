// Match: copied clips and the takes they are, why and how sure; what the checks say of each.
#pragma once
#include <QAbstractTableModel>
#include <QLabel>
#include <QPushButton>
#include <QTableView>
#include <QTextBrowser>

#include "match/match_work.h"
#include "shell/stage.h"
#include "widgets/picture_view.h"

namespace edge::app {

class LinkModel : public QAbstractTableModel {
  Q_OBJECT
 public:
  enum Column { Clip, Take, By, Sure, Words, ColumnCount };
  explicit LinkModel(MatchWork& work, QObject* parent = nullptr);
  [[nodiscard]] int rowCount(const QModelIndex& parent = {}) const override;
  [[nodiscard]] int columnCount(const QModelIndex& = {}) const override { return ColumnCount; }
  [[nodiscard]] QVariant data(const QModelIndex& index, int role) const override;
  [[nodiscard]] QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
  [[nodiscard]] Qt::ItemFlags flags(const QModelIndex& index) const override;
  bool setData(const QModelIndex& index, const QVariant& value, int role) override;
  // Troubles first, then the order of the takes.
  void refresh();
  [[nodiscard]] const ClipLink* link(int row) const;
  [[nodiscard]] QStringList choices() const;  // slates, those without a clip first

 private:
  MatchWork& work_;
  std::vector<size_t> order_;
};

class MatchStage : public Stage {
  Q_OBJECT
 public:
  MatchStage(Document& document, Planner& planner, QWidget* parent = nullptr);
  [[nodiscard]] QString name() const override { return "Match"; }
  [[nodiscard]] QString state() const override;
  [[nodiscard]] std::vector<std::pair<QString, QString>> keys() const override;
  void setTheme(const Theme&) override {}
  [[nodiscard]] MatchWork& work() { return work_; }
  void choose(int row);

 protected:
  void keyPressEvent(QKeyEvent* event) override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  QWidget* buildHead();
  void refresh();
  void refreshDetail();
  void loadPicture();
  void askFolder();
  void writeManifest();

  Document& document_;
  MatchWork work_;
  LinkModel model_;
  QTableView* table_;
  QLabel *headline_, *quiet_;
  QPushButton* keep_;
  PictureView* picture_;
  QTextBrowser* detail_;
  Job pictureJob_, manifestJob_;
  std::string shown_;
  int current_ = -1;
};

}  // namespace edge::app
