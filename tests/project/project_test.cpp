#include "project/project.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <gtest/gtest.h>

#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cmath>
#include <fstream>

#include "advise/report_page.h"
#include "base/error.h"
#include "base/files.h"
#include "project/analysis.h"
#include "project/check.h"
#include "project/result_kinds.h"
#include "report/explain.h"
#include "report/findings.h"
#include "simulate/scene.h"
#include "support/support.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

using test::TempFolder;

Configuration sample() {
  Configuration c;
  c.iso = 800, c.body = "Tarn M1", c.light = "3200 K";
  c.mode = "log";
  c.decode = {"acescct", Range::Full, Primaries::Bt2020, std::nullopt, {}, {}};
  c.wedge = wedgeChart({0, -1, -2}, 640, 360), c.bench = benchChart(640, 360),
  c.regions = benchRegions(640, 360);
  c.clips = {{0, ClipKind::Base, "base", 0.0, "clips/base.mkv", "00"},
             {0, ClipKind::Take, "p1", 1.0, "clips/p1.mkv", "01"}};
  return c;
}

TEST(Project, KeepsConfigurationsDecisionsAndResultsApart) {
  const TempFolder folder;
  std::int64_t id = 0;
  {
    const auto p = Project::create(folder / "a.edgetest", "Saltpan Road");
    id = p->addConfiguration(sample());
    p->setDecision({id, "p1", kOverrideKey, "lost", "the forehead has gone flat"});
    p->storeResult(id, "wedge", "hash1", {{"x", 1}});
  }
  const auto p = Project::open(folder / "a.edgetest");
  EXPECT_EQ(p->title(), "Saltpan Road");
  const auto list = p->configurations();
  ASSERT_EQ(list.size(), 1U);
  EXPECT_EQ(list[0].label(), "Tarn M1 · log · ISO 800 · 3200 K");
  EXPECT_EQ(list[0].decode.matrix, Primaries::Bt2020);
  EXPECT_EQ(list[0].bench.patches.size(), 30U);
  EXPECT_EQ(list[0].clips[1].plannedStops, 1.0);
  EXPECT_EQ(p->decision(id, "p1", kOverrideKey)->reason, "the forehead has gone flat");
  EXPECT_TRUE(p->result(id, "wedge", "hash1"));
  EXPECT_FALSE(p->result(id, "wedge", "hash2")) << "a result of other inputs is none";
  EXPECT_EQ(overridesOf(*p, id).size(), 1U);
  p->setDecision({id, "p1", kOverrideKey, nullptr, ""});
  EXPECT_TRUE(p->decisions().empty());
}

// They are kept as they were read: what another connection (the command line, beside the window) writes is
// seen at the next question.
TEST(ProjectFile, DecisionsOfAnotherConnectionAreSeenAtTheNextQuestion) {
  const TempFolder folder;
  const auto file = folder / "a.edgetest";
  const auto ours = Project::create(file, "a");
  const auto theirs = Project::open(file);
  const auto claim = [](const Project& p) {
    const auto d = p.decision(1, "", kClaimKey);
    return d ? d->value.get<double>() : -1;
  };
  EXPECT_EQ(claim(*ours), -1);
  theirs->setDecision({1, "", kClaimKey, 12.5, ""});
  EXPECT_EQ(claim(*ours), 12.5);
  EXPECT_EQ(ours->decisions().size(), 1U);
  ours->setDecision({1, "", kClaimKey, 13, "again"});
  EXPECT_EQ(claim(*ours), 13);
  EXPECT_EQ(claim(*theirs), 13);
  EXPECT_EQ(theirs->decision(1, "", kClaimKey)->reason, "again");
  // Not for what is kept in other tables, which comes with every measurement.
  const Decision* read = ours->decisions().data();
  ours->storeResult(1, "wedge", "h", {{"x", 1}});
  ours->appendLog({0, "", "a", "note", {{"text", "x"}}});
  EXPECT_EQ(ours->decisions().data(), read);
  theirs->setDecision({1, "", kClaimKey, nullptr, ""});
  EXPECT_EQ(claim(*ours), -1);
  EXPECT_TRUE(ours->decisions().empty());
}

