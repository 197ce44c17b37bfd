// The Shoot and Match stages as they are used: a shoot by keyboard with the simulated set and its mistakes, a
// process killed in the middle, links corrected by hand. What is computed is tested in tests/shoot.
#include <gtest/gtest.h>

#include <sys/wait.h>
#include <unistd.h>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QSignalSpy>
#include <QTest>
#include <QTextBrowser>
#include <QTreeWidget>
#include <cmath>
#include <csignal>

#include "base/files.h"
#include "base/numbers.h"
#include "match/match_stage.h"
#include "plan/plan_stage.h"
#include "plan/usual.h"
#include "shoot/shoot_stage.h"
#include "simulate/scenario.h"
#include "window.h"

namespace edge::app {
namespace {

using nlohmann::json;

fs::path dayFolder() {
  return fs::path(EDGE_SMALL_DEMO) / "shoot-view";
}
// In the day's folder: what a project reads outside its own is asked about.
fs::path dayCurve() {
  return dayFolder() / "ropelog.json";
}

// A short day on the demo's set: one body, log, one native ISO, a bracket of -2 .. +2.
json shortRecipe() {
  json r = json::parse(demoRecipeText());
  r["bodies"] = nlohmann::json::array({r["bodies"][0]});
  r["bodies"][0]["modes"].erase(1);
  r["tests"] = {{{"kind", "bracket"},
                 {"over", 2},
                 {"under", 2},
                 {"step", 1},
                 {"isos", {500}},
                 {"controls", {"nd", "light"}}}};
  r["bodies"][0]["modes"][0]["width"] = 640, r["bodies"][0]["modes"][0]["height"] = 360;
  r["bodies"][0]["modes"][0]["curve"] = dayCurve().string();
  return r;
}

class ShootView : public ::testing::Test {
 protected:
  void SetUp() override {
    fs::remove_all(folder_);
    fs::create_directories(folder_);
    fs::copy_file(fs::path(EDGE_SMALL_DEMO) / "curves/ropelog.json", dayCurve());
    open();
  }
  void TearDown() override {
    window_.reset();
    fs::remove_all(folder_);
  }
  void open() {
    window_ = std::make_unique<MainWindow>();
    window_->resize(1280, 800);
    window_->show();
    const fs::path file = folder_ / "day.edgetest";
    if (!fs::exists(file)) {
      {
        const auto p = Project::create(file, "Saltpan Road", "5A17A1");
        p->setDecision({0, "", kRecipeKey, shortRecipe(), ""});
        // Where the chart stands in the picture is known from the demo.
        const auto demo = Project::open(freshProject("app-shoot-charts"));
        Configuration c = demo->configurations().front();
        c.clips.clear();
        c.decode.curve = shortRecipe()["bodies"][0]["modes"][0]["curve"];
        p->addConfiguration(c);
      }
    }
    openIn(*window_, file);
    window_->showStage("Shoot");
    window_->activateWindow();
    ASSERT_TRUE(waitFor([&] { return stage().shooter().take() != nullptr; }, 10000));
    settle();
    stage().setFocus();
  }
  ShootStage& stage() { return *qobject_cast<ShootStage*>(window_->stage("Shoot")); }
  MatchStage& matching() { return *qobject_cast<MatchStage*>(window_->stage("Match")); }
  Shooter& shooter() { return stage().shooter(); }
  const Plan& plan() { return shooter().planned()->plan; }
  void key(int k, Qt::KeyboardModifiers m = Qt::NoModifier) {
    QWidget* at = QApplication::focusWidget();
    QTest::keyClick(at ? at : static_cast<QWidget*>(&stage()), static_cast<Qt::Key>(k), m);
    settle(5);
  }
  void enter(const QString& text) {
    QTest::keyClicks(QApplication::focusWidget(), text);
    key(Qt::Key_Return);
  }
  std::string side() { return stage().findChild<QTextBrowser*>()->toPlainText().toStdString(); }
  // Set, read, roll, log: what a person does at every take.
  void shootOne() {
    key(Qt::Key_A);
    key(Qt::Key_E);
    key(Qt::Key_O);
    ASSERT_TRUE(waitFor([&] { return !stage().standIns().rolling(); }, 20000));
    key(Qt::Key_Space);
  }

