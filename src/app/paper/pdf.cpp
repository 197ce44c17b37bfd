#include "paper/pdf.h"

#include <QPainter>
#include <QPdfWriter>
#include <fstream>

#include "base/error.h"
#include "base/files.h"

namespace edge::app {
namespace {

// ISO 32000-1, 7.5.5: the last line of a PDF is its end mark.
bool endsWhole(const std::filesystem::path& file) {
  std::error_code ec;
  const auto size = std::filesystem::file_size(file, ec);
  constexpr std::uintmax_t kTail = 32;
  if (ec || size < kTail) return false;
  std::ifstream in(file, std::ios::binary);
  in.seekg(static_cast<std::streamoff>(size - kTail));
  std::string tail(kTail, '\0');
  in.read(tail.data(), kTail);
  return tail.find("%%EOF") != std::string::npos;
}

}  // namespace

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
    // A full disk is not told to the painter: the end of the file tells.
    if (!endsWhole(temporary))
      throw Error("no room left to write the PDF", file.string(), "",
                  "free some space and repeat; the earlier file is untouched");
  });
}

}  // namespace edge::app
