#include "recover/correction_files.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "base/error.h"
#include "base/numbers.h"
#include "color/look_files.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

constexpr const char* kExtensions[] = {".cdl", ".clf", ".cube"};

// Lowest code of each channel among the take's patches, as shot.
Vec3 lowestCodes(const TakeMetrics& headline, const Curve& log) {
  Vec3 low{1, 1, 1};
  for (const auto& [patch, code] : headline.codes)
    for (size_t c = 0; c < 3; ++c) {
      const double linear = log.toLinear(code[c]) * headline.k() + headline.q();
      low[c] = std::min(low[c], log.toCode(linear));
    }
  return low;
}

std::optional<Cdl> cdlOf(const TakeMetrics& m, const Curve& log, const Vec3& low) {
  const Correction& c = m.solved.correction;
  if (c.branch == Branch::Grade) return c.cdl;
  return asCdl([&](const Vec3& code) { return c.code(code, log); }, low);
}

// "a-grade-2.cdl" where "a-grade.cdl" was written a moment ago for a take of nearly the same name.
fs::path unused(const fs::path& file, const std::vector<fs::path>& written) {
  fs::path free = file;
  for (int n = 2; std::find(written.begin(), written.end(), free) != written.end(); ++n)
    free = file.parent_path() / fmt::format("{}-{}{}", file.stem().string(), n, file.extension().string());
  return free;
}

std::string describe(const TakeMetrics& m, const std::string& encoding) {
  return fmt::format("take {} ({} stops), {}; {} code in and out", m.name, formatSigned(m.planned, 2),
                     specOf(m.solved.correction.branch).words, encoding);
}

void writeOne(const fs::path& file, CorrectionFormat format, const TakeMetrics& m, const Curve& log,
              const NamedCdl& look) {
  const Correction& c = m.solved.correction;
  const CodeMap map = [&](const Vec3& code) { return c.code(code, log); };
  if (format == CorrectionFormat::Cdl)
    writeCdl(file, look);
  else if (format == CorrectionFormat::Cube)
    c.perChannel() ? writeCube(file, look.description, map) : writeLattice(file, look.description, map);
  else if (c.perChannel())
    writeClf(file, look.id, look.description, map);
  else
    writeClf(file, look);
}

}  // namespace

std::string correctionFileName(const std::string& take, Branch branch, CorrectionFormat format) {
  std::string name = take.empty() ? "take" : take;
  for (char& c : name)
    if (!std::isalnum(static_cast<unsigned char>(c)) && c != '.' && c != '-' && c != '_' && c != '+') c = '_';
  if (name.front() == '.') name.front() = '_';
  return name + "-" + specOf(branch).key + kExtensions[static_cast<int>(format)];
}

CorrectionFiles writeCorrections(const fs::path& folder, CorrectionFormat format,
                                 const LatitudeMeasure& measure, const std::string& logEncoding) {
  std::error_code failed;
  fs::create_directories(folder, failed);
  if (failed)
    throw Error("the folder can't be made: " + failed.message(), folder.string(), "",
                "choose another folder");
  const auto log = makeCurve(logEncoding).curve;
  const std::string encoding = fs::path(logEncoding).filename().string();
  CorrectionFiles out;
  std::vector<NamedCdl> all;
  for (size_t i = 0; i < measure.takes.size(); ++i) {
    const TakeMetrics& headline = measure.takes[i];
    if (!headline.measured) continue;
    const Vec3 low = lowestCodes(headline, *log);
    for (const auto& spec : branches()) {
      const TakeMetrics* m = measure.of(i, spec.id);
      if (!m) continue;
      const fs::path file = unused(folder / correctionFileName(m->name, spec.id, format), out.written);
      NamedCdl look{file.stem().string(), describe(*m, encoding), {}};
      if (format == CorrectionFormat::Cdl) {
        const auto cdl = cdlOf(*m, *log, low);
        if (!cdl) {
          out.warnings.push_back({"not-a-cdl",
                                  fmt::format("{} is no slope and offset on {} code: it is written as CLF or "
                                              ".cube, not as CDL",
                                              spec.words, encoding),
                                  "take " + m->name});
          continue;
        }
        look.cdl = *cdl;
        all.push_back(look);
      } else {
        look.cdl = m->solved.correction.cdl;
      }
      writeOne(file, format, *m, *log, look);
      out.written.push_back(file);
    }
  }
  if (format == CorrectionFormat::Cdl && !all.empty()) {
    writeCdlCollection(folder / "corrections.ccc", all);
    out.written.push_back(folder / "corrections.ccc");
  }
  return out;
}

}  // namespace edge
