// What an unsealed session says, as a page.
#pragma once
#include <string>

#include "review/session_report.h"

namespace edge {

// Said wherever eyes judge.
inline constexpr const char* kScreenUnknown =
    "The screen is not calibrated from here: judge on one that is, in a dim room.";

// A fragment of HTML.
[[nodiscard]] std::string reviewHtml(const BlindSession& session, const SessionReport& report);
// "Accepted up to 2.3 (1.9 to 2.6), usable up to 4.8 (4.1 to 5.6)"; says what the answers don't bound.
[[nodiscard]] std::string thresholdWords(const std::optional<ThresholdFit>& fit, bool rising,
                                         const std::string& unit = "");

}  // namespace edge