TEST(ProjectFile, ClipsOfAnotherConnectionAreSeenAtTheNextQuestion) {
  const TempFolder folder;
  const auto file = folder / "a.edgetest";
  const auto ours = Project::create(file, "a");
  const auto id = ours->addConfiguration(sample());
  EXPECT_FALSE(ours->configurations().at(0).clips.empty());
  const auto theirs = Project::open(file);
  theirs->setClips(id, {});
  EXPECT_TRUE(ours->configurations().at(0).clips.empty());
  Configuration other = ours->configurations().at(0);
  other.decode.range = Range::Legal;
  theirs->setSetup(other);
  EXPECT_EQ(ours->configurations().at(0).decode.range, Range::Legal);
  (void)theirs->addConfiguration(sample());
  EXPECT_EQ(ours->configurations().size(), 2U);
}

// 4294967297 is 1 in the type it is read into; it was.
TEST(ProjectFile, NumbersOutOfBoundsInDecisionsCountForNothing) {
  const TempFolder folder;
  const auto p = Project::create(folder / "a.edgetest", "a");
  const auto id = p->addConfiguration(sample());
  p->setDecision({0, "", kRasterKey, {4294967297, 1080}, ""});
  p->setDecision({id, "", kOwnCountKey, 4294967309, ""});
  EXPECT_FALSE(deliveryRasterOf(*p));
  EXPECT_FALSE(collectFindings(*p).at(0).ownCount);
  p->setDecision({0, "", kRasterKey, {1920, 1080}, ""});
  p->setDecision({id, "", kOwnCountKey, 13, ""});
  EXPECT_EQ(deliveryRasterOf(*p)->width, 1920);
  EXPECT_EQ(collectFindings(*p).at(0).ownCount, 13);
}

// What was read while a change stood that was then taken back is not what the file says.
TEST(ProjectFile, AChangeThatFailsIsNotReadAfterwards) {
  const TempFolder folder;
  const auto p = Project::create(folder / "a.edgetest", "a");
  const auto id = p->addConfiguration(sample());
  const auto clips = p->configurations().at(0).clips.size();
  ASSERT_GT(clips, 0U);
  EXPECT_THROW(p->atomically([&] {
    p->setClips(id, {});
    p->setDecision({id, "", kClaimKey, 12, ""});
    p->storeResult(id, "wedge", "h", {{"x", 1}});
    p->storeWritten(id, "latitude", "h", "7", 7);
    EXPECT_TRUE(p->configurations().at(0).clips.empty());
    EXPECT_EQ(p->decisions().size(), 1U);
    EXPECT_TRUE(p->result(id, "wedge", "h"));
    throw Error("enough", "", "", "");
  }),
               Error);
  EXPECT_EQ(p->configurations().at(0).clips.size(), clips);
  EXPECT_TRUE(p->decisions().empty());
  EXPECT_FALSE(p->result(id, "wedge", "h"));
  const auto read = [](const nlohmann::json& j) { return j.get<int>(); };
  EXPECT_FALSE(p->resultAs(id, "latitude", "h", read));
}

// What was just stored need not be read from the file; it is what a later day will read there.
TEST(ProjectFile, AResultJustStoredIsWhatWillBeReadLater) {
  const TempFolder folder;
  const auto p = Project::create(folder / "a.edgetest", "Saltpan Road");
  const auto id = p->addConfiguration(sample());
  const double third = 1.0 / 3;
  const nlohmann::json sound = {{"x", third}, {"none", nullptr}, {"list", {1, -0.0, 1e-300}}};
  const nlohmann::json broken = {{"x", third}, {"list", {1, std::nan("")}}};
  for (const auto& value : {sound, broken}) {
    p->storeResult(id, "wedge", "hash1", value);
    p->storeResult(id, "latitude", "hash2", sound);
    p->storeResult(id, "wedge", "hash1", value);
    const auto later = Project::open(folder / "a.edgetest");
    for (const char* kind : {"wedge", "latitude"}) {
      const std::string hash = kind == std::string("wedge") ? "hash1" : "hash2";
      const auto now = p->result(id, kind, hash);
      ASSERT_TRUE(now);
      EXPECT_EQ(now->dump(), later->result(id, kind, hash)->dump());
      EXPECT_EQ(*now, *later->result(id, kind, hash)) << now->dump();
    }
    EXPECT_FALSE(p->result(id, "wedge", "other"));
  }
}

