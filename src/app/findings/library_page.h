// Projects over the years: a folder of them searched, one test set against another of the same configuration,
// an old one planned again, somebody else's taken in.
#pragma once
#include <QAbstractTableModel>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QTableView>
#include <QTableWidget>
#include <QTextBrowser>

#include "library/library.h"
#include "library/retest.h"
#include "shell/job.h"
#include "shell/stage.h"

namespace edge::app {

class LibraryModel : public QAbstractTableModel {
  Q_OBJECT
 public:
  using QAbstractTableModel::QAbstractTableModel;
  void show(std::shared_ptr<const Library> library, const std::string& words);
  [[nodiscard]] const std::vector<LibraryRow>& rows() const { return rows_; }
  [[nodiscard]] const LibraryProject* project(int row) const;
  [[nodiscard]] const Tested* tested(int row) const;  // nullptr: nothing was
  [[nodiscard]] int rowCount(const QModelIndex& parent = {}) const override;
  [[nodiscard]] int columnCount(const QModelIndex& parent = {}) const override;
  [[nodiscard]] QVariant data(const QModelIndex& index, int role) const override;
  [[nodiscard]] QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
  void sort(int column, Qt::SortOrder order) override;

 private:
  std::shared_ptr<const Library> library_;
  std::vector<LibraryRow> rows_;
  std::string words_;
  int sorted_ = 0;
  Qt::SortOrder order_ = Qt::DescendingOrder;
};

class LibraryPage : public QWidget {
  Q_OBJECT
 public:
  explicit LibraryPage(Document& document, QWidget* parent = nullptr);
  ~LibraryPage() override;

  [[nodiscard]] std::vector<Command> commands();
  // Empty: the folder of the open project.
  void setFolder(const std::filesystem::path& folder);
  [[nodiscard]] std::filesystem::path folder() const;
  void read(bool rebuild);
  void search(const QString& words) { search_->setText(words); }
  void choose(int row);
  [[nodiscard]] const LibraryModel& model() const { return *model_; }
  [[nodiscard]] const std::optional<Retest>& retested() const { return retest_; }
  [[nodiscard]] bool reading() const { return job_.running(); }
  // What the buttons do once they have asked for a file.
  void repeatTo(const std::filesystem::path& file);
  void takeInFrom(const std::filesystem::path& file);
  void keepProtocolAs(const QString& name);
  void beginFrom(const std::filesystem::path& protocol, const std::filesystem::path& file);

 signals:
  void failed(const QString& problem, const QString& where, const QString& remedy);
  void done(const QString& words);
  void doorWanted(Door door);
  void projectWanted(const std::filesystem::path& file);
  void folderChosen(const std::filesystem::path& folder);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  QLayout* buildTop();
  QLayout* buildLower();
  QLayout* buildActions();
  void refill();
  void chosenChanged();
  void compare();
  void showRetest(const Tested& chosen, const Tested& other);
  void say(const QString& words);
  void sayHowMany();
  [[nodiscard]] const LibraryProject* chosenProject() const;
  void attempt(const std::function<void()>& work);
  void askFolder();
  void askRepeat();
  void askTakeIn();
  void askProtocol();
  void fillProtocols();
  void copyTable();

  Document& document_;
  std::filesystem::path folder_;
  std::shared_ptr<const Library> library_;
  LibraryModel* model_;
  QTableView* table_;
  QTableWidget* figures_;
  QTextBrowser* words_;
  QLineEdit* search_;
  QLabel *where_, *count_, *title_;
  QComboBox* against_;
  QPushButton *again_, *cancel_, *open_, *repeat_, *protocol_, *begin_;
  QMenu* protocols_;
  std::vector<Tested> others_;  // that the chosen one can be set against
  std::optional<Retest> retest_;
  Job job_;
};

}  // namespace edge::app
