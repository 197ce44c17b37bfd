#include "library/retest.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>

#include "base/error.h"
#include "base/numbers.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr double kBaseMoved = 1.0 / 3;  // between two bases, before it is said

// Two-sided quantile of the normal distribution: P(|z| > k) = p.
double coverageFor(double p) {
  double low = 0, high = 10;
  for (int i = 0; i < 60; ++i) {
    const double k = (low + high) / 2;
    (std::erfc(k / std::sqrt(2.0)) > p ? low : high) = k;
  }
  return high;
}

// Why a figure can't be compared; empty: it can.
std::string unlike(const TestedFigureSpec& f, const Tested& a, const Tested& b) {
  if (a.decode != b.decode) return "curve, range or matrix were not the same";
  if (!a.raster.empty() && !b.raster.empty() && a.raster != b.raster)
    return fmt::format("recorded at {} then and {} now", a.raster, b.raster);
  if (f.id == TestedFigure::Range && a.headlineSnr != b.headlineSnr)
    return fmt::format("counted to SNR {:g} then and {:g} now", a.headlineSnr, b.headlineSnr);
  if (f.latitude && a.criteria != b.criteria) return "judged by other limits";
  if (f.latitude && a.protocol && b.protocol && a.protocol->key != b.protocol->key) {
    const auto where = protocolDifferences(*a.protocol, *b.protocol);
    return "shot by another protocol" + (where.empty() ? "" : fmt::format(": {}", fmt::join(where, "; ")));
  }
  if (!a.fits || !b.fits)
    return fmt::format(
        "figures of {} are of an earlier method, or its clips or charts changed since: measure it "
        "again",
        a.fits ? b.date : a.date);
  if (!a[f.id] && !b[f.id]) return "not measured";
  if (!a[f.id] || !b[f.id]) return a[f.id] ? "not measured now" : "not measured then";
  if (a[f.id]->atLeast && b[f.id]->atLeast) return "both tests ended before it";
  return "";
}

double errorOf(const TestedFigureSpec& f, const Limit& a, const Limit& b) {
  double v = a.sigma * a.sigma + b.sigma * b.sigma + 2 * kRepeatStops * kRepeatStops;
  if (f.metered) v += 2 * kMeterStops * kMeterStops;
  return std::sqrt(v);
}

// A bound and a figure: changed only where the figure lies short of the bound.
void againstBound(Difference& d, double k) {
  const bool boundBefore = d.before->atLeast;
  const Limit &bound = boundBefore ? *d.before : *d.after, &figure = boundBefore ? *d.after : *d.before;
  // Under edges are reached downwards: there "at least" means at most.
  const double sign = d.figure->better > 0 ? 1 : -1;
  const double short_ = sign * (bound.stops - figure.stops);
  if (short_ > k * *d.sigma) {
    d.change = Change::Changed;
    d.why = fmt::format("{} stops {} at least", formatNumber(short_, 2), boundBefore ? "lost" : "gained");
  } else {
    d.why = boundBefore ? "the first test ended before it" : "the second test ended before it";
  }
}

std::string listed(const std::vector<const Difference*>& list) {
  std::vector<std::string> words;
  for (const auto* d : list)
    words.push_back(d->stops ? fmt::format("{} by {} ±{}", d->figure->words, formatSigned(*d->stops, 2),
                                           formatNumber(*d->sigma, 2))
                             : fmt::format("{}, {}", d->figure->words, d->why));
  return fmt::format("{}", fmt::join(words, "; "));
}

// Both edges went the same way and as far: it was the exposure of the base, or what the ISO stands for.
bool shiftedAlone(const Retest& r) {
  const auto of = [&](TestedFigure f) -> const Difference& { return r.figures[static_cast<size_t>(f)]; };
  const Difference &under = of(TestedFigure::Under), &over = of(TestedFigure::Over);
  return under.change == Change::Changed && over.change == Change::Changed && under.stops && over.stops &&
         *under.stops * *over.stops > 0 && of(TestedFigure::Latitude).change == Change::Unchanged;
}

void conclude(Retest& r) {
  std::vector<const Difference*> changed, unchanged;
  double least = 1e9;
  for (const auto& d : r.figures) {
    if (d.change == Change::Changed) changed.push_back(&d);
    if (d.change == Change::Unchanged) unchanged.push_back(&d), least = std::min(least, *d.wouldShow);
  }
  if (!changed.empty()) {
    r.change = Change::Changed;
    r.sentence = "Changed: " + listed(changed);
    if (shiftedAlone(r))
      r.sentence +=
          ". Both edges moved alike and latitude did not: the base was exposed otherwise, or the ISO stands "
          "for "
          "something else now";
  } else if (!unchanged.empty()) {
    r.change = Change::Unchanged;
    r.sentence = fmt::format(
        "No change shows in {} of {} figures; a change of {} stops or more in the surest of "
        "them would have",
        unchanged.size(), r.figures.size(), formatNumber(std::ceil(least * 100) / 100, 2));
  } else {
    r.sentence = "Nothing can be compared: " + r.figures.front().why;
  }
}

