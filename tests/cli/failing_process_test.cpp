// The command line as a process whose disk is full, fails or vanishes under it at every single write, that is
// killed in the middle of one, or that gets no memory: what stood before stands, what is written is whole,
// and a failure is said. The layer that fails is tests/support/failing_calls.c.
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <nlohmann/json.hpp>

#include "base/files.h"
#include "project/copy.h"
#include "project/project.h"
#include "recover/correction_files.h"
#include "recover/latitude.h"
#include "shoot/log.h"
#include "support/support.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

using test::TempFolder;

const fs::path kDemo = EDGE_SMALL_DEMO;
const char* kMeasured = "last-year/saltpan-road-camera-prep.edgetest";

struct Fault {
  const char* how;
  std::int64_t at;
};

struct Ended {
  int status = 0;
  bool met = false;
  std::string err;
};

// A shell command (%: the folder it writes to), under a fault. Empty `how`: none.
Ended runUnder(const Fault& fault, std::string command, const fs::path& out) {
  const TempFolder side;
  for (size_t at; (at = command.find('%')) != std::string::npos;) command.replace(at, 1, out.string());
  const std::string preload =
      fault.how
          ? fmt::format("EDGE_FAIL_HOW={} EDGE_FAIL_AT={} EDGE_FAIL_UNDER={} EDGE_FAIL_MET={} LD_PRELOAD={} ",
                        fault.how, fault.at, out.string(), (side / "met").string(), EDGE_FAILING_CALLS)
          : "";
  const int status = std::system(
      fmt::format("env {} {} > /dev/null 2> {}", preload, command, (side / "err").string()).c_str());
  std::string err;
  if (fs::exists(side / "err") && fs::file_size(side / "err") > 0) err = readText(side / "err");
  return {status, fs::exists(side / "met"), err};
}

using Contents = std::map<std::string, std::string>;  // by name, hidden ones too

Contents contentsOf(const fs::path& folder) {
  Contents all;
  for (const auto& e : fs::recursive_directory_iterator(folder))
    if (e.is_regular_file())
      all[e.path().lexically_relative(folder).string()] = e.file_size() > 0 ? readText(e.path()) : "";
  return all;
}

// Documents that say when they were made differ by that alone.
bool isWhole(const std::string& name, const std::string& bytes, const std::string& whole) {
  if (bytes == whole) return true;
  if (name.ends_with(".pdf"))
    return bytes.starts_with("%PDF") && bytes.find("%%EOF", bytes.size() - 16) != std::string::npos;
  if (name.ends_with(".edgetest")) return false;  // opened by the caller
  return name.find("library-") == 0 && json::accept(bytes);
}

struct Exporter {
  const char* name;
  std::string command;
  std::vector<std::string> over;  // files that stand before it
};

std::vector<Exporter> exporters(const TempFolder& inputs) {
  const std::string cli = EDGE_CLI, project = (inputs / "p.edgetest").string(),
                    recipe = (kDemo / "recipe.json").string();
  fs::copy_file(kDemo / kMeasured, project);
  fs::copy(kDemo / "last-year/curves", inputs / "curves", fs::copy_options::recursive);
  test::writeText(inputs / "scene.csv", "name,stops\nwindow,3\nwall,-2\n");
  const auto helper = [](const char* which) {
    return fmt::format("{} --gtest_also_run_disabled_tests --gtest_filter=FailingHelper.DISABLED_{}",
                       fs::read_symlink("/proc/self/exe").string(), which);
  };
  const std::string corrections = "EDGE_OUT=% EDGE_IN=" + project + " ";
  return {{"result", cli + " stops T4 T2.8 --out %/a.json", {"a.json"}},
          {"plan-csv", cli + " plan " + recipe + " --csv %/a.csv", {"a.csv"}},
          {"plan-json", cli + " plan " + recipe + " --json %/a.json", {"a.json"}},
          {"plan-pdf", cli + " plan " + recipe + " --pdf %/a.pdf", {"a.pdf"}},
          {"report-pdf", cli + " report " + project + " --no-stills --pdf %/a.pdf", {"a.pdf"}},
          {"report-html", cli + " report " + project + " --no-stills --html %/a.html", {"a.html"}},
          {"report-csv", cli + " report " + project + " --csv %", {"edge-board.csv", "takes.csv"}},
          {"report-json", cli + " report " + project + " --json %/a.json", {"a.json"}},
          {"scene",
           cli + " scene " + project + " --readings " + (inputs / "scene.csv").string() + " --out %/a.json",
           {"a.json"}},
          {"take-in", cli + " take-in " + project + " --library %", {}},
          {"repeat", cli + " repeat " + project + " --project %/b.edgetest", {}},
          {"copy", "EDGE_OUT=% EDGE_IN=" + project + " " + helper("SavesACopyAndTheLog"), {"log.csv"}},
          {"index", "XDG_CACHE_HOME=% " + cli + " library " + inputs.path().string(), {}},
          {"cdl", corrections + "EDGE_FORMAT=0 " + helper("WritesCorrections"), {}},
          {"clf", corrections + "EDGE_FORMAT=1 " + helper("WritesCorrections"), {}},
          {"cube", corrections + "EDGE_FORMAT=2 " + helper("WritesCorrections"), {}}};
}

