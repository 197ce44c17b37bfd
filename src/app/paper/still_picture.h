// Stills for the report, their identity burnt in: the whole frame, and the face pixel for pixel.
#pragma once
#include <QImage>

#include "advise/report_page.h"
#include "report/stills.h"

namespace edge::app {

inline constexpr int kStillWidth = 754, kStillHeight = 304;
// Needs a QGuiApplication; runs in any thread.
[[nodiscard]] QImage stillPicture(const Picture& picture, const Still& still);
// Renders those of every finding into the report; what can't be rendered is said in report.missing.
void addStills(Report& report, const std::filesystem::path& folder, const Progress& progress);

}  // namespace edge::app