void warn(Retest& r, const Tested& a, const Tested& b) {
  std::vector<std::string> once;
  std::set_symmetric_difference(a.said.begin(), a.said.end(), b.said.begin(), b.said.end(),
                                std::back_inserter(once));
  for (auto& code : once) std::replace(code.begin(), code.end(), '-', ' ');  // for people
  if (!once.empty())
    r.warnings.push_back(
        {"said-once",
         fmt::format("only one of the two warns of {}: what was recorded otherwise may be the "
                     "difference",
                     fmt::join(once, ", ")),
         b.label()});
  if (!a.project.empty() && a.project == b.project && a.id == b.id)
    r.warnings.push_back({"copies",
                          "both are copies of one project: what stands in both was shot once, and no re-test",
                          b.label()});
  if (a.protocol.has_value() != b.protocol.has_value() || !a.protocol)
    r.warnings.push_back(
        {"protocol-unknown",
         "it is not known for both by which protocol they were shot: what was done otherwise "
         "may be the difference",
         b.label()});
  if (a.baseOverCurve && b.baseOverCurve && std::abs(*a.baseOverCurve - *b.baseOverCurve) > kBaseMoved)
    r.warnings.push_back(
        {"base-moved",
         fmt::format(
             "grey of the base lies {} stops from where it lay then: edges count from each base as it was "
             "metered",
             formatSigned(*b.baseOverCurve - *a.baseOverCurve, 2)),
         b.label()});
}

}  // namespace

const char* wordOf(Change c) {
  return c == Change::Unchanged ? "no change shows" : c == Change::Changed ? "changed" : "not known";
}

Retest retest(const Tested& before, const Tested& after) {
  if (!sameConfiguration(before, after))
    throw Error(fmt::format("{} and {} are not the same configuration", before.label(), after.label()),
                after.file, "", "compare one body, mode, ISO and light with itself");
  Retest r;
  int compared = 0;
  for (const auto& f : testedFigures()) {
    Difference d;
    d.figure = &f, d.before = before[f.id], d.after = after[f.id];
    d.why = unlike(f, before, after);
    compared += d.why.empty();
    r.figures.push_back(std::move(d));
  }
  const double k = coverageFor(kFalseAlarms / std::max(1, compared));
  for (auto& d : r.figures) {
    if (!d.why.empty()) continue;
    d.sigma = errorOf(*d.figure, *d.before, *d.after);
    if (d.before->atLeast || d.after->atLeast) {
      againstBound(d, k);
      continue;
    }
    d.stops = d.after->stops - d.before->stops;
    d.wouldShow = k * *d.sigma;
    d.change = std::abs(*d.stops) > *d.wouldShow ? Change::Changed : Change::Unchanged;
  }
  conclude(r);
  warn(r, before, after);
  return r;
}

std::vector<std::pair<size_t, size_t>> pairsOf(const std::vector<Tested>& before,
                                               const std::vector<Tested>& after) {
  std::vector<std::pair<size_t, size_t>> pairs;
  for (size_t i = 0; i < after.size(); ++i)
    for (size_t k = 0; k < before.size(); ++k)
      if (sameConfiguration(before[k], after[i])) {
        pairs.emplace_back(k, i);
        break;
      }
  return pairs;
}

json toJson(const Tested& before, const Tested& after, const Retest& r) {
  const auto side = [](const Tested& t) {
    return json{{"project", t.file}, {"title", t.title}, {"date", t.date}, {"id", t.id}};
  };
  json j = {{"configuration", after.label()}, {"before", side(before)}, {"after", side(after)},
            {"change", wordOf(r.change)},     {"sentence", r.sentence}, {"warnings", toJson(r.warnings)}};
  for (const auto& d : r.figures) {
    const auto number = [](const std::optional<double>& v) { return v ? json(*v) : json(); };
    j["figures"].push_back({{"figure", d.figure->key},
                            {"before", toJson(d.before)},
                            {"after", toJson(d.after)},
                            {"difference", number(d.stops)},
                            {"sigma", number(d.sigma)},
                            {"would_show", number(d.wouldShow)},
                            {"change", wordOf(d.change)},
                            {"why", d.why}});
  }
  return j;
}

}  // namespace edge
