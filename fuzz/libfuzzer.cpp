// The driver under libFuzzer: EDGE_FUZZ names the target. Where its first byte chooses among several readers,
// NAME:K keeps to reader K: mixed, inputs for the reader with the most branches crowd the corpus (of what is
// typed somewhere nine runs of ten went to the pasted list).
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <string>

#include "base/parallel.h"
#include "target.h"

namespace {
const edge::fuzz::Target* chosen = nullptr;
int reader = -1;  // any
}  // namespace

extern "C" int LLVMFuzzerInitialize(int*, char***) {
  edge::setThreads(1);  // starting threads would cost more than reading small files
  const char* asked = std::getenv("EDGE_FUZZ");
  std::string name = asked ? asked : "";
  if (const auto colon = name.find(':'); colon != std::string::npos) {
    reader = std::atoi(name.c_str() + colon + 1) & 0xff;
    name.resize(colon);
  }
  for (const auto& t : edge::fuzz::targets())
    if (name == t.name) chosen = &t;
  if (!chosen) {
    std::fprintf(stderr, "EDGE_FUZZ must name one of:");
    for (const auto& t : edge::fuzz::targets()) std::fprintf(stderr, " %s", t.name);
    std::fprintf(stderr, "\n");
    std::exit(2);
  }
  return 0;
}

extern "C" std::size_t LLVMFuzzerMutate(std::uint8_t* data, std::size_t size, std::size_t most);

extern "C" std::size_t LLVMFuzzerCustomMutator(std::uint8_t* data, std::size_t size, std::size_t most,
                                               unsigned int) {
  if (reader < 0 || size == 0 || most < 2) return LLVMFuzzerMutate(data, size, most);
  data[0] = static_cast<std::uint8_t>(reader);
  return 1 + LLVMFuzzerMutate(data + 1, size - 1, most - 1);
}

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  edge::fuzz::runOnce(*chosen, {reinterpret_cast<const char*>(data), size});
  return 0;
}
