// The order of the edge board: like beside like, sorted, filtered. Rows shot by another protocol than most
// stand apart, with what differs: they are never ranked among the others.
#pragma once
#include "report/findings.h"

namespace edge {

enum class BoardSort { AsTested, Latitude, Range, UpperEdge, LowerEdge };
struct BoardSortSpec {
  BoardSort id;
  const char* words;
};
[[nodiscard]] const std::vector<BoardSortSpec>& boardSorts();

struct BoardGroup {
  std::string differs;       // from the first group; empty: the first, or nothing is known of either
  std::vector<size_t> rows;  // of the findings, best first; what was not measured last
};
// filter: words that all must stand in body, mode, ISO or light, any case. Groups by size, then as tested.
[[nodiscard]] std::vector<BoardGroup> boardOf(const std::vector<Finding>& findings, BoardSort sort,
                                              const std::string& filter);

}  // namespace edge
