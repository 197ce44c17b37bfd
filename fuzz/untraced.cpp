// In place of libFuzzer's own (--wrap in CMakeLists.txt): comparisons are not looked at.
#include <cstdint>

#define EDGE_UNTRACED(name, type) \
  extern "C" void __wrap___sanitizer_cov_trace_##name(type, type) {}

EDGE_UNTRACED(cmp1, std::uint8_t)
EDGE_UNTRACED(cmp2, std::uint16_t)
EDGE_UNTRACED(cmp4, std::uint32_t)
EDGE_UNTRACED(cmp8, std::uint64_t)
EDGE_UNTRACED(const_cmp1, std::uint8_t)
EDGE_UNTRACED(const_cmp2, std::uint16_t)
EDGE_UNTRACED(const_cmp4, std::uint32_t)
EDGE_UNTRACED(const_cmp8, std::uint64_t)
