// Verdicts and edges from a take's numbers: pure arithmetic.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/numbers.h"
#include "recover/edge_law.h"
#include "recover/latitude.h"

namespace edge {
namespace {

constexpr double kVisibleStep = 1;  // of L*, where a profile does not judge what stress breaks
constexpr double kNearBase = 0.05;  // a take this near the base has no side

double sideOf(const TakeMetrics& m) {
  return m.measured.value_or(m.planned);
}

Verdict gradeOf(const CriterionSpec& spec, double value, const LimitPair& limit) {
  if (!spec.beyond(value, limit.clean)) return Verdict::Clean;
  return spec.beyond(value, limit.lost) ? Verdict::Lost : Verdict::Cleanable;
}

enum class State { Good, Bad, Unknown };

struct Step {
  double stops, sigma;
  const TakeMetrics* metrics;
  const TakeVerdict* verdict;
  State state;
};

// What would decide is not known, though the take may be as bad as it likes: a pile on one value without a
// proof that a channel ends there, noise of which nothing is known.
std::optional<Reason> unknownBy(const CriterionSpec& spec, const TakeMetrics& m, const CriteriaProfile& p) {
  const LimitPair& limit = p[spec.id];
  if (!judges(spec, m) || !limit.judges()) return std::nullopt;
  if (spec.law == EdgeLaw::Histogram) {
    if (!m.suspectedClip || *m.suspectedClip <= limit.clean) return std::nullopt;
    return Reason{spec.id, Verdict::Unknown, *m.suspectedClip, limit.clean, {}, m.clippedWhere, {}};
  }
  if (!spec.is(kNeeded) || spec.value(m, p.delivery)) return std::nullopt;
  return Reason{spec.id, Verdict::Unknown, 0, limit.clean, {}, {}, {}};
}

State stateOf(const TakeVerdict& v) {
  return v.verdict == Verdict::Clean     ? State::Good
         : v.verdict == Verdict::Unknown ? State::Unknown
                                         : State::Bad;
}

// With clean-up allowed a figure may go up to its lost limit; what the reducer mends must be clean after it.
double limitOf(const CriterionSpec& spec, const TakeMetrics& m, const CriteriaProfile& p,
               bool cleanUpAllowed) {
  const bool mended = spec.is(kReducible) && !m.rungs.empty();
  return cleanUpAllowed && !mended ? p[spec.id].lost : p[spec.id].clean;
}

State stateCleaned(const TakeMetrics& m, const CriteriaProfile& p) {
  bool known = true;
  for (const auto& spec : criteria()) {
    const auto value = spec.value(m, p.delivery);
    if (value && judges(spec, m) && spec.beyond(*value, limitOf(spec, m, p, true))) return State::Bad;
    known = known && !unknownBy(spec, m, p);
  }
  return known ? State::Good : State::Unknown;
}
bool passesCleaned(const TakeMetrics& m, const CriteriaProfile& p) {
  return stateCleaned(m, p) == State::Good;
}

// Highlights: what the good take's own pixels say, where its clipped share is no measure of how near the end
// they are.
std::optional<Limit> clipCrossing(const Step& good, const Step& bad, double limit) {
  const auto& room = good.metrics->clipRoom;
  if (bad.stops < good.stops) return std::nullopt;  // towards the dark nothing clips
  for (size_t i = 0; i + 1 < room.size(); ++i) {
    if (limit < kClipShares[i] || limit > kClipShares[i + 1] || !room[i] || !room[i + 1]) continue;
    const double share = std::log(limit / kClipShares[i]) / std::log(kClipShares[i + 1] / kClipShares[i]);
    const double stops = *room[i] + share * (*room[i + 1] - *room[i]);
    return Limit{std::clamp(good.stops + stops, good.stops, bad.stops),
                 std::hypot(good.metrics->clipRoomSigma, good.sigma), false};
  }
  return std::nullopt;
}

// From the base outwards along one side.
struct Outwards {
  std::vector<Step> steps;  // the base first
  size_t good = 0;          // the last good take; the next is bad
};

// Where a criterion meets its limit between two takes; nullopt: it does not, or only the bad take is known.
std::optional<Limit> crossing(const CriterionSpec& spec, const Outwards& side, const CriteriaProfile& p,
                              bool cleanUpAllowed) {
  const Step &good = side.steps[side.good], &bad = side.steps[side.good + 1];
  if (!judges(spec, *good.metrics)) return std::nullopt;
  const auto from = spec.value(*good.metrics, p.delivery), to = spec.value(*bad.metrics, p.delivery);
  const double limit = limitOf(spec, *bad.metrics, p, cleanUpAllowed);
  if (!from || !to || spec.beyond(*from, limit) || !spec.beyond(*to, limit)) return std::nullopt;
  if (spec.law == EdgeLaw::Histogram) return clipCrossing(good, bad, limit);
  std::vector<EdgePoint> points;
  size_t at = 0;
  for (size_t i = 0; i < side.steps.size(); ++i) {
    const Step& s = side.steps[i];
    const auto value = spec.value(*s.metrics, p.delivery);
    if (i == side.good) at = points.size();
    if (value) points.push_back({std::abs(s.stops), s.sigma, *value, spec.sigma(*s.metrics, p.delivery)});
  }
  auto found = crossingBy(spec.law, bad.stops > 0 ? Side::Over : Side::Under, points, at, limit);
  if (found) found->stops = std::copysign(found->stops, bad.stops);
  return found;
}

// Between two takes: the criterion that meets its limit first decides, and is the cause. What can't be
// interpolated is taken in the middle, and its cause stays that of the verdict.
void interpolate(EdgeLimit& e, const Outwards& side, const CriteriaProfile& p, bool cleanUpAllowed) {
  const Step &good = side.steps[side.good], &bad = side.steps[side.good + 1];
  const double gap = bad.stops - good.stops;
  e.cause = bad.verdict->cause;
  e.estimate = Limit{good.stops + gap / 2, std::abs(gap) / std::sqrt(12.0), false};
  if (e.cause.person) return;
  bool found = false;
  for (const auto& reason : bad.verdict->reasons) {
    const auto at = crossing(specOf(reason.criterion), side, p, cleanUpAllowed);
    if (!at || (found && std::abs(at->stops - good.stops) >= std::abs(e.estimate->stops - good.stops)))
      continue;
    e.estimate = at;
    e.cause.criterion = reason.criterion;
    found = true;
  }
}

// The criterion by which the base itself fails on a side.
std::optional<Criterion> baseFailure(const TakeMetrics& m, JudgedSide side, const CriteriaProfile& p,
                                     bool cleanUpAllowed) {
  for (const auto& spec : criteria()) {
    const auto value = spec.value(m, p.delivery);
    if ((spec.side != side && spec.side != JudgedSide::Both) || !value) continue;
    if (spec.beyond(*value, cleanUpAllowed ? p[spec.id].lost : p[spec.id].clean)) return spec.id;
  }
  return std::nullopt;
}

// From the base outward: the last take that is still good, the first that is not.
// A base that fails on this side has no edge there.
EdgeLimit edgeOf(std::vector<Step> steps, const Step& base, double sign, const CriteriaProfile& p,
                 bool cleanUpAllowed) {
  const JudgedSide side = sign > 0 ? JudgedSide::Over : JudgedSide::Under;
  if (const auto failed = baseFailure(*base.metrics, side, p, cleanUpAllowed)) {
    EdgeLimit e;
    e.firstBad = 0;
    e.cause.criterion = failed;
    return e;
  }
  std::erase_if(steps, [&](const Step& s) { return s.stops * sign <= kNearBase; });
  std::sort(steps.begin(), steps.end(),
            [&](const Step& a, const Step& b) { return a.stops * sign < b.stops * sign; });
  Outwards whole{{base}, 0};
  whole.steps.insert(whole.steps.end(), steps.begin(), steps.end());
  EdgeLimit e;
  e.lastGood = 0;
  e.estimate = Limit{0, 0, true};
  for (size_t i = 1; i < whole.steps.size(); ++i) {
    const Step& s = whole.steps[i];
    if (s.state == State::Unknown) {
      e.firstUnknown = s.stops;
      e.cause = s.verdict->cause;
      return e;
    }
    if (s.state == State::Bad) {
      whole.good = i - 1;
      e.firstBad = s.stops;
      interpolate(e, whole, p, cleanUpAllowed);
      return e;
    }
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
  for (const auto& [side, edge] : {std::pair("above", &r.edges.over), std::pair("below", &r.edges.under)})
    if (!edge->estimate)
      add("base-fails",
          fmt::format(
              "the base itself fails ({}): there is no edge {} it; choose another base, or more light",
              wordsOf(edge->cause), side),
          "base");
  if (m.base.clippedWhere.empty())
    add("no-skin",
        "neither a face nor anything white is marked: where highlights burn out is not judged, so the true "
        "upper "
        "edge may lie lower; draw a face",
        "base");
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
              formatNumber(*t.suspectedClip, 1), t.clippedWhere),
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
    warnOf(t.missing, where, r.warnings);
    if (t.moved)
      add("moved", "what stands before the camera is not where it was in the base: detail is not judged",
          where);
    if (t.frames < 2) add("few-frames", "one frame only: noise is spatial, texture counts as noise", where);
  }
  const auto open = [&](const EdgeLimit& e, const char* code, const char* words, const char* side) {
    if (!e.estimate || !e.estimate->atLeast) return;
    if (e.firstUnknown)
      add("edge-unknown",
          fmt::format("the {} edge lies beyond {} stops; from {} stops on {} is not known", side,
                      formatSigned(*e.lastGood, 2), formatSigned(*e.firstUnknown, 2), wordsOf(e.cause)),
          "");
    else
      add(code, words, "");
  };
  open(r.edges.over, "upper-not-reached", "no take is overexposed enough to show the upper edge", "upper");
  open(r.edges.under, "lower-not-reached", "no take is underexposed enough to show the lower edge", "lower");
}

// What a profile asks for and these takes were not measured at: nothing is said of it.
void warnOfDelivery(const LatitudeMeasure& m, const CriteriaProfile& p, LatitudeResult& r) {
  if (!p.delivery) return;
  for (const auto& t : m.takes)
    for (const auto& d : t.delivered)
      if (d.delivery == *p.delivery) return;
  r.warnings.push_back({"not-at-delivery",
                        "noise and detail were not measured at " + wordsOf(*p.delivery) +
                            ": they are not judged; analyse again",
                        "profile " + p.name});
}

}  // namespace

