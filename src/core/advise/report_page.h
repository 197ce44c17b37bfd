// The report: first what a producer reads in a minute, then what an engineer checks. As one web page, no
// script, nothing fetched; it prints. As data. Its sections stand on paper, too.
#pragma once
#include "advise/situations.h"
#include "report/context.h"
#include "review/session_report.h"

namespace edge {

struct ReportStill {
  std::int64_t configuration = 0;
  std::string identity;  // as it is burnt in
  std::string jpeg;      // in base64 (RFC 4648)
};
struct ReportReview {
  BlindSession session;
  SessionReport report;
};
struct Report {
  std::string title;
  std::vector<Finding> findings;  // with what noise says (addNoise)
  std::vector<DecisionRow> decisions;
  std::vector<ContextRow> context;    // empty: nothing was typed
  std::vector<ReportReview> reviews;  // of blind sessions that were unsealed
  std::vector<ReportStill> stills;
  std::vector<std::string> missing;  // stills that could not be made, and why
};
// All but stills.
[[nodiscard]] Report reportOf(const Project& project, std::vector<Finding> findings);

[[nodiscard]] std::string reportPage(const Report& report);
// findingsJson with cards, decision table, context, reviews, and the identities of stills.
[[nodiscard]] nlohmann::json reportJson(const Report& report);

// Fragments of HTML without pictures: what is not established, situations, context, blind reviews.
[[nodiscard]] std::string reportFront(const Report& report);
// Protocols, every take with its verdicts, limits, method.
[[nodiscard]] std::string reportBack(const Report& report);
inline constexpr const char* kScreenLegend =
    "Left: the whole frame. Right: the face, pixel for pixel. To be judged on a calibrated screen alone.";

}  // namespace edge
