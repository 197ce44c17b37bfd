#include "report/board.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/numbers.h"
#include "report/protocols.h"

namespace edge {
namespace {

bool fits(const Finding& f, const std::vector<std::string>& words) {
  const std::string text = lower(f.configuration.label() + " " + f.configuration.light);
  return std::all_of(words.begin(), words.end(),
                     [&](const std::string& w) { return text.find(lower(w)) != std::string::npos; });
}

// What is sorted by, more is better; nothing: not measured.
std::optional<double> figureOf(const Finding& f, BoardSort sort) {
  const auto stops = [](const std::optional<Limit>& l) { return l ? std::optional(l->stops) : std::nullopt; };
  if (sort == BoardSort::Range) return f.range ? stops(f.range->headline) : std::nullopt;
  if (!f.latitude) return std::nullopt;
  const Edges& e = f.latitude->edges;
  switch (sort) {
    case BoardSort::Latitude:
      return stops(e.latitude);
    case BoardSort::UpperEdge:
      return e.over.estimate ? std::optional(e.over.estimate->stops + f.baseAboveGrey) : std::nullopt;
    case BoardSort::LowerEdge:
      return e.under.estimate ? std::optional(-e.under.estimate->stops - f.baseAboveGrey) : std::nullopt;
    default:
      return std::nullopt;
  }
}

}  // namespace

const std::vector<BoardSortSpec>& boardSorts() {
  static const std::vector<BoardSortSpec> list = {{BoardSort::AsTested, "as tested"},
                                                  {BoardSort::Latitude, "by latitude"},
                                                  {BoardSort::Range, "by range"},
                                                  {BoardSort::UpperEdge, "by upper edge"},
                                                  {BoardSort::LowerEdge, "by lower edge"}};
  return list;
}

std::vector<BoardGroup> boardOf(const std::vector<Finding>& findings, BoardSort sort,
                                const std::string& filter) {
  const auto words = splitWords(filter);
  struct Group {
    std::optional<Protocol> protocol;
    std::vector<size_t> rows;
  };
  std::vector<Group> groups;
  for (size_t i = 0; i < findings.size(); ++i) {
    if (!fits(findings[i], words)) continue;
    auto protocol = protocolOf(findings[i].configuration);
    const auto same = std::find_if(groups.begin(), groups.end(), [&](const Group& g) {
      return g.protocol.has_value() == protocol.has_value() &&
             (!protocol || g.protocol->key == protocol->key);
    });
    if (same != groups.end())
      same->rows.push_back(i);
    else
      groups.push_back({std::move(protocol), {i}});
  }
  std::stable_sort(groups.begin(), groups.end(),
                   [](const Group& a, const Group& b) { return a.rows.size() > b.rows.size(); });
  std::vector<BoardGroup> out;
  for (auto& g : groups) {
    std::stable_sort(g.rows.begin(), g.rows.end(), [&](size_t a, size_t b) {
      const auto x = figureOf(findings[a], sort), y = figureOf(findings[b], sort);
      return x.has_value() != y.has_value() ? x.has_value() : x && *x > *y;
    });
    BoardGroup one{"", std::move(g.rows)};
    const auto& first = groups.front().protocol;
    if (!out.empty())
      one.differs = g.protocol && first
                        ? fmt::format("{}", fmt::join(protocolDifferences(*g.protocol, *first), "; "))
                        : std::string("the protocol of these, or of those above, was not kept");
    out.push_back(std::move(one));
  }
  return out;
}

}  // namespace edge
