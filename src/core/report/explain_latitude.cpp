#include "report/explain_latitude.h"

#include <fmt/format.h>

#include "base/numbers.h"
#include "recover/reducer.h"
#include "report/range_check.h"

namespace edge {
namespace {

constexpr const char *kTake = "take:", *kBranch = "branch:";
constexpr const char* kKeys[] = {"over", "under", "latitude", "cleaned", "under-range"};

// "over@grade": the figure by another branch.
std::pair<std::string, Branch> apart(const std::string& key) {
  const auto at = key.find('@');
  if (at == std::string::npos) return {key, Branch::Exposure};
  return {key.substr(0, at), parseBranch(key.substr(at + 1)).value_or(Branch::Exposure)};
}

// What a rung costs.
std::string price(const RungFigures& rung) {
  std::string text;
  if (rung.detailKept)
    text += fmt::format(", {:.0f} % of the detail is kept", 100 * std::min(1.0, *rung.detailKept));
  if (rung.smear) text += fmt::format(", a moving part loses {:.0f} % more", 100 * *rung.smear);
  return text;
}

Explanation explainEdge(const Finding& f, const std::string& key, Branch branch, const CriteriaProfile& p) {
  const Edges e =
      branch == Branch::Exposure ? f.latitude->edges : judgeLatitude(*f.latitudeMeasure, p, {}, branch).edges;
  Explanation x;
  if (key == "latitude" || key == "cleaned") {
    x.title = key == "latitude" ? "Latitude" : "Latitude with clean-up";
    x.paragraphs = {
        key == "latitude"
            ? fmt::format(
                  "Upper edge minus lower edge, both where a take stops being clean after bring-back by "
                  "{}, no noise reduction.",
                  specOf(branch).words)
            : "Takes whose noise a neutral reducer brings under the clean limit count as good, as long as "
              "what "
              "it can't mend stays short of lost. Denoised is not well exposed: what it costs in detail "
              "stands "
              "with each take.",
        "The width does not depend on the choice of base; the split does."};
  } else {
    const EdgeLimit& l = key == "over" ? e.over : e.under;
    x.title = key == "over" ? "Upper edge" : "Lower edge";
    x.paragraphs = {
        l.firstBad
            ? fmt::format("Last good take at {}, first bad at {} (measured stops); cause: {}.",
                          formatSigned(l.lastGood.value_or(0), 2), formatSigned(*l.firstBad, 2),
                          wordsOf(l.cause))
            : fmt::format("No bad take up to {}: the bracket ended first, so the figure is \"at least\".",
                          formatSigned(l.lastGood.value_or(0), 2)),
        "Between the two the deciding figure is interpolated to its limit: noise in its logarithm, clipped "
        "share as it is."};
  }
  std::string limits;
  for (const auto& s : criteria())
    if (p[s.id].judges())
      limits += fmt::format("{}{} {:g} | {:g}{}{}", limits.empty() ? "" : ", ", s.words, p[s.id].clean,
                            p[s.id].lost, *s.unit ? " " : "", s.unit);
  x.paragraphs.push_back(
      fmt::format("Limits of the profile \"{}\" (clean | lost): {}; in L*a*b*.", p.name, limits));
  if (const EdgeLimit& l = key == "under" ? e.under : e.over; key != "cleaned" && l.cause.criterion)
    x.paragraphs.push_back(fmt::format("{}: {}", wordsOf(l.cause), specOf(*l.cause.criterion).formula));
  x.paragraphs.push_back(fmt::format("Scored on {} (face level) and {} (dark), display transform {}.",
                                     f.latitudeMeasure->faceGrey, f.latitudeMeasure->darkPatch,
                                     f.latitudeMeasure->display));
  x.paragraphs.push_back(clipLine(f, ClipKind::Base));
  return x;
}

Explanation explainTake(const Finding& f, const std::string& name, const CriteriaProfile& p) {
  for (const auto& t : f.latitudeMeasure->takes) {
    if (t.name != name) continue;
    Explanation x{"Take " + name, {}};
    if (t.measured)
      x.paragraphs.push_back(
          fmt::format("Measured {} ±{} stops against base, planned {}: from {} grey patches unclipped in "
                      "both, L = k·L_base + q, k = {:.4g}, q = {:.2g}.",
                      formatSigned(*t.measured, 3), formatNumber(t.sigma, 3), formatSigned(t.planned, 1),
                      t.patchesUsed, t.k(), t.q()));
    else
      x.paragraphs.push_back(
          "No grey patch is usable in this take and the base: the plan is taken for granted.");
    x.paragraphs.push_back(
        "Brought back by exposure alone: (linear − q)/k, the same for all channels, so that a cast stays "
        "visible; then the display transform.");
    x.paragraphs.push_back(fmt::format(
        "Face grey: a* {}, b* {} against base ({}). CIEDE2000 over patches: mean {:.2f}, largest {:.2f}.",
        formatSigned(t.shiftA, 2), formatSigned(t.shiftB, 2), shiftWords(t.shiftA, t.shiftB), t.deltaMean,
        t.deltaMax));
    if (t.skinA)
      x.paragraphs.push_back(fmt::format("Skin turns {} (a* {}, b* {}, {}).", shiftWords(*t.skinA, *t.skinB),
                                         formatSigned(*t.skinA, 1), formatSigned(*t.skinB, 1), t.skinWhere));
    for (const auto& s : criteria()) {
      const auto value = s.value(t, p.delivery);
      x.paragraphs.push_back(value
                                 ? fmt::format("{}: {:.2f}{}{}.", s.words, *value, *s.unit ? " " : "", s.unit)
                                 : fmt::format("{}: not known in this take.", s.words));
    }
    if (!t.rungs.empty()) {
      const RungFigures* good = firstGoodRung(t, p);
      x.paragraphs.push_back(good ? fmt::format("With noise reduction it passes from rung {} on ({}){}.",
                                                good->rung + 1, reducerLadder()[good->rung].words,
                                                price(*good))
                                  : std::string("No rung of the noise reducer makes it pass."));
    }
    for (const auto& c : f.configuration.clips)
      if (c.name == name)
        x.paragraphs.push_back(
            fmt::format("Clip: {} (content hash {}…), {} frames.", c.path, c.hash.substr(0, 12), t.frames));
    return x;
  }
  return {"Take " + name, {"This take is not in the series."}};
}

Explanation explainBranch(const Finding& f, const std::string& take, Branch branch,
                          const CriteriaProfile& p) {
  const BranchSpec& spec = specOf(branch);
  Explanation x{fmt::format("Take {}, {}", take, spec.words), {spec.formula}};
  const LatitudeMeasure& m = *f.latitudeMeasure;
  for (size_t i = 0; i < m.takes.size(); ++i) {
    if (m.takes[i].name != take) continue;
    const TakeMetrics* t = m.takes[i].measured ? m.of(i, branch) : nullptr;
    if (!t) {
      x.paragraphs.emplace_back(
          "It could not be solved: too few patches are intact in this take and the base.");
      return x;
    }
    const Correction& c = t->solved.correction;
    if (branch == Branch::Exposure || branch == Branch::Balance)
      x.paragraphs.push_back(fmt::format("{} stops.", formatSigned(-c.back.offsetStops(), 3)));
    if (branch == Branch::Balance)
      x.paragraphs.push_back(
          fmt::format("Gains of R, G, B: {:.3f}, {:.3f}, {:.3f}.", c.gains[0], c.gains[1], c.gains[2]));
    if (branch == Branch::Grade)
      x.paragraphs.push_back(
          fmt::format("Slope {:.3f}, {:.3f}, {:.3f}; offset {:.3f}, {:.3f}, {:.3f}; power {:.3f}, {:.3f}, "
                      "{:.3f}; saturation "
                      "{:.3f}.",
                      c.cdl.slope[0], c.cdl.slope[1], c.cdl.slope[2], c.cdl.offset[0], c.cdl.offset[1],
                      c.cdl.offset[2], c.cdl.power[0], c.cdl.power[1], c.cdl.power[2], c.cdl.saturation));
    if (branch == Branch::LogOffset)
      x.paragraphs.push_back(fmt::format("Offset {:+.4f} of code.", c.codeOffset));
    x.paragraphs.push_back(fmt::format(
        "Effort {:.2f} of what was allowed{}. What is left: CIEDE2000 mean {:.2f}, largest {:.2f}.",
        t->solved.effort,
        t->solved.atBound.empty() ? "" : "; a parameter ended at its bound: the match was luck", t->deltaMean,
        t->deltaMax));
    const TakeVerdict v = judgeTake(*t, p);
    std::string why = wordOf(v.verdict);
    for (const auto& r : v.reasons) why += "; " + reasonWords(r);
    x.paragraphs.push_back("Verdict: " + why + ".");
  }
  return x;
}

Explanation explainCheck(const Finding& f) {
  const RangeCheck c = checkAgainstRange(f, *f.latitude);
  Explanation x{
      "Range less latitude",
      {"Common practice: latitude is about four stops less than range. It is no verdict, only a reason to "
       "look a second time.",
       c.gap ? fmt::format("Here {:.1f} stops: {}.", *c.gap, c.words) : c.words + "."}};
  for (const auto& cause : c.causes) x.paragraphs.push_back("Likely: " + cause + ".");
  return x;
}

}  // namespace

std::string clipLine(const Finding& f, ClipKind kind) {
  const ClipRecord* c = f.configuration.clipOfKind(kind);
  return c ? fmt::format("Clip: {} (content hash {}…).", c->path, c->hash.substr(0, 12)) : "No clip.";
}

bool isLatitudeKey(const std::string& key) {
  const std::string plain = apart(key).first;
  if (key.rfind(kTake, 0) == 0 || key.rfind(kBranch, 0) == 0) return true;
  return std::find(std::begin(kKeys), std::end(kKeys), plain) != std::end(kKeys);
}

Explanation explainLatitude(const Finding& f, const std::string& key, const CriteriaProfile& p) {
  if (key.rfind(kTake, 0) == 0) return explainTake(f, key.substr(5), p);
  if (key.rfind(kBranch, 0) == 0) {
    const std::string rest = key.substr(7);
    const auto colon = rest.rfind(':');
    return explainBranch(
        f, rest.substr(0, colon),
        parseBranch(rest.substr(std::min(rest.size(), colon + 1))).value_or(Branch::Exposure), p);
  }
  const auto [plain, branch] = apart(key);
  return plain == "under-range" ? explainCheck(f) : explainEdge(f, plain, branch, p);
}

}  // namespace edge
