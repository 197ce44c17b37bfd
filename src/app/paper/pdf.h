// One way to write a PDF: landscape, no margins, drawn in units of 1/96 inch, replaced only when whole.
#pragma once
#include <QPageSize>
#include <QString>
#include <filesystem>
#include <functional>

class QPainter;
class QPdfWriter;

namespace edge::app {

struct Paper {
  QPageSize::PageSizeId size;
  double width;  // of the page in 1/96 inch
};

// Errors: can't write.
void writePdf(const std::filesystem::path& file, const QString& title, const Paper& paper,
              const std::function<void(QPainter&, QPdfWriter&)>& draw);

}  // namespace edge::app
