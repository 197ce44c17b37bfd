// The readings of a scene as a form: typed, pasted, from a file or a frame; scenes that are kept.
#pragma once
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>
#include <filesystem>

#include "shell/document.h"
#include "theme/tokens.h"

namespace edge::app {

class SceneForm : public QWidget {
  Q_OBJECT
 public:
  explicit SceneForm(Document& document, QWidget* parent = nullptr);

  void setTheme(const Theme& t) { theme_ = &theme(t.kind); }
  [[nodiscard]] SceneReadings read();  // what is typed; says what can't be read
  [[nodiscard]] bool filling() const { return filling_; }
  [[nodiscard]] bool canKeep() const { return keep_->isEnabled(); }
  void fill(const SceneReadings& scene);
  // As a person types it.
  void setExposure(const QString& words);
  void setReadings(const QString& lines);  // "window +4.5", a line each
  void pasteLines();
  void load(const std::filesystem::path& file);
  void askFile();
  void addTone(double stops);  // read in a frame
  void keep();                 // under the name that is typed
  void forget();               // the one that is chosen

 signals:
  void changed();
  void filled();  // with another scene
  void failed(const QString& problem, const QString& where, const QString& remedy);
  void done(const QString& words);

 private:
  void refreshScenes();
  void setRow(int row, const SceneReading& reading);
  void addRow();
  void removeRow();
  void readFrame();

  Document& document_;
  QComboBox* scenes_;
  QLineEdit *name_, *exposure_;
  QTableWidget* readings_;
  QPushButton *keep_, *forget_;
  QLabel* trouble_;
  const Theme* theme_ = &theme(ThemeKind::Dark);
  bool filling_ = false;
};

}  // namespace edge::app