  const fs::path folder_ = dayFolder();
  std::unique_ptr<MainWindow> window_;
};

// A guided check measures nothing: what was seen is typed, holds or fails, and a file that is not there
// refused.
TEST_F(ShootView, WhatWasSeenAtAGuidedCheckIsKept) {
  auto recipe = shortRecipe();
  recipe["tests"].push_back({{"kind", "check"}, {"what", "focus to the corners"}});
  window_->document().setRecipe(recipe, "a guided check");
  const auto check = [&]() -> const Take* {
    for (const auto& t : plan().takes)
      if (t.role == TakeRole::Check) return &t;
    return nullptr;
  };
  ASSERT_TRUE(waitFor([&] { return shooter().planned() && check(); }, 10000));
  const std::string slate = check()->slate;
  shooter().goTo(static_cast<size_t>(check() - plan().takes.data()));
  stage().setFocus();
  key(Qt::Key_C);
  enter("sharp to the corners | /no/such/corner.jpg");
  EXPECT_FALSE(shooter().log().of(slate).evidence) << "refused, and what was typed stays";
  key(Qt::Key_Escape);
  stage().setFocus();
  key(Qt::Key_C);
  enter("sharp to the corners");
  ASSERT_TRUE(shooter().log().of(slate).evidence);
  EXPECT_TRUE(shooter().log().of(slate).evidence->holds);
  EXPECT_NE(side().find("it holds, sharp to the corners"), std::string::npos) << side();
}

// Its hands are in another thread while it rolls.
TEST_F(ShootView, NoMistakeIsSetWhileTheSimulatedSetRolls) {
  auto& set = stage().standIns();
  key(Qt::Key_A);
  key(Qt::Key_O);
  ASSERT_TRUE(set.rolling());
  set.inject(Mistake::WrongIris);
  const auto said = [&](const char* words) {
    const auto labels = set.findChildren<QLabel*>();
    return std::any_of(labels.begin(), labels.end(),
                       [&](const QLabel* l) { return l->text().contains(words); });
  };
  EXPECT_TRUE(said("it rolls"));
  ASSERT_TRUE(waitFor([&] { return !set.rolling(); }));
  key(Qt::Key_A);
  EXPECT_TRUE(said(("T" + formatNumber(shooter().take()->settings.aperture.value(), 1)).c_str()))
      << "the iris is the planned one";
  set.inject(Mistake::WrongIris);
  key(Qt::Key_A);
  EXPECT_FALSE(said(("T" + formatNumber(shooter().take()->settings.aperture.value(), 1)).c_str()));
}

TEST_F(ShootView, AWholeShootByKeyboardWithThreeMistakesFound) {
  ASSERT_TRUE(stage().standIns().available());
  const size_t takes = plan().takes.size();
  std::string iris, nd, drift;
  for (size_t i = 0; i < takes; ++i) {
    ASSERT_TRUE(shooter().take());
    const Take& t = *shooter().take();
    if (t.name == "p1") stage().standIns().inject(Mistake::WrongIris), iris = t.slate;
    if (t.name == "m1") stage().standIns().inject(Mistake::LightDrift), drift = t.slate;
    // ND is forgotten where the plan changes it.
    if (nd.empty() && t.role == TakeRole::Step && i > 0 && t.settings.nd != plan().takes[i - 1].settings.nd)
      stage().standIns().inject(Mistake::ForgottenNd), nd = t.slate;
    shootOne();
  }
  EXPECT_TRUE(shooter().allDone());
  EXPECT_EQ(stage().state(), "all shot");
  for (const auto& t : plan().takes) EXPECT_FALSE(shooter().log().of(t.slate).readings.empty()) << t.slate;
  // The clips appear in the watched folder, are read, linked by their slates and checked.
  ASSERT_TRUE(
      waitFor([&] { return matching().work().facts().size() == takes && !matching().work().busy(); }, 60000));
  // The gate holds what is not checked yet: the last clip may come in while the others are checked.
  ASSERT_TRUE(waitFor(
      [&] {
        return !matching().work().busy() &&
               std::all_of(plan().takes.begin(), plan().takes.end(),
                           [&](const Take& t) { return matching().work().checksOf(t.slate) != nullptr; });
      },
      60000));
  settle(300);
  for (const auto& l : matching().work().match().links) EXPECT_EQ(l.by, LinkBy::Slate) << l.words;
  EXPECT_TRUE(matching().work().match().missing.empty());
  key(Qt::Key_G);
  const Gate g = shooter().gate("");
  EXPECT_FALSE(g.safe);
  std::map<std::string, std::string> said;
  for (const auto& item : g.items) said[item.slate] += item.words + "; ";
  EXPECT_NE(said[iris].find("measured"), std::string::npos) << said[iris];
  EXPECT_NE(said[drift].find("light changes"), std::string::npos) << said[drift];
  ASSERT_FALSE(nd.empty());
  EXPECT_NE(said[nd].find("measured"), std::string::npos) << said[nd];
  for (const auto& [slate, words] : said) {
    EXPECT_TRUE(slate == iris || slate == nd || slate == drift) << slate << ": " << words;
    std::printf("%s: %s\n", slate.c_str(), words.c_str());
  }
  // Each is shot again, rightly; then the gate opens.
  for (const std::string& slate : {iris, nd, drift}) {
    for (size_t i = 0; i < takes; ++i)
      if (plan().takes[i].slate == slate) shooter().goTo(i);
    key(Qt::Key_P);
    key(Qt::Key_R);
    enter("found at the gate");
    EXPECT_EQ(shooter().prompt()->attempt, 2);
    shootOne();
  }
  ASSERT_TRUE(waitFor([&] { return shooter().gate("").safe; }, 60000))
      << shooter().gate("").words << " " << shooter().gate("").items[0].words;
  EXPECT_EQ(shooter().gate("").words, "Safe to move on");
}

TEST_F(ShootView, LogIsWrittenByKeysAndUndone) {
  const std::string first = shooter().take()->slate;
  EXPECT_TRUE(stage().findChild<Prompter*>()->text().contains(QString::fromStdString(first)));
  key(Qt::Key_M);
  ASSERT_TRUE(qobject_cast<QLineEdit*>(QApplication::focusWidget()));
  enter("nonsense");
  EXPECT_TRUE(shooter().log().of(first).readings.empty());
  EXPECT_TRUE(qobject_cast<QLineEdit*>(QApplication::focusWidget())) << "the entry stays open to be mended";
  qobject_cast<QLineEdit*>(QApplication::focusWidget())->clear();
  enter("+0.5");
  key(Qt::Key_Escape);
  ASSERT_EQ(shooter().log().of(first).readings.size(), 1U);
  EXPECT_NE(side().find("key is 0.5 stop over"), std::string::npos) << side();
  EXPECT_NE(side().find("If the light can't be set better"), std::string::npos);
  key(Qt::Key_V);
  enter("38.5 %");
  EXPECT_EQ(shooter().log().of(first).levels.size(), 1U);
  key(Qt::Key_N);
  enter("fan noise");
  key(Qt::Key_X);
  enter("T4.5");
  EXPECT_EQ(shooter().log().of(first).state, TakeState::Done);
  EXPECT_EQ(shooter().log().of(first).settings, "T4.5");
  EXPECT_NE(shooter().take()->slate, first) << "on to the next";
  const std::string second = shooter().take()->slate;
  key(Qt::Key_S);
  enter("no time");
  EXPECT_EQ(shooter().log().of(second).reason, "no time");
  key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(shooter().log().of(second).state, TakeState::Open);
  key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  EXPECT_EQ(shooter().log().of(second).state, TakeState::Skipped);
  // Nothing was deleted: every entry stands in the file, the takings-back as well.
  const auto log = Project::open(folder_ / "day.edgetest")->log();
  EXPECT_EQ(log.size(), 7U);
  key(Qt::Key_L);
  stage().writeLog(folder_ / "log.csv");
  EXPECT_NE(readText(folder_ / "log.csv").find("fan noise"), std::string::npos);
}

TEST_F(ShootView, OtherSettingsWaysOutReasonsAndWhoWrites) {
  const Take first = *shooter().take();
  key(Qt::Key_W);
  enter("Ada");
  key(Qt::Key_I);
  enter("B +0.2");
  EXPECT_EQ(shooter().meter(), "B");
  EXPECT_EQ(shooter().log().offsetOf("B"), 0.2);
  // Two thirds too much light that can't be set better: a way out is taken.
  key(Qt::Key_M);
  enter("+0.66");
  key(Qt::Key_Escape);
  EXPECT_EQ(shooter().log().of(first.slate).readings[0].instrument, "B");
  const auto ways = shooter().waysOutHere();
  ASSERT_FALSE(ways.empty());
  key(Qt::Key_Y);
  enter("");
  EXPECT_EQ(shooter().log().of(first.slate).adopted, ways[0].settings);
  EXPECT_NE(side().find("made up for by"), std::string::npos) << side();
  EXPECT_TRUE(stage().findChild<Prompter*>()->text().contains("made up for by"));
  key(Qt::Key_Space);
  EXPECT_EQ(shooter().log().of(first.slate).settings, ways[0].settings);
  EXPECT_EQ(shooter().log().of(first.slate).doneBy, "Ada");
  // What can't be read as settings is not logged.
  const std::string second = shooter().take()->slate;
  key(Qt::Key_X);
  enter("a bit brighter");
  EXPECT_EQ(shooter().log().of(second).state, TakeState::Open);
  qobject_cast<QLineEdit*>(QApplication::focusWidget())->clear();
  const double wider = shooter().take()->settings.aperture.value() / std::sqrt(2.0);
  enter(QString("T%1 instead").arg(wider, 0, 'f', 2));
  EXPECT_EQ(shooter().log().of(second).state, TakeState::Done);
  EXPECT_TRUE(stage().findChild<Prompter*>()->text().contains("\nT T")) << "the next prompt counts from it";
  // It was a stop off, and may stay: said at the gate on its line.
  key(Qt::Key_G);
  auto* list = stage().findChild<QTreeWidget*>();
  QTreeWidgetItem* line = nullptr;
  for (QTreeWidgetItemIterator i(list); *i; ++i)
    if ((*i)->data(0, Qt::UserRole).toString().toStdString() == second) line = *i;
  ASSERT_TRUE(line);
  list->setCurrentItem(line);
  list->setFocus();
  key(Qt::Key_J);
  enter("");
  EXPECT_TRUE(shooter().log().of(second).stays.empty()) << "a reason is needed";
  enter("the lamp gives no more");
  EXPECT_FALSE(shooter().log().of(second).stays.empty());
  bool stays = false;
  for (const auto& item : shooter().gate("").items)
    stays = stays || (item.slate == second && item.kind == GateKind::Stays);
  EXPECT_TRUE(stays);
  // Levels of a face, and a slate of another attempt.
  key(Qt::Key_P);
  const std::string third = shooter().take()->slate;
  key(Qt::Key_V);
  key(Qt::Key_Down);
  enter("45");
  ASSERT_EQ(shooter().log().of(third).levels.size(), 1U);
  EXPECT_EQ(shooter().log().of(third).levels[0].position.rfind("face: ", 0), 0U);
  key(Qt::Key_Plus, Qt::ShiftModifier);  // as most keyboards make it
  EXPECT_EQ(shooter().attempt(), 2);
  key(Qt::Key_Minus);
  key(Qt::Key_Minus);
  EXPECT_EQ(shooter().attempt(), 1);
}

// Hands on the simulated set: what they set is what the meter reads.
TEST_F(ShootView, TheSimulatedSetIsSetByHand) {
  key(Qt::Key_A);
  const std::string slate = shooter().take()->slate;
  const std::string lamp = shooter().take()->settings.lamps.front().name;
  const double percent = shooter().take()->settings.lamps.front().percent;
  key(Qt::Key_H);
  enter(QString("T4 no ND, %1 %2%").arg(QString::fromStdString(lamp)).arg(percent / 2));
  key(Qt::Key_E);
  bool off = false;
  for (const auto& j : shooter().judgements()) off = off || (j.code == "light" && j.off < -0.7);
  EXPECT_TRUE(off) << side();
  key(Qt::Key_U);
  bool spot = false;
  for (const auto& r : shooter().log().of(slate).readings) spot = spot || r.spot;
  EXPECT_TRUE(spot);
  key(Qt::Key_H);
  enter("Searchlight 40%");
  EXPECT_TRUE(qobject_cast<QLineEdit*>(QApplication::focusWidget())) << "no such lamp: the entry stays";
}

TEST_F(ShootView, AllReadingsOfAPressAreOneStep) {
  key(Qt::Key_A);
  const std::string slate = shooter().take()->slate;
  int told = 0;
  QObject::connect(&shooter(), &Shooter::changed, [&] { ++told; });
  key(Qt::Key_E);
  const size_t read = shooter().log().of(slate).readings.size();
  ASSERT_GT(read, 1u) << "or one press would be one entry anyway";
  EXPECT_EQ(told, 1);
  window_->document().undoStack().undo();
  EXPECT_TRUE(shooter().log().of(slate).readings.empty());
  window_->document().undoStack().redo();
  EXPECT_EQ(shooter().log().of(slate).readings.size(), read);
  told = 0;
  key(Qt::Key_Space);
  EXPECT_EQ(told, 1) << "logged and on to the next take";
  EXPECT_NE(shooter().take()->slate, slate);
}

TEST_F(ShootView, SlateFillsTheScreenAndPrints) {
  key(Qt::Key_K);
  auto* card = stage().findChild<SlateCard*>();
  ASSERT_TRUE(card->isVisible());
  // What is on the screen is what a machine reads.
  const QImage shown = card->grab().toImage().convertToFormat(QImage::Format_Grayscale8);
  GreyPicture p{shown.width(), shown.height(), {}};
  for (int y = 0; y < shown.height(); ++y)
    for (int x = 0; x < shown.width(); ++x) p.level.push_back(shown.constScanLine(y)[x]);
  const auto texts = readQrTexts(p);
  ASSERT_EQ(texts.size(), 1U);
  EXPECT_EQ(parseSlate(texts[0])->take, slateId(shooter().take()->slate));
  const auto overAll = [this] { return window_->findChildren<QWidget*>("slate on the whole screen"); };
  key(Qt::Key_F);
  key(Qt::Key_F);
  ASSERT_EQ(overAll().size(), 1) << "one, however often it is asked for";
  EXPECT_TRUE(overAll().front()->isVisible() && overAll().front()->isWindow());
  QTest::keyClick(overAll().front(), Qt::Key_Space);
  settle();
  EXPECT_TRUE(overAll().isEmpty());
  stage().writeSlates(folder_ / "slates.pdf");
  EXPECT_EQ(readText(folder_ / "slates.pdf").substr(0, 5), "%PDF-");
}

TEST_F(ShootView, DarkSetIsRedOnBlackAndBack) {
  key(Qt::Key_D);
  EXPECT_EQ(QApplication::palette().window().color(), QColor(Qt::black));
  key(Qt::Key_D);
  EXPECT_NE(QApplication::palette().window().color(), QColor(Qt::black));
  const Theme& night = theme(ThemeKind::Night);
  EXPECT_EQ(night.text.blue() < night.text.red() / 3, true) << "little blue: it spoils dark adaptation";
}

// Power goes in the middle of logging: a child process logs and is killed; everything it was told is there.
TEST_F(ShootView, KilledInTheMiddleNothingIsLost) {
  window_.reset();
  const fs::path file = folder_ / "day.edgetest";
  int pipe[2];
  ASSERT_EQ(::pipe(pipe), 0);
  const pid_t child = fork();
  if (child == 0) {
    const auto p = Project::open(file);
    for (int i = 0;; ++i) {
      p->appendLog({0, "", "take " + std::to_string(i), "done", nullptr});
      if (::write(pipe[1], &i, sizeof i) < 0) _exit(1);
    }
  }
  int last = -1, value = 0;
  while (last < 50 && ::read(pipe[0], &value, sizeof value) == sizeof value) last = value;
  kill(child, SIGKILL);
  waitpid(child, nullptr, 0);
  ::close(pipe[1]);
  while (::read(pipe[0], &value, sizeof value) == sizeof value) last = value;
  ::close(pipe[0]);
  const auto log = Project::open(file)->log();
  EXPECT_GE(static_cast<int>(log.size()), last + 1) << "an entry that was said to be kept is gone";
  for (int i = 0; i <= last; ++i) EXPECT_EQ(log[static_cast<size_t>(i)].slate, "take " + std::to_string(i));
  open();
}

TEST_F(ShootView, ThreeWrongLinksAreCorrectedByKeyAndKept) {
  for (size_t i = 0; i < plan().takes.size(); ++i) shootOne();
  window_->showStage("Match");
  ASSERT_TRUE(waitFor(
      [&] { return matching().work().facts().size() == plan().takes.size() && !matching().work().busy(); },
      60000));
  ASSERT_TRUE(waitFor(
      [&] { return matching().work().checksOf(plan().takes[1].slate) && !matching().work().busy(); }, 60000));
  auto* table = matching().findChild<QTableView*>();
  auto* model = qobject_cast<LinkModel*>(table->model());
  // Three clips are given to wrong takes by hand, as tired people do.
  for (size_t clip : {1U, 2U, 3U}) matching().work().link(clip, plan().takes[(clip + 1) % 4].slate);
  settle(300);
  EXPECT_GT(matching().work().troubles(), 0);
  EXPECT_FALSE(model->link(0)->trouble.empty()) << "troubles stand first";
  table->setFocus();
  for (int n = 0; n < 3; ++n) {
    int row = -1;
    for (int i = 0; i < model->rowCount(); ++i)
      if (model->link(i)->by == LinkBy::Hand) row = i;
    ASSERT_GE(row, 0);
    table->selectRow(row);
    key(Qt::Key_Backspace);
    settle(50);
  }
  EXPECT_TRUE(waitFor([&] { return matching().work().troubles() == 0 && !matching().work().busy(); }, 30000));
  for (const auto& l : matching().work().match().links) {
    EXPECT_EQ(l.by, LinkBy::Slate);
    EXPECT_EQ(l.trouble, "");
    for (const auto& c : matching().work().checksOf(plan().takes[*l.take].slate)->checks)
      EXPECT_TRUE(c.pass) << c.words;
  }
  // A clip is given to another take through the cell, and that is undone.
  table->selectRow(0);
  key(Qt::Key_Return);
  auto* box = qobject_cast<QComboBox*>(QApplication::focusWidget());
  ASSERT_TRUE(box);
  box->setCurrentText("(no take)");
  key(Qt::Key_Return);
  // The link is made when the editor is gone; on a loaded machine that takes longer than a moment.
  EXPECT_TRUE(waitFor([&] { return matching().work().match().missing.size() == 1; }, 10000));
  window_->document().undoStack().undo();
  EXPECT_TRUE(waitFor([&] { return matching().work().match().missing.empty(); }, 10000));
  ASSERT_TRUE(waitFor([&] { return !matching().work().busy(); }, 60000));
  table->setFocus();
  key(Qt::Key_K);
  settle();
  EXPECT_TRUE(matching().work().kept());
  size_t kept = 0;
  for (const auto& c : Project::open(folder_ / "day.edgetest")->configurations()) kept += c.clips.size();
  EXPECT_EQ(kept, plan().takes.size());
  window_->document().undoStack().undo();
  kept = 0;
  for (const auto& c : Project::open(folder_ / "day.edgetest")->configurations()) kept += c.clips.size();
  EXPECT_EQ(kept, 0U);
}

TEST_F(ShootView, FoldersWithTroubleAreSaidAndSurvived) {
  fs::create_directories(folder_ / "card/empty");
  writeFileAtomically(folder_ / "card/broken.mov", "no movie");
  writeFileAtomically(folder_ / "card/empty/000001.dng", "no frame");
  window_->showStage("Match");
  matching().work().watch(folder_ / "card");
  ASSERT_TRUE(
      waitFor([&] { return matching().work().facts().size() == 2 && !matching().work().busy(); }, 20000));
  for (const auto& l : matching().work().match().links) EXPECT_FALSE(l.trouble.empty());
  // Another project is opened while clips are listed and one of them is chosen: they go with the old one.
  openIn(*window_, folder_ / "day.edgetest");
  EXPECT_TRUE(matching().work().facts().empty());
  settle(200);
  EXPECT_EQ(matching().state(), "no clips");
  matching().work().watch(folder_ / "card");
  ASSERT_TRUE(
      waitFor([&] { return matching().work().facts().size() == 2 && !matching().work().busy(); }, 20000));
  // The card is pulled out.
  fs::remove_all(folder_ / "card");
  matching().work().watch(folder_ / "card");
  ASSERT_TRUE(waitFor([&] { return matching().work().facts().empty() && !matching().work().busy(); }, 20000));
  EXPECT_EQ(matching().state(), "no clips");
  EXPECT_TRUE(problemText(*window_).contains("the folder is gone")) << qPrintable(problemText(*window_));
}

// All takes of the demo's plan. Takes minutes: run with EDGE_WHOLE_SHOOT=1.
TEST(WholeShoot, EveryTakeOfTheDemoPlanByKeyboard) {
  if (!std::getenv("EDGE_WHOLE_SHOOT")) GTEST_SKIP() << "set EDGE_WHOLE_SHOOT to play all of it";
  const fs::path file = freshProject("whole-shoot");
  fs::remove_all(file.parent_path() / "whole-shoot-card");
  {
    const auto p = Project::open(file);
    for (const auto& c : p->configurations()) p->setClips(c.id, {});
  }
  auto window = openWindow(file);
  window->showStage("Shoot");
  window->activateWindow();
  auto& stage = *qobject_cast<ShootStage*>(window->stage("Shoot"));
  auto& match = *qobject_cast<MatchStage*>(window->stage("Match"));
  ASSERT_TRUE(waitFor([&] { return stage.shooter().take() != nullptr; }, 10000));
  stage.setFocus();
  const auto key = [&](int k) {
    QTest::keyClick(QApplication::focusWidget() ? QApplication::focusWidget() : &stage,
                    static_cast<Qt::Key>(k));
    settle(5);
  };
  const size_t takes = stage.shooter().planned()->plan.takes.size();
  std::map<std::string, std::string> mistakes;
  for (size_t i = 0; i < takes; ++i) {
    ASSERT_TRUE(stage.shooter().take()) << i;
    const Take t = *stage.shooter().take();
    const auto make = [&](Mistake m) { stage.standIns().inject(m), mistakes[t.slate] = wordOf(m); };
    if (t.slate == "Pellam S6 log 640 +1") make(Mistake::WrongIris);
    if (t.slate == "Corvane 35 log 500 \u22122") make(Mistake::LightDrift);
    if (t.slate == "Corvane 35 log 2500 \u22123") make(Mistake::ForgottenNd);
    key(Qt::Key_A), key(Qt::Key_E), key(Qt::Key_O);
    ASSERT_TRUE(waitFor([&] { return !stage.standIns().rolling(); }, 30000)) << t.slate;
    key(Qt::Key_Space);
  }
  EXPECT_EQ(mistakes.size(), 3U);
  EXPECT_TRUE(stage.shooter().allDone());
  for (int quiet = 0; quiet < 60; quiet = match.work().busy() ? 0 : quiet + 1) settle(100);
  EXPECT_EQ(match.work().facts().size(), takes);
  std::map<std::string, int> by;
  for (const auto& l : match.work().match().links) ++by[l.take ? wordOf(l.by) : "not linked"];
  for (const auto& [word, n] : by) std::printf("%d clips by %s\n", n, word.c_str());
  std::map<std::string, std::string> said;
  for (const auto& item : stage.shooter().gate("").items) said[item.slate] += item.words + "; ";
  for (const auto& [slate, words] : said) std::printf("gate: %s: %s\n", slate.c_str(), words.c_str());
  for (const auto& [slate, mistake] : mistakes) EXPECT_TRUE(said.count(slate)) << slate << " " << mistake;
  window.reset();
  fs::remove_all(file.parent_path() / "whole-shoot-card");
}

}  // namespace
}  // namespace edge::app
