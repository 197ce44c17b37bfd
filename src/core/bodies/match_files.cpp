#include "bodies/match_files.h"

#include <fmt/format.h>

#include "color/look_files.h"

namespace fs = std::filesystem;

namespace edge {

std::vector<fs::path> writeMatch(const fs::path& folder, CorrectionFormat format, const TwoBodies& t) {
  fs::create_directories(folder);
  std::vector<fs::path> written;
  const BodyMatch& m = t.match;
  const auto log = makeCurve(m.logEncoding).curve;
  const std::string description =
      fmt::format("takes the second body to the first; {} code in and out", m.logEncoding);
  if (format == CorrectionFormat::Cube) {
    written.push_back(folder / "b-to-a-matrix.cube");
    writeLattice(written.back(), "matrix: " + description, [&](const Vec3& code) {
      const Vec3 light =
          multiply(m.matrix, Vec3{log->toLinear(code[0]), log->toLinear(code[1]), log->toLinear(code[2])});
      return Vec3{log->toCode(light[0]), log->toCode(light[1]), log->toCode(light[2])};
    });
  }
  if (!m.grade) return written;
  const NamedCdl look{"b-to-a", "CDL: " + description, m.grade->correction.cdl};
  if (format == CorrectionFormat::Cdl)
    written.push_back(folder / "b-to-a.cdl"), writeCdl(written.back(), look);
  else if (format == CorrectionFormat::Clf)
    written.push_back(folder / "b-to-a.clf"), writeClf(written.back(), look);
  else
    written.push_back(folder / "b-to-a-cdl.cube"),
        writeLattice(written.back(), look.description,
                     [&](const Vec3& code) { return look.cdl.apply(code); });
  return written;
}

}  // namespace edge
