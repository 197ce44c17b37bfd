// The same targets without a fuzzer, with any compiler: everything in a folder (corpus, findings) once, and
// damaged copies of it, seeded. In every run of the tests.
//   edge_fuzz_replay FOLDER [DAMAGED COPIES OF EACH [MEGABYTES AT MOST]]      FOLDER/TARGET/*
#include <sys/resource.h>

#include <algorithm>
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
    std::printf("%s: %zu files, %zu runs, %ld MB at most\n", target.name, files.size(), runs,
                peakMegabytes());
    std::fflush(stdout);
    if (most > 0 && peakMegabytes() > most) return std::fprintf(stderr, "more than %ld MB\n", most), 1;
    all += files.size();
  }
  return all > 0 ? 0 : 1;
}