// Every input of a stored result, by table: each changed alone makes the result count as not there.
TEST(Project, InputHashFollowsEveryInput) {
  const TempFolder folder;
  test::writeText(folder / "curve.csv", "linear,code\n0,0\n1,1\n");
  const auto whole = [] {
    Configuration c = sample();
    c.decode.curve = "curve.csv";
    c.clips.push_back({0, ClipKind::Wedge, "wedge", std::nullopt, "clips/w.mkv", "03"});
    c.clips.push_back({0, ClipKind::Black, "black", std::nullopt, "clips/b.mkv", "04"});
    return c;
  };
  const auto clip = [](Configuration& c, ClipKind kind) -> ClipRecord& {
    return *std::find_if(c.clips.begin(), c.clips.end(), [&](const ClipRecord& r) { return r.kind == kind; });
  };
  struct Input {
    const char* words;
    bool ofWedge, ofBracket;
    std::function<void(Configuration&)> change;
  };
  const auto curve = [&](const char* text) { test::writeText(folder / "curve.csv", text); };
  const std::vector<Input> inputs = {
      {"a take's content", false, true, [&](auto& c) { clip(c, ClipKind::Take).hash = "02"; }},
      {"a take's exposure", false, true, [&](auto& c) { clip(c, ClipKind::Take).plannedStops = 2; }},
      {"a take's first frame", false, true, [&](auto& c) { clip(c, ClipKind::Take).first = 5; }},
      {"a take's frames", false, true, [&](auto& c) { clip(c, ClipKind::Take).frames = 3; }},
      {"the base's content", false, true, [&](auto& c) { clip(c, ClipKind::Base).hash = "09"; }},
      {"the base's window", false, true, [&](auto& c) { clip(c, ClipKind::Base).first = 1; }},
      {"a take less", false, true, [&](auto& c) { c.clips.erase(c.clips.begin() + 1); }},
      {"the wedge's content", true, false, [&](auto& c) { clip(c, ClipKind::Wedge).hash = "05"; }},
      {"the wedge's first frame", true, false, [&](auto& c) { clip(c, ClipKind::Wedge).first = 2; }},
      {"the wedge's frames", true, false, [&](auto& c) { clip(c, ClipKind::Wedge).frames = 4; }},
      {"the dark frame's content", true, false, [&](auto& c) { clip(c, ClipKind::Black).hash = "06"; }},
      {"the dark frame's window", true, false, [&](auto& c) { clip(c, ClipKind::Black).frames = 4; }},
      {"range", true, true, [](auto& c) { c.decode.range = Range::Legal; }},
      {"matrix", true, true, [](auto& c) { c.decode.matrix = Primaries::Bt709; }},
      {"curve", true, true, [](auto& c) { c.decode.curve = "bt709"; }},
      {"the curve file's content", true, true, [&](auto&) { curve("linear,code\n0,0\n2,1\n"); }},
      {"display", true, true, [](auto& c) { c.display = "bt709"; }},
      {"a patch of the bench", false, true, [](auto& c) { c.bench.patches[0].corners[0].x += 1; }},
      {"a patch of the wedge", true, false, [](auto& c) { c.wedge.patches[0].stops = -0.5; }},
      {"an object", false, true, [](auto& c) { c.regions[0].corners[0].x += 1; }},
      {"an object's role", false, true, [](auto& c) { c.regions[0].role = "white"; }},
  };
  const auto wedgeOf = [&](const Configuration& c) {
    for (const auto& a : analysesOf(c, folder.path(), {}))
      if (a.result == kWedgeResult) return a.inputHash;
    return std::string("none");
  };
  for (const auto& input : inputs) {
    curve("linear,code\n0,0\n1,1\n");
    Configuration c = whole();
    const std::string wedge = wedgeOf(c), bracket = latitudeInputHash(c, folder.path());
    EXPECT_EQ(wedgeOf(c), wedge);
    ASSERT_NE(wedge, "none");
    input.change(c);
    EXPECT_TRUE(!input.ofWedge || wedgeOf(c) != wedge) << input.words;
    EXPECT_TRUE(!input.ofBracket || latitudeInputHash(c, folder.path()) != bracket) << input.words;
  }
}