constexpr const char* kOld = "as it was before";

void startFresh(const fs::path& out, const Exporter& e) {
  fs::remove_all(out);
  fs::create_directories(out);
  for (const auto& f : e.over) test::writeText(out / f, kOld);
}

// A file that SQLite keeps beside a project, and takes up when it is opened.
bool isBeside(const std::string& name) {
  return name.ends_with("-wal") || name.ends_with("-shm") || name.ends_with("-journal");
}

// Whatever lies there is what stood there before, or whole. mayLeave: pieces under a hidden name.
void expectSound(const fs::path& out, const Contents& whole, bool mayLeave, const std::string& when) {
  for (const auto& [name, bytes] : contentsOf(out)) {
    const bool hidden = fs::path(name).filename().string().starts_with(".");
    if (hidden) {
      EXPECT_TRUE(mayLeave) << when << " left " << name;
      continue;
    }
    if (isBeside(name)) continue;  // of a project, which is opened
    if (name.ends_with(".edgetest")) {
      EXPECT_TRUE(Project::open(out / name)->integrityProblems().empty()) << when << name;
      continue;
    }
    const auto good = whole.find(name);
    EXPECT_TRUE(bytes == kOld || (good != whole.end() && isWhole(name, bytes, good->second)))
        << when << ": " << name << " is torn, " << bytes.size() << " bytes";
  }
}

class CliDemoFailing : public ::testing::TestWithParam<const char*> {};

// Every write of every exporter; EDGE_STUDY: of those that write often too, else one in nine of these.
TEST_P(CliDemoFailing, NothingIsTornAndAFailureIsSaid) {
  const TempFolder inputs, folder;
  const std::string how = GetParam();
  const bool all = std::getenv("EDGE_STUDY") != nullptr;
  for (const auto& e : exporters(inputs)) {
    const fs::path out = folder / "out";
    startFresh(out, e);
    const Ended good = runUnder({nullptr, 0}, e.command, out);
    ASSERT_EQ(good.status, 0) << e.command << "\n" << good.err;
    const Contents whole = contentsOf(out);
    int faults = 0;
    for (std::int64_t n = 0;; n += all || n < 12 ? 1 : 9) {
      startFresh(out, e);
      const Ended ended = runUnder({GetParam(), n}, e.command, out);
      if (!ended.met) {
        EXPECT_EQ(ended.status, 0) << e.name << " without a fault: " << ended.err;
        break;
      }
      ++faults;
      const std::string when = fmt::format("{}, {} at call {}: {}", e.name, how, n, ended.err);
      if (how != "kill" && WEXITSTATUS(ended.status) != 0) {
        EXPECT_EQ(WEXITSTATUS(ended.status), 1) << when;
        EXPECT_TRUE(ended.err.find("room") != std::string::npos ||
                    ended.err.find("can't") != std::string::npos ||
                    ended.err.find("the disk fails") != std::string::npos)
            << when;
        EXPECT_EQ(ended.err.find("please report"), std::string::npos) << when;
        EXPECT_EQ(ended.err.find(".part"), std::string::npos) << "a name that nobody knows: " << when;
      }
      expectSound(out, whole, how == "kill", when);
      // Told that all is well: all is there, but for an index, which is only a convenience.
      if (how != "kill" && ended.status == 0 && std::string(e.name) != "index")
        for (const auto& [name, bytes] : whole)
          if (const auto now = contentsOf(out); !name.ends_with(".edgetest") && !isBeside(name)) {
            ASSERT_TRUE(now.count(name)) << when << name;
            EXPECT_TRUE(isWhole(name, now.at(name), bytes)) << when << name;
          }
      if (HasFailure()) return;
    }
    EXPECT_GT(faults, 0) << e.name;
    std::printf("%-12s %-5s %3d faults\n", e.name, how.c_str(), faults);
  }
}

INSTANTIATE_TEST_SUITE_P(Every, CliDemoFailing, ::testing::Values("full", "sync", "kill"),
                         [](const auto& info) { return std::string(info.param); });

// Run by the test above in processes of their own: what the window alone writes.
void asProgram(const std::function<void(const Project&, const fs::path& out)>& write) {
  try {
    write(*Project::read(std::getenv("EDGE_IN")), std::getenv("EDGE_OUT"));
  } catch (const Error& e) {
    std::fprintf(stderr, "error: %s\n", e.what());
    std::_Exit(1);
  }
}

TEST(FailingHelper, DISABLED_WritesCorrections) {
  asProgram([](const Project& p, const fs::path& out) {
    const auto measure = latitudeFromJson(p.anyResult(p.configurations().front().id, "latitude")->value);
    (void)writeCorrections(out, static_cast<CorrectionFormat>(std::atoi(std::getenv("EDGE_FORMAT"))), measure,
                           "acescct");
  });
}

TEST(FailingHelper, DISABLED_SavesACopyAndTheLog) {
  asProgram([](const Project& p, const fs::path& out) {
    saveCopy(p, out / "copy.edgetest");
    writeFileAtomically(out / "log.csv", logCsv(std::vector<LogEntry>(50)));
  });
}

}  // namespace
}  // namespace edge