bool judges(const CriterionSpec& spec, const TakeMetrics& m) {
  return spec.side == JudgedSide::Over    ? sideOf(m) > -kNearBase
         : spec.side == JudgedSide::Under ? sideOf(m) < kNearBase
                                          : true;
}

TakeMetrics afterRung(const TakeMetrics& take, const RungFigures& rung) {
  TakeMetrics m = take;
  const auto put = [](const auto& from, auto& to) {
    for (size_t i = 0; i < kCriteria; ++i)
      if (from[i]) to[i] = from[i];
  };
  put(rung.figures, m.figures);
  for (size_t d = 0; d < m.delivered.size() && d < rung.delivered.size(); ++d)
    put(rung.delivered[d].figures, m.delivered[d].figures);
  return m;
}

const RungFigures* firstGoodRung(const TakeMetrics& take, const CriteriaProfile& p) {
  for (const auto& rung : take.rungs)
    if (passesCleaned(afterRung(take, rung), p)) return &rung;
  return nullptr;
}

TakeVerdict judgeTake(const TakeMetrics& m, const CriteriaProfile& p) {
  TakeVerdict t;
  for (Verdict grade : {Verdict::Lost, Verdict::Cleanable})
    for (const auto& spec : criteria()) {
      const auto value = spec.value(m, p.delivery);
      const LimitPair& limit = p[spec.id];
      if (!value || !judges(spec, m) || gradeOf(spec, *value, limit) != grade) continue;
      Reason reason{spec.id, grade, *value, grade == Verdict::Lost ? limit.lost : limit.clean, {}, {}, {}};
      spec.detail(m, reason);
      if (t.reasons.empty()) {
        t.cause.criterion = spec.id;
        t.verdict = grade;
      }
      t.reasons.push_back(std::move(reason));
    }
  if (t.verdict != Verdict::Clean) return t;
  for (const auto& spec : criteria())
    if (auto reason = unknownBy(spec, m, p)) {
      if (t.reasons.empty()) t.cause.criterion = spec.id;
      t.verdict = Verdict::Unknown;
      t.reasons.push_back(std::move(*reason));
    }
  return t;
}