TEST(Project, OldVersionIsMigratedNewerIsRefusedUntouched) {
  const TempFolder folder;
  const fs::path file = folder / "old.edgetest";
  (void)Project::create(file, "x");
  {  // back to version 1, as the first program wrote it
    SQLite::Database db(file.string(), SQLite::OPEN_READWRITE);
    db.exec("ALTER TABLE decision DROP COLUMN reason");
    db.exec("ALTER TABLE decision DROP COLUMN decided");
    db.exec("ALTER TABLE clip DROP COLUMN iso");
    for (const char* column : {"slate", "first", "frames", "link", "nd", "strobe_hz"})
      db.exec(std::string("ALTER TABLE clip DROP COLUMN ") + column);
    db.exec("DROP TABLE log");
    db.exec("INSERT INTO decision VALUES (0, '', 'headline_snr', '4')");
    db.exec("PRAGMA user_version=1");
  }
  {
    const auto p = Project::open(file);
    EXPECT_EQ(rangeOptionsOf(*p).headlineSnr, 4);
  }
  {
    SQLite::Database db(file.string(), SQLite::OPEN_READWRITE);
    EXPECT_EQ(db.execAndGet("PRAGMA user_version").getInt(), Project::kSchemaVersion);
    db.exec("PRAGMA user_version=99");
  }
  try {
    (void)Project::open(file);
    FAIL();
  } catch (const Error& e) {
    EXPECT_NE(std::string(e.what()).find("version 99"), std::string::npos);
  }
}

TEST(Project, DamagedAndForeignFilesAreRefusedInOneLine) {
  const TempFolder folder;
  const fs::path file = folder / "p.edgetest";
  {
    const auto p = Project::create(file, "x");
    for (int i = 0; i < 40; ++i) p->addConfiguration(sample());
  }
  std::string bytes = readText(file);
  const auto refused = [&](const std::string& content) {
    test::writeText(folder / "q.edgetest", content);
    try {
      (void)Project::open(folder / "q.edgetest");
      return false;
    } catch (const Error& e) {
      EXPECT_EQ(std::string(e.what()).find('\n'), std::string::npos);
      EXPECT_FALSE(e.remedy().empty());
      return true;
    }
  };
  EXPECT_TRUE(refused("not a database at all"));
  EXPECT_TRUE(refused(bytes.substr(0, bytes.size() / 2)));
  std::string damaged = bytes;
  for (size_t i = 4096; i < damaged.size(); i += 97) damaged[i] = static_cast<char>(damaged[i] ^ 0x5a);
  EXPECT_TRUE(refused(damaged));
  EXPECT_TRUE(refused(""));
  SQLite::Database(std::string(folder / "other.edgetest"), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE)
      .exec("CREATE TABLE t (x)");
  EXPECT_THROW((void)Project::open(folder / "other.edgetest"), Error);
  EXPECT_THROW((void)Project::create(file, "again"), Error);
  EXPECT_THROW((void)Project::create(folder / "none" / "p.edgetest", "x"), Error);
}

// A process that writes decisions as fast as it can is killed at random moments; all it reported as committed
// is there.
TEST(Project, SurvivesKillMinusNine) {
  const TempFolder folder;
  const fs::path file = folder / "k.edgetest";
  (void)Project::create(file, "x");
  int lastSeen = -1;
  for (int round = 0; round < 20; ++round) {
    int pipe[2];
    ASSERT_EQ(::pipe(pipe), 0);
    const pid_t child = ::fork();
    if (child == 0) {
      const auto p = Project::open(file);
      for (int n = round * 100000;; ++n) {
        p->setDecision({0, "", "count", n, ""});
        p->storeResult(1, "wedge", "h", {{"n", n}});
        if (::write(pipe[1], &n, sizeof n) != sizeof n) ::_exit(1);
      }
    }
    ::close(pipe[1]);
    int n = 0, reads = 0;
    const int until = 3 + round * 7 % 23;
    while (reads < until && ::read(pipe[0], &n, sizeof n) == sizeof n) lastSeen = n, ++reads;
    ::kill(child, SIGKILL);
    while (::read(pipe[0], &n, sizeof n) == sizeof n) lastSeen = n;
    ::close(pipe[0]);
    ::waitpid(child, nullptr, 0);
    const auto p = Project::open(file);
    EXPECT_TRUE(p->integrityProblems().empty());
    ASSERT_TRUE(p->decision(0, "", "count"));
    EXPECT_GE(p->decision(0, "", "count")->value.get<int>(), lastSeen);
  }
}

