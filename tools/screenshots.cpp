// Makes the pictures of docs/screenshots from the demo project: edge-screenshots DEMO_FOLDER OUT_FOLDER
// [--small] [--range] [--latitude] [--noise] [--review] [--set] [--light] [--size=1210x670] [--look]: of the
// small demo; of one stage only; in the light theme; at another size; every stage as it opens, of the demo
// and of a project that is still empty.
#include <QApplication>
#include <QDir>
#include <QElapsedTimer>
#include <QSettings>
#include <QStandardPaths>
#include <cstdio>

#include "begin/begin_dialog.h"
#include "demo/demo_project.h"
#include "findings/exercise_dialog.h"
#include "findings/findings_stage.h"
#include "findings/frame_spots.h"
#include "latitude/latitude_stage.h"
#include "match/match_stage.h"
#include "noise/look_view.h"
#include "noise/noise_stage.h"
#include "plan/plan_stage.h"
#include "range/range_stage.h"
#include "range/step_panel.h"
#include "review/review_stage.h"
#include "shell/main_window.h"
#include "shoot/shoot_stage.h"
#include "widgets/picture_view.h"

using namespace edge::app;

namespace {

void settle(int milliseconds) {
  QElapsedTimer t;
  t.start();
  while (t.elapsed() < milliseconds) QApplication::processEvents(QEventLoop::AllEvents, 20);
}

void waitForJob(MainWindow& w) {
  settle(100);
  while (w.job().running() || w.opening().running()) settle(50);
  settle(100);
}

void shoot(MainWindow& w, const QString& file) {
  settle(2500);
  if (!w.grab().save(file)) std::fprintf(stderr, "can't write %s\n", qPrintable(file));
}

// The demo's project as it stands, with what was measured a moment ago, which may still be in the log beside
// it.
std::filesystem::path copyOf(const std::filesystem::path& demo, const char* name) {
  const auto copy = demo / name;
  for (const char* suffix : {"", "-wal", "-shm"}) {
    const std::string from = edge::demoFilesIn(demo).project.string() + suffix;
    std::filesystem::remove(copy.string() + suffix);
    if (std::filesystem::exists(from)) std::filesystem::copy_file(from, copy.string() + suffix);
  }
  return copy;
}

// A copy of the project plays the shoot: the demo itself stays as it was made.
void shootSet(MainWindow& w, const QDir& out, const std::filesystem::path& demo) {
  w.openProject(copyOf(demo, "screenshots.edgetest"));
  waitForJob(w);
  settle(1500);
  w.showStage("Shoot");
  auto* stage = static_cast<ShootStage*>(w.stage("Shoot"));
  Shooter& shooter = stage->shooter();
  const auto lux = [&](double times) {
    return QString("%1 lux").arg(shooter.take()->settings.light.value() * times);
  };
  for (int i = 0; i < 17; ++i) {
    if (i == 8) shooter.skip("chart fell over");
    shooter.readings({{"key", lux(1)}}, false, "meter");
    shooter.done("");
  }
  shooter.readings({{"key", lux(1.32)}, {"fill", lux(0.5)}}, false, "meter");
  shoot(w, out.filePath("shoot.png"));
  w.setThemeKind(ThemeKind::Night);
  stage->showPage(ShootStage::GatePage);
  shoot(w, out.filePath("shoot-gate.png"));
  w.setThemeKind(ThemeKind::Dark);
  w.showStage("Match");
  auto* match = static_cast<MatchStage*>(w.stage("Match"));
  match->work().watch(edge::demoFilesIn(demo).clips / "corvane35-log-500");
  settle(500);
  for (int quiet = 0; quiet < 30; quiet = match->work().busy() ? 0 : quiet + 1) settle(100);
  match->choose(0);
  shoot(w, out.filePath("match.png"));
  match->showPage(1);
  match->charts().show(edge::Placing::Chart);
  shoot(w, out.filePath("match-charts.png"));
  match->showPage(0);
}

// One wedge, four configurations and more, and a wedge that ends too soon at both ends.
void shootRange(MainWindow& w, const QDir& out, const std::filesystem::path& demo, bool all) {
  w.showStage("Range");
  auto* range = static_cast<RangeStage*>(w.stage("Range"));
  range->wedge().choosePatch("7");
  const auto* picture = range->findChild<PictureView*>();
  const auto* step = range->findChild<StepPanel*>();
  for (int i = 0; i < 300 && !(picture->hasPicture() && step->ready()); ++i) settle(50);
  shoot(w, out.filePath("range.png"));
  range->showPage(1);
  shoot(w, out.filePath("range-compare.png"));
  range->showPage(0);
  if (!all) return;
  // The same clip, of which the chart file knows but six middle steps: what a short wedge looks like.
  w.openProject(copyOf(demo, "short-wedge.edgetest"));
  waitForJob(w);
  edge::Configuration c = w.document().current()->configuration;
  auto& steps = c.wedge.patches;
  steps.erase(steps.begin() + std::min<std::ptrdiff_t>(11, std::ssize(steps)), steps.end());
  steps.erase(steps.begin(), steps.begin() + std::min<std::ptrdiff_t>(4, std::ssize(steps)));
  w.document().setSetups({c}, "a short wedge");
  w.analyse();
  waitForJob(w);
  range->wedge().showSide(WedgePage::Honesty);
  shoot(w, out.filePath("range-honest.png"));
  w.openProject(edge::demoFilesIn(demo).project);
  waitForJob(w);
  settle(500);
}

// The bracket by exposure alone, then by its best grade with a criterion and its limits over stops.
void shootLatitude(MainWindow& w, const QDir& out, bool all) {
  w.showStage("Latitude");
  auto* stage = static_cast<LatitudeStage*>(w.stage("Latitude"));
  const auto faces = [&] {
    const auto* strip = stage->findChild<ContactStrip*>();
    for (int i = 0; i < 300 && !strip->complete(); ++i) settle(100);
  };
  faces();
  shoot(w, out.filePath("latitude.png"));
  stage->chooseBranch(edge::Branch::Grade);
  stage->showPanel(LatitudeStage::Criteria);
  w.findChild<QComboBox*>("criterion")->setCurrentIndex(static_cast<int>(edge::Criterion::LumaNoise));
  faces();
  shoot(w, out.filePath("latitude-criteria.png"));
  if (all) {
    w.findChild<CriteriaPanel*>()->chooseSkinPath();
    shoot(w, out.filePath("latitude-skin.png"));
    stage->showPanel(LatitudeStage::Stress);
    shoot(w, out.filePath("latitude-stress.png"));
    stage->showPanel(LatitudeStage::Trace);
    shoot(w, out.filePath("latitude-trace.png"));
    stage->countFrom("skin");
    stage->showPanel(LatitudeStage::Compare);
    shoot(w, out.filePath("latitude-compare.png"));
  }
  stage->countFrom("");
  stage->chooseBranch(edge::Branch::Exposure);
  stage->showPanel(LatitudeStage::Takes);
}

// The table of a folder of clips; without their curve first.
void shootBegin(MainWindow& w, const QDir& out, const std::filesystem::path& demo, bool all) {
  w.beginFrom({demo / "clips" / "corvane35-log-500"});
  auto* dialog = w.findChild<BeginDialog*>();
  const auto looked = [&] {
    settle(300);
    while (!dialog->looked()) settle(100);
    settle(300);
  };
  looked();
  if (all) dialog->grab().save(out.filePath("begin-asking.png"));
  dialog->setCurve(QString::fromStdString((demo / "curves" / "ropelog.json").string()));
  looked();
  if (!all) dialog->findChild<QLineEdit*>("file")->setText("Saltpan Road, night two.edgetest");
  if (!all) dialog->findChild<QComboBox*>("wedge steps")->setCurrentIndex(1);
  dialog->grab().save(out.filePath("begin.png"));
  if (!all) return dialog->reject();
  dialog->findChild<QPushButton*>("make")->click();
  while (w.findChild<BeginDialog*>()) settle(100);
  settle(2000);
  for (const char* name : {"Plan", "Match", "Range", "Latitude"}) {
    w.showStage(name);
    shoot(w, out.filePath(QString("begin-%1.png").arg(QString(name).toLower())));
  }
}

// Every page of Noise, of the body and mode that has it; all: else the three that stand in docs.
void shootNoise(MainWindow& w, const QDir& out, bool all) {
  w.showStage("Noise");
  auto* stage = static_cast<NoiseStage*>(w.stage("Noise"));
  const auto choose = [&](const std::string& mode, const std::string& body) {
    const auto& findings = w.document().findings();
    for (size_t i = 0; i < findings.size(); ++i)
      if (findings[i].configuration.body == body && findings[i].configuration.mode == mode)
        return w.document().setCurrent(static_cast<int>(i));
  };
  const auto page = [&](edge::NoisePage p, const char* mode, const char* file,
                        const char* body = "Corvane 35") {
    choose(mode, body);
    stage->showPage(p);
    const auto* look = stage->findChild<LookView*>();
    for (int i = 0; p == edge::NoisePage::Look && i < 300 && !look->loaded(); ++i) settle(100);
    shoot(w, out.filePath(file));
  };
  page(edge::NoisePage::Iso, "raw", "noise-sweep.png");
  page(edge::NoisePage::Floor, "log", "noise-floor.png");
  page(edge::NoisePage::Look, "log", "noise-look.png");
  if (all) {
    page(edge::NoisePage::Iso, "log", "noise-ladder.png");
    page(edge::NoisePage::Iso, "raw", "noise-steps.png", "Tarn M1");
    page(edge::NoisePage::Transfer, "raw", "noise-transfer.png");
    page(edge::NoisePage::MoreLight, "log", "noise-light.png");
    page(edge::NoisePage::Pair, "raw", "noise-pair.png");
    page(edge::NoisePage::Readout, "log", "noise-readout.png");
    page(edge::NoisePage::Infrared, "raw", "noise-infrared.png");
    page(edge::NoisePage::Pair, "log", "noise-empty.png");
  }
  w.document().setCurrent(0);
  stage->showPage(edge::NoisePage::Iso);
}

// Every stage as it opens, to be looked at.
void look(MainWindow& w, const QDir& out, const std::filesystem::path& demo) {
  const auto each = [&](const char* what) {
    for (const char* name : {"Plan", "Shoot", "Match", "Range", "Latitude", "Noise", "Findings"}) {
      w.showStage(name);
      shoot(w, out.filePath(QString("%1-%2.png").arg(what, QString(name).toLower())));
    }
  };
  each("demo");
  const auto grab = [&](QWidget* widget, const char* name) {
    settle(300);
    widget->grab().save(out.filePath(name));
  };
  for (const auto& [name, open] : std::initializer_list<std::pair<const char*, std::function<void()>>>{
           {"keys", [&] { w.showKeys(); }},
           {"help", [&] { showHelp(&w, HelpPage::Guide, "Range"); }},
           {"about", [&] { showAbout(&w); }}}) {
    open();
    auto* dialog = w.findChild<QDialog*>(name);
    grab(dialog, (std::string(name) + ".png").c_str());
    dialog->close();
  }
  QMetaObject::invokeMethod(&w.path().menu(), "aboutToShow");
  w.path().menu().show();
  grab(&w.path().menu(), "menu.png");
  QMenu* sub = w.path().menu().actions()[5]->menu();
  if (sub) sub->show(), grab(sub, "menu-sub.png"), sub->hide();
  w.path().menu().hide();
  const auto fresh = demo / "empty.edgetest";
  for (const char* suffix : {"", "-wal", "-shm"}) std::filesystem::remove(fresh.string() + suffix);
  w.createProject(fresh);
  each("empty");
}

// Three viewers of known limits judge the ladders; `all`: every way of looking and every part of a session.
void shootReview(MainWindow& w, const QDir& out, const std::filesystem::path& demo, bool all) {
  w.openProject(copyOf(demo, "screenshots-review.edgetest"));
  waitForJob(w);
  settle(1500);
  w.showStage("Review");
  auto* stage = static_cast<ReviewStage*>(w.stage("Review"));
  const auto loaded = [&] {
    for (int i = 0; i < 200 && !stage->look().loaded(); ++i) settle(50);
  };
  loaded();
  for (const auto& s : stage->pool())
    if (s.kind == edge::ShownKind::BroughtBack && s.stops == -5 && s.group == stage->pool().front().group)
      stage->look().choose(1, s.key);
  loaded();
  stage->look().canvas().setWay(LookWay::Divided);
  stage->look().canvas().turnLine(15);
  shoot(w, out.filePath("review-look.png"));
  if (all) {
    stage->look().canvas().setWay(LookWay::Difference);
    shoot(w, out.filePath("review-difference.png"));
    int slot = 1;
    for (const auto& s : stage->pool())
      if (s.kind == edge::ShownKind::Ladder && slot < LookPage::kSlots) stage->look().choose(slot++, s.key);
    loaded();
    stage->look().canvas().setWay(LookWay::Side);
    stage->look().canvas().setZoom(1);
    stage->look().canvas().setLift(3);
    shoot(w, out.filePath("review-side.png"));
  }
  stage->showPage(ReviewStage::Blind);
  if (all) shoot(w, out.filePath("blind-empty.png"));
  edge::SessionPlan plan;
  plan.title = "Ladders of three bodies", plan.repeats = 8, plan.seed = 7, plan.criterion = "noise_luma";
  plan.viewers = {{"AB", "Corvane 35"}, {"CD", ""}, {"EF", "Pellam S6"}};
  for (const auto& s : stage->pool())
    if (s.kind == edge::ShownKind::Ladder)
      plan.candidates.push_back(
          {s.key, s.title(), s.body, s.figures[static_cast<size_t>(edge::Criterion::LumaNoise)]});
  stage->blind().begin(plan);
  if (all) {
    shoot(w, out.filePath("blind-viewers.png"));
    stage->blind().showTo(0);
    for (int i = 0; i < 1200 && !stage->blind().shown().showing(); ++i) settle(50);
    shoot(w, out.filePath("blind-shown.png"));
  }
  edge::BlindSession session = *stage->blind().session();
  unsigned lot = 1;
  for (size_t v = 0; v < plan.viewers.size(); ++v)
    while (const auto t = edge::nextTrial(session, v)) {
      lot = lot * 1664525U + 1013904223U;
      const double figure = plan.candidates[edge::trialsOf(plan, v)[*t].first].figure.value_or(1),
                   eye = 0.5 * (lot >> 8) / (1U << 24) - 0.25;
      edge::addVote(session, v, figure < 1.3 + eye ? 2 : figure < 3.2 + eye ? 1 : 0, 3);
    }
  w.document().keepReview(std::string(edge::kReviewKey) + "0001", edge::toJson(session));
  stage->blind().open(0);
  stage->blind().unsealNow();
  for (int i = 0; i < 200 && stage->blind().busy(); ++i) settle(50);
  shoot(w, out.filePath("review-blind.png"));
  stage->showPage(ReviewStage::Bodies);
  while (stage->bodies().comparing()) QApplication::processEvents(QEventLoop::AllEvents, 50);
  shoot(w, out.filePath("review-bodies.png"));
}

void shootFindings(MainWindow& w, const QDir& out, bool all) {
  w.showStage("Findings");
  auto* stage = static_cast<FindingsStage*>(w.stage("Findings"));
  shoot(w, out.filePath("findings.png"));
  stage->showPage(FindingsStage::Scene);
  if (all) shoot(w, out.filePath("scene-empty.png"));
  stage->scene().form().setExposure("T2.8 1/48 ISO800");
  stage->scene().form().setReadings(
      "window +4.8\nforehead by the window T4 2/3\nwall 96 lux\nrope coil 1.1 cd/m2\ncorner 0.5 cd/m2");
  shoot(w, out.filePath("findings-scene.png"));
  stage->showPage(FindingsStage::Library);
  while (stage->library().reading()) settle(50);
  stage->library().search("corvane log 500");
  settle(200);
  w.setThemeKind(ThemeKind::Light);
  shoot(w, out.filePath("findings-library.png"));
  w.setThemeKind(ThemeKind::Dark);
  if (!all) return;
  stage->library().search("");
  shoot(w, out.filePath("library-all.png"));
  stage->showPage(FindingsStage::Bodies);
  shoot(w, out.filePath("bodies-empty.png"));
  stage->bodies().table().item(0, 3)->setText("24000");
  stage->bodies().table().item(0, 4)->setText("2.6");
  stage->bodies().table().item(0, 7)->setText("180");
  shoot(w, out.filePath("bodies.png"));
  stage->showPage(FindingsStage::Scene);
  stage->scene().guessFirst();
  settle(300);
  if (auto* dialog = w.findChild<ExerciseDialog*>()) {
    for (int i = 0; i < 4; ++i) dialog->guess(i, edge::Held::Holds);
    dialog->see();
    settle(200);
    dialog->grab().save(out.filePath("exercise.png"));
    dialog->accept();
  }
  for (const auto& [kind, name] : {std::pair(BoardPage::Export::ReportPdf, "report.pdf"),
                                   std::pair(BoardPage::Export::Html, "report.html")}) {
    stage->board().exportTo(kind, out.filePath(name).toStdString());
    while (stage->board().writing()) settle(50);
  }
  stage->showPage(FindingsStage::Situations);
  stage->situations().choose(2);
  shoot(w, out.filePath("situations.png"));
  stage->showPage(FindingsStage::Scene);
  stage->scene().form().setReadings("sun 12\nwindow +7\nforehead +1\ncorner -6");
  shoot(w, out.filePath("scene-impossible.png"));
  {
    FrameSpots spots(w.document(), theme(ThemeKind::Dark), nullptr);
    const auto& c = w.document().findings().front().configuration;
    spots.load(w.document().project().folder() / c.clipOfKind(edge::ClipKind::Base)->path);
    spots.show();
    settle(3000);
    spots.read(0.3, 0.5);
    spots.grab().save(out.filePath("frame-spots.png"));
  }
  for (const CardPaper paper : {CardPaper::A5, CardPaper::A6, CardPaper::Body, CardPaper::Sheet}) {
    stage->board().setPaper(paper);
    stage->board().exportTo(BoardPage::Export::AllCardsPdf,
                            out.filePath(QString("cards-%1.pdf").arg(static_cast<int>(paper))).toStdString());
    while (stage->board().writing()) settle(50);
  }
}

}  // namespace

