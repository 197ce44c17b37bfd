#include "recover/correction.h"

namespace edge {
namespace {

constexpr BranchSpec kBranches[] = {
    {Branch::Exposure, "exposure", "exposure alone",
     "One factor for all channels, in scene-linear, and the pedestal taken off."},
    {Branch::Balance, "balance", "exposure and balance",
     "The same, and a factor for each channel that makes the chart's greys those of the base."},
    {Branch::Grade, "grade", "best grade",
     "Slope, offset and power of each channel and one saturation (ASC CDL 1.2) on log code, least CIEDE2000 "
     "over all patches and faces."},
    {Branch::LogOffset, "log_offset", "log offset", "One number added to the log code of all channels."}};

template <class F>
Vec3 each(const Vec3& v, F f) {
  return {f(v[0]), f(v[1]), f(v[2])};
}

}  // namespace

std::span<const BranchSpec> branches() {
  return kBranches;
}

const BranchSpec& specOf(Branch branch) {
  return kBranches[static_cast<size_t>(branch)];
}

std::optional<Branch> parseBranch(const std::string& key) {
  for (const auto& b : kBranches)
    if (key == b.key) return b.id;
  return std::nullopt;
}

std::string logEncodingOf(const std::string& curveName) {
  return curveName.empty() || curveName == "linear" ? "acescct" : curveName;
}

Vec3 Correction::light(const Vec3& linear, const Curve& log) const {
  if (branch == Branch::Exposure || branch == Branch::Balance) {
    Vec3 v = back.apply(linear);
    for (size_t c = 0; c < 3; ++c) v[c] *= gains[c];
    return v;
  }
  return each(code(each(linear, [&](double x) { return log.toCode(x); }), log),
              [&](double x) { return log.toLinear(x); });
}

Vec3 Correction::code(const Vec3& given, const Curve& log) const {
  switch (branch) {
    case Branch::Grade:
      return cdl.apply(given);
    case Branch::LogOffset:
      return each(given, [&](double x) { return x + codeOffset; });
    default:
      return each(light(each(given, [&](double x) { return log.toLinear(x); }), log),
                  [&](double x) { return log.toCode(x); });
  }
}

}  // namespace edge
