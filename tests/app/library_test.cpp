// Findings over the years, bodies beside what a choice also weighs, and the exercise: driven as a person
// drives them.
#include <gtest/gtest.h>

#include <QClipboard>
#include <QTemporaryDir>
#include <QTest>
#include <fstream>

#include "findings/exercise_dialog.h"
#include "findings/findings_stage.h"
#include "project/project.h"
#include "window.h"

namespace edge::app {
namespace {

class LibraryWindow : public ::testing::Test {
 protected:
  void open(const fs::path& project) {
    w_ = std::make_unique<MainWindow>();
    w_->resize(1280, 800);
    w_->show();
    openIn(*w_, project);
    w_->showStage("Findings");
    stage_ = static_cast<FindingsStage*>(w_->stage("Findings"));
    settle();
  }
  LibraryPage& page() { return stage_->library(); }
  void read(const fs::path& folder) {
    page().setFolder(folder);
    ASSERT_TRUE(waitFor([&] { return !page().reading(); }));
    settle();
  }
  std::unique_ptr<MainWindow> w_;
  FindingsStage* stage_ = nullptr;
};

// The measured project, and the same tested before with other figures: its stored wedge is of the other body.
TEST_F(LibraryWindow, ATestIsFoundSetAgainstAnotherAndPlannedAgain) {
  qputenv("XDG_CACHE_HOME", "/nonexistent");  // no index: nothing is written anywhere
  QTemporaryDir temp;
  const fs::path folder = temp.path().toStdString();
  for (const char* name : {"then", "now"}) {
    fs::create_directories(folder / name / "curves");
    Project::read(measuredProject())->writeTo(folder / name / "test.edgetest");
    for (const auto& e : fs::directory_iterator(fs::path(EDGE_SMALL_DEMO) / "curves"))
      fs::copy_file(e.path(), folder / name / "curves" / e.path().filename());
  }
  const auto dated = [&](const char* name, const char* day) {
    Project::open(folder / name / "test.edgetest")
        ->appendLog({0, std::string(day) + "T10:00:00Z", "", "note", {}});
  };
  dated("then", "2025-01-02"), dated("now", "2026-11-27");
  open(folder / "now/test.edgetest");
  QTest::keyClick(stage_, Qt::Key_4);
  read(folder);
  const size_t all = page().model().rows().size();
  EXPECT_EQ(all, 2 * w_->document().findings().size());
  EXPECT_EQ(page().model().project(0)->date, "2026-11-27") << "newest first";
  auto* search = stage_->findChild<QLineEdit*>();
  ASSERT_TRUE(search);
  page().search("corvane log 500");
  ASSERT_EQ(page().model().rows().size(), 2U);
  page().choose(0);
  ASSERT_TRUE(page().retested());
  EXPECT_EQ(page().retested()->change, Change::Unchanged) << page().retested()->sentence;
  auto* figures = stage_->findChild<QTableWidget*>("retest");
  EXPECT_EQ(figures->rowCount(), 6);
  EXPECT_TRUE(figures->item(0, 3)->text().startsWith("+0.00") ||
              figures->item(0, 3)->text().startsWith("−0.00"))
      << qPrintable(figures->item(0, 3)->text());
  page().search("no such body");
  EXPECT_EQ(page().model().rows().size(), 0U);
  EXPECT_FALSE(page().retested());
  page().search("");
  page().choose(0);
  page().keepProtocolAs("rope works, two days");
  EXPECT_TRUE(fs::exists(folder / "protocols/rope works, two days.json"));
  page().repeatTo(folder / "again.edgetest");
  settle();
  EXPECT_EQ(w_->document().project().file(), folder / "again.edgetest");
  EXPECT_TRUE(w_->document().findings().empty()) << "to be shot";
  EXPECT_FALSE(w_->document().recipe()["tests"].empty()) << "with the plan of the old one";
  page().repeatTo(folder / "again.edgetest");
  settle();
  EXPECT_TRUE(problemText(*w_).contains("of this name already"));
  page().takeInFrom(folder / "then/test.edgetest");
  EXPECT_TRUE(fs::exists(folder / "test/test.edgetest"));
  ASSERT_TRUE(waitFor([&] { return !page().reading(); }));
  settle();
  EXPECT_GT(page().model().rows().size(), all);
  qunsetenv("XDG_CACHE_HOME");
}

TEST_F(LibraryWindow, TheLongestNamesWidenNothing) {
  QTemporaryDir temp;
  qputenv("XDG_CACHE_HOME", "/nonexistent");
  const fs::path deep = fs::path(temp.path().toStdString()) / std::string(200, 'f');
  fs::create_directories(deep);
  for (const char* name : {"a", "b"}) {
    const auto p =
        Project::create(deep / (std::string(200, *name) + ".edgetest"), std::string(300, *name), name);
    Configuration c;
    c.body = std::string(300, 'B'), c.light = std::string(100, 'L'), c.iso = 800;
    c.mode = std::string(100, 'M');
    p->addConfiguration(c);
  }
  open(deep / (std::string(200, 'a') + ".edgetest"));
  w_->resize(1210, 670);
  for (const auto page :
       {FindingsStage::Library, FindingsStage::Bodies, FindingsStage::Scene, FindingsStage::Board}) {
    stage_->showPage(page);
    ASSERT_TRUE(waitFor([&] { return !this->page().reading(); }));
    settle();
    EXPECT_LE(w_->width(), 1210) << page;
    // What path and foot leave of 670 pixels.
    EXPECT_LE(stage_->minimumSizeHint().height(), 670 - 89) << page;
  }
  stage_->showPage(FindingsStage::Library);
  ASSERT_TRUE(waitFor([&] { return !this->page().reading(); }));
  EXPECT_EQ(this->page().model().rowCount(), 2);
  EXPECT_LE(w_->minimumSizeHint().width(), 1210);
  qunsetenv("XDG_CACHE_HOME");
}

TEST_F(LibraryWindow, AnEmptyFolderAndADamagedProjectSaySo) {
  QTemporaryDir temp;
  qputenv("XDG_CACHE_HOME", "/nonexistent");
  open(measuredProject());
  stage_->showPage(FindingsStage::Library);
  read(temp.path().toStdString());
  auto text = [&] {
    QString all;
    for (auto* b : page().findChildren<QTextBrowser*>()) all += b->toPlainText();
    return all;
  };
  EXPECT_TRUE(text().contains("No project lies in this folder")) << qPrintable(text());
  std::ofstream(temp.filePath("bad.edgetest").toStdString()) << "SQLite format 3, it says";
  page().read(true);
  ASSERT_TRUE(waitFor([&] { return !page().reading(); }));
  settle();
  EXPECT_TRUE(text().contains("bad.edgetest")) << qPrintable(text());
  for (auto* b : page().findChildren<QPushButton*>())
    if (b->text() == "Open this project" || b->text() == "Plan it again") {
      EXPECT_FALSE(b->isEnabled());
    }
  page().setFolder("/no/such/folder");
  ASSERT_TRUE(waitFor([&] { return !page().reading(); }));
  settle();
  EXPECT_TRUE(problemText(*w_).contains("no such folder"));
  qunsetenv("XDG_CACHE_HOME");
}

TEST_F(LibraryWindow, WhatAChoiceAlsoWeighsIsTypedSortedUndoneAndDecidesNothing) {
  open(freshCopyOfMeasured("app-context"));
  const auto answers = [&] {
    std::string all;
    for (const auto& r : decisionTable(reachesOf(w_->document().findings()), {}))
      all += r.configuration + r.rating;
    return all;
  };
  const std::string before = answers();
  QTest::keyClick(stage_, Qt::Key_5);
  QTableWidget& table = stage_->bodies().table();
  const auto rowOf = [&](const char* body, const char* mode) {
    for (int i = 0; i < table.rowCount(); ++i)
      if (table.item(i, 0)->text() == body && table.item(i, 1)->text() == mode) return i;
    return -1;
  };
  table.item(rowOf("Corvane 35", "log"), 3)->setText("24000");
  table.item(rowOf("Pellam S6", "log"), 3)->setText("9500,5");  // a comma is a point
  table.item(rowOf("Corvane 35", "log"), 7)->setText("180");
  settle();
  EXPECT_EQ(table.item(rowOf("Corvane 35", "raw"), 3)->text(), "24000") << "the price is the body's";
  EXPECT_EQ(table.item(rowOf("Corvane 35", "raw"), 7)->text(), "") << "the data rate is the mode's";
  stage_->bodies().sortBy(3, Qt::AscendingOrder);
  EXPECT_EQ(table.item(0, 0)->text(), "Pellam S6");
  EXPECT_EQ(table.item(table.rowCount() - 1, 3)->text(), "") << "what nobody typed stands last";
  table.item(0, 3)->setText("cheap");
  settle();
  EXPECT_TRUE(problemText(*w_).contains("no number"));
  EXPECT_EQ(table.item(0, 3)->text(), "9500.5") << "what stood before is back";
  table.item(0, 3)->setText("-4");
  settle();
  EXPECT_TRUE(problemText(*w_).contains("from 0"));
  EXPECT_EQ(answers(), before);
  w_->document().undoStack().undo();
  EXPECT_EQ(table.item(rowOf("Corvane 35", "log"), 7)->text(), "");
}

TEST_F(LibraryWindow, AGuessIsSeenAndScored) {
  open(measuredProject());
  stage_->showPage(FindingsStage::Scene);
  QTest::keyClick(stage_, Qt::Key_G);
  settle();
  auto* dialog = w_->findChild<ExerciseDialog*>();
  ASSERT_TRUE(dialog);
  const Exercise first = dialog->exercise();
  QPushButton* see = nullptr;
  for (auto* b : dialog->findChildren<QPushButton*>())
    if (b->text() == "See") see = b;
  ASSERT_TRUE(see);
  EXPECT_FALSE(see->isEnabled()) << "all are guessed first";
  for (size_t i = 0; i < first.truth.size(); ++i)  // all right but the first
    dialog->guess(static_cast<int>(i), i == 0 && first.truth[0].state == Held::Holds ? Held::Clips
                                       : i == 0                                      ? Held::Holds
                                                                                     : *first.truth[i].state);
  QTest::mouseClick(see, Qt::LeftButton);
  EXPECT_TRUE(dialog->words().contains("3 of 4 right")) << qPrintable(dialog->words());
  dialog->see();  // twice does not count twice
  dialog->another();
  for (size_t i = 0; i < dialog->exercise().truth.size(); ++i)
    dialog->guess(static_cast<int>(i), *dialog->exercise().truth[i].state);
  dialog->see();
  EXPECT_TRUE(dialog->words().contains("In all: 7 of 8")) << qPrintable(dialog->words());
  dialog->accept();
  settle();
}

}  // namespace
}  // namespace edge::app