int main(int argc, char** argv) {
  QApplication application(argc, argv);
  QStandardPaths::setTestModeEnabled(true);
  QApplication::setOrganizationName("edge-test");
  QApplication::setApplicationName("edge-test-screenshots");
  if (argc < 3) return std::fprintf(stderr, "usage: edge-screenshots DEMO_FOLDER OUT_FOLDER [--small]\n"), 2;
  loadFonts();
  QApplication::setFont(typeface(size::kBody));
  QSettings().clear();
  const QDir out(argv[2]);
  out.mkpath(".");
  MainWindow window;
  const QStringList words = QApplication::arguments().mid(3);
  window.resize(1280, 800);
  for (const QString& word : words)
    if (const auto sides = word.mid(7).split('x'); word.startsWith("--size=") && sides.size() == 2)
      window.resize(sides[0].toInt(), sides[1].toInt());
  window.show();
  shoot(window, out.filePath("empty.png"));
  window.openDemo(argv[1], words.contains("--small"));
  waitForJob(window);
  waitForJob(window);
  if (words.contains("--light")) window.setThemeKind(ThemeKind::Light);
  if (words.contains("--look")) return look(window, out, argv[1]), 0;
  if (words.contains("--latitude")) return shootLatitude(window, out, true), 0;
  if (words.contains("--findings")) return shootFindings(window, out, true), 0;
  if (words.contains("--compare")) {
    window.showStage("Latitude");
    static_cast<LatitudeStage*>(window.stage("Latitude"))->showPanel(LatitudeStage::Compare);
    for (int i = 0; i < static_cast<int>(window.document().findings().size()); ++i) {
      window.document().setCurrent(i);
      shoot(window, out.filePath(QString("compare-%1.png").arg(i)));
    }
    return 0;
  }
  if (words.contains("--review")) return shootReview(window, out, argv[1], true), 0;
  if (words.contains("--begin")) return shootBegin(window, out, argv[1], true), 0;
  if (words.contains("--set")) return shootSet(window, out, argv[1]), 0;
  if (words.contains("--noise")) return shootNoise(window, out, true), 0;
  if (words.contains("--range")) return shootRange(window, out, argv[1], true), 0;
  shootBegin(window, out, argv[1], false);
  window.showStage("Plan");
  auto* plan = static_cast<PlanStage*>(window.stage("Plan"));
  plan->tree().go("/lamps/0/minimum_percent");
  plan->choose(0, 9);
  shoot(window, out.filePath("plan.png"));
  shootRange(window, out, argv[1], false);
  shootLatitude(window, out, false);
  shootNoise(window, out, false);
  shootReview(window, out, argv[1], false);
  window.openDemo(argv[1], words.contains("--small"));
  waitForJob(window);
  shootFindings(window, out, false);
  shootSet(window, out, argv[1]);
  return 0;
}
