#include "color/look_files.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/files.h"
#include "base/markup.h"

namespace edge {
namespace {

std::string numbers(const Vec3& v) {
  return fmt::format("{:.9g} {:.9g} {:.9g}", v[0], v[1], v[2]);
}

constexpr const char* kHead = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n";

std::string nodesOf(const Cdl& c, const std::string& indent) {
  return fmt::format(
      "{0}<SOPNode>\n{0}  <Slope>{1}</Slope>\n{0}  <Offset>{2}</Offset>\n{0}  "
      "<Power>{3}</Power>\n{0}</SOPNode>\n"
      "{0}<SatNode>\n{0}  <Saturation>{4:.9g}</Saturation>\n{0}</SatNode>\n",
      indent, numbers(c.slope), numbers(c.offset), numbers(c.power), c.saturation);
}

std::string correctionOf(const NamedCdl& look, const std::string& indent) {
  std::string s = fmt::format("{}<ColorCorrection id=\"{}\">\n", indent, escapedMarkup(look.id));
  if (!look.description.empty())
    s += fmt::format("{}  <Description>{}</Description>\n", indent, escapedMarkup(look.description));
  return s + nodesOf(look.cdl, indent + "  ") + indent + "</ColorCorrection>\n";
}

std::string clfHead(const std::string& id, const std::string& description) {
  return fmt::format(
      "{}<ProcessList xmlns=\"urn:AMPAS:CLF:v3.0\" id=\"{}\" compCLFversion=\"3.0\">\n"
      "  <Description>{}</Description>\n",
      kHead, escapedMarkup(id), escapedMarkup(description));
}

// Titles of .cube files stand in quotes on one line.
std::string titleOf(std::string text) {
  std::replace_if(
      text.begin(), text.end(), [](char c) { return c == '"' || c == '\n' || c == '\r'; }, ' ');
  return text;
}

std::string rows(const CodeMap& map) {
  std::string s;
  for (int i = 0; i < kCurvePoints; ++i) {
    const double x = i / (kCurvePoints - 1.0);
    const Vec3 v = map({x, x, x});
    s += fmt::format("{:.7f} {:.7f} {:.7f}\n", v[0], v[1], v[2]);
  }
  return s;
}

}  // namespace

void writeCdl(const std::filesystem::path& file, const NamedCdl& look) {
  writeFileAtomically(file,
                      fmt::format("{}<ColorDecisionList xmlns=\"urn:ASC:CDL:v1.2\">\n  <ColorDecision>\n{}"
                                  "  </ColorDecision>\n</ColorDecisionList>\n",
                                  kHead, correctionOf(look, "    ")));
}

void writeCdlCollection(const std::filesystem::path& file, const std::vector<NamedCdl>& looks) {
  std::string corrections;
  for (const auto& look : looks) corrections += correctionOf(look, "  ");
  writeFileAtomically(file, fmt::format("{}<ColorCorrectionCollection xmlns=\"urn:ASC:CDL:v1.2\">\n{}"
                                        "</ColorCorrectionCollection>\n",
                                        kHead, corrections));
}

void writeClf(const std::filesystem::path& file, const NamedCdl& look) {
  writeFileAtomically(file, clfHead(look.id, look.description) +
                                "  <ASC_CDL inBitDepth=\"32f\" outBitDepth=\"32f\" style=\"Fwd\">\n" +
                                nodesOf(look.cdl, "    ") + "  </ASC_CDL>\n</ProcessList>\n");
}

void writeClf(const std::filesystem::path& file, const std::string& id, const std::string& description,
              const CodeMap& map) {
  writeFileAtomically(
      file, clfHead(id, description) +
                fmt::format("  <LUT1D inBitDepth=\"32f\" outBitDepth=\"32f\" interpolation=\"linear\">\n"
                            "    <Array dim=\"{} 3\">\n",
                            kCurvePoints) +
                rows(map) + "    </Array>\n  </LUT1D>\n</ProcessList>\n");
}

void writeCube(const std::filesystem::path& file, const std::string& title, const CodeMap& map) {
  writeFileAtomically(
      file, fmt::format("TITLE \"{}\"\nLUT_1D_SIZE {}\n", titleOf(title), kCurvePoints) + rows(map));
}

void writeLattice(const std::filesystem::path& file, const std::string& title, const CodeMap& map) {
  std::string s = fmt::format("TITLE \"{}\"\nLUT_3D_SIZE {}\n", titleOf(title), kLatticePoints);
  constexpr double kLast = kLatticePoints - 1.0;
  for (int b = 0; b < kLatticePoints; ++b)
    for (int g = 0; g < kLatticePoints; ++g)
      for (int r = 0; r < kLatticePoints; ++r) {
        const Vec3 v = map({r / kLast, g / kLast, b / kLast});
        s += fmt::format("{:.7f} {:.7f} {:.7f}\n", v[0], v[1], v[2]);
      }
  writeFileAtomically(file, s);
}

std::optional<Cdl> asCdl(const CodeMap& map, const Vec3& from) {
  constexpr int kPoints = 64;
  constexpr double kHalfCode = 0.5 / 1023;
  Cdl cdl;
  for (size_t c = 0; c < 3; ++c) {
    const double low = std::clamp(from[c], 0.0, 0.95);
    const auto at = [&](int i) { return low + (1 - low) * i / (kPoints - 1.0); };
    const auto mapped = [&](double x) { return map({x, x, x})[c]; };
    cdl.slope[c] = (mapped(1) - mapped(low)) / (1 - low);
    cdl.offset[c] = mapped(1) - cdl.slope[c];
    for (int i = 0; i < kPoints; ++i)
      if (std::abs(at(i) * cdl.slope[c] + cdl.offset[c] - mapped(at(i))) > kHalfCode) return std::nullopt;
  }
  return cdl;
}

}  // namespace edge
