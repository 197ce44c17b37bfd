// The same targets without a fuzzer, with any compiler: everything in a folder (corpus, findings) once, and
// damaged copies of it, seeded; and long texts. In every run of the tests.
//   edge_fuzz_replay FOLDER [DAMAGED COPIES OF EACH [MEGABYTES AT MOST]]      FOLDER/TARGET/*
#include <sys/resource.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <random>

#include "target.h"

namespace fs = std::filesystem;

namespace {

std::string bytesOf(const fs::path& file) {
  std::ifstream in(file, std::ios::binary);
  return {std::istreambuf_iterator<char>(in), {}};
}

// A few bytes changed, cut out or put in twice.
std::string damaged(std::string bytes, std::mt19937_64& random) {
  for (std::uint64_t k = 1 + random() % 4; k > 0 && !bytes.empty(); --k) {
    const size_t at = random() % bytes.size(), n = 1 + random() % std::min<size_t>(16, bytes.size() - at);
    switch (random() % 3) {
      case 0:
        bytes[at] = static_cast<char>(random());
        break;
      case 1:
        bytes.erase(at, n);
        break;
      default:
        bytes.insert(at, bytes.substr(at, n));
    }
  }
  return bytes;
}

long peakMegabytes() {
  rusage used{};
  getrusage(RUSAGE_SELF, &used);
  return used.ru_maxrss / 1024;
}

// A megabyte of one thing, for readers of text: work that grows with the square of a length is found here,
// and by no fuzzer, whose inputs are short. The first byte chooses where a target has several readers.
bool readsLongTexts(const edge::fuzz::Target& target) {
  using Clock = std::chrono::steady_clock;
  constexpr size_t kBytes = 1'000'000;
  constexpr auto kMost = std::chrono::seconds(10);
  constexpr int kReaders = 7;
  for (const std::string often : {"a ", "1 ", "+1;", "a\n", "1,1\n", "[", "{\"a\":", "\"", "1", "iso ",
                                  "ISO800 T2.8 ", "take ", "-", ".", "\u2212"})
    for (int reader = 0; reader < kReaders; ++reader) {
      std::string text(1, static_cast<char>(reader));
      while (text.size() < kBytes) text += often;
      const auto began = Clock::now();
      edge::fuzz::runOnce(target, text);
      const auto took = std::chrono::duration_cast<std::chrono::milliseconds>(Clock::now() - began);
      if (took > kMost)
        return std::fprintf(stderr, "%s: a megabyte of \"%s\" after byte %d took %lld ms\n", target.name,
                            often.c_str(), reader, static_cast<long long>(took.count())),
               false;
    }
  return true;
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 2) return std::fprintf(stderr, "usage: edge_fuzz_replay FOLDER [COPIES [MEGABYTES]]\n"), 2;
  const int copies = argc > 2 ? std::atoi(argv[2]) : 0;
  const long most = argc > 3 ? std::atol(argv[3]) : 0;  // 0: no limit
  size_t all = 0;
  for (const auto& target : edge::fuzz::targets()) {
    std::vector<fs::path> files;
    if (const fs::path folder = fs::path(argv[1]) / target.name; fs::is_directory(folder))
      for (const auto& e : fs::directory_iterator(folder)) files.push_back(e.path());
    std::sort(files.begin(), files.end());
    std::mt19937_64 random(42);
    size_t runs = 0;
    for (const auto& file : files) {
      const std::string bytes = bytesOf(file);
      edge::fuzz::runOnce(target, bytes), ++runs;
      for (int n = 0; n < copies; ++n) edge::fuzz::runOnce(target, damaged(bytes, random)), ++runs;
    }
    if (target.kind == edge::fuzz::Kind::Text && !readsLongTexts(target)) return 1;
    std::printf("%s: %zu files, %zu runs, %ld MB at most\n", target.name, files.size(), runs,
                peakMegabytes());
    std::fflush(stdout);
    if (most > 0 && peakMegabytes() > most) return std::fprintf(stderr, "more than %ld MB\n", most), 1;
    all += files.size();
  }
  return all > 0 ? 0 : 1;
}