TEST(Check, ChangedAndMissingMediaAreNamed) {
  const TempFolder folder;
  fs::create_directories(folder / "clips");
  test::writeImage(folder / "clips" / "a.1.png", 8, 8, 3, std::vector<float>(192, 0.5F), 8);
  Configuration c = sample();
  c.clips = {{0, ClipKind::Base, "base", 0.0, "clips/a.1.png",
              hashClip(openClip(folder / "clips" / "a.1.png")->info())},
             {0, ClipKind::Take, "p1", 1.0, "clips/gone.png", "11"}};
  const auto p = Project::create(folder / "a.edgetest", "x");
  p->addConfiguration(c);
  auto check = checkProject(*p, Progress());
  ASSERT_EQ(check.mediaProblems.size(), 1U);
  EXPECT_EQ(check.mediaProblems[0].clip, "clips/gone.png");
  test::writeImage(folder / "clips" / "a.1.png", 8, 8, 3, std::vector<float>(192, 0.6F), 8);
  check = checkProject(*p, Progress());
  EXPECT_EQ(check.mediaProblems.size(), 2U);
}

Finding finding() {
  Finding f;
  f.configuration = sample();
  LatitudeMeasure m;
  m.faceGrey = "grey 4", m.display = "soft-shoulder";
  for (double s : {-2.0, -1.0, 1.0, 2.0}) {
    TakeMetrics t;
    t.name = s < 0 ? "m" + std::to_string(int(-s)) : "p" + std::to_string(int(s));
    t.planned = s, t.measured = s, t[Criterion::LumaNoise] = s < -1 ? 4 : 1, t[Criterion::ChromaNoise] = 1;
    t.clippedSkin = {s > 1 ? 30.0 : 0.0, 0, 0}, t.clippedWhere = "forehead";
    m.takes.push_back(t);
  }
  m.base[Criterion::LumaNoise] = 0.5;
  f.latitudeMeasure = m;
  f.latitude = judgeLatitude(m, {});
  return f;
}

TEST(Report, BoardAndTakesAreProperCsv) {
  Finding f = finding();
  f.configuration.body = "Tarn \"M1\", second body";
  const std::string board = boardCsv({f});
  EXPECT_NE(board.find("\"Tarn \"\"M1\"\", second body\""), std::string::npos);
  EXPECT_EQ(std::count(board.begin(), board.end(), '\n'), 2);
  const std::string takes = takesCsv({f});
  EXPECT_EQ(std::count(takes.begin(), takes.end(), '\n'), 5);
  // A person's verdict stands beside the tool's.
  f.latitude = judgeLatitude(*f.latitudeMeasure, {}, {{"m1", Verdict::Lost}});
  EXPECT_NE(takesCsv({f}).find(",lost,clean,"), std::string::npos);
  f.configuration.body = "=1+1";
  EXPECT_EQ(boardCsv({f}).find("\n=1"), std::string::npos) << "a formula must not reach a spreadsheet";
}

TEST(Report, CardSaysWhatIsAndWhatIsNotEstablished) {
  const ExposureCard card = cardOf(finding());
  EXPECT_EQ(card.title, "Tarn M1 · log · ISO 800 · 3200 K");
  EXPECT_TRUE(std::any_of(card.lines.begin(), card.lines.end(), [](const CardLine& l) {
    return l.label == "Upper edge" && l.value.find("stops") != std::string::npos;
  }));
  EXPECT_TRUE(std::any_of(card.notEstablished.begin(), card.notEstablished.end(),
                          [](const std::string& s) { return s.find("no wedge") != std::string::npos; }));
  EXPECT_FALSE(card.advice.empty());
}

