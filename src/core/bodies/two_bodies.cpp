#include "bodies/two_bodies.h"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/numbers.h"
#include "base/units.h"
#include "bodies/match_matrix.h"

namespace edge {
namespace {

constexpr double kSameStep = 0.05;  // stops between two plans
constexpr size_t kFewestPatches = 3;

const AreaColour* find(const std::vector<AreaColour>& list, const std::string& name) {
  for (const auto& c : list)
    if (c.name == name) return &c;
  return nullptr;
}

class Comparison {
 public:
  Comparison(const LatitudeMeasure& a, const LatitudeMeasure& b, double limit)
      : a_(a), b_(b), display_(a.display), limit_(limit) {
    out_.limit = limit, out_.display = a.display;
  }

  TwoBodies run() {
    if (a_.primaries != b_.primaries) {
      const auto back = inverse(rgbToXyz(a_.primaries));
      toA_ = multiply(*back, rgbToXyz(b_.primaries));
      warn("other-primaries", fmt::format("A is {}, B {}: B is converted to A's before they are compared",
                                          nameOf(a_.primaries), nameOf(b_.primaries)));
    }
    if (a_.display != b_.display)
      warn("other-display", "both are shown through the display transform of A, " + a_.display);
    pickGrey();
    addStep(a_.base, b_.base, 0);
    for (const auto& t : a_.takes) {
      const auto other = std::find_if(b_.takes.begin(), b_.takes.end(), [&](const TakeMetrics& x) {
        return std::abs(x.planned - t.planned) < kSameStep;
      });
      if (other == b_.takes.end())
        alone_.push_back(formatStops(t.planned));
      else if (std::abs(t.planned) >= kSameStep)
        addStep(t, *other, t.planned);
    }
    for (const auto& t : b_.takes)
      if (std::none_of(a_.takes.begin(), a_.takes.end(),
                       [&](const TakeMetrics& x) { return std::abs(x.planned - t.planned) < kSameStep; }))
        alone_.push_back(formatStops(t.planned));
    if (!alone_.empty())
      warn("steps-of-one",
           fmt::format("steps that only one of them has are left out: {}", fmt::join(alone_, ", ")));
    if (!unknown_.empty())
      warn("not-brought-back",
           fmt::format("steps without a measured offset are left out: {}", fmt::join(unknown_, ", ")));
    std::sort(out_.steps.begin(), out_.steps.end(),
              [](const BodiesStep& x, const BodiesStep& y) { return x.step < y.step; });
    out_.intercut = intercutOf(out_.steps, limit_);
    match();
    return std::move(out_);
  }

 private:
  void warn(const char* code, std::string words) { out_.warnings.push_back({code, std::move(words), ""}); }

  [[nodiscard]] Lab labOf(const Vec3& light) const {
    return labOfDisplayLight(display_.light(light), a_.primaries);
  }
  [[nodiscard]] Vec3 inA(const Vec3& b) const { return toA_ ? multiply(*toA_, b) : b; }

  // The grey that faces are judged by, where B has it too; else the first neutral that both have.
  void pickGrey() {
    size_t intact = 0;
    for (const auto& c : a_.base.colours) {
      const AreaColour* other = find(b_.base.colours, c.name);
      intact += other && other->intact && c.intact;
    }
    if (intact < kFewestPatches)
      throw Error(fmt::format("only {} patches or objects of one name are intact in both bases", intact), "",
                  "chart", "shoot the same chart with both, and name its patches alike");
    const auto serves = [&](const std::string& name) {
      const AreaColour *x = find(a_.base.colours, name), *y = find(b_.base.colours, name);
      return x && y && x->neutral && y->neutral && x->intact && y->intact;
    };
    if (serves(a_.faceGrey)) out_.grey = a_.faceGrey;
    for (const auto& c : a_.base.colours)
      if (out_.grey.empty() && serves(c.name)) out_.grey = c.name;
    if (out_.grey.empty()) warn("no-grey", "no neutral patch is in both: drifts are not followed");
  }

  // Of the grey against that of the body's own base. nothing: it is clipped, or there is none.
  [[nodiscard]] std::optional<Drift> driftOf(const TakeMetrics& take, const TakeMetrics& base,
                                             bool ofB) const {
    const AreaColour *now = find(take.colours, out_.grey), *then = find(base.colours, out_.grey);
    if (!now || !then || !now->intact || !then->intact) return std::nullopt;
    const Lab n = labOf(ofB ? inA(now->light) : now->light), t = labOf(ofB ? inA(then->light) : then->light);
    return Drift{n.a - t.a, n.b - t.b};
  }

