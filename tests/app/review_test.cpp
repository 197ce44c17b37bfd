// Stage Review driven as a person would: pictures compared, a whole blind session by three viewers with a
// search for what it must not tell, two bodies. Truth of the demo's cameras: demo-data/saltpan-road.json.
#include "review/review_stage.h"

#include <gtest/gtest.h>

#include <QAccessible>
#include <QDirIterator>
#include <QTemporaryDir>
#include <QTest>
#include <cmath>
#include <random>
#include <set>

#include "window.h"

namespace edge::app {
namespace {

class ReviewWindow : public ::testing::Test {
 protected:
  void open(const fs::path& file) {
    file_ = file;
    w_ = openWindow(file);
    w_->showStage("Review");
    stage_ = qobject_cast<ReviewStage*>(w_->stage("Review"));
    settle();
  }
  void key(int k, Qt::KeyboardModifiers m = Qt::NoModifier) {
    QWidget* at = QApplication::focusWidget() ? QApplication::focusWidget() : stage_;
    QTest::keyClick(at, static_cast<Qt::Key>(k), m);
  }
  std::string keyOf(ShownKind kind, double stops, const std::string& body) const {
    for (const auto& s : stage_->pool())
      if (s.kind == kind && std::abs(s.stops - stops) < 0.01 && s.body == body) return s.key;
    return {};
  }
  fs::path file_;
  std::unique_ptr<MainWindow> w_;
  ReviewStage* stage_ = nullptr;
};

// A picker, a table or a button that has the focus keeps no key of the stage to itself, and Enter presses a button as
// Space does.
TEST_F(ReviewWindow, KeysReachTheStageWhateverHasTheFocus) {
  open(measuredProject());
  int pickers = 0;
  for (auto* picker : stage_->look().findChildren<QComboBox*>()) {
    if (!picker->isVisible() || !picker->isEnabled() || picker->isEditable()) continue;
    stage_->showPage(ReviewStage::Page::Look);
    settle();
    picker->setFocus();
    if (!picker->hasFocus()) continue;
    const int before = picker->currentIndex();
    QTest::keyClick(picker, Qt::Key_2);
    settle();
    EXPECT_FALSE(stage_->look().isVisible()) << picker->accessibleName().toStdString();
    EXPECT_EQ(picker->currentIndex(), before);
    ++pickers;
    if (pickers > 3) break;
  }
  EXPECT_GT(pickers, 0);
  stage_->showPage(ReviewStage::Page::Look);
  settle();
  int pressed = 0;
  auto* button = new QPushButton("Trial", stage_);
  QObject::connect(button, &QPushButton::clicked, [&] { ++pressed; });
  button->show();
  button->setFocus();
  QTest::keyClick(button, Qt::Key_Return);
  QTest::keyClick(button, Qt::Key_Enter, Qt::KeypadModifier);
  EXPECT_EQ(pressed, 2);
  button->setEnabled(false);
  QTest::keyClick(button, Qt::Key_Return);
  EXPECT_EQ(pressed, 2);
}

TEST_F(ReviewWindow, PicturesAreComparedInEveryWay) {
  open(measuredProject());
  LookPage& look = stage_->look();
  ASSERT_TRUE(waitFor([&] { return look.loaded(); }));
  EXPECT_EQ(look.canvas().panes().size(), 2U) << "the base and the darkest take, without being asked";
  look.choose(2, keyOf(ShownKind::BroughtBack, -2, "Pellam S6"));
  look.choose(3, keyOf(ShownKind::AsShot, 2, "Pellam S6"));
  ASSERT_TRUE(waitFor([&] { return look.loaded() && look.canvas().panes().size() == 4; }));
  bool said = false;
  for (const auto* l : look.findChildren<QLabel*>()) said |= l->text().contains("not of equal brightness");
  EXPECT_TRUE(said);
  std::set<QString> seen;
  for (int i = 0; i < kLookWays; ++i) {
    const QImage image = look.canvas().asSeen();
    seen.insert(QString::number(qHashBits(image.constBits(), static_cast<size_t>(image.sizeInBytes()))));
    key(Qt::Key_W);
  }
  EXPECT_EQ(seen.size(), 4U) << "four ways, four pictures";
  EXPECT_EQ(look.canvas().way(), LookWay::Side);
  // A picture has no difference from itself.
  look.choose(1, look.canvas().panes().empty() ? "" : keyOf(ShownKind::Base, 0, "Corvane 35"));
  look.choose(0, keyOf(ShownKind::Base, 0, "Corvane 35"));
  ASSERT_TRUE(waitFor([&] { return look.loaded(); }));
  look.canvas().setWay(LookWay::Difference);
  look.canvas().setCaptions(false);
  const QImage none = look.canvas().grab().toImage();
  EXPECT_EQ(none.pixelColor(none.width() / 2, none.height() / 2), QColor(128, 128, 128));
  look.canvas().setCaptions(true);
}

// A picture of the curve before would be judged for that of the curve now.
TEST_F(ReviewWindow, PicturesFollowHowTheirClipsAreDecoded) {
  open(freshCopyOfMeasured("review-decoded"));
  LookPage& look = stage_->look();
  ASSERT_TRUE(waitFor([&] { return look.loaded(); }));
  const QImage before = look.canvas().panes().at(0).image;
  const std::string key = keyOf(ShownKind::Base, 0, "Corvane 35");
  Configuration c = w_->document().findings()[0].configuration;
  c.decode.curve = "linear";
  w_->document().setSetups({c}, "another curve");
  EXPECT_NE(keyOf(ShownKind::Base, 0, "Corvane 35"), key) << "a sealed session knows that it is another";
  ASSERT_TRUE(waitFor([&] { return look.loaded(); }));
  EXPECT_TRUE(look.canvas().panes().at(0).caption.contains("base")) << "what was chosen stays chosen";
  EXPECT_NE(look.canvas().panes().at(0).image, before);
  w_->document().undoStack().undo();
  ASSERT_TRUE(waitFor([&] { return look.loaded(); }));
  EXPECT_EQ(keyOf(ShownKind::Base, 0, "Corvane 35"), key);
}

// Lifted shadows are lifted in light and say so; nothing of the measured picture changes.
TEST_F(ReviewWindow, ALiftedPictureSaysThatItIs) {
  open(measuredProject());
  LookPage& look = stage_->look();
  ASSERT_TRUE(waitFor([&] { return look.loaded(); }));
  look.canvas().setWay(LookWay::InPlace);
  const QImage before = look.canvas().grab().toImage();
  key(Qt::Key_L);
  EXPECT_EQ(look.canvas().treatment(), "lifted by 3 stops");
  const QImage lifted = look.canvas().grab().toImage();
  // BT.1886: code to the power 2.4 is light; eight times the light is 8^(1/2.4) times the code.
  const QColor was = before.pixelColor(before.width() / 2, before.height() / 2),
               is = lifted.pixelColor(lifted.width() / 2, lifted.height() / 2);
  EXPECT_NEAR(is.green(), std::min(255.0, was.green() * std::pow(8, 1 / 2.4)), 4);
  key(Qt::Key_C);
  EXPECT_TRUE(look.canvas().treatment().contains("red alone"));
  key(Qt::Key_L);
  for (int i = 0; i < 3; ++i) key(Qt::Key_C);
  EXPECT_EQ(look.canvas().treatment(), "");
}

// An encode is looked at and labelled; turned off, everything is as it was.
TEST_F(ReviewWindow, AnEncodeIsShownAndSaysSo) {
  open(measuredProject());
  LookPage& look = stage_->look();
  ASSERT_TRUE(waitFor([&] { return look.loaded(); }));
  const QImage plain = look.canvas().panes()[1].image;
  for (const char* which : {"web", "broadcast"}) {
    key(Qt::Key_D);
    ASSERT_TRUE(waitFor([&] { return look.loaded(); }));
    const LookPane& pane = look.canvas().panes()[1];
    EXPECT_TRUE(pane.caption.contains(which) && pane.caption.contains("not judged"))
        << pane.caption.toStdString();
    EXPECT_NE(pane.image, plain);
    EXPECT_EQ(pane.image.size(), plain.size());
  }
  key(Qt::Key_D);
  ASSERT_TRUE(waitFor([&] { return look.loaded(); }));
  EXPECT_EQ(look.canvas().panes()[1].image, plain);
}

TEST_F(ReviewWindow, TheLineIsDrawnAlongAndTurned) {
  open(measuredProject());
  LookPage& look = stage_->look();
  ASSERT_TRUE(waitFor([&] { return look.loaded(); }));
  LookCanvas& c = look.canvas();
  c.setWay(LookWay::Divided);
  drag(&c, QPointF(c.width() / 2.0, 100), QPointF(c.width() / 4.0, 100));
  EXPECT_NEAR(c.linePlace(), 0.25, 0.02);
  key(Qt::Key_BracketRight);
  EXPECT_NEAR(c.lineAngle(), 105, 1e-9);
  // Zoomed in the pictures are drawn along with the hand.
  c.moveLine(0);
  key(Qt::Key_Z);
  key(Qt::Key_Z);
  EXPECT_EQ(c.zoom(), 2);
  const QPointF centre = c.centre();
  drag(&c, QPointF(300, 200), QPointF(200, 200));
  EXPECT_GT(c.centre().x(), centre.x());
}

TEST_F(ReviewWindow, StepsArePinnedBesideEachOther) {
  open(measuredProject());
  LookPage& look = stage_->look();
  look.choose(1, keyOf(ShownKind::BroughtBack, -3, "Corvane 35"));
  ASSERT_TRUE(waitFor([&] { return look.loaded(); }));
  key(Qt::Key_V);
  ASSERT_TRUE(waitFor([&] { return look.loaded(); }));
  EXPECT_TRUE(look.canvas().panes()[0].caption.contains(QString::fromUtf8("\u22122 brought back")))
      << look.canvas().panes()[0].caption.toStdString();
  key(Qt::Key_B);
  EXPECT_TRUE(look.canvas().panes()[0].caption.contains("base"));
  key(Qt::Key_Period);
  EXPECT_TRUE(look.canvas().panes()[1].caption.contains(QString::fromUtf8("\u22122 brought back")));
}

TEST_F(ReviewWindow, LookingIsFast) {
  open(measuredProject());
  LookPage& look = stage_->look();
  ASSERT_TRUE(waitFor([&] { return look.loaded(); }));
  LookCanvas& c = look.canvas();
  double worst = 0;
  const auto timed = [&](const auto& act) {
    const double begun = workOfThisThread();
    act();
    c.repaint();
    worst = std::max(worst, workOfThisThread() - begun);
  };
  c.setZoom(1);
  c.repaint();
  for (int i = 0; i < 20; ++i) {
    c.setWay(LookWay::Divided);
    timed([&] { c.moveLine(i / 20.0); });
    c.setWay(LookWay::InPlace);
    timed([&] { c.showNext(); });
    timed([&] { c.setCentre({0.3 + i / 60.0, 0.5}); });
    timed([&] { c.setZoom(1 + i % 3); });
  }
  std::printf("wipe, flip, pan, zoom: at most %.1f ms\n", worst);
  EXPECT_LT(worst, 16);
  // Four crops at their speed.
  look.choose(2, keyOf(ShownKind::BroughtBack, -2, "Pellam S6"));
  look.choose(3, keyOf(ShownKind::BroughtBack, 2, "Pellam S6"));
  ASSERT_TRUE(waitFor([&] { return look.loaded() && c.panes().size() == 4; }));
  c.setWay(LookWay::Side);
  look.setPlaying(true);
  ASSERT_TRUE(waitFor([&] { return look.playing(); }));
  settle(2500);
  std::printf("four crops play at %.1f frames a second\n", look.framesPerSecond());
  EXPECT_GT(look.framesPerSecond(), 23);
  const QImage crop = c.panes()[0].image;
  look.setPlaying(false);
  ASSERT_TRUE(waitFor([&] { return look.loaded(); }));
  EXPECT_GE(c.panes()[0].image.width(), crop.width()) << "the whole picture again";
}

// What a person or a screen reader could find while a session is on.
QStringList everythingThatIsSaid(QWidget* w) {
  QStringList all = {w->window()->windowTitle()};
  QList<QWidget*> widgets = w->findChildren<QWidget*>();
  widgets << w;
  for (const auto* x : widgets) {
    if (!x->isVisible()) continue;
    all << x->toolTip() << x->statusTip() << x->whatsThis() << x->accessibleName()
        << x->accessibleDescription();
    for (const char* property :
         {"text", "currentText", "plainText", "windowTitle", "title", "placeholderText"})
      if (const QVariant v = x->property(property); v.canConvert<QString>()) all << v.toString();
  }
  std::function<void(QAccessibleInterface*, int)> walk = [&](QAccessibleInterface* i, int depth) {
    if (!i || depth > 40 || i->state().invisible) return;
    for (const auto t : {QAccessible::Name, QAccessible::Description, QAccessible::Value, QAccessible::Help})
      all << i->text(t);
    for (int k = 0; k < i->childCount(); ++k) walk(i->child(k), depth + 1);
  };
  walk(QAccessible::queryAccessibleInterface(w), 0);
  return all;
}

// What else this machine does lays its files elsewhere.
struct OwnTemporaryFolder {
  OwnTemporaryFolder() { qputenv("TMPDIR", folder.path().toLocal8Bit()); }
  ~OwnTemporaryFolder() { before.isNull() ? qunsetenv("TMPDIR") : qputenv("TMPDIR", before); }
  const QByteArray before = qgetenv("TMPDIR");
  const QTemporaryDir folder;
};

std::set<QString> filesIn(const QString& folder) {
  std::set<QString> out;
  for (QDirIterator i(folder, QDir::Files | QDir::Hidden, QDirIterator::Subdirectories); i.hasNext();)
    out.insert(i.next());
  return out;
}

QStringList* logged = nullptr;

TEST_F(ReviewWindow, AWholeBlindSessionOfThreeViewersTellsNothingUntilItIsUnsealed) {
  open(freshCopyOfMeasured("blind"));
  key(Qt::Key_2);
  BlindPage& blind = stage_->blind();
  QTest::mouseClick(stage_->findChild<QPushButton*>("newSession"), Qt::LeftButton);
  ASSERT_EQ(blind.part(), BlindPage::Setup);
  int cleaned = 0;  // two of them: they take a second each
  blind.setup().tick(
      [&](const Shown& s) { return s.kind == ShownKind::Ladder && (!s.cleanedBy || ++cleaned <= 2); });
  auto* seal = stage_->findChild<QPushButton*>("seal");
  EXPECT_FALSE(seal->isEnabled()) << "nobody looks yet";
  blind.setup().setViewers("AB Corvane 35, CD, EF");
  blind.setup().setRepeats(6);
  blind.setup().setCriterion(Criterion::LumaNoise);
  ASSERT_TRUE(seal->isEnabled());
  QTest::mouseClick(seal, Qt::LeftButton);
  ASSERT_EQ(blind.part(), BlindPage::Viewers);
  ASSERT_TRUE(blind.session());
  const SessionPlan plan = blind.session()->plan;
  ASSERT_GE(plan.candidates.size(), 6U);
  EXPECT_EQ(std::count_if(plan.candidates.begin(), plan.candidates.end(),
                          [](const Candidate& c) { return c.name.find("cleaned") != std::string::npos; }),
            2);
  QStringList secrets;
  for (const auto& c : plan.candidates) {
    secrets << QString::fromStdString(c.name) << QString::fromStdString(c.name).section(", ", -1);
    const QString path = QString::fromStdString(c.key).section('|', 0, 0);
    secrets << path << QFileInfo(path).fileName() << QString::fromStdString(c.key).section('|', 1, 1);
  }
  // What stands there whoever looks at whatever: the configuration in the picker.
  const QStringList always = everythingThatIsSaid(w_.get());
  QStringList log;
  logged = &log;
  // Taken back whatever ends the test.
  struct Handler {
    QtMessageHandler before =
        qInstallMessageHandler([](QtMsgType, const QMessageLogContext&, const QString& m) {
          if (logged) *logged << m;
        });
    ~Handler() { qInstallMessageHandler(before), logged = nullptr; }
  };
  auto handler = std::make_unique<Handler>();
  const OwnTemporaryFolder temporary;
  const double clean = 1.2, lost = 3;
  std::mt19937_64 random(4);
  int given = 0, searched = 0;
  std::vector<qint64> pauses;
  std::vector<Judged> answered;
  for (size_t v = 0; v < 3; ++v) {
    const auto buttons = stage_->findChildren<QPushButton*>("viewer");
    ASSERT_EQ(buttons.size(), 3);
    QTest::mouseClick(buttons[static_cast<int>(v)], Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return blind.part() == BlindPage::Showing; }));
    const auto trials = trialsOf(plan, v);
    for (const auto& t : trials) {
      QElapsedTimer pause;
      pause.start();
      ASSERT_TRUE(waitFor([&] { return blind.shown().showing(); }, 10000));
      pauses.push_back(pause.elapsed());
      const QStringList said = everythingThatIsSaid(w_.get());
      for (const auto& secret : secrets)
        for (const auto& words : said)
          ASSERT_FALSE(!secret.isEmpty() && words.contains(secret) && !always.contains(words))
              << secret.toStdString() << " in " << words.toStdString();
      searched += static_cast<int>(said.size());
      const double figure = plan.candidates[t.first].figure.value_or(1);
      const auto chance = [&](double limit) { return 1 / (1 + std::exp((figure - limit) / 0.15)); };
      const double u = std::uniform_real_distribution<double>()(random);
      const int answer = u < chance(clean) ? 2 : u < chance(lost) ? 1 : 0;
      key(Qt::Key_3 - answer);
      if (plan.candidates[t.first].figure) answered.push_back({figure, answer});
      ++given;
      // It is in the file already: a killed window loses nothing.
      if (given % 5 == 0) {
        const auto stored = Project::open(file_);
        size_t votes = 0;
        for (const auto& d : stored->decisions())
          if (d.key.rfind(kReviewKey, 0) == 0) votes = sessionFromJson(d.value).votes.size();
        EXPECT_EQ(votes, static_cast<size_t>(given));
      }
      if (blind.part() != BlindPage::Showing) break;
    }
    ASSERT_TRUE(waitFor([&] { return blind.part() == BlindPage::Viewers; }));
  }
  handler.reset();
  for (const auto& secret : secrets)
    for (const auto& line : log)
      EXPECT_FALSE(!secret.isEmpty() && line.contains(secret)) << line.toStdString();
  for (const auto& f : filesIn(temporary.folder.path()))
    ADD_FAILURE() << "a file appeared: " << f.toStdString();
  const auto [least, most] = std::minmax_element(pauses.begin(), pauses.end());
  std::printf("%d answers, %d texts searched; grey pauses %lld to %lld ms\n", given, searched,
              static_cast<long long>(*least), static_cast<long long>(*most));
  EXPECT_LT(*most, 3 * BlindShow::kPause) << "no picture is waited for longer than another";
  EXPECT_TRUE(complete(*blind.session()));
  const CriteriaProfile were = w_->document().criteria();
  QTest::mouseClick(stage_->findChild<QPushButton*>("unseal"), Qt::LeftButton);
  ASSERT_EQ(blind.part(), BlindPage::Report);
  EXPECT_TRUE(blind.busy()) << "thresholds take half a second: not on the window's thread";
  key(Qt::Key_T);
  EXPECT_EQ(w_->document().criteria()[Criterion::LumaNoise].clean, were[Criterion::LumaNoise].clean)
      << "there is nothing to take yet";
  ASSERT_TRUE(waitFor([&] { return !blind.busy(); }));
  const QString report = blind.reportText();
  EXPECT_TRUE(report.contains("AB") && report.contains("ISO") && report.contains("alpha"))
      << report.toStdString();
  const SessionReport r = reportOf(*blind.session());
  ASSERT_TRUE(r.threshold && r.threshold->clean);
  // The order is drawn anew for every session, and 95 % intervals hold the truth in 95 % of them
  // (Threshold.Intervals...): asked here is that every key was counted for the picture it was pressed at.
  const auto fitted = fitThreshold(answered);
  ASSERT_TRUE(fitted && fitted->clean);
  EXPECT_EQ(r.threshold->answers, fitted->answers);
  EXPECT_DOUBLE_EQ(r.threshold->clean->at, fitted->clean->at);
  EXPECT_DOUBLE_EQ(r.threshold->clean->low, fitted->clean->low);
  EXPECT_DOUBLE_EQ(r.threshold->clean->high, fitted->clean->high);
  EXPECT_NEAR(r.threshold->clean->at, clean, 0.5) << "five standard deviations";
  key(Qt::Key_T);
  EXPECT_NEAR(w_->document().criteria()[Criterion::LumaNoise].clean, r.threshold->clean->at, 0.01);
  w_->document().undoStack().undo();
  EXPECT_EQ(w_->document().criteria()[Criterion::LumaNoise].clean, were[Criterion::LumaNoise].clean);
  EXPECT_EQ(blind.count(), 1) << "no undo takes a session back";
}