TEST(Report, HtmlEscapesWhatPeopleTyped) {
  Finding f = finding();
  f.configuration.body = "<script>";
  const std::string html = reportPage({"a & b", {f}, decisionTable({reachOf(f)}, {}), {}, {}, {}, {}});
  EXPECT_EQ(html.find("<script>"), std::string::npos);
  EXPECT_NE(html.find("a &amp; b"), std::string::npos);
}

TEST(Report, EveryKeyIsExplainedEvenBeforeMeasuring) {
  const Finding f = finding();
  for (const char* key : {"latitude", "over", "under", "cleaned", "take:m2"})
    EXPECT_GE(explain(f, key, {}, {}).paragraphs.size(), 3U) << key;
  for (const char* key : {"headline", "snr2", "patch:1", "take:zz", "anything"})
    EXPECT_FALSE(explain(f, key, {}, {}).paragraphs.empty()) << key;
}

TEST(Report, FiguresCarryTheirErrorAndTheirLimits) {
  EXPECT_EQ(limitWords(Limit{12.34, 0.08, false}), "12.3 ±0.1 stops");
  EXPECT_EQ(limitWords(Limit{5, 0, true}), "at least 5.0 stops");
  EXPECT_EQ(limitWords(Limit{-5, 0, true}, true), "beyond \u22125.0 stops");
  EXPECT_EQ(limitWords(std::nullopt), "not known");
}

// A value of a recipe may carry its source beside it.
TEST(BaseOffset, IsReadFromThePlanWithAndWithoutItsSource) {
  const test::TempFolder folder;
  const auto p = Project::create(folder / "p.edgetest", "Rope works");
  EXPECT_EQ(baseOffsetOf(*p), 0);
  const auto set = [&](const char* text) {
    p->setDecision({0, "", kRecipeKey, nlohmann::json::parse(text), ""});
  };
  set(R"({"base": {"offset_stops": 1.5}})");
  EXPECT_EQ(baseOffsetOf(*p), 1.5);
  set(R"({"base": {"offset_stops": {"value": -1, "from": "measured"}}})");
  EXPECT_EQ(baseOffsetOf(*p), -1);
  for (const char* odd : {R"({"base": 3})", R"({"base": {"offset_stops": "one"}})", R"([])",
                          R"({"base": {"offset_stops": {}}})"}) {
    set(odd);
    EXPECT_EQ(baseOffsetOf(*p), 0) << odd;
  }
}

// A clip that can't be measured must not keep the others from it; it is still named.
TEST(Project, OneAnalysisThatFailsStopsNoOther) {
  std::vector<std::string> stored;
  const auto good = [](const Progress&) { return nlohmann::json(1); };
  const auto bad = [](const Progress&) -> nlohmann::json {
    throw Error("no white cloth", "clip.mkv", "regions", "mark it");
  };
  const auto worse = [](const Progress&) -> nlohmann::json {
    throw Error("too small", "other.mkv", "patch 3", "draw it larger");
  };
  const std::vector<Analysis> list = {
      {1, "a", "a", "", good}, {1, "b", "b", "", bad}, {1, "c", "c", "", good}, {1, "d", "d", "", worse}};
  const auto failures = measureAll(
      list, Progress(), [&](const Analysis& a, const nlohmann::json&) { stored.push_back(a.result); });
  ASSERT_EQ(failures.size(), 2U);
  EXPECT_EQ(failures[0].words, "b");
  EXPECT_EQ(asOne({failures[0]}).subject(), "clip.mkv");
  const std::string all = asOne(failures).what();
  EXPECT_NE(all.find("2 measurements failed"), std::string::npos);
  EXPECT_NE(all.find("clip.mkv"), std::string::npos);
  EXPECT_NE(all.find("other.mkv"), std::string::npos) << "the second is told as well";
  EXPECT_EQ(stored, (std::vector<std::string>{"a", "c"}));
}

}  // namespace
}  // namespace edge
