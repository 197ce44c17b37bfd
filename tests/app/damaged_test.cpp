// A project whose stored values were damaged or written by somebody else's hand: the window opens it, drops
// what is only a result, sets apart what was a decision, says so, and keeps all else.
#include <SQLiteCpp/SQLiteCpp.h>
#include <gtest/gtest.h>

#include <QPushButton>
#include <QTest>
#include <set>

#include "advise/report_page.h"
#include "project/match_project.h"
#include "window.h"

namespace edge::app {
namespace {

// Text that is no JSON, and JSON of other shapes.
const std::vector<std::string> kValues = {"{",
                                          "",
                                          "null",
                                          "7",
                                          "-1e308",
                                          "\"x\"",
                                          "[]",
                                          "{}",
                                          "[{}]",
                                          "[[1]]",
                                          "{\"takes\":[{}]}",
                                          "{\"patches\":{\"a\":1}}",
                                          "[\"a\",\"b\"]",
                                          "true",
                                          "{\"value\":[1,2,{\"a\":null}]}"};

struct Cell {
  std::string table, column, where;
};

std::vector<Cell> cellsOf(const fs::path& project) {
  SQLite::Database db(project.string(), SQLite::OPEN_READONLY);
  std::vector<Cell> cells;
  const auto rows = [&](const std::string& table, const std::string& what, const std::string& column) {
    SQLite::Statement q(db, "SELECT rowid, " + what + " FROM " + table);
    std::set<std::string> seen;  // one of each kind
    while (q.executeStep())
      if (seen.insert(q.getColumn(1).getString()).second)
        cells.push_back({table, column, "rowid=" + std::to_string(q.getColumn(0).getInt64())});
  };
  rows("result", "kind", "value");
  rows("decision", "key", "value");
  rows("log", "kind", "value");
  rows("clip", "kind", "link");
  return cells;
}

// As somebody looks at a project: every stage, and what is shown of it.
void visitEverything(MainWindow& w) {
  for (const char* stage : {"Plan", "Shoot", "Match", "Range", "Latitude", "Noise", "Review", "Findings"}) {
    w.showStage(stage);
    settle(1);
  }
}

// One cell damaged for as long as this lives.
class Spoilt {
 public:
  Spoilt(fs::path file, Cell cell, const std::string& value)
      : file_(std::move(file)), cell_(std::move(cell)) {
    SQLite::Database db(file_.string(), SQLite::OPEN_READWRITE);
    SQLite::Statement q(db, "SELECT * FROM " + cell_.table + " WHERE " + cell_.where);
    q.executeStep();
    for (int i = 0; i < q.getColumnCount(); ++i) names_.push_back(q.getColumn(i).getName());
    for (int i = 0; i < q.getColumnCount(); ++i) before_.push_back(q.getColumn(i).getString());
    SQLite::Statement put(db, "UPDATE " + cell_.table + " SET " + cell_.column + "=? WHERE " + cell_.where);
    put.bind(1, value);
    put.exec();
  }
  // The row as it was, also where it was dropped or set apart since.
  ~Spoilt() {
    SQLite::Database db(file_.string(), SQLite::OPEN_READWRITE);
    std::string columns = "rowid", marks = cell_.where.substr(6);
    for (const auto& n : names_)
      if (n != "id") columns += "," + n, marks += ",?";
    SQLite::Statement put(
        db, "INSERT OR REPLACE INTO " + cell_.table + " (" + columns + ") VALUES (" + marks + ")");
    int at = 0;
    for (size_t i = 0; i < names_.size(); ++i)
      if (names_[i] != "id") put.bind(++at, before_[i]);
    put.exec();
  }

