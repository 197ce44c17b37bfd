// Match: copied clips and the takes they are, why and how sure; what the checks say of each.
#pragma once
#include <QButtonGroup>
#include <QLabel>
#include <QPushButton>
#include <QStackedWidget>
#include <QTableView>

#include "match/chart_page.h"
#include "match/check_panel.h"
#include "match/decode_page.h"
#include "match/link_model.h"
#include "ruler/ruler_widget.h"
#include "shell/stage.h"

namespace edge::app {

class MatchStage : public Stage {
  Q_OBJECT
 public:
  MatchStage(Document& document, Planner& planner, QWidget* parent = nullptr);
  [[nodiscard]] QString name() const override { return "Match"; }
  [[nodiscard]] QString state() const override;
  [[nodiscard]] std::vector<Command> commands() override;
  void setTheme(const Theme& theme) override;
  [[nodiscard]] MatchWork& work() { return work_; }
  void showPage(int page);  // 0: clips, 1: charts and objects, 2: decoding
  [[nodiscard]] ChartPage& charts() { return *charts_; }
  [[nodiscard]] DecodePage& decoding() { return *decoding_; }
  [[nodiscard]] CheckPanel& panel() { return *panel_; }
  [[nodiscard]] LinkModel& model() { return model_; }
  void choose(int row);
  [[nodiscard]] RulerWidget& ruler() { return *ruler_; }

  void askFolder();

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  QWidget* buildHead();
  QWidget* buildClips();
  void refresh();
  [[nodiscard]] std::optional<Invite> invitation() const;
  void fitRows();
  void refreshDetail();
  [[nodiscard]] QString markOf(const ClipLink* link) const;
  [[nodiscard]] bool sameSeries(const ClipLink* a, const ClipLink* b) const;
  void refreshRuler(const ClipLink* chosen);
  [[nodiscard]] QString alsoOf(const ClipLink& link) const;
  [[nodiscard]] CheckPanel::Sources sourcesOf(const ClipFacts& f, const ClipLink& l) const;
  void writeManifest();

  Document& document_;
  MatchWork work_;
  LinkModel model_;
  Theme theme_;
  QStackedWidget* pages_;
  Inviting* inviting_;
  QButtonGroup* pageButtons_;
  ChartPage* charts_;
  DecodePage* decoding_;
  RulerWidget* ruler_;
  QTableView* table_;
  MissingTakes* missing_;
  CheckPanel* panel_;
  QLabel *headline_, *quiet_, *missingTitle_;
  QPushButton* keep_;
  Job manifestJob_;
  int current_ = -1;
};

}  // namespace edge::app