  // Standard error of the difference of two areas: each channel of each moved by its own.
  [[nodiscard]] double errorOf(const AreaColour& x, const AreaColour& y, double delta) const {
    double square = 0;
    for (size_t c = 0; c < 3; ++c) {
      Vec3 u = x.light, v = y.light;
      u[c] += x.error[c], v[c] += y.error[c];
      square += std::pow(deltaE2000(labOf(u), labOf(inA(y.light))) - delta, 2) +
                std::pow(deltaE2000(labOf(x.light), labOf(inA(v))) - delta, 2);
    }
    return std::sqrt(square);
  }

  void addStep(const TakeMetrics& a, const TakeMetrics& b, double planned) {
    if (planned != 0 && (!a.measured || !b.measured)) return unknown_.push_back(formatStops(planned));
    BodiesStep s;
    s.step = planned, s.nameA = a.name, s.nameB = b.name;
    s.measuredA = a.measured.value_or(0), s.measuredB = b.measured.value_or(0);
    s.sigma = std::hypot(a.sigma, b.sigma);
    double sum = 0, square = 0;
    int n = 0;
    for (const auto& x : a.colours) {
      const AreaColour* y = find(b.colours, x.name);
      if (!y) continue;
      const Lab of = labOf(x.light), other = labOf(inA(y->light));
      ColourDifference d{x.name,
                         deltaE2000(of, other),
                         other.L - of.L,
                         other.a - of.a,
                         other.b - of.b,
                         x.intact && y->intact,
                         x.neutral || x.role == "skin"};
      if (d.counted) sum += d.deltaE, square += std::pow(errorOf(x, *y, d.deltaE), 2), ++n;
      s.patches.push_back(std::move(d));
    }
    if (n == 0) {
      // Without neutrals and faces every patch has to speak.
      for (auto& d : s.patches) d.counted = true, sum += d.deltaE, ++n;
    }
    if (n == 0) return;
    s.mean = sum / n, s.meanSigma = std::sqrt(square) / n;
    s.driftA = driftOf(a, a_.base, false), s.driftB = driftOf(b, b_.base, true);
    if (s.driftA && s.driftB) {
      const double na = std::hypot(s.driftA->a, s.driftA->b), nb = std::hypot(s.driftB->a, s.driftB->b);
      const double along = s.driftA->a * s.driftB->a + s.driftA->b * s.driftB->b;
      s.opposite = na > kLeavesBase && nb > kLeavesBase && along < na * nb * std::cos(kOpposite / kDegrees);
    }
    out_.steps.push_back(std::move(s));
    takes_.emplace_back(planned, std::pair(&a, &b));
  }

  // Patches of the steps that can be cut together: what a match is solved from and rated by.
  [[nodiscard]] std::vector<ColourPair> pairs() const {
    std::vector<ColourPair> list;
    for (const auto& [step, takes] : takes_) {
      if (out_.intercut ? step < out_.intercut->from - kSameStep || step > out_.intercut->to + kSameStep
                        : step != 0)
        continue;
      for (const auto& x : takes.first->colours) {
        const AreaColour* y = find(takes.second->colours, x.name);
        if (!y || !x.intact || !y->intact) continue;
        ColourPair p;
        p.take = inA(y->light), p.base = x.light, p.takeError = y->error, p.baseError = x.error;
        p.neutral = x.neutral, p.weight = x.role == "skin" ? kSkinWeight : 1;
        list.push_back(p);
      }
    }
    return list;
  }

  template <class Change>
  [[nodiscard]] double meanAfter(const std::vector<ColourPair>& pairs, Change change) const {
    double sum = 0;
    for (const auto& p : pairs) sum += deltaE2000(labOf(p.base), labOf(change(p.take)));
    return sum / static_cast<double>(std::max<size_t>(1, pairs.size()));
  }

