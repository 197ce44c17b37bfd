// Stage Findings driven as a person drives it: a scene typed, pasted, kept and read again; cards in every
// paper.
#include "findings/findings_stage.h"

#include <gtest/gtest.h>

#include <QClipboard>
#include <QTest>
#include <algorithm>
#include <nlohmann/json.hpp>

#include "base/files.h"
#include "findings/frame_spots.h"
#include "window.h"

namespace edge::app {
namespace {

class FindingsWindow : public ::testing::Test {
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
  void key(int k, Qt::KeyboardModifiers m = Qt::NoModifier) {
    QTest::keyClick(stage_, static_cast<Qt::Key>(k), m);
    settle();
  }
  ScenePage& scene() { return stage_->scene(); }
  QPushButton* button(const QString& words) {
    for (auto* b : stage_->findChildren<QPushButton*>())
      if (b->text() == words) return b;
    return nullptr;
  }
  std::unique_ptr<MainWindow> w_;
  FindingsStage* stage_ = nullptr;
};

TEST_F(FindingsWindow, AScenePastedIsAnsweredKeptUndoneAndThereAgain) {
  const fs::path project = freshCopyOfMeasured("app-scene");
  open(project);
  key(Qt::Key_2);
  EXPECT_FALSE(scene().result());
  QTest::keyClicks(stage_->findChild<QLineEdit*>("exposure"), "T2.8 1/48 ISO800");
  QApplication::clipboard()->setText("window +4.5\nwall 240 lux\ncorner 0.5 cd/m2\n");
  QTest::mouseClick(button("Paste lines"), Qt::LeftButton);
  settle();
  ASSERT_TRUE(scene().result());
  const SceneResult& r = *scene().result();
  ASSERT_TRUE(r.recommended);
  ASSERT_EQ(r.configurations.size(), w_->document().findings().size());
  // By hand: 240 of 120 lux is one over; 0.5 of 6 cd/m2 is log2(1/12).
  auto* table = stage_->findChild<QTableWidget*>("sceneReadings");
  EXPECT_EQ(table->item(1, 2)->text(), "+1.0");
  EXPECT_EQ(table->item(2, 2)->text(), "−3.6");
  // Every state is what the edges of that row say.
  for (const auto& c : r.configurations)
    for (size_t i = 0; i < c.readings.size(); ++i)
      if (c.readings[i].state == Held::Holds) {
        const double at = std::vector<double>{4.5, 1, std::log2(0.5 / 6)}[i] + c.offset;
        EXPECT_LE(at, c.reach.cleanOver->stops);
        EXPECT_GE(at, c.reach.cleanUnder->stops);
      }
  EXPECT_TRUE(
      scene().words().startsWith(QString::fromStdString(r.configurations[*r.recommended].reach.label)));
  // A third more light by a key, and back.
  const double best = r.configurations[*r.recommended].offset;
  key(Qt::Key_Minus);
  EXPECT_NEAR(scene().result()->configurations[*r.recommended].offset, best - 1.0 / 3, 1e-6);
  key(Qt::Key_B);
  EXPECT_NEAR(scene().result()->configurations[*r.recommended].offset, best, 1e-6);
  stage_->findChild<QLineEdit*>("sceneName")->setText("rope walk, noon");
  QTest::mouseClick(button("Keep scene"), Qt::LeftButton);
  ASSERT_EQ(w_->document().scenes().size(), 1U);
  w_->document().undoStack().undo();
  EXPECT_TRUE(w_->document().scenes().empty());
  w_->document().undoStack().redo();
  w_.reset();
  open(project);
  const auto kept = w_->document().scenes();
  ASSERT_EQ(kept.size(), 1U);
  EXPECT_EQ(kept[0].name, "rope walk, noon");
  EXPECT_EQ(kept[0].readings[1].words, "240 lux");
  EXPECT_NEAR(kept[0].readings[1].stops, 1, 1e-6);
  EXPECT_EQ(kept[0].exposureWords, "T2.8 1/48 ISO800");
}

TEST_F(FindingsWindow, WhatCantBeReadIsSaidWhereItStands) {
  open(measuredProject());
  stage_->showPage(FindingsStage::Scene);
  auto* table = stage_->findChild<QTableWidget*>("sceneReadings");
  table->item(0, 0)->setText("wall");
  table->item(0, 1)->setText("320 lux");  // no exposure yet
  settle();
  EXPECT_EQ(table->item(0, 2)->text(), "?");
  EXPECT_FALSE(scene().result());
  EXPECT_EQ(table->rowCount(), 2) << "there is always a row to type into";
  table->item(0, 1)->setText("+2");
  settle();
  EXPECT_EQ(table->item(0, 2)->text(), "+2.0");
  EXPECT_TRUE(scene().result());
  QApplication::clipboard()->setText("nothing here");
  QTest::mouseClick(button("Paste lines"), Qt::LeftButton);
  settle();
  EXPECT_TRUE(problemText(*w_).contains("can't be read")) << qPrintable(problemText(*w_));
  // A scene that no change of light within reach can hold says so, and what would.
  scene().form().setReadings("sun 12\nwindow +7\ncorner -8");
  EXPECT_TRUE(scene().words().contains("clips"));
  EXPECT_FALSE(scene().changes().isEmpty());
}

TEST_F(FindingsWindow, TheBoardIsSortedFilteredAndCountedFromElsewhere) {
  open(measuredProject());
  BoardPage& board = stage_->board();
  auto* ruler = stage_->findChild<RulerWidget*>("edgeBoard");
  const auto& findings = w_->document().findings();
  board.sortBy(BoardSort::Latitude);
  double before = 1e9;
  for (const int i : board.rows()) {
    const auto& f = findings[static_cast<size_t>(i)];
    const double now = f.latitude && f.latitude->edges.latitude ? f.latitude->edges.latitude->stops : -1;
    EXPECT_LE(now, before);
    before = now;
  }
  // A click on a row chooses what stands there now.
  QTest::mouseClick(ruler, Qt::LeftButton, {}, QPoint(60, 34 + 20));
  EXPECT_EQ(w_->document().currentIndex(), board.rows()[0]);
  board.setFilter("pellam raw");
  ASSERT_EQ(board.rows().size(), 1U);
  board.setFilter("nothing like it");
  EXPECT_TRUE(board.rows().empty());
  EXPECT_EQ(ruler->data().rows.size(), 1U) << "it says that no row fits";
  board.setFilter("");
  const double at = ruler->data().rows[0].edges[0].at;
  ruler->setFocus();
  QTest::keyClick(ruler, Qt::Key_Right, Qt::ShiftModifier);
  settle();
  EXPECT_GT(ruler->data().zero, 0) << "the numbers slide";
  EXPECT_EQ(ruler->data().rows[0].edges[0].at, at) << "the data does not";
}

TEST_F(FindingsWindow, ASituationIsOverruledWithAReasonAndTakenBack) {
  open(freshCopyOfMeasured("app-situations"));
  key(Qt::Key_3);
  SituationsPage& page = stage_->situations();
  ASSERT_EQ(page.rows().size(), 7U);
  page.choose(3);
  const std::string answer = page.rows()[3].configuration + page.rows()[3].rating;
  page.overrule(1, "EI 1250", "");
  settle();
  EXPECT_TRUE(problemText(*w_).contains("with a reason"));
  page.overrule(1, "1250", "only this body is on the truck");
  ASSERT_TRUE(page.rows()[3].overruled);
  EXPECT_EQ(page.rows()[3].rating, "EI 1250");
  EXPECT_TRUE(page.explanation().contains("only this body is on the truck"));
  w_->document().undoStack().undo();
  EXPECT_FALSE(page.rows()[3].overruled);
  w_->document().undoStack().redo();
  page.takeBack();
  EXPECT_EQ(page.rows()[3].configuration + page.rows()[3].rating, answer);
  key(Qt::Key_S);
  EXPECT_TRUE(scene().isVisible());
  EXPECT_TRUE(scene().result());
}

// The base of the demo was metered on grey: its own card reads grey there, a stop less where it was exposed
// one over.
TEST_F(FindingsWindow, AFrameIsReadByClicking) {
  open(measuredProject());
  const Finding& f = w_->document().findings().front();
  FrameSpots spots(w_->document(), theme(ThemeKind::Dark), nullptr);
  spots.show();
  std::vector<double> found;
  QObject::connect(&spots, &FrameSpots::found, [&](double stops) { found.push_back(stops); });
  spots.read(0.5, 0.5);
  EXPECT_TRUE(found.empty()) << "no frame yet";
  spots.load(w_->document().project().folder() / f.configuration.clipOfKind(ClipKind::Base)->path);
  ASSERT_TRUE(waitFor([&] { return spots.loaded(); }, 20000));
  const Patch* grey = nullptr;
  for (const auto& p : f.configuration.bench.patches)
    if (p.name == f.latitudeMeasure->faceGrey) grey = &p;
  ASSERT_TRUE(grey);
  Point middle{};
  for (const auto& c : grey->corners) middle.x += c.x / 4, middle.y += c.y / 4;
  const double x = middle.x / f.configuration.bench.referenceWidth,
               y = middle.y / f.configuration.bench.referenceHeight;
  spots.read(x, y);
  ASSERT_EQ(found.size(), 1U) << spots.words().toStdString();
  for (const auto& c : f.latitudeMeasure->base.colours)
    if (c.name == grey->name) {
      const double luma = 0.2126 * c.light[0] + 0.7152 * c.light[1] + 0.0722 * c.light[2];  // ITU-R BT.709
      EXPECT_NEAR(found[0], std::log2(luma / 0.18), 0.1) << "a spot against the patch's mean";
    }
  spots.setExposed(1);
  spots.read(x, y);
  ASSERT_EQ(found.size(), 2U);
  EXPECT_NEAR(found[1], found[0] - 1, 1e-6);
  scene().form().addTone(found[0]);
  EXPECT_TRUE(scene().result());
}

TEST_F(FindingsWindow, AnEmptyProjectIsInvited) {
  const fs::path file = fs::path(EDGE_SMALL_DEMO) / "app-findings-empty.edgetest";
  for (const char* suffix : {"", "-wal", "-shm"}) fs::remove(file.string() + suffix);
  (void)Project::create(file, "empty");
  open(file);
  for (const auto page : {FindingsStage::Board, FindingsStage::Scene}) {
    stage_->showPage(page);
    settle();
    EXPECT_FALSE(scene().result());
  }
}

// Pages are counted and read by poppler.
TEST_F(FindingsWindow, CardsArePrintedInEveryPaper) {
  open(measuredProject());
  const fs::path folder = fs::path(EDGE_SMALL_DEMO) / "cards";
  fs::remove_all(folder);
  fs::create_directories(folder);
  const struct {
    CardPaper paper;
    const char* size;
    size_t least;
  } cases[] = {{CardPaper::A5, "595", 7},
               {CardPaper::A6, "420", 7},
               {CardPaper::Body, "595", 3},
               {CardPaper::Sheet, "842", 2}};
  for (const auto& c : cases) {
    const fs::path pdf = folder / ("cards-" + std::to_string(static_cast<int>(c.paper)) + ".pdf");
    stage_->board().setPaper(c.paper);
    stage_->board().exportTo(BoardPage::Export::AllCardsPdf, pdf);
    ASSERT_TRUE(waitFor([&] { return !stage_->board().writing(); }));
    const fs::path info = folder / "info.txt", text = folder / "text.txt";
    if (std::system(("pdfinfo " + pdf.string() + " > " + info.string() + " && pdftotext -layout " +
                     pdf.string() + " " + text.string())
                        .c_str()) != 0)
      GTEST_SKIP() << "poppler is not here";
    const std::string said = readText(info), words = readText(text);
    EXPECT_NE(said.find(std::string("Page size:       ") + c.size), std::string::npos) << said;
    const size_t at = said.find("Pages:");
    EXPECT_GE(std::stoul(said.substr(at + 6)), c.least);
    for (const auto& f : w_->document().findings()) {
      const ExposureCard card = cardOf(f);
      EXPECT_NE(words.find(f.configuration.body), std::string::npos);
      for (const auto& line : card.large)
        if (line.value != "–") {
          EXPECT_NE(words.find(line.value), std::string::npos) << line.label << " " << line.value;
        }
      if (c.paper == CardPaper::Body) continue;
      // Nothing is dropped: the last line of every list is there.
      for (const auto* list : {&card.advice, &card.notEstablished})
        if (!list->empty()) {
          const std::string last = list->back().substr(0, 12);
          EXPECT_NE(words.find(last), std::string::npos) << last;
        }
      for (const auto& line : card.lines) EXPECT_NE(words.find(line.value), std::string::npos) << line.value;
    }
  }
  fs::remove_all(folder);
}

// A verdict, a claim, other criteria and what is undone of them are taken in without reading any result
// again: the findings are those that a fresh reading gives, in every figure.
TEST(DocumentDecisions, AreTakenInAsAFreshReadingWould) {
  Document d;
  d.open(freshCopyOfMeasured("app-decided"));
  const auto same = [&](const char* when) {
    Document fresh;
    fresh.open(d.project().file());
    EXPECT_EQ(findingsJson(d.findings()), findingsJson(fresh.findings())) << when;
    EXPECT_EQ(boardCsv(d.findings()), boardCsv(fresh.findings())) << when;
    for (size_t i = 0; i < d.findings().size(); ++i) {
      EXPECT_EQ(d.findings()[i].fromNoise.size(), fresh.findings()[i].fromNoise.size()) << when;
      EXPECT_EQ(d.findings()[i].toolEdges.has_value(), fresh.findings()[i].toolEdges.has_value()) << when;
    }
  };
  same("opened");
  const std::string before = boardCsv(d.findings());
  const Finding& f = *d.current();
  const auto clean = std::find_if(f.latitude->judged.begin(), f.latitude->judged.end(),
                                  [](const TakeVerdict& v) { return v.verdict == Verdict::Clean; });
  ASSERT_NE(clean, f.latitude->judged.end());
  const std::string take =
      f.latitudeMeasure->takes[static_cast<size_t>(clean - f.latitude->judged.begin())].name;
  d.overrideVerdict(take, Verdict::Lost, "the window is gone");
  EXPECT_NE(boardCsv(d.findings()), before);
  same("a verdict");
  d.setClaim(14.5);
  d.setOwnCount(11);
  same("a claim and a count");
  d.setCriteria(standardProfiles()[2], "others");
  same("other criteria");
  d.setHeadlineSnr(4);
  same("another headline");
  // Of two configurations, the first measured; what was read of the others is not read again.
  std::vector<Configuration> moved;
  for (const auto& c : d.findings()) moved.push_back(c.configuration);
  moved.resize(2);
  for (auto& c : moved) c.decode.curve = "acescc", c.bench.patches.clear();
  d.setSetups(moved, "another setup");
  EXPECT_FALSE(d.findings().front().latitude);
  same("another setup");
  // Other clips for the second, and a body that comes with them; the rest is kept as it was.
  auto links = d.project().configurations();
  links[1].clips.pop_back();
  Configuration more;
  more.body = "Pellam S6", more.mode = "log", more.iso = 3200;
  links.push_back(more);
  int told = 0;
  QObject::connect(&d, &Document::linksChanged, &d, [&] { ++told; });
  const auto all = d.project().configurations().size();
  d.setLinks(links, {});
  EXPECT_EQ(d.findings().size(), all + 1);
  same("other links");
  d.setLinks(d.project().configurations(), {});
  same("the same links kept again");
  EXPECT_EQ(told, 2);
  d.undoStack().undo(), same("undone");
  d.undoStack().undo(), same("undone");
  // The body stays, without a clip.
  ASSERT_EQ(d.findings().size(), all + 1);
  EXPECT_TRUE(d.findings().back().configuration.clips.empty());
  for (int i = 0; i < 6; ++i) d.undoStack().undo(), same("undone");
  const std::string after = boardCsv(d.findings());
  EXPECT_EQ(after.substr(0, before.size()), before);
}

}  // namespace
}  // namespace edge::app