TEST_F(ReviewWindow, ASessionIsLeftAndTakenUpAgain) {
  open(freshCopyOfMeasured("blind-again"));
  key(Qt::Key_2);
  SessionPlan plan;
  plan.title = "three bases", plan.ask = Ask::Pairs, plan.repeats = 1, plan.seed = 3,
  plan.viewers = {Viewer{"AB", ""}};
  for (const auto& s : stage_->pool())
    if (s.kind == ShownKind::Base && plan.candidates.size() < 3)
      plan.candidates.push_back({s.key, s.title(), s.body, {}});
  BlindPage* blind = &stage_->blind();
  blind->begin(plan);
  blind->showTo(0);
  ASSERT_TRUE(waitFor([&] { return blind->part() == BlindPage::Showing && blind->shown().showing(); }));
  key(Qt::Key_1);
  EXPECT_TRUE(blind->shown().showing()) << "the second was not seen yet: no answer";
  key(Qt::Key_Space);
  key(Qt::Key_2);
  EXPECT_FALSE(blind->shown().showing());
  EXPECT_EQ(blind->session()->votes.size(), 1U);
  key(Qt::Key_Escape);
  EXPECT_EQ(blind->part(), BlindPage::Viewers);
  w_.reset();
  open(file_);
  key(Qt::Key_2);
  blind = &stage_->blind();
  ASSERT_EQ(blind->count(), 1);
  EXPECT_TRUE(stage_->state().contains("sealed"));
  blind->open(0);
  EXPECT_EQ(nextTrial(*blind->session(), 0), 1U);
  blind->unsealNow();
  key(Qt::Key_Escape);  // before it is worked out
  settle(200);
  EXPECT_EQ(blind->part(), BlindPage::Sessions);
  blind->open(0);
  ASSERT_TRUE(waitFor([&] { return !blind->busy(); }));
  EXPECT_TRUE(blind->reportText().contains("not everybody has answered"));
}