  void match() {
    const auto list = pairs();
    BodyMatch& m = out_.match;
    m.logEncoding = b_.logEncoding;
    m.before = meanAfter(list, [](const Vec3& v) { return v; });
    const MatrixFit fit = fitMatrix(list, display_, a_.primaries);
    m.matrix = fit.matrix, m.diagonal = fit.diagonal;
    if (m.diagonal)
      warn("only-greys", "only neutral colours are known of both: the match is a gain of each channel");
    m.after = meanAfter(list, [&](const Vec3& v) { return multiply(m.matrix, v); });
    if (m.after >= m.before) m.matrix = BodyMatch{}.matrix, m.after = m.before;  // nothing to gain
    const Vec3 weights = lumaWeights(a_.primaries);
    double luma = 0, was = 0;
    for (size_t c = 0; c < 3; ++c) {
      m.noise[c] = std::sqrt(m.matrix[c][0] * m.matrix[c][0] + m.matrix[c][1] * m.matrix[c][1] +
                             m.matrix[c][2] * m.matrix[c][2]);
      double of = 0;
      for (size_t r = 0; r < 3; ++r) of += weights[r] * m.matrix[r][c];
      luma += of * of, was += weights[c] * weights[c];
    }
    m.noiseLuma = std::sqrt(luma / was);
    if (toA_)
      return warn("no-cdl", "no CDL is given: it works on B's own log code, whose primaries are not A's");
    const auto log = makeCurve(b_.logEncoding).curve;
    m.grade = solveBranch(Branch::Grade, {*log, display_, a_.primaries, BringBack{}, list});
    if (!m.grade) return warn("no-cdl", "too few colours for a CDL");
    m.afterCdl = meanAfter(list, [&](const Vec3& v) { return m.grade->correction.light(v, *log); });
    if (*m.afterCdl >= m.before) m.grade->correction.cdl = {}, m.afterCdl = m.before;
  }

  const LatitudeMeasure &a_, &b_;
  DisplayTransform display_;
  double limit_;
  std::optional<Mat3> toA_;  // from B's primaries
  TwoBodies out_;
  std::vector<std::string> alone_, unknown_;
  std::vector<std::pair<double, std::pair<const TakeMetrics*, const TakeMetrics*>>> takes_;
};

// Where the mean passes the limit between a step that holds and one that does not, and how sure that is: by
// its standard errors, by the measured exposure, and by how far a line and a logarithm disagree.
std::pair<double, double> crossing(const BodiesStep& good, const BodiesStep& bad, double limit) {
  const double rise = bad.mean - good.mean, share = (limit - good.mean) / rise;
  const double at = good.step + share * (bad.step - good.step);
  const double byLog =
      good.mean > 0.05 ? std::log(limit / good.mean) / std::log(bad.mean / good.mean) : share;
  const double slope = rise / std::abs(bad.step - good.step);
  const double noise = std::hypot((1 - share) * good.meanSigma, share * bad.meanSigma) / slope;
  const double form = (share - byLog) * std::abs(bad.step - good.step);
  return {at, std::sqrt(noise * noise + form * form + good.sigma * good.sigma + bad.sigma * bad.sigma)};
}

}  // namespace

std::optional<Intercut> intercutOf(const std::vector<BodiesStep>& steps, double limit) {
  const auto base = std::find_if(steps.begin(), steps.end(), [](const BodiesStep& s) { return s.step == 0; });
  if (base == steps.end() || base->mean > limit) return std::nullopt;
  Intercut i;
  auto at = base;
  while (at + 1 != steps.end() && (at + 1)->mean <= limit) ++at;
  i.openAbove = at + 1 == steps.end();
  i.to = at->step, i.toSigma = at->sigma;
  if (!i.openAbove) std::tie(i.to, i.toSigma) = crossing(*at, *(at + 1), limit);
  at = base;
  while (at != steps.begin() && (at - 1)->mean <= limit) --at;
  i.openBelow = at == steps.begin();
  i.from = at->step, i.fromSigma = at->sigma;
  if (!i.openBelow) std::tie(i.from, i.fromSigma) = crossing(*at, *(at - 1), limit);
  return i;
}

TwoBodies compareBodies(const LatitudeMeasure& a, const LatitudeMeasure& b, double limit) {
  return Comparison(a, b, limit).run();
}

std::string wordsOf(const std::optional<Intercut>& i) {
  if (!i) return "can't be cut together without a match, not even at the base";
  return fmt::format("can be cut together from {}{} to {}{} stops", i->openBelow ? "at least " : "",
                     formatSigned(i->from, 1), i->openAbove ? "at least " : "", formatSigned(i->to, 1));
}

std::string driftWords(const TwoBodies& t, const std::string& a, const std::string& b) {
  std::string words;
  for (const bool under : {true, false}) {
    const BodiesStep* first = nullptr;  // nearest to the base
    for (const auto& s : t.steps)
      if (s.opposite && (under ? s.step < 0 : s.step > 0) &&
          (!first || std::abs(s.step) < std::abs(first->step)))
        first = &s;
    if (!first) continue;
    words += fmt::format("{}from {} on {} turns {}, {} {}", words.empty() ? "" : "; ",
                         formatStops(first->step), a, shiftWords(first->driftA->a, first->driftA->b), b,
                         shiftWords(first->driftB->a, first->driftB->b));
  }
  return words;
}

}  // namespace edge
