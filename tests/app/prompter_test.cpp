// The prompt in the smallest window: what changes, what the meter says, and the cautions, of every take.
#include <gtest/gtest.h>

#include "shoot/prompter.h"
#include "shoot/shoot_stage.h"
#include "window.h"

namespace edge::app {
namespace {

TEST(PrompterView, IsWholeInTheSmallestWindow) {
  const auto w = openWindow(measuredProject());
  waitForPlan(*w);
  w->resize(1210, 670);
  w->showStage("Shoot");
  settle(200);
  auto* stage = static_cast<ShootStage*>(w->stage("Shoot"));
  auto* prompter = stage->findChild<Prompter*>();
  const auto& takes = stage->shooter().planned()->plan.takes;
  size_t most = 0;
  for (size_t i = 0; i < takes.size(); ++i) {
    stage->shooter().goTo(i);
    settle(1);
    (void)prompter->grab();
    most = std::max(most, stage->shooter().prompt()->changes.size());
    EXPECT_TRUE(prompter->isWhole()) << takes[i].slate << ": " << prompter->text().toStdString();
  }
  EXPECT_GE(most, 10u) << "a first take: everything is to be set";
}

// Their size is not found by trying one after another: 48 sizes of two weights, each a font of its own.
TEST(PrompterView, LongWordsAreFittedAtOnce) {
  Prompter prompter;
  prompter.resize(860, 480);
  double longest = 0;  // ms of work
  for (int round = 0; round < 10; ++round) {
    Prompt prompt;
    prompt.slate = "a slate";
    for (int i = 0; i < 12; ++i)
      prompt.changes.push_back({"Panel of lamp " + std::to_string(i), std::string(30 + 2 * round, 'x'),
                                std::string(30 + 2 * round, 'y')});
    prompter.show(prompt, TakeState::Open, "");
    const double before = workOfThisThread();
    (void)prompter.grab();
    if (round > 0) longest = std::max(longest, workOfThisThread() - before);  // the first one loads fonts
  }
  EXPECT_LT(longest, 16) << "ms";
}

}  // namespace
}  // namespace edge::app
