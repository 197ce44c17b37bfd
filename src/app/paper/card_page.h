// Exposure cards and the edge board on paper, and the same drawing as a preview.
#pragma once
#include <QImage>
#include <filesystem>

#include "report/findings.h"

namespace edge::app {

// How cards come: a page each, a page a body, or four on a sheet.
enum class CardPaper { A5, A6, Body, Sheet };
struct CardPaperSpec {
  CardPaper id;
  const char* words;
};
[[nodiscard]] const std::vector<CardPaperSpec>& cardPapers();

// One card as a picture of this width, for the preview.
[[nodiscard]] QImage cardPreview(const Finding& finding, int width, double pixelRatio);

// A PDF: the edge board first, then a card a page (A5 landscape). Needs a QGuiApplication. Errors: can't
// write.
void writeReportPdf(const std::filesystem::path& file, const std::vector<Finding>& findings,
                    const QString& title);
// Cards only; what is too long for one goes on over the page, nothing is dropped.
void writeCardsPdf(const std::filesystem::path& file, const std::vector<Finding>& findings,
                   const QString& title, CardPaper paper);

}  // namespace edge::app
