// Stage Range driven as a person would: one wedge to its last step, several beside each other.
#include <SQLiteCpp/SQLiteCpp.h>
#include <gtest/gtest.h>

#include <QClipboard>
#include <QComboBox>
#include <QLineEdit>
#include <QTableView>
#include <QTest>
#include <algorithm>
#include <cmath>

#include "app/window.h"
#include "range/range_stage.h"
#include "range/state_look.h"
#include "theme/text.h"
#include "widgets/picture_view.h"

namespace edge::app {
namespace {

RangeStage& rangeOf(MainWindow& w) {
  w.showStage("Range");
  settle(200);
  return *static_cast<RangeStage*>(w.stage("Range"));
}

TEST(RangeView, ThresholdIsDraggedStoredAndUndone) {
  auto w = openWindow(measuredProject());
  w->showStage("Range");
  settle(300);
  Plot* snr = nullptr;
  for (auto* p : w->stage("Range")->findChildren<Plot*>())
    if (p->draggablePixel()) snr = p;
  ASSERT_TRUE(snr);
  const double before = w->document().current()->range->headline->stops;
  const QPointF from(snr->width() / 2.0, *snr->draggablePixel());
  drag(snr, from, QPointF(from.x(), snr->yAxis->coordToPixel(std::log2(6.0))));
  EXPECT_NEAR(w->document().rangeOptions().headlineSnr, 6, 0.11);
  EXPECT_LT(w->document().current()->range->headline->stops, before - 1);
  EXPECT_TRUE(w->document().project().decision(0, "", kHeadlineSnrKey));
  QTest::keyClick(w.get(), Qt::Key_Z, Qt::ControlModifier);
  settle();
  EXPECT_NEAR(w->document().current()->range->headline->stops, before, 1e-9);
  EXPECT_FALSE(w->document().project().decision(0, "", kHeadlineSnrKey));
}

// A stage that needs more makes the window grow beyond a small screen.
TEST(RangeView, SixConfigurationsFitTheSmallestWindow) {
  auto w = openWindow(measuredProject());
  const auto& findings = w->document().findings();
  ASSERT_EQ(
      std::count_if(findings.begin(), findings.end(), [](const Finding& f) { return f.range.has_value(); }),
      6);
  RangeStage& stage = rangeOf(*w);
  stage.wedge().choosePatch("7");
  w->resize(1210, 700);
  settle(200);
  for (const auto key : {Qt::Key_2, Qt::Key_1}) {
    QTest::keyClick(&stage, key);
    settle(200);
    EXPECT_EQ(w->size(), QSize(1210, 700)) << key;
  }
  w->resize(1280, 800);
  QTest::keyClick(&stage, Qt::Key_2);
  settle(200);
  const auto* room = stage.findChild<RulerWidget*>()->parentWidget();
  EXPECT_EQ(room->height(), stage.findChild<RulerWidget*>()->height()) << "with room all six are seen";
}

TEST(RangeView, ALongNameMovesNothingAndCoversNoCurves) {
  const fs::path file = freshCopyOfMeasured("range-long-name");
  const std::string name(150, 'W');
  SQLite::Database(file.string(), SQLite::OPEN_READWRITE)
      .exec("UPDATE configuration SET body='" + name + "'");
  auto w = openWindow(file);
  RangeStage& stage = rangeOf(*w);
  w->resize(1210, 700);
  Configuration c = w->document().current()->configuration;
  ASSERT_EQ(c.body, name);
  c.decode.curve = "linear";  // there is something to measure
  w->document().setSetups({c}, "another curve");
  w->analyse();
  int widest = 0;
  ASSERT_TRUE(waitFor([&] {
    widest = std::max(widest, w->width());
    return !w->job().running();
  }));
  EXPECT_EQ(widest, 1210) << "while it is told what is being measured";
  QTest::keyClick(&stage, Qt::Key_2);
  settle(200);
  EXPECT_EQ(w->width(), 1210);
  const auto* curves = stage.findChild<ComparePage*>()->findChild<Plot*>();
  ASSERT_GT(curves->graphCount(), 1);
  for (int i = 0; i < curves->graphCount(); ++i)
    EXPECT_LE(QFontMetrics(curves->legend->font()).horizontalAdvance(curves->graph(i)->name()), 200);
}

// Decoded otherwise it looks otherwise: the picture of the state before is not left standing.
TEST(RangeView, ThePictureFollowsHowTheWedgeIsDecoded) {
  auto w = openWindow(freshCopyOfMeasured("range-picture"));
  auto* picture = rangeOf(*w).findChild<PictureView*>();
  ASSERT_TRUE(picture);
  ASSERT_TRUE(waitFor([&] { return picture->hasPicture(); }));
  const QImage before = picture->grab().toImage();
  Configuration c = w->document().current()->configuration;
  c.decode.curve = "linear";
  w->document().setSetups({c}, "another curve");
  EXPECT_FALSE(picture->hasPicture()) << "it is read anew";
  ASSERT_TRUE(waitFor([&] { return picture->hasPicture(); }));
  EXPECT_NE(picture->grab().toImage(), before);
}

TEST(RangeView, EveryFigureOpensItsExplanationAndCanBeCopied) {
  auto w = openWindow(measuredProject());
  w->showStage("Range");
  Stage* s = w->stage("Range");
  for (const char* key : {"headline", "above-grey", "below-grey", "noise-floor", "snr1", "snr2", "snr10",
                          "safe", "steps", "filtering"}) {
    FigureRow* row = figure(s, key);
    ASSERT_TRUE(row) << key;
    QTest::mouseClick(row, Qt::LeftButton);
    EXPECT_EQ(s->findChild<ExplainPanel*>()->key(), key);
    EXPECT_GT(s->findChild<ExplainPanel*>()->toPlainText().size(), 80) << key;
  }
  FigureRow* headline = figure(s, "headline");
  headline->setFocus();
  QTest::keyClick(headline, Qt::Key_C, Qt::ControlModifier);
  EXPECT_TRUE(QApplication::clipboard()->text().contains("stops"))
      << qPrintable(QApplication::clipboard()->text());
}

TEST(RangeView, AxisOfTheTraceCanBeReadThreeWays) {
  auto w = openWindow(measuredProject());
  auto* unit = w->stage("Range")->findChild<QComboBox*>("unit");
  auto* trace = w->stage("Range")->findChild<Plot*>("trace");
  QStringList labels;
  for (int i = 0; i < 3; ++i) unit->setCurrentIndex(i), labels << trace->yAxis->label();
  labels.removeDuplicates();
  EXPECT_EQ(labels.size(), 3);
}

// Every class has a pattern of its own, on picture, trace and table: it is read without colour.
TEST(RangeView, ClassesDifferByPatternAndWord) {
  const PatchState all[] = {PatchState::Clipped, PatchState::OneChannel, PatchState::Rebuilt,
                            PatchState::Intact,  PatchState::Noisy,      PatchState::Lost};
  std::set<int> fills;
  std::set<QString> words;
  for (const PatchState s : all) fills.insert(stateFill(s)), words.insert(stateWord(s));
  EXPECT_EQ(fills.size(), 6U);
  EXPECT_EQ(words.size(), 6U);
}

TEST(RangeView, AStepIsChosenOnTraceOrTableAndSeenClose) {
  auto w = openWindow(measuredProject());
  RangeStage& s = rangeOf(*w);
  auto* table = s.wedge().findChild<QTableView*>();
  const int steps = static_cast<int>(w->document().current()->wedge->patches.size());
  ASSERT_EQ(table->model()->rowCount(), steps);
  auto* trace = s.wedge().findChild<Plot*>("trace");
  const QPoint at(static_cast<int>(trace->xAxis->coordToPixel(5)), trace->height() / 2);
  QTest::mouseClick(trace, Qt::LeftButton, {}, at);
  EXPECT_EQ(s.wedge().stepPanel().step(), q(w->document().current()->wedge->patches[4].name));
  EXPECT_EQ(table->currentIndex().row(), 4);
  ASSERT_TRUE(waitFor([&] { return s.wedge().stepPanel().ready(); }));
  EXPECT_TRUE(s.wedge().stepPanel().text().contains("intact: no channel ends here"));
  EXPECT_TRUE(s.wedge().stepPanel().text().contains("taken apart"));
  // By keyboard in the table, and copied whole.
  table->setFocus();
  QTest::keyClick(table, Qt::Key_Down);
  EXPECT_EQ(s.wedge().stepPanel().step(), q(w->document().current()->wedge->patches[5].name));
  QTest::keyClick(table, Qt::Key_C, Qt::ControlModifier);
  EXPECT_EQ(QApplication::clipboard()->text().count('\n'), steps + 1);
}

TEST(RangeView, ClaimAndOwnCountAreTypedKeptAndUndone) {
  auto w = openWindow(freshProject("range-claims"));
  const auto measured = Project::open(measuredProject());
  openIn(*w, measuredProject());
  RangeStage& s = rangeOf(*w);
  auto* claim = s.wedge().findChild<QLineEdit*>("claim");
  auto* count = s.wedge().findChild<QLineEdit*>("count");
  claim->setFocus();
  QTest::keyClicks(claim, "14,5");  // a decimal comma as well
  QTest::keyClick(claim, Qt::Key_Return);
  ASSERT_TRUE(w->document().current()->claimStops);
  EXPECT_DOUBLE_EQ(*w->document().current()->claimStops, 14.5);
  count->setFocus();
  QTest::keyClicks(count, "seventeen");
  QTest::keyClick(count, Qt::Key_Return);
  EXPECT_FALSE(w->document().current()->ownCount);
  count->selectAll();
  QTest::keyClicks(count, "17");
  QTest::keyClick(count, Qt::Key_Return);
  EXPECT_EQ(w->document().current()->ownCount.value_or(0), 17);
  EXPECT_TRUE(
      Project::open(measuredProject())->decision(w->document().current()->configuration.id, "", kClaimKey));
  w->document().undoStack().undo();
  w->document().undoStack().undo();
  EXPECT_FALSE(w->document().current()->ownCount);
  EXPECT_FALSE(w->document().current()->claimStops);
}

TEST(RangeView, DeliveryRasterIsMeasuredAndShownBeside) {
  auto w = openWindow(measuredProject());
  RangeStage& s = rangeOf(*w);
  const auto& wedge = *w->document().current()->wedge;
  const Raster half{wedge.developedWidth / 2, wedge.developedHeight / 2};
  auto* raster = s.wedge().findChild<QComboBox*>("raster");
  raster->setFocus();
  raster->setEditText(QString("%1 x %2").arg(half.width).arg(half.height));
  QTest::keyClick(raster->lineEdit(), Qt::Key_Return);
  EXPECT_TRUE(figure(&s, "raster")->text().contains("Analyse"));
  w->analyse();
  ASSERT_TRUE(waitFor([&] { return !w->job().running() && w->document().current()->rasterRange; }));
  const Finding& f = *w->document().current();
  EXPECT_GT(f.rasterRange->headline->stops, f.range->headline->stops + 0.5);
  EXPECT_TRUE(figure(&s, "raster")->text().contains("stops"));
  // Coarser than the delivery: measured as it is, and said at which raster.
  w->document().setDeliveryRaster(Raster{8000, 4000});
  w->analyse();
  ASSERT_TRUE(waitFor([&] { return !w->job().running() && w->document().current()->rasterRange; }));
  EXPECT_NEAR(w->document().current()->rasterRange->headline->stops,
              w->document().current()->range->headline->stops, 0.01);
  w->document().setDeliveryRaster(std::nullopt);
  EXPECT_FALSE(w->document().current()->rasterRange);
}

TEST(RangeView, ConfigurationsAreComparedWithTheirErrors) {
  auto w = openWindow(measuredProject());
  RangeStage& s = rangeOf(*w);
  QTest::keyClick(&s, Qt::Key_2);
  ComparePage& page = s.compare();
  CompareModel& model = page.model();
  ASSERT_EQ(model.rowCount(), 7) << "one was shot for its sweep alone";
  EXPECT_EQ(page.chosen().size(), 6U);
  EXPECT_EQ(model.cell(0, CompareModel::Difference), "reference");
  EXPECT_EQ(page.findChild<Plot*>()->graphCount(), 6);
  auto* table = page.findChild<QTableView*>();
  table->setFocus();
  table->selectRow(1);
  EXPECT_EQ(w->document().currentIndex(), 1);
  QTest::keyClick(table, Qt::Key_Space);
  EXPECT_EQ(page.chosen().size(), 5U);
  EXPECT_EQ(page.findChild<Plot*>()->graphCount(), 5);
  EXPECT_EQ(s.findChild<RulerWidget*>()->data().rows.size(), 5U);
  QTest::keyClick(table, Qt::Key_R);
  EXPECT_EQ(model.cell(1, CompareModel::Difference), "reference");
  EXPECT_NE(model.cell(0, CompareModel::Difference), "reference");
  // The demo's Corvane 35 changes its gain circuit between ISO 500 and 2500 (demo/cameras).
  EXPECT_TRUE(page.isoText().contains("another circuit starts here"));
  model.setData(model.index(2, CompareModel::Claim), "15", Qt::EditRole);
  EXPECT_EQ(model.cell(2, CompareModel::Claim), "15.0");
  EXPECT_FALSE(model.setData(model.index(2, CompareModel::Claim), "much", Qt::EditRole));
  w->document().undoStack().undo();
  QTest::keyClick(&s, Qt::Key_1);
  settle(100);
  EXPECT_EQ(w->height(), 800);  // nothing pushes the window open
}

// A chart that knows but its middle steps: "at least", and what to shoot instead.
TEST(RangeView, AShortWedgeSaysWhatToShoot) {
  auto w = openWindow(freshProject("range-short"));
  RangeStage& s = rangeOf(*w);
  Configuration c = w->document().current()->configuration;
  auto& steps = c.wedge.patches;
  ASSERT_GT(steps.size(), 10U);
  steps.erase(steps.begin() + 9, steps.end());
  steps.erase(steps.begin(), steps.begin() + 4);
  w->document().setSetups({c}, "a short wedge");
  w->analyse();
  ASSERT_TRUE(waitFor([&] { return w->document().current()->range.has_value(); }));
  settle(100);
  QTest::keyClick(&s, Qt::Key_H);
  EXPECT_TRUE(s.wedge().honesty().contains("open at least"));
  EXPECT_TRUE(s.wedge().honesty().contains("longer wedge"));
  EXPECT_TRUE(figure(&s, "headline")->text().contains("at least"));
  const auto& warnings = w->document().current()->range->warnings;
  ASSERT_GT(warnings.size(), 1U);
  EXPECT_TRUE(figure(&s, "headline")
                  ->accessibleDescription()
                  .startsWith(QString("%1 warnings; ").arg(warnings.size())))
      << "said beside the figure, whatever page stands below";
  for (const auto& one : warnings)
    EXPECT_TRUE(s.wedge().honesty().contains(QString::fromStdString(one.message))) << one.message;
}

}  // namespace
}  // namespace edge::app
