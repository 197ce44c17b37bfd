// Exposure cards and the edge board on paper, and the same drawing as a preview.
#pragma once
#include <QImage>
#include <filesystem>
#include <functional>

#include "report/findings.h"

class QPainter;

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

// Onto a page of A5 landscape in units of 1/96 inch that is begun; the edge board takes as many as it needs.
inline constexpr double kPageWidth = 794, kPageHeight = 559, kPageMargin = 36;
void drawBoardPages(QPainter& p, const std::vector<Finding>& findings, const QString& title,
                    const std::function<void()>& newPage);
void drawCardPages(QPainter& p, const Finding& finding, const QString& title,
                   const std::function<void()>& newPage);
void drawPageHeader(QPainter& p, const QString& title, const QString& subtitle);
// Cards only; what is too long for one goes on over the page, nothing is dropped.
void writeCardsPdf(const std::filesystem::path& file, const std::vector<Finding>& findings,
                   const QString& title, CardPaper paper);

}  // namespace edge::app