std::optional<StressBreak> breaksAt(const TakeMetrics& m, const CriteriaProfile& p) {
  for (size_t step = 0; step < m.stressed.size(); ++step)
    for (const auto& spec : criteria()) {
      const auto& value = m.stressed[step][static_cast<size_t>(spec.id)];
      const double limit = p[spec.id].judges() ? p[spec.id].clean : kVisibleStep;
      if (spec.is(kStressed) && value && spec.beyond(*value, limit)) return StressBreak{step, spec.id};
    }
  return std::nullopt;
}

LatitudeResult judgeLatitude(const LatitudeMeasure& m, const CriteriaProfile& p, const Overrides& overrides,
                             Branch branch) {
  LatitudeResult r;
  std::vector<const TakeMetrics*> takes;
  for (size_t i = 0; i < m.takes.size(); ++i)
    // A branch that could not be solved leaves the take as the headline has it.
    takes.push_back(m.of(i, branch) ? m.of(i, branch) : &m.takes[i]);
  for (const auto* t : takes) r.verdicts.push_back(judgeTake(*t, p));
  r.judged = r.verdicts;
  for (size_t i = 0; i < takes.size(); ++i)
    for (const auto& [name, verdict] : overrides)
      if (name == takes[i]->name) {
        r.judged[i].verdict = verdict;
        r.judged[i].cause = {std::nullopt, verdict != Verdict::Clean};
      }
  std::vector<Step> steps, cleaned;
  // As the gentlest rung that helps leaves them, or the strongest.
  std::vector<TakeMetrics> mended;
  mended.reserve(takes.size());  // pointed into
  std::vector<const TakeMetrics*> after;
  std::vector<TakeVerdict> afterVerdicts;
  for (const auto* t : takes) {
    const RungFigures* rung = firstGoodRung(*t, p);
    if (!rung && !t->rungs.empty() && !passesCleaned(*t, p)) rung = &t->rungs.back();
    if (rung) mended.push_back(afterRung(*t, *rung));
    after.push_back(rung ? &mended.back() : t);
    afterVerdicts.push_back(judgeTake(*after.back(), p));
  }
  for (size_t i = 0; i < takes.size(); ++i) {
    const double stops = takes[i]->measured.value_or(takes[i]->planned), sigma = takes[i]->sigma;
    const bool person = r.judged[i].verdict != r.verdicts[i].verdict || r.judged[i].cause.person;
    steps.push_back({stops, sigma, takes[i], &r.judged[i], stateOf(r.judged[i])});
    const State byPerson = r.judged[i].verdict == Verdict::Lost ? State::Bad : State::Good;
    cleaned.push_back({stops, sigma, after[i], person ? &r.judged[i] : &afterVerdicts[i],
                       person ? byPerson : stateCleaned(*after[i], p)});
  }
  r.base = judgeTake(m.base, p);
  r.edges = edgesOf(steps, {0, 0, &m.base, &r.base, State::Good}, p, false);
  r.cleaned = edgesOf(cleaned, {0, 0, &m.base, &r.base, State::Good}, p, true);
  warn(m, r);
  warnOfDelivery(m, p, r);
  return r;
}

}  // namespace edge
