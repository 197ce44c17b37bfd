// Verdicts and edges from a take's numbers: pure arithmetic.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/numbers.h"
#include "recover/latitude.h"

namespace edge {
namespace {

constexpr double kMislabelled = 0.25;  // stops between plan and measurement that can't be an iris error
constexpr double kDrift = 0.03;        // stops within a clip
constexpr double kNearBase = 0.05;     // a take this near the base has no side

struct Criterion {
  const char* name;
  std::optional<double> value;
  LimitPair limit;
  bool logarithmic;  // interpolated in log2
};

double worstShift(const TakeMetrics& m) {
  const double face = std::hypot(m.shiftA, m.shiftB);
  return m.darkShiftA ? std::max(face, std::hypot(*m.darkShiftA, *m.darkShiftB)) : face;
}

// Over is judged by highlight and colour, under by noise and colour.
std::vector<Criterion> criteriaOf(const TakeMetrics& m, const CriteriaProfile& p) {
  const double side = m.measured.value_or(m.planned);
  std::vector<Criterion> c;
  if (side > -kNearBase) c.push_back({"highlight gone", worstClip(m), p.highlightPercent, false});
  c.push_back({"colour shift", worstShift(m), p.colourShift, false});
  if (side < kNearBase) {
    c.push_back({"luma noise", m.lumaNoise, p.lumaNoise, true});
    c.push_back({"chroma noise", m.chromaNoise, p.chromaNoise, true});
  }
  return c;
}

Verdict gradeOf(const Criterion& c) {
  if (!c.value || *c.value <= c.limit.clean) return Verdict::Clean;
  return *c.value > c.limit.lost ? Verdict::Lost : Verdict::Cleanable;
}

std::string channelNamed(const TakeMetrics& m) {
  const double worst = worstClip(m).value_or(0);
  std::string names;
  constexpr const char* kNames[3] = {"red", "green", "blue"};
  for (int c = 0; c < 3; ++c)
    if (m.clippedSkin[c] && *m.clippedSkin[c] > worst / 2)
      names += (names.empty() ? "" : ", ") + std::string(kNames[c]);
  return names;
}

std::string reasonOf(const Criterion& c, const TakeMetrics& m, Verdict v) {
  const double limit = v == Verdict::Lost ? c.limit.lost : c.limit.clean;
  std::string text =
      fmt::format("{}: {} above {}", c.name, formatNumber(*c.value, 1), formatNumber(limit, 1));
  if (std::string(c.name) == "highlight gone")
    text = fmt::format("highlight gone on {}: {} % of it ({}), limit {} %", m.clippedWhere,
                       formatNumber(*c.value, 1), channelNamed(m), formatNumber(limit, 1));
  if (std::string(c.name) == "colour shift") {
    const bool dark =
        m.darkShiftA && std::hypot(*m.darkShiftA, *m.darkShiftB) > std::hypot(m.shiftA, m.shiftB);
    text += dark ? " in a dark grey, " + shiftWords(*m.darkShiftA, *m.darkShiftB)
                 : ", " + shiftWords(m.shiftA, m.shiftB);
  }
  return text;
}

TakeVerdict judge(const TakeMetrics& m, const CriteriaProfile& p) {
  TakeVerdict t;
  for (Verdict grade : {Verdict::Lost, Verdict::Cleanable})
    for (const auto& c : criteriaOf(m, p)) {
      if (gradeOf(c) != grade) continue;
      t.reasons.push_back(reasonOf(c, m, grade));
      if (t.cause.empty()) t.cause = c.name, t.verdict = grade;
    }
  return t;
}

struct Step {
  double stops, sigma;
  const TakeMetrics* metrics;
  const TakeVerdict* verdict;
};

// Place between two takes where the deciding criterion meets its limit.
Limit interpolate(const Step& good, const Step& bad, const CriteriaProfile& p, bool cleanUpAllowed) {
  const double gap = bad.stops - good.stops;
  Limit middle = {good.stops + gap / 2, std::abs(gap) / std::sqrt(12.0), false};
  const auto a = criteriaOf(*good.metrics, p), b = criteriaOf(*bad.metrics, p);
  for (const auto& cb : b) {
    if (bad.verdict->cause != cb.name || !cb.value) continue;
    for (const auto& ca : a) {
      if (std::string(ca.name) != cb.name || !ca.value) continue;
      const double limit = cleanUpAllowed ? cb.limit.lost : cb.limit.clean;
      const auto f = [&](double v) { return cb.logarithmic ? std::log2(std::max(v, 1e-6)) : v; };
      if (!(*ca.value <= limit && *cb.value > limit)) return middle;
      const double share = (f(limit) - f(*ca.value)) / (f(*cb.value) - f(*ca.value));
      const double sigma = cb.logarithmic ? 0.1 * std::abs(gap) : std::abs(gap) / std::sqrt(12.0);
      return {good.stops + share * gap, std::hypot(sigma, std::max(good.sigma, bad.sigma)), false};
    }
  }
  return middle;
}

// The criterion by which the base itself fails on a side: highlight above, noise below. Empty: it holds.
std::string baseFailure(const TakeMetrics& m, double sign, const CriteriaProfile& p, bool cleanUpAllowed) {
  for (const auto& c : criteriaOf(m, p)) {
    const bool above = std::string(c.name) == "highlight gone", below = c.logarithmic;
    if (!c.value || (sign > 0 ? !above : !below)) continue;
    if (*c.value > (cleanUpAllowed ? c.limit.lost : c.limit.clean)) return c.name;
  }
  return {};
}

// From the base outward: the last take that is still good, the first that is not.
// A base that fails on this side has no edge there.
EdgeLimit edgeOf(std::vector<Step> steps, const Step& base, double sign, const CriteriaProfile& p,
                 bool cleanUpAllowed) {
  if (const auto cause = baseFailure(*base.metrics, sign, p, cleanUpAllowed); !cause.empty()) {
    EdgeLimit e;
    e.firstBad = 0, e.cause = cause;
    return e;
  }
  std::erase_if(steps, [&](const Step& s) { return s.stops * sign <= kNearBase; });
  std::sort(steps.begin(), steps.end(),
            [&](const Step& a, const Step& b) { return a.stops * sign < b.stops * sign; });
  Step good = base;
  EdgeLimit e;
  e.lastGood = 0;
  e.estimate = Limit{0, 0, true};
  for (const auto& s : steps) {
    const bool bad =
        cleanUpAllowed ? s.verdict->verdict == Verdict::Lost : s.verdict->verdict != Verdict::Clean;
    if (bad) {
      e.firstBad = s.stops;
      e.cause = s.verdict->cause;
      e.estimate = interpolate(good, s, p, cleanUpAllowed);
      return e;
    }
    good = s;
    e.lastGood = s.stops;
    e.estimate = Limit{s.stops, s.sigma, true};
  }
  return e;
}

Edges edgesOf(const std::vector<Step>& steps, const Step& base, const CriteriaProfile& p,
              bool cleanUpAllowed) {
  Edges e;
  e.over = edgeOf(steps, base, +1, p, cleanUpAllowed);
  e.under = edgeOf(steps, base, -1, p, cleanUpAllowed);
  const auto &over = e.over.estimate, &under = e.under.estimate;
  if (over && under)
    e.latitude = Limit{over->stops - under->stops, std::hypot(over->sigma, under->sigma),
                       over->atLeast || under->atLeast};
  return e;
}

void warn(const LatitudeMeasure& m, LatitudeResult& r) {
  const auto add = [&](const char* code, std::string message, const std::string& where) {
    r.warnings.push_back({code, std::move(message), where});
  };
  for (const auto& t : m.takes) {
    const std::string where = "take " + t.name;
    if (t.repeatedFrames > 0)
      add("repeated-frames",
          t.frames < 2 ? std::string("every frame is the same: nothing can be said of noise")
                       : fmt::format("{} frames repeat the one before: they count once", t.repeatedFrames),
          where);
    if (!t.lossyCodec.empty())
      add("lossy-codec", t.lossyCodec + " changes noise: noise and stripes are those after coding", where);
    if (t.suspectedClip)
      add("clip-unknown",
          fmt::format(
              "{} % of {} lie on one code, but nothing proves that a channel ends there: highlight gone "
              "is not known",
              formatNumber(*t.suspectedClip, 0), t.clippedWhere),
          where);
    if (!t.measured) {
      if (t.scatterStops > kWrongCurveScatter)
        add("wrong-curve",
            fmt::format("grey patches disagree by {:.3f} stops: no offset is given; is the curve right?",
                        t.scatterStops),
            where);
      else
        add("offset-unknown",
            "fewer than two grey patches are usable in this take and the base: the plan is taken for granted",
            where);
      continue;
    }
    const double miss = *t.measured - t.planned;
    if (std::abs(miss) > std::max(kMislabelled, 5 * t.sigma))
      add("exposure-mismatch",
          fmt::format("planned {} stops, measured {}: wrong label or wrong exposure",
                      formatSigned(t.planned, 1), formatSigned(*t.measured, 2)),
          where);
    if (t.byMedian)
      add("few-patches", "fewer than three usable grey patches: offset by median of ratios", where);
    if (std::abs(t.driftStops) > kDrift)
      add("drift", fmt::format("the light drifts by {} stops within the clip", formatSigned(t.driftStops, 2)),
          where);
    if (t.scatterStops > kWrongCurveScatter)
      add("wrong-curve",
          fmt::format("grey patches disagree by {:.3f} stops: is the curve right?", t.scatterStops), where);
    if (t.missingFrames > 0)
      add("truncated", fmt::format("the clip ends early: {} frames promised are not there", t.missingFrames),
          where);
    if (t.frames < 2) add("few-frames", "one frame only: noise is spatial, texture counts as noise", where);
  }
  for (const auto& [side, edge] : {std::pair("above", &r.edges.over), std::pair("below", &r.edges.under)})
    if (!edge->estimate)
      add("base-fails",
          fmt::format(
              "the base itself fails ({}): there is no edge {} it; choose another base, or more light",
              edge->cause, side),
          "base");
  if (r.edges.over.estimate && r.edges.over.estimate->atLeast)
    add("upper-not-reached", "no take is overexposed enough to show the upper edge", "");
  if (r.edges.under.estimate && r.edges.under.estimate->atLeast)
    add("lower-not-reached", "no take is underexposed enough to show the lower edge", "");
}

}  // namespace

const char* wordOf(Verdict v) {
  return v == Verdict::Clean ? "clean" : v == Verdict::Cleanable ? "cleanable" : "lost";
}

std::optional<Verdict> parseVerdict(const std::string& word) {
  for (Verdict v : {Verdict::Clean, Verdict::Cleanable, Verdict::Lost})
    if (word == wordOf(v)) return v;
  return std::nullopt;
}

std::optional<double> worstClip(const TakeMetrics& m) {
  std::optional<double> worst;
  for (const auto& share : m.clippedSkin)
    if (share) worst = std::max(worst.value_or(0), *share);
  return worst;
}

std::string shiftWords(double a, double b) {
  if (std::hypot(a, b) < 0.5) return "neutral";
  std::string words;
  if (std::abs(a) > std::abs(b) / 2) words = a > 0 ? "magenta" : "green";
  if (std::abs(b) > std::abs(a) / 2)
    words += std::string(words.empty() ? "" : " and ") + (b > 0 ? "yellow" : "blue");
  return "towards " + words;
}

LatitudeResult judgeLatitude(const LatitudeMeasure& m, const CriteriaProfile& p, const Overrides& overrides) {
  LatitudeResult r;
  for (const auto& t : m.takes) r.verdicts.push_back(judge(t, p));
  r.judged = r.verdicts;
  for (size_t i = 0; i < m.takes.size(); ++i)
    for (const auto& [name, verdict] : overrides)
      if (name == m.takes[i].name) {
        r.judged[i].verdict = verdict;
        r.judged[i].cause = verdict == Verdict::Clean ? "" : "a person's verdict";
      }
  std::vector<Step> steps;
  for (size_t i = 0; i < m.takes.size(); ++i)
    steps.push_back(
        {m.takes[i].measured.value_or(m.takes[i].planned), m.takes[i].sigma, &m.takes[i], &r.judged[i]});
  r.base = judge(m.base, p);
  const Step base = {0, 0, &m.base, &r.base};
  r.edges = edgesOf(steps, base, p, false);
  r.cleaned = edgesOf(steps, base, p, true);
  warn(m, r);
  return r;
}

}  // namespace edge
