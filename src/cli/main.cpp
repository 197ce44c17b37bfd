#include <fmt/format.h>
#include <csignal>

#include <cstdio>
#include <exception>

#include "command.h"

namespace {

// CLI11 ends --help and usage errors by exceptions of its own.
int runParser(CLI::App& app, int argc, char** argv) {
  try {
    app.parse(argc, argv);
    return 0;
  } catch (const CLI::ParseError& e) {
    return app.exit(e) == 0 ? 0 : 2;
  }
}

}  // namespace

int main(int argc, char** argv) {
  std::signal(SIGXFSZ, SIG_IGN);  // a file that may grow no further is an error like a full disk
  using namespace edge::cli;
  CLI::App app{"Edge Test: dynamic range, latitude and noise floor from chart and face tests",
               "edge-test-cli"};
  app.set_version_flag("--version", EDGE_TEST_VERSION);
  app.require_subcommand(1);
  Common common;
  for (auto* add :
       {addStops, addCurve, addCurveFit, addProbe, addRange, addTransfer, addLatitude, addBodies, addNoise,
        addPlan, addBegin, addMatch, addDemo, addReport, addScene, addLibrary, addCheck})
    add(app, common);
  try {
    return runParser(app, argc, argv);
  } catch (const edge::UsageError& e) {
    fmt::print(stderr, "error: {}\n", e.what());
    return 2;
  } catch (const edge::Error& e) {
    fmt::print(stderr, "error: {}\n", e.what());
    return 1;
  } catch (const std::bad_alloc&) {
    fmt::print(stderr, "error: not enough memory: close other programs or measure fewer frames\n");
    return 1;
  } catch (const std::exception& e) {
    fmt::print(stderr, "error: {}: please report this with the input\n", e.what());
    return 1;
  }
}
