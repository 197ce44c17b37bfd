// The report on paper, A5 landscape: edge board, what is not established, situations, context, blind reviews;
// then cards with their stills; then every take, limits, method.
#pragma once
#include "paper/card_page.h"
#include "paper/still_picture.h"

namespace edge::app {

// Needs a QGuiApplication. Errors: can't write.
void writeReportPdf(const std::filesystem::path& file, const Report& report);

}  // namespace edge::app
