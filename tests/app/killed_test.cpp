// The real window killed (SIGKILL) while somebody decides and logs in it: everything whose key press was
// answered is there, nothing is torn. EDGE_STUDY=250: so many kills; else a few in every run of the tests.
#include <gtest/gtest.h>
#include <poll.h>
#include <sys/wait.h>
#include <unistd.h>

#include <QLineEdit>
#include <QTest>
#include <csignal>
#include <random>

#include "project/analysis.h"
#include "range/range_stage.h"
#include "window.h"

namespace edge::app {
namespace {

// What is typed at a step, and what it is then.
std::string claimAt(int step) {
  return QString::number(5 + step % 1500 / 100.0, 'f', 2).toStdString();
}

// Run by the test below in a process of its own.
TEST(Victim, DISABLED_DecidesUntilItIsKilled) {
  const int told = std::atoi(std::getenv("EDGE_TOLD"));
  auto w = openWindow(std::getenv("EDGE_IN"));
  w->showStage("Range");
  auto* claim = w->stage("Range")->findChild<QLineEdit*>("claim");
  ASSERT_TRUE(claim);
  for (int step = 0;; ++step) {
    claim->setFocus();
    claim->selectAll();
    QTest::keyClicks(claim, QString::fromStdString(claimAt(step)));
    QTest::keyClick(claim, Qt::Key_Return);
    w->document().appendLog({{0, "", "take " + std::to_string(step), "note", {{"text", claimAt(step)}}}},
                            "note");
    if (::write(told, &step, sizeof step) != sizeof step) std::_Exit(1);
    if (step % 5 == 4) settle(1);
  }
}

constexpr int kLongestStartMs = 120000;

struct Killed {
  int answered = -1;  // the last step that was
};

Killed killOne(const fs::path& project, int afterMs) {
  int pipe[2];
  if (::pipe(pipe) != 0) return {};
  const std::string self = fs::read_symlink("/proc/self/exe").string(), told = std::to_string(pipe[1]);
  const pid_t child = fork();
  if (child < 0) return {};  // and no kill: it would be of every process there is
  if (child == 0) {
    ::close(pipe[0]);
    setenv("EDGE_IN", project.c_str(), 1);
    setenv("EDGE_TOLD", told.c_str(), 1);
    if (!freopen("/dev/null", "w", stdout)) _exit(1);
    execl(self.c_str(), self.c_str(), "--gtest_filter=Victim.*", "--gtest_also_run_disabled_tests", nullptr);
    _exit(127);
  }
  ::close(pipe[1]);
  Killed k;
  int step = 0;
  // A window that never answers is killed as well, and found wanting.
  pollfd answer{pipe[0], POLLIN, 0};
  if (poll(&answer, 1, kLongestStartMs) == 1 && ::read(pipe[0], &step, sizeof step) == sizeof step)
    k.answered = step;
  usleep(static_cast<useconds_t>(afterMs) * 1000);
  kill(child, SIGKILL);
  while (::read(pipe[0], &step, sizeof step) == sizeof step) k.answered = step;
  ::close(pipe[0]);
  waitpid(child, nullptr, 0);
  return k;
}

TEST(Killed, WhatWasAnsweredIsKept) {
  const char* study = std::getenv("EDGE_STUDY");
  const int kills = study ? std::max(1, std::atoi(study)) : 6;
  std::mt19937 random(3);
  int steps = 0;
  for (int n = 0; n < kills; ++n) {
    const fs::path file = freshCopyOfMeasured("app-killed");  // nothing is typed where nothing is measured
    const Killed k = killOne(file, static_cast<int>(random() % 400));
    ASSERT_GE(k.answered, 0) << "the window did not come up";
    steps += k.answered + 1;
    const auto p = Project::open(file);
    EXPECT_TRUE(p->integrityProblems().empty());
    EXPECT_TRUE(p->setApart().empty());
    const auto first = p->configurations().front().id;
    const auto claim = p->decision(first, "", kClaimKey);
    ASSERT_TRUE(claim);
    const double is = claim->value, was = std::stod(claimAt(k.answered)),
                 next = std::stod(claimAt(k.answered + 1));
    EXPECT_TRUE(std::fabs(is - was) < 1e-9 || std::fabs(is - next) < 1e-9) << is << " after " << k.answered;
    const auto entries = p->log();
    EXPECT_GE(entries.size(), static_cast<size_t>(k.answered) + 1);
    EXPECT_LE(entries.size(), static_cast<size_t>(k.answered) + 2);
    for (size_t i = 0; i < entries.size(); ++i)
      EXPECT_EQ(entries[i].value.value("text", ""), claimAt(static_cast<int>(i)));
    if (HasFailure()) return;
  }
  std::printf("%d kills in %d steps\n", kills, steps);
}

}  // namespace
}  // namespace edge::app