 private:
  fs::path file_;
  Cell cell_;
  std::vector<std::string> names_, before_;
};

TEST(Damaged, EveryStoredValueMayBeAnything) {
  const fs::path project = freshCopyOfMeasured("app-damaged");
  {  // decisions of every kind, so that there is something to damage
    const auto p = Project::open(project);
    const auto id = p->configurations()[0].id;
    p->setDecision({0, "", kHeadlineSnrKey, 1.0, ""});
    p->setDecision({0, "", kCriteriaKey, toJson(CriteriaProfile()), ""});
    p->setDecision({0, "", kChecklistKey, {{"lens", "2026-11-27T10:00:00Z"}}, ""});
    p->setDecision({0, "", kRasterKey, {1920, 1080}, ""});
    p->setDecision({0, "", kScenesKey, nlohmann::json::array(), ""});
    p->setDecision({0, "", kSituationsKey, nlohmann::json::object(), ""});
    p->setDecision({0, "", kContextKey, nlohmann::json::array(), ""});
    p->setDecision({0, "", kLookKey, "look.cdl", ""});
    p->setDecision({0, "", std::string(kReviewKey) + "0001", nlohmann::json::object(), ""});
    p->setDecision({id, "", kClaimKey, 14.0, ""});
    p->setDecision({id, "", kOwnCountKey, 13, ""});
    p->setDecision({id, "p3", kOverrideKey, "lost", "seen"});
    for (const char* kind : {"done", "redo", "skip", "note", "reading", "level", "instrument", "who", "adopt",
                             "stays", "evidence", "undo"})
      p->appendLog({0, "", "1", kind, nlohmann::json::object()});
  }
  const auto cells = cellsOf(project);
  ASSERT_GT(cells.size(), 25U);
  // EDGE_STUDY=1: every value in every cell.
  const size_t few = std::getenv("EDGE_STUDY") ? 1 : 9;
  const auto pending = [&](const Project& p) { return pendingAnalyses(p).size(); };
  const size_t usual = pending(*Project::open(project));  // the delivery raster, which nobody measured
  size_t turn = 0, apart = 0;
  for (const auto& cell : cells) {
    for (size_t v = turn++ % few; v < kValues.size(); v += few) {
      SCOPED_TRACE(cell.table + " " + cell.where + " = " + kValues[v]);
      const Spoilt spoilt(project, cell, kValues[v]);
      try {
        Document d;
        d.open(project);
        EXPECT_EQ(d.findings().size(), 7U);
        (void)reportJson(reportOf(d.project(), d.findings())).dump();
        (void)logCsv(d.project().log());
        (void)clipWordsOf(d.project());
        if (cell.table == "decision") apart += !d.project().setApart().empty();
        // A result that can't be read is measured again, and no other is.
        if (cell.table == "result") {
          EXPECT_LE(pending(d.project()), usual + 1);
        }
      } catch (const std::exception& e) {
        ADD_FAILURE() << "thrown: " << e.what();
      }
    }
  }
  EXPECT_GT(apart, 10U);
  // The window shows it, and goes on.
  for (const auto& cell : cells) {
    if (cell.table != "decision") continue;
    SCOPED_TRACE(cell.where);
    const Spoilt spoilt(project, cell, kValues[turn++ % kValues.size()]);
    MainWindow w;
    w.show();
    openIn(w, project);
    ASSERT_TRUE(w.document().isOpen()) << qPrintable(problemText(w));
    EXPECT_EQ(problemText(w).contains("set apart"), !w.document().project().setApart().empty());
    visitEverything(w);
  }
}

// A curve file and a look that are gone cost the figures that were made with them and nothing else; measuring
// says what is missing.
TEST(Damaged, ACurveThatIsGoneCostsItsOwnFiguresOnly) {
  const fs::path file = freshCopyOfMeasured("app-no-curve");
  std::int64_t id = 0;
  {
    const auto p = Project::open(file);
    Configuration c = p->configurations().front();
    id = c.id;
    c.decode.curve = "curves/gone.cube";
    p->setSetup(c);
    p->setDecision({0, "", kLookKey, "curves/no-look.cube", ""});
  }
  auto w = openWindow(file);
  ASSERT_TRUE(w->document().isOpen()) << qPrintable(problemText(*w));
  int with = 0, without = 0;
  for (const auto& f : w->document().findings()) {
    const bool figures = f.range && f.latitude;
    (figures ? with : without) += f.range || f.latitude || f.configuration.id == id;
    EXPECT_FALSE(f.configuration.id == id && (f.range || f.latitude));
  }
  EXPECT_EQ(without, 1);
  EXPECT_GE(with, 5);
  w->analyse();
  ASSERT_TRUE(waitFor([&] { return !w->job().running(); }));
  EXPECT_TRUE(problemText(*w).contains("gone.cube")) << qPrintable(problemText(*w));
}

// A project from somebody else that names files all over this machine: none is opened before a person said
// so, and that is asked once.
TEST(Outside, IsAskedForOnceBeforeAnythingIsRead) {
  const fs::path file = freshProject("app-outside");
  {
    const auto p = Project::open(file);
    Configuration c = p->configurations().front();
    c.clips.front().path = "../../../../etc/elsewhere/a.mkv";
    p->setClips(c.id, c.clips);
    c.decode.curve = "/etc/elsewhere/b.cube";
    p->setSetup(c);
  }
  MainWindow w;
  w.resize(1280, 800), w.show();
  openIn(w, file);
  settle();
  EXPECT_FALSE(w.document().isOpen());
  auto* strip = w.findChild<QWidget*>("outside");
  ASSERT_TRUE(strip->isVisible());
  const QString words = strip->findChild<QLabel*>()->text();
  EXPECT_TRUE(words.contains("/etc/elsewhere")) << words.toStdString();
  EXPECT_TRUE(words.contains("2 clips and files")) << words.toStdString();
  const auto press = [&](const char* which) {
    for (auto* b : strip->findChildren<QPushButton*>())
      if (b->text() == which) QTest::mouseClick(b, Qt::LeftButton);
    settle();
  };
  press("Leave it closed");
  EXPECT_FALSE(strip->isVisible());
  EXPECT_FALSE(w.document().isOpen());
  openIn(w, file);
  settle();
  EXPECT_TRUE(strip->isVisible()) << "a no is no answer for ever";
  press("Open and read them");
  waitForOpening(w);
  EXPECT_TRUE(w.document().isOpen());
  EXPECT_FALSE(strip->isVisible());
  openIn(w, measuredProject());
  openIn(w, file);
  settle();
  EXPECT_FALSE(strip->isVisible()) << "once";
  EXPECT_EQ(w.document().project().file(), fs::absolute(file));
}

}  // namespace
}  // namespace edge::app
