// Faults as they come, made as files, each with the answer that is expected of the command line: an error of
// one line that names the file, the place and a remedy, or a warning in the result. None may go unexplained,
// hang or fill memory.
#pragma once
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sys/resource.h>

#include <chrono>
#include <nlohmann/json.hpp>
#include <random>

#include "base/files.h"
#include "base/numbers.h"
#include "media/writers.h"
#include "support/support.h"

namespace edge::test {

namespace fs = std::filesystem;
using nlohmann::json;

inline constexpr int kWidth = 64, kHeight = 48;

// Files of one fault in their folder; gives the arguments of the command that meets it.
using Make = std::function<std::string(const fs::path& folder)>;

struct Fault {
  const char* name;
  Make make;
  int exit;                       // 0: said as a warning
  std::vector<const char*> says;  // all of them, in the error or in the result
};

inline std::string quoted(const fs::path& p) {
  return "'" + p.string() + "'";
}

inline fs::path picture(const fs::path& file, int channels = 3, int bits = 16, float level = 0.25F) {
  test::writeImage(file, kWidth, kHeight, channels,
                   std::vector<float>(static_cast<size_t>(channels) * kWidth * kHeight, level), bits);
  return file;
}

inline fs::path movie(const fs::path& file, int frames = 6) {
  std::mt19937 random(1);
  std::vector<std::uint16_t> codes(kWidth * kHeight), chroma(kWidth / 2 * kHeight, 512);
  MovieWriter w(file, kWidth, kHeight, 24);
  for (int n = 0; n < frames; ++n) {
    for (auto& c : codes) c = static_cast<std::uint16_t>(300 + random() % 300);
    w.add(codes, chroma, chroma);
  }
  w.finish();
  return file;
}

inline void cut(const fs::path& file, double share) {
  fs::resize_file(file, static_cast<std::uintmax_t>(static_cast<double>(fs::file_size(file)) * share));
}

inline void put(const fs::path& file, size_t at, const std::string& bytes) {
  std::string all = readText(file);
  all.replace(at, bytes.size(), bytes);
  writeText(file, all);
}

inline json goodChart() {
  json patches = json::array();
  for (int i = 0; i < 2; ++i) {
    const double x = 32.0 * i;
    patches.push_back({{"name", std::to_string(i + 1)},
                       {"corners", {{x, 0}, {x + 32, 0}, {x + 32, 48}, {x, 48}}},
                       {"stops", -i}});
  }
  return {{"format", "edge-test-chart"},
          {"version", 1},
          {"kind", "wedge"},
          {"reference", {{"width", kWidth}, {"height", kHeight}}},
          {"patches", patches}};
}

inline Make text(const char* name, const std::string& bytes, const char* command) {
  return [=](const fs::path& f) {
    writeText(f / name, bytes);
    std::string words = command;
    words.replace(words.find('%'), 1, quoted(f / name));
    return words;
  };
}

inline void meet(const Fault& fault) {
  const TempFolder folder;
  fs::create_directories(folder / "f");
  const std::string arguments = fault.make(folder / "f");
  const auto start = std::chrono::steady_clock::now();
  // Whatever it is: 600 MB more than the program itself, and 20 seconds.
  const auto r = test::runCli(arguments);
  const std::chrono::duration<double> took = std::chrono::steady_clock::now() - start;
  const std::string said = fault.exit == 0 ? r.out : r.err;
  std::printf("| %s | %d | %s |\n", fault.name, r.exit, fault.exit == 0 ? "warned" : trim(r.err).c_str());
  EXPECT_EQ(r.exit, fault.exit) << fault.name << ": " << r.err;
  EXPECT_LT(took.count(), 20) << fault.name;
  for (const char* words : fault.says)
    EXPECT_NE(said.find(words), std::string::npos)
        << fault.name << " says nothing of \"" << words << "\": " << said;
  if (fault.exit != 1) return;
  EXPECT_EQ(std::count(r.err.begin(), r.err.end(), '\n'), 1) << fault.name << ": " << r.err;
  EXPECT_TRUE(r.err.starts_with("error: ")) << r.err;
  EXPECT_EQ(r.err.find("please report"), std::string::npos) << r.err;
  EXPECT_LE(r.err.size(), 420U) << r.err;
}

// The most that any process took so far; the command line itself takes some 150 MB of it.
inline void expectLittleMemory() {
  rusage children{};
  getrusage(RUSAGE_CHILDREN, &children);
  EXPECT_LT(children.ru_maxrss, 600 * 1024) << "kilobytes";
}

// All of them, and none took much memory.
inline void meetAll(const std::vector<Fault>& faults) {
  for (const auto& fault : faults) meet(fault);
  expectLittleMemory();
}

}  // namespace edge::test
