// The driver under libFuzzer: EDGE_FUZZ names the target.
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <cstring>

#include "base/parallel.h"
#include "target.h"

namespace {
const edge::fuzz::Target* chosen = nullptr;
}

extern "C" int LLVMFuzzerInitialize(int*, char***) {
  edge::setThreads(1);  // starting threads would cost more than reading small files
  const char* name = std::getenv("EDGE_FUZZ");
  for (const auto& t : edge::fuzz::targets())
    if (name && std::strcmp(t.name, name) == 0) chosen = &t;
  if (!chosen) {
    std::fprintf(stderr, "EDGE_FUZZ must name one of:");
    for (const auto& t : edge::fuzz::targets()) std::fprintf(stderr, " %s", t.name);
    std::fprintf(stderr, "\n");
    std::exit(2);
  }
  return 0;
}

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  edge::fuzz::runOnce(*chosen, {reinterpret_cast<const char*>(data), size});
  return 0;
}
