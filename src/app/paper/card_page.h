// Exposure cards and the edge board on paper, and the same drawing as a preview.
#pragma once
#include <QImage>
#include <filesystem>

#include "report/findings.h"

namespace edge::app {

// One card as a picture of this width, for the preview.
[[nodiscard]] QImage cardPreview(const Finding& finding, int width, double pixelRatio);

// A PDF: the edge board first, then a card a page (A5 landscape). Needs a QGuiApplication. Errors: can't
// write.
void writeReportPdf(const std::filesystem::path& file, const std::vector<Finding>& findings,
                    const QString& title);
// One card only.
void writeCardPdf(const std::filesystem::path& file, const Finding& finding, const QString& title);

}  // namespace edge::app