// A session in which nothing can be believed any more says so; others stay.
TEST_F(ReviewWindow, ATamperedSessionIsRefusedAndAnUnreadableOneLeftOut) {
  open(freshCopyOfMeasured("blind-tampered"));
  SessionPlan plan;
  plan.title = "x", plan.repeats = 0, plan.seed = 3, plan.viewers = {Viewer{"AB", ""}};
  plan.candidates = {{"a", "A", "", {}}, {"b", "B", "", {}}};
  BlindSession s = sealed(plan);
  addVote(s, 0, 2, 1);
  addVote(s, 0, 0, 1);
  unseal(s);
  s.votes[0].answer = 0;
  w_->document().keepReview(std::string(kReviewKey) + "0001", toJson(s));
  w_->document().keepReview(std::string(kReviewKey) + "0002", {{"title", 5}});
  key(Qt::Key_2);
  EXPECT_EQ(stage_->blind().count(), 1);
  stage_->blind().open(0);
  ASSERT_TRUE(waitFor([&] { return !stage_->blind().busy(); }));
  EXPECT_TRUE(stage_->blind().reportText().contains("an answer was changed"));
}

TEST_F(ReviewWindow, TwoBodiesAreComparedAndMatched) {
  open(measuredProject());
  key(Qt::Key_3);
  BodiesPage& bodies = stage_->bodies();
  const auto compared = [&] { return !bodies.comparing(); };
  EXPECT_TRUE(bodies.words().startsWith("Comparing Corvane 35")) << bodies.words().toStdString();
  ASSERT_TRUE(waitFor(compared));
  ASSERT_TRUE(bodies.result()) << bodies.words().toStdString();
  EXPECT_TRUE(bodies.words().contains("Corvane 35") && bodies.words().contains("Pellam S6"))
      << bodies.words().toStdString();
  const TwoBodies& t = *bodies.result();
  for (const auto& s : t.steps)
    if (std::abs(s.step) < 3) {
      EXPECT_LT(s.mean, 1) << s.step << ": the demo's bodies share their colours";
    }
  ASSERT_TRUE(t.intercut);
  EXPECT_LT(t.intercut->from, -3);
  std::printf("%s; %s; before %.2f, matrix %.2f, CDL %.2f\n", bodies.words().toStdString().c_str(),
              driftWords(t, "Corvane 35", "Pellam S6").c_str(), t.match.before, t.match.after,
              t.match.afterCdl.value_or(-1));
  auto* table = bodies.findChild<QTableWidget*>();
  EXPECT_EQ(table->columnCount(), static_cast<int>(t.steps.size()));
  bodies.setLimit(12);
  EXPECT_TRUE(bodies.result()) << "what is shown stays until the new one is there";
  ASSERT_TRUE(waitFor(compared));
  EXPECT_EQ(bodies.result()->limit, 12);
  QTemporaryDir folder;
  bodies.exportTo(CorrectionFormat::Cube, folder.path().toStdString());
  EXPECT_EQ(filesIn(folder.path()).size(), 2U);
  bodies.compare(0, 0);
  EXPECT_TRUE(bodies.words().contains("two different"));
}

TEST_F(ReviewWindow, AnEmptyProjectIsInvited) {
  QTemporaryDir room;
  const fs::path file = fs::path(room.path().toStdString()) / "empty.edgetest";
  {
    Document d;
    d.create(file, "empty");
  }
  open(file);
  bool invited = false;
  for (const auto* l : w_->stage("Review")->findChildren<QLabel*>())
    invited |= l->isVisible() && l->text().contains("Nothing is planned");
  EXPECT_TRUE(invited);
}

}  // namespace
}  // namespace edge::app
