#include "paper/pdf.h"

#include <QPainter>
#include <QPdfWriter>

#include "base/error.h"
#include "base/files.h"

namespace edge::app {

void writePdf(const std::filesystem::path& file, const QString& title, const Paper& paper,
              const std::function<void(QPainter&, QPdfWriter&)>& draw) {
  writeFileAtomically(file, [&](const std::filesystem::path& temporary) {
    QPdfWriter writer(QString::fromStdString(temporary.string()));
    writer.setPageSize(QPageSize(paper.size));
    writer.setPageOrientation(QPageLayout::Landscape);
    writer.setPageMargins(QMarginsF(0, 0, 0, 0));
    writer.setResolution(1200);
    writer.setTitle(title);
    writer.setCreator("Edge Test");
    QPainter p;
    if (!p.begin(&writer))
      throw Error("can't write the PDF", file.string(), "", "check free space and permission");
    p.scale(writer.width() / paper.width, writer.width() / paper.width);
    draw(p, writer);
    if (!p.end()) throw Error("can't write the PDF", file.string(), "", "check free space and permission");
  });
}

}  // namespace edge::app
