#include "report/reach.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/numbers.h"
#include "report/protocols.h"

namespace edge {
namespace {

struct HeldName {
  const char *key, *words;
};
constexpr HeldName kHeldNames[kHeld] = {
    {"holds", "holds"}, {"cleanable", "with clean-up"}, {"lost", "lost"}, {"clips", "clips"}};

// How far the measured grey of the base may lie from where the plan metered it before it is said.
constexpr double kGreyOff = 1.0 / 3;
constexpr double kInfinity = std::numeric_limits<double>::infinity();

std::optional<Limit> moved(std::optional<Limit> l, double by) {
  if (l) l->stops += by;
  return l;
}

bool known(const std::optional<Limit>& l) {
  return l && !l->atLeast;
}

// Two limits, of which the nearer counts. A limit that was not reached and lies nearer leaves "at least".
Limit nearer(const Limit& a, const Limit& b) {
  return b.stops < a.stops ? b : a;
}

// The distance to the ends of a stretch; an end that does not exist is infinitely far.
std::optional<Limit> marginIn(double at, const std::optional<Limit>& low, const std::optional<Limit>& high) {
  Limit m = {kInfinity, 0, false};
  if (high) m = nearer(m, {std::max(0.0, high->stops - at), high->sigma, high->atLeast});
  if (low) m = nearer(m, {std::max(0.0, at - low->stops), low->sigma, low->atLeast});
  return std::isfinite(m.stops) ? std::optional(m) : std::nullopt;
}

Placed unknown(std::string why) {
  return {std::nullopt, std::nullopt, std::move(why)};
}

// Over the clean edge and under the clip.
Placed aboveClean(const Reach& r, double s) {
  if (r.cleanOver->atLeast) return unknown("brighter than any take that was shot");
  if (!r.lostOver || s <= r.lostOver->stops)
    return {Held::Cleanable, marginIn(s, r.cleanOver, r.lostOver ? r.lostOver : r.clip), ""};
  if (r.lostOver->atLeast) return unknown("brighter than any take that was shot");
  return {Held::Lost, marginIn(s, r.lostOver, r.clip), ""};
}

Placed belowClean(const Reach& r, double s) {
  if (r.cleanUnder->atLeast) return unknown("darker than any take that was shot");
  if (!r.lostUnder || s >= r.lostUnder->stops)
    return {Held::Cleanable, marginIn(s, r.lostUnder, r.cleanUnder), ""};
  if (r.lostUnder->atLeast) return unknown("darker than any take that was shot");
  return {Held::Lost, marginIn(s, std::nullopt, r.lostUnder), ""};
}

void say(Reach& r, const char* code, std::string words) {
  r.warnings.push_back({code, std::move(words), r.label});
}

}  // namespace

const char* keyOf(Held h) {
  return kHeldNames[static_cast<size_t>(h)].key;
}
const char* wordOf(Held h) {
  return kHeldNames[static_cast<size_t>(h)].words;
}
std::optional<Held> heldOf(std::string_view key) {
  for (size_t i = 0; i < kHeld; ++i)
    if (key == kHeldNames[i].key) return static_cast<Held>(i);
  return std::nullopt;
}

Reach reachOf(const Finding& f) {
  Reach r;
  const Configuration& c = f.configuration;
  r.id = c.id, r.label = c.label(), r.body = c.body, r.light = c.light, r.iso = c.iso;
  if (f.range) r.clip = f.range->aboveGrey;
  if (!f.latitude) {
    say(r, "no-bracket", "no bracket was measured: only what clips is known");
    return r;
  }
  if (!r.clip) say(r, "no-clip", "its clip above grey is not known: what clips is called lost");
  for (const auto& w : f.latitude->warnings)
    if (w.code == kOtherProtocol) r.otherProtocol = true, say(r, kOtherProtocol, w.message);
  const Edges &clean = f.latitude->edges, &lost = f.latitude->cleaned;
  if (!clean.over.estimate || !clean.under.estimate) {
    say(r, "base-fails", "the base itself fails: no edges");
    return r;
  }
  const double base = f.baseAboveGrey;
  r.cleanOver = moved(clean.over.estimate, base), r.cleanUnder = moved(clean.under.estimate, base);
  r.lostOver = moved(lost.over.estimate, base), r.lostUnder = moved(lost.under.estimate, base);
  // In the order of harm, whatever the errors of each: nothing is clean that is lost, nothing held that
  // clips.
  if (known(r.clip))
    for (auto* l : {&r.cleanOver, &r.lostOver})
      if (*l && (*l)->stops > r.clip->stops) *l = r.clip;
  if (r.lostOver && r.lostOver->stops < r.cleanOver->stops) r.lostOver = r.cleanOver;
  if (r.lostUnder && r.lostUnder->stops > r.cleanUnder->stops) r.lostUnder = r.cleanUnder;
  if (const auto& grey = f.latitudeMeasure->toGrey; grey && std::abs(*grey + base) > kGreyOff)
    say(r, "base-grey",
        fmt::format("grey of the base lies {} stops from the curve's level, {} by the plan: edges count from "
                    "where it "
                    "was metered, the clip from the curve's level",
                    formatSigned(-*grey, 1), formatSigned(base, 1)));
  return r;
}

std::vector<Reach> reachesOf(const std::vector<Finding>& findings) {
  std::vector<Reach> list;
  for (const auto& f : findings) list.push_back(reachOf(f));
  return list;
}

Placed placed(const Reach& r, double s) {
  if (known(r.clip) && s > r.clip->stops) return {Held::Clips, marginIn(s, r.clip, std::nullopt), ""};
  if (!r.cleanOver || !r.cleanUnder) return unknown("no edges are known");
  if (s > r.cleanOver->stops) return aboveClean(r, s);
  if (s < r.cleanUnder->stops) return belowClean(r, s);
  return {Held::Holds, marginIn(s, r.cleanUnder, r.cleanOver), ""};
}

}  // namespace edge
