// Stage Noise: floor, circuits and the price of every stop, for the body and mode of the configuration that
// is looked at.
#pragma once
#include <QButtonGroup>
#include <QLabel>
#include <QStackedWidget>
#include <QTextBrowser>
#include <QVBoxLayout>

#include "noise/noise_view.h"
#include "report/explain_noise.h"
#include "shell/stage.h"
#include "widgets/figure_row.h"

namespace edge::app {

class NoiseStage : public Stage {
  Q_OBJECT
 public:
  explicit NoiseStage(Document& document, QWidget* parent = nullptr);

  [[nodiscard]] QString name() const override { return "Noise"; }
  [[nodiscard]] QString state() const override;
  [[nodiscard]] std::vector<Command> commands() override;
  void setTheme(const Theme& theme) override;
  void showPage(NoisePage page);
  [[nodiscard]] NoisePage page() const;

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  QWidget* buildSide();
  void feedViews();
  void refresh();
  void refreshShown();  // what nobody sees waits
  void refreshFigures();
  void explain(const QString& key);
  [[nodiscard]] const NoiseFinding* finding() const;
  [[nodiscard]] std::optional<Invite> inviteForPage() const;

  Document& document_;
  QButtonGroup* buttons_;
  Inviting* inviting_;
  QStackedWidget* views_;
  std::vector<NoisePageView*> pages_;
  QVBoxLayout* figureColumn_;
  std::vector<FigureRow*> figures_;
  QLabel *subject_, *advice_, *warnings_;
  QTextBrowser* explain_;
  QString key_;
  Theme theme_;
};

}  // namespace edge::app
