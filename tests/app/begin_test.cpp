// Begin from clips as a person would: a folder dropped on the window, one table, one click.
#include "begin/begin_dialog.h"

#include <gtest/gtest.h>

#include <QMimeData>
#include <QTemporaryDir>
#include <QTest>

#include "base/files.h"
#include "plan/plan_board.h"
#include "plan/plan_stage.h"
#include "window.h"

namespace edge::app {
namespace {

// A bracket of the small demo with its wedge and cap-on clip, under names that say nothing.
class BeginWindow : public ::testing::Test {
 protected:
  void SetUp() override {
    folder_ = fs::path(room_.path().toStdString()) / "night two";
    fs::create_directories(folder_);
    const fs::path from = fs::path(EDGE_SMALL_DEMO) / "clips" / "corvane35-log-500";
    int n = 0;
    for (const char* name : {"p2", "wedge", "m3", "base", "p1", "m1", "black", "m2", "p4"}) {
      names_[name] = QString("clip%1.mkv").arg(++n);
      fs::copy_file(from / (std::string(name) + ".mkv"), folder_ / names_[name].toStdString());
    }
    w_ = std::make_unique<MainWindow>();
    w_->resize(1280, 800);
    w_->show();
  }
  BeginDialog* drop() {
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(QString::fromStdString(folder_.string()))});
    QDropEvent event(QPointF(100, 100), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    static_cast<QObject&>(*w_).event(&event);  // as the window system hands it over
    auto* dialog = w_->findChild<BeginDialog*>();
    EXPECT_TRUE(dialog);
    if (dialog) {
      EXPECT_TRUE(waitFor([&] { return dialog->looked(); }));
    }
    return dialog;
  }
  int rowOf(const BeginDialog* d, const char* clip) {
    auto* table = d->findChild<QTableWidget*>("found");
    for (int r = 0; r < table->rowCount(); ++r)
      if (table->item(r, 0)->text() == names_[clip]) return r;
    return -1;
  }
  QString cell(const BeginDialog* d, const char* clip, int column) {
    return d->findChild<QTableWidget*>("found")->item(rowOf(d, clip), column)->text();
  }
  QComboBox* role(const BeginDialog* d, const char* clip) {
    return qobject_cast<QComboBox*>(d->findChild<QTableWidget*>("found")->cellWidget(rowOf(d, clip), 2));
  }
  void giveCurve(BeginDialog* d) {
    d->setCurve(QString::fromStdString((fs::path(EDGE_SMALL_DEMO) / "curves" / "ropelog.json").string()));
    ASSERT_TRUE(waitFor([&] { return d->looked(); }));
  }
  QTemporaryDir room_;
  fs::path folder_;
  std::map<std::string, QString> names_;
  std::unique_ptr<MainWindow> w_;
};

TEST_F(BeginWindow, ADroppedFolderIsSortedAndBecomesAProjectWithOneClick) {
  BeginDialog* d = drop();
  ASSERT_TRUE(d);
  EXPECT_EQ(cell(d, "m3", 3), QString::fromUtf8("\u2013")) << "without its curve nothing is measured";
  bool asked = false;
  for (const auto* label : d->findChildren<QLabel*>()) asked |= label->text().contains("Not known: curve");
  EXPECT_TRUE(asked);
  giveCurve(d);
  EXPECT_EQ(role(d, "base")->currentText(), "base");
  EXPECT_EQ(role(d, "wedge")->currentText(), "wedge");
  EXPECT_EQ(role(d, "black")->currentText(), "black");
  EXPECT_EQ(cell(d, "m3", 4), QString::fromUtf8("\u22123.00"));
  EXPECT_EQ(cell(d, "p4", 4), "+4.00");
  bool missing = false;
  for (const auto* label : d->findChildren<QLabel*>()) missing |= label->text().contains("lacks +3");
  EXPECT_TRUE(missing);
  auto* iso = d->findChild<QLineEdit*>("iso");
  iso->setText("500");
  emit iso->editingFinished();
  ASSERT_TRUE(waitFor([&] { return d->looked() && d->shoot().groups[0].iso == 500; }));
  EXPECT_TRUE(d->shoot().questions.empty());
  EXPECT_FALSE(fs::exists(room_.path().toStdString() + "/night two.edgetest"))
      << "nothing before it is confirmed";
  QTest::mouseClick(d->findChild<QPushButton*>("make"), Qt::LeftButton);
  ASSERT_TRUE(waitFor([&] { return w_->document().isOpen(); }));
  ASSERT_EQ(w_->document().findings().size(), 1U);
  const Configuration& c = w_->document().findings()[0].configuration;
  EXPECT_EQ(c.iso, 500);
  EXPECT_EQ(c.clipOfKind(ClipKind::Base)->first, 1) << "the slate is no part of what is measured";
  EXPECT_EQ(c.clips.size(), 9U);
  EXPECT_TRUE(c.clipOfKind(ClipKind::Wedge) && c.clipOfKind(ClipKind::Base));
}

// What was told wrong is put right where it is seen: a mark is drawn along to another step.
TEST_F(BeginWindow, AMarkOnTheRulerIsDrawnToAnotherStep) {
  BeginDialog* d = drop();
  ASSERT_TRUE(d);
  giveCurve(d);
  auto* ruler = d->findChild<RulerWidget*>();
  ASSERT_TRUE(ruler);
  const RulerRow& row = ruler->data().rows.at(0);
  const auto mark = std::find_if(row.marks.begin(), row.marks.end(), [](const RulerMark& m) {
    return std::abs(m.planned.value_or(9) + 3) < 0.01;
  });
  ASSERT_NE(mark, row.marks.end());
  RulerLayout layout;
  layout.right = 26;
  const QRectF area(0, 0, ruler->width(), ruler->height());
  const int y = static_cast<int>(layout.scaleHeight + layout.rowHeight / 2);
  const auto at = [&](double stops) { return QPoint(qRound(layout.x(area, stops)), y); };
  QTest::mouseClick(ruler, Qt::LeftButton, Qt::NoModifier, at(mark->at));
  EXPECT_EQ(cell(d, "m3", 4), QString::fromUtf8("\u22123.00")) << "a click moves nothing";
  QTest::mousePress(ruler, Qt::LeftButton, Qt::NoModifier, at(mark->at));
  QTest::mouseMove(ruler, at(-3.6));
  QTest::mouseMove(ruler, at(-4.1));
  QTest::mouseRelease(ruler, Qt::LeftButton, Qt::NoModifier, at(-4.1));
  ASSERT_TRUE(waitFor([&] { return cell(d, "m3", 4) == QString::fromUtf8("\u22124.00"); }))
      << cell(d, "m3", 4).toStdString();
  EXPECT_EQ(cell(d, "m3", 6), "said by hand");
}

// The other door afterwards: finer takes of another evening, without plan and slates, dropped on the open
// project.
TEST_F(BeginWindow, ASecondEveningIsAddedToTheOpenProject) {
  BeginDialog* d = drop();
  ASSERT_TRUE(d);
  giveCurve(d);
  auto* iso = d->findChild<QLineEdit*>("iso");
  iso->setText("500");
  emit iso->editingFinished();
  ASSERT_TRUE(waitFor([&] { return d->looked() && d->shoot().groups[0].iso == 500; }));
  QTest::mouseClick(d->findChild<QPushButton*>("make"), Qt::LeftButton);
  ASSERT_TRUE(waitFor([&] { return w_->document().isOpen(); }));
  ASSERT_TRUE(waitFor([&] { return !w_->findChild<BeginDialog*>(); }, 10000));
  // It is planned as it was shot: the board shows what is there and what lacks.
  auto& plan = *qobject_cast<PlanStage*>(w_->stage("Plan"));
  ASSERT_TRUE(
      waitFor([&] { return plan.planner().planned() && !plan.planner().planned()->plan.takes.empty(); }));
  const auto stands = standsOf(*plan.planner().planned(), w_->document());
  EXPECT_EQ(std::count(stands.begin(), stands.end(), TakeStand::Linked), 9);
  const size_t takesBefore = stands.size();

  const fs::path from = fs::path(EDGE_SMALL_DEMO) / "clips" / "corvane35-log-500";
  const fs::path second = fs::path(room_.path().toStdString()) / "night three";
  fs::create_directories(second);
  for (const char* name : {"p5", "m4"})
    fs::copy_file(from / (std::string(name) + ".mkv"), second / (std::string("x") + name + ".mkv"));
  fs::copy_file(folder_ / names_["m1"].toStdString(), second / "again.mkv");  // it is kept already
  folder_ = second;
  d = drop();
  ASSERT_TRUE(d);
  d->addToOpen(true);
  ASSERT_TRUE(waitFor([&] { return d->looked() && d->shoot().groups[0].iso == 500; }))
      << "as the project's base";
  QTest::mouseClick(d->findChild<QPushButton*>("make"), Qt::LeftButton);
  ASSERT_TRUE(waitFor([&] { return w_->document().findings()[0].configuration.clips.size() == 11; }, 30000))
      << w_->document().findings().size() << " configurations, "
      << w_->document().findings()[0].configuration.clips.size() << " clips";
  for (const auto& clip : w_->document().findings()[0].configuration.clips)
    EXPECT_FALSE(clip.slate.empty()) << clip.name;
  ASSERT_TRUE(waitFor([&] { return plan.planner().planned()->plan.takes.size() >= takesBefore; }));
  w_->document().undoStack().undo();
  settle(200);
  EXPECT_EQ(w_->document().findings()[0].configuration.clips.size(), 9U) << "one step of undo";
}

// What a person has in hand after an evening: 14 clips, and what the wedge's maker says. No plan, no slates,
// names that say nothing. Every action is one that a person does.
TEST_F(BeginWindow, FromAFolderOfClipsToTheCard) {
  const fs::path from = fs::path(EDGE_SMALL_DEMO) / "clips" / "corvane35-log-500";
  for (const char* name : {"m4", "m5", "p3", "m6", "p5"}) {
    names_[name] = QString("clip%1.mkv").arg(names_.size() + 1);
    fs::copy_file(from / (std::string(name) + ".mkv"), folder_ / names_[name].toStdString());
  }
  ASSERT_EQ(names_.size(), 14U);
  QElapsedTimer clock;
  clock.start();
  int actions = 1;
  BeginDialog* d = drop();
  ASSERT_TRUE(d);
  giveCurve(d), actions += 2;  // the curve's list, and the file in it
  auto* iso = d->findChild<QLineEdit*>("iso");
  iso->setText("500"), ++actions;
  emit iso->editingFinished();
  ASSERT_TRUE(waitFor([&] { return d->looked() && d->shoot().groups[0].iso == 500; }));
  auto* steps = d->findChild<QComboBox*>("wedge steps");
  steps->setCurrentIndex(steps->findText("1 stop")), ++actions;
  QTest::mouseClick(d->findChild<QPushButton*>("make"), Qt::LeftButton), ++actions;
  ASSERT_TRUE(waitFor([&] { return w_->document().isOpen(); }, 20000))
      << d->findChild<QLabel*>("failure")->text().toStdString();
  const double toProject = clock.elapsed() / 1000.0;
  ASSERT_EQ(w_->document().findings().size(), 1U);
  EXPECT_TRUE(w_->stage("Findings")->isVisible()) << "everything is marked: it is measured";
  ASSERT_TRUE(waitFor(
      [&] {
        const Finding& f = w_->document().findings()[0];
        return f.range && f.latitude;
      },
      120000));
  const Finding& f = w_->document().findings()[0];
  std::printf("%d actions, %.0f s to the project, %.0f s to the card\n", actions, toProject,
              clock.elapsed() / 1000.0);
  EXPECT_LE(actions, 10);
  EXPECT_LE(clock.elapsed(), 180000);
  // The same clips planned, linked and marked by hand in the demo: the same figures, though nobody placed a
  // patch here.
  const auto demo = Project::open(measuredProject());
  const auto byHand = collectFindings(*demo);
  const auto planned = std::find_if(byHand.begin(), byHand.end(), [](const Finding& g) {
    return g.configuration.mode == "log" && g.configuration.iso == 500 &&
           g.configuration.body == "Corvane 35";
  });
  ASSERT_NE(planned, byHand.end());
  ASSERT_TRUE(planned->range && planned->latitude && planned->range->headline && f.range->headline);
  EXPECT_NEAR(f.range->headline->stops, planned->range->headline->stops, 0.15);
  // What no eye can tell from the dark beside it is not marked; it would not be measured either.
  EXPECT_GE(f.configuration.wedge.patches.size() + 2, planned->configuration.wedge.patches.size());
}

TEST_F(BeginWindow, AWrongGuessIsCorrectedAndLeavingChangesNothing) {
  BeginDialog* d = drop();
  ASSERT_TRUE(d);
  giveCurve(d);
  auto* combo = role(d, "m1");
  combo->setCurrentIndex(static_cast<int>(ClipRole::Base));
  emit combo->activated(combo->currentIndex());
  settle();
  EXPECT_EQ(role(d, "base")->currentText(), "take");
  EXPECT_EQ(cell(d, "base", 4), "+1.00");
  EXPECT_EQ(cell(d, "m3", 4), QString::fromUtf8("\u22122.00"));
  auto* table = d->findChild<QTableWidget*>("found");
  table->item(rowOf(d, "p1"), 4)->setText("2.5");
  settle();
  EXPECT_EQ(cell(d, "p1", 4), "+2.50");
  table->item(rowOf(d, "p1"), 1)->setText("Corvane 35");
  settle();
  EXPECT_EQ(d->shoot().groups[0].body, "Corvane 35");
  // Sorted anew, what was said by hand stands.
  auto* iso = d->findChild<QLineEdit*>("iso");
  iso->setText("500");
  emit iso->editingFinished();
  ASSERT_TRUE(waitFor([&] { return d->looked() && d->shoot().groups[0].iso == 500; }));
  EXPECT_EQ(role(d, "m1")->currentText(), "base");
  EXPECT_EQ(cell(d, "p1", 4), "+2.50");
  EXPECT_EQ(d->shoot().groups[0].body, "Corvane 35");
  d->reject();
  settle();
  EXPECT_FALSE(w_->document().isOpen());
  EXPECT_FALSE(fs::exists(room_.path().toStdString() + "/night two.edgetest"));
}

TEST_F(BeginWindow, AnEmptyFolderAndAProjectThatStandsAreSaid) {
  const fs::path empty = fs::path(room_.path().toStdString()) / "empty";
  fs::create_directories(empty);
  w_->beginFrom({empty});
  auto* d = w_->findChild<BeginDialog*>();
  const auto said = [&](const char* words) {
    return waitFor(
        [&] {
          const auto* label = d->findChild<QLabel*>("failure");
          return label->isVisible() && label->text().contains(words);
        },
        5000);
  };
  EXPECT_TRUE(said("no clips"));
  d->reject();
  settle();
  writeFileAtomically(room_.path().toStdString() + "/night two.edgetest", "something");
  d = drop();
  QTest::mouseClick(d->findChild<QPushButton*>("make"), Qt::LeftButton);
  EXPECT_TRUE(said("night two.edgetest"));
  EXPECT_FALSE(w_->document().isOpen());
}

}  // namespace
}  // namespace edge::app
