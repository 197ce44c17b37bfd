// Stage Noise driven as a person would: pages, circuits, limits, looking, empty states. Truth of the demo's
// cameras: demo-data/saltpan-road.json.
#include "noise/noise_stage.h"

#include <gtest/gtest.h>

#include <QClipboard>
#include <QTableWidget>
#include <QTemporaryDir>
#include <QTest>

#include "noise/look_view.h"
#include "widgets/plot.h"
#include "window.h"

namespace edge::app {
namespace {

class NoiseWindow : public ::testing::Test {
 protected:
  void open(const fs::path& file) {
    w_ = openWindow(file);
    w_->showStage("Noise");
    stage_ = qobject_cast<NoiseStage*>(w_->stage("Noise"));
    settle();
  }
  void choose(const std::string& body, const std::string& mode) {
    const auto findings = w_->document().findings();
    for (size_t i = 0; i < findings.size(); ++i)
      if (findings[i].configuration.body == body && findings[i].configuration.mode == mode) {
        w_->document().setCurrent(static_cast<int>(i));
        break;
      }
    settle();
  }
  [[nodiscard]] QString text(const char* key) const {
    const auto* row = figure(stage_, key);
    return row ? row->text() : QString("no such figure");
  }
  [[nodiscard]] QString allWords() const {
    QString all;
    for (const auto* label : stage_->findChildren<QLabel*>()) all += label->text() + "\n";
    return all;
  }
  std::unique_ptr<MainWindow> w_;
  NoiseStage* stage_ = nullptr;
};

TEST_F(NoiseWindow, CircuitsOfTheDemosCamerasAreTheirOwn) {
  open(measuredProject());
  choose("Corvane 35", "raw");
  EXPECT_TRUE(text("natives").contains("2500")) << text("natives").toStdString();
  EXPECT_TRUE(text("family").contains(": 2")) << text("family").toStdString();
  EXPECT_TRUE(allWords().contains("then jump to 2500"));
  choose("Pellam S6", "raw");
  EXPECT_TRUE(text("family").contains("one")) << text("family").toStdString();
  EXPECT_TRUE(allWords().contains("One circuit"));
  EXPECT_TRUE(text("published").contains("640")) << text("published").toStdString();
  EXPECT_TRUE(text("clip-above-grey").contains("+5.")) << text("clip-above-grey").toStdString();
  choose("Tarn M1", "raw");
  EXPECT_TRUE(text("family").contains("many steps")) << text("family").toStdString();
}

// Truth: 5.0 and 2.2 electrons, wells of 46000 and 15000.
TEST_F(NoiseWindow, TransferReadsTheSensorInElectrons) {
  open(measuredProject());
  choose("Corvane 35", "raw");
  stage_->showPage(NoisePage::Transfer);
  settle();
  const auto& noise = w_->document().noise();
  const auto at =
      std::find_if(noise.begin(), noise.end(), [](const NoiseFinding& n) { return !n.transfer.empty(); });
  ASSERT_NE(at, noise.end());
  ASSERT_EQ(at->transfer.size(), 2U);
  const double read[] = {5.0, 2.2}, well[] = {46000, 15000};
  for (size_t i = 0; i < 2; ++i) {
    const TransferChannel green = greenOf(at->transfer[i]);
    ASSERT_TRUE(green.readNoiseE && green.fullWellE);
    // Row noise of 0.35 electrons is temporal, too.
    EXPECT_NEAR(green.readNoiseE->value, std::hypot(read[i], 0.35),
                std::max(0.1, 3 * green.readNoiseE->sigma));
    EXPECT_NEAR(green.fullWellE->value, well[i], 0.02 * well[i]);
  }
  EXPECT_TRUE(allWords().contains("stops quieter than 500"));
  EXPECT_EQ(stage_->findChild<Plot*>("transfer")->graphCount(), 4);
  emit figure(stage_, "read-noise-500")->asked("read-noise-500");
  EXPECT_TRUE(stage_->findChild<QTextBrowser*>()->toPlainText().contains("EMVA 1288"));
  QTest::keyClick(stage_, Qt::Key_C, Qt::ControlModifier);
  EXPECT_TRUE(QApplication::clipboard()->text().contains("signal e-"));
  choose("Corvane 35", "log");
  EXPECT_TRUE(allWords().contains("it takes raw"));
}

TEST_F(NoiseWindow, KeysGoThroughThePages) {
  open(measuredProject());
  choose("Corvane 35", "log");
  for (const auto& spec : noisePages()) {
    QTest::keyClick(stage_, static_cast<Qt::Key>(Qt::Key_1 + static_cast<int>(spec.id)));
    EXPECT_EQ(stage_->page(), spec.id);
  }
}

TEST_F(NoiseWindow, ALimitThatIsDraggedMovesTheHighestCleanIsoAndIsUndone) {
  open(freshCopyOfMeasured("app-noise"));
  choose("Corvane 35", "log");
  stage_->showPage(NoisePage::Iso);
  settle();
  const QString before = text("usable-shadow");
  auto* plot = stage_->findChild<Plot*>("ladder");
  ASSERT_TRUE(plot->draggablePixel(0));
  const double y = *plot->draggablePixel(0);
  drag(plot, QPointF(plot->axisRect()->center().x(), y), QPointF(plot->axisRect()->center().x(), y + 25));
  EXPECT_NE(text("usable-shadow"), before);
  EXPECT_TRUE(w_->document().criteria().name.starts_with(kOwnProfile));
  w_->document().undoStack().undo();
  settle();
  EXPECT_EQ(text("usable-shadow"), before);
}

TEST_F(NoiseWindow, ReadoutAndInfraredOfTheDemoAreTrue) {
  open(measuredProject());
  choose("Corvane 35", "log");
  stage_->showPage(NoisePage::Readout);
  settle();
  EXPECT_TRUE(text("readout").contains("14.")) << text("readout").toStdString();
  EXPECT_TRUE(text("direction").contains("top-to-bottom"));
  choose("Corvane 35", "raw");
  stage_->showPage(NoisePage::Infrared);
  settle();
  EXPECT_TRUE(text("infrared").contains("ND")) << text("infrared").toStdString();
}

TEST_F(NoiseWindow, APairSaysWhichIsCleanerAndAFigureExplainsItself) {
  open(measuredProject());
  choose("Corvane 35", "raw");
  stage_->showPage(NoisePage::Pair);
  settle();
  EXPECT_TRUE(text("pair").contains("+"))
      << "ISO 2500 has the quieter circuit: " << text("pair").toStdString();
  emit figure(stage_, "pair")->asked("pair");
  EXPECT_TRUE(stage_->findChild<QTextBrowser*>()->toPlainText().contains("same light"));
  choose("Pellam S6", "raw");
  EXPECT_TRUE(allWords().contains("Equal by construction")) << allWords().toStdString();
}

TEST_F(NoiseWindow, MoreLightSaysWhatItBuysAndAsWhichRating) {
  open(measuredProject());
  choose("Corvane 35", "log");
  stage_->showPage(NoisePage::MoreLight);
  settle();
  EXPECT_TRUE(text("light").contains("stops")) << text("light").toStdString();
  EXPECT_TRUE(text("light-ei").contains("EI ")) << text("light-ei").toStdString();
  EXPECT_TRUE(allWords().contains("headroom"));
}

TEST_F(NoiseWindow, TheFloorListsEveryZoneAndCopies) {
  open(measuredProject());
  choose("Corvane 35", "log");
  stage_->showPage(NoisePage::Floor);
  settle();
  auto* table = stage_->findChild<QTableWidget*>("floor");
  const auto& noise = w_->document().noise();
  ASSERT_FALSE(noise.empty());
  EXPECT_EQ(table->rowCount() % kZones, 0);
  EXPECT_GT(table->rowCount(), 0);
  QTest::keyClick(stage_, Qt::Key_C, Qt::ControlModifier);
  EXPECT_TRUE(QApplication::clipboard()->text().contains("shadow"));
}

TEST_F(NoiseWindow, CropsPlayFreezeMagnifyAndShowWhatMoves) {
  open(measuredProject());
  choose("Corvane 35", "log");
  stage_->showPage(NoisePage::Look);
  auto* look = stage_->findChild<LookView*>();
  ASSERT_TRUE(waitFor([&] { return look->loaded(); }));
  QTest::keyClick(stage_, Qt::Key_Space);
  EXPECT_TRUE(look->playing());
  ASSERT_TRUE(waitFor([&] { return look->framesPerSecond() > 0; }, 5000));
  std::printf("four crops: %.1f frames a second\n", look->framesPerSecond());
  EXPECT_TRUE(allWords().contains("a second"));
  QTest::keyClick(stage_, Qt::Key_Space);
  EXPECT_FALSE(look->playing());
  const int zoom = look->zoom();
  QTest::keyClick(stage_, Qt::Key_Z);
  EXPECT_NE(look->zoom(), zoom);
  const QImage plain = look->grab().toImage();
  QTest::keyClick(stage_, Qt::Key_M);
  EXPECT_TRUE(look->residual());
  EXPECT_NE(look->grab().toImage(), plain);
  stage_->showPage(NoisePage::Iso);
  EXPECT_FALSE(look->playing());
}

TEST_F(NoiseWindow, EveryPageFitsANarrowWindow) {
  open(measuredProject());
  for (const char* mode : {"log", "raw"}) {
    choose("Corvane 35", mode);
    for (const auto& spec : noisePages()) {
      stage_->showPage(spec.id);
      settle();
      w_->resize(1210, 690);
      settle();
      EXPECT_LE(w_->width(), 1210) << spec.words;
      EXPECT_LE(w_->height(), 690) << spec.words;
    }
  }
  for (const char* name : {"Plan", "Shoot", "Match", "Range", "Latitude", "Noise", "Findings"})
    EXPECT_LE(w_->stage(name)->minimumSizeHint().width(), 1210) << name;
}

TEST_F(NoiseWindow, WhatWasNotShotIsSaidWithTheWayThere) {
  open(measuredProject());
  choose("Corvane 35", "log");
  stage_->showPage(NoisePage::Pair);
  settle();
  auto* invite = stage_->findChild<QPushButton*>("invite");
  ASSERT_TRUE(invite->isVisible());
  EXPECT_EQ(invite->text(), "To the plan");
  QTest::mouseClick(invite, Qt::LeftButton);
  settle();
  EXPECT_TRUE(w_->stage("Plan")->isVisible());
}

TEST_F(NoiseWindow, AnEmptyProjectInvitesToAPlan) {
  QTemporaryDir folder;
  w_ = std::make_unique<MainWindow>();
  w_->show();
  w_->createProject(fs::path(folder.path().toStdString()) / "new.edgetest");
  w_->showStage("Noise");
  settle();
  stage_ = qobject_cast<NoiseStage*>(w_->stage("Noise"));
  EXPECT_EQ(stage_->findChild<QPushButton*>("invite")->text(), "Make a plan");
  EXPECT_EQ(stage_->state(), "no noise test yet");
}

}  // namespace
}  // namespace edge::app
