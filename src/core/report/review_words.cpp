#include "report/review_words.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/markup.h"
#include "base/numbers.h"
#include "recover/criteria.h"

namespace edge {
namespace {

std::string shareWords(const Share& s) {
  return s.n == 0 ? "–"
                  : fmt::format("{} of {} <span class=\"quiet\">({:.0f} to {:.0f} %)</span>", s.of, s.n,
                                100 * s.low, 100 * s.high);
}

std::string bound(double v, bool low) {
  return std::isfinite(v) ? fmt::format("{:.2f}", v) : low ? "below all shown" : "beyond all shown";
}

std::string warningWords(const Warning& w) {
  return "<li>" + (w.where.empty() ? "" : "<b>" + escapedMarkup(w.where) + "</b>: ") +
         escapedMarkup(w.message) + "</li>";
}

std::string criterionWords(const std::string& metric) {
  for (const auto& c : criteria())
    if (metric == c.metric) return c.words;
  return metric;
}

std::string candidatesHtml(const BlindSession& s, const SessionReport& r) {
  const bool pairs = s.plan.ask == Ask::Pairs;
  std::vector<const CandidateReport*> order;
  for (const auto& c : r.candidates) order.push_back(&c);
  std::stable_sort(order.begin(), order.end(), [&](const auto* a, const auto* b) {
    if (pairs) return a->rank && b->rank && a->rank->score > b->rank->score;
    return a->accepted.value() != b->accepted.value() ? a->accepted.value() > b->accepted.value()
                                                      : a->usable.value() > b->usable.value();
  });
  std::string h = "<table cellpadding=\"4\"><tr><th align=\"left\">picture</th>";
  h += pairs ? "<th align=\"left\">place (95 %)</th><th align=\"left\">won, lost</th>"
             : "<th align=\"left\">accepted</th><th align=\"left\">with clean-up or better</th>";
  if (!s.plan.criterion.empty())
    h += "<th align=\"left\">" + escapedMarkup(criterionWords(s.plan.criterion)) + "</th>";
  h += "</tr>";
  for (const auto* c : order) {
    const Candidate& of = s.plan.candidates[c->candidate];
    const bool reference = s.plan.reference && *s.plan.reference == c->candidate;
    h += "<tr><td>" + escapedMarkup(of.name) + (reference ? " <i>reference</i>" : "") + "</td>";
    if (pairs && c->rank)
      h += fmt::format("<td>{:+.2f} ({:+.2f} to {:+.2f})</td><td>{:g}, {:g}</td>", c->rank->score,
                       c->rank->low, c->rank->high, c->rank->wins, c->rank->losses);
    else
      h += "<td>" + shareWords(c->accepted) + "</td><td>" + shareWords(c->usable) + "</td>";
    if (!s.plan.criterion.empty())
      h += "<td>" + (of.figure ? fmt::format("{:.2f}", *of.figure) : "–") + "</td>";
    h += "</tr>";
  }
  return h + "</table>";
}

std::string viewersHtml(const BlindSession& s, const SessionReport& r, const std::string& unit) {
  std::string h =
      "<table cellpadding=\"4\"><tr><th align=\"left\">viewer</th><th align=\"left\">repeats answered "
      "alike</th>"
      "<th align=\"left\">guessing would</th><th align=\"left\">middle time</th><th "
      "align=\"left\">limits</th></tr>";
  for (const auto& v : r.viewers)
    h += fmt::format(
        "<tr><td>{}</td><td>{}</td><td>{:.0f} %</td><td>{:.1f} s</td><td>{}</td></tr>",
        escapedMarkup(v.initials), shareWords(v.consistent), 100 * v.byChance, v.medianSeconds,
        s.plan.criterion.empty() ? "" : escapedMarkup(thresholdWords(v.threshold, s.plan.rising, unit)));
  return h + "</table>";
}

}  // namespace

std::string thresholdWords(const std::optional<ThresholdFit>& f, bool rising, const std::string& unit) {
  if (!f) return "too few answers for a limit";
  if (f->contradictory) return "no limit: the answers don't follow the figure";
  if (!f->clean && !f->lost) return "one answer for all: no limit was shown";
  const auto one = [&](const char* what, const Threshold& t) {
    return fmt::format("{} {} {:.2f}{}{} ({} to {})", what, rising ? "down to" : "up to", t.at,
                       unit.empty() ? "" : " ", unit, bound(t.low, true), bound(t.high, false));
  };
  std::string words;
  if (f->clean) words = one("accepted", *f->clean);
  if (f->lost && (!f->clean || f->lost->at != f->clean->at))
    words += (words.empty() ? "" : ", ") + one("usable", *f->lost);
  return words + (f->separable ? "; no answer contradicts another, a limit lies anywhere in its gap" : "");
}

std::string reviewHtml(const BlindSession& s, const SessionReport& r) {
  std::string unit;
  for (const auto& c : criteria())
    if (s.plan.criterion == c.metric) unit = c.unit;
  std::string h = "<h3>" + escapedMarkup(s.plan.title) + "</h3>";
  if (!r.warnings.empty()) {
    h += "<ul>";
    for (const auto& w : r.warnings) h += warningWords(w);
    h += "</ul>";
  }
  h += candidatesHtml(s, r);
  if (r.threshold)
    h +=
        "<p><b>All viewers together</b>: " + escapedMarkup(thresholdWords(r.threshold, s.plan.rising, unit)) +
        "</p>";
  h += viewersHtml(s, r, unit);
  std::string agree;
  if (r.alpha)
    agree = fmt::format("Krippendorff's alpha {:.2f} ({:.2f} to {:.2f})", r.alpha->value, r.alpha->low,
                        r.alpha->high);
  if (r.kappa) agree += fmt::format("{}Fleiss' kappa {:.2f}", agree.empty() ? "" : ", ", *r.kappa);
  h += "<p><b>Agreement</b>: " + (agree.empty() ? std::string("one viewer, or one answer for all") : agree) +
       "</p>";
  if (r.firstShown) h += "<p><b>The first of two was preferred</b>: " + shareWords(*r.firstShown) + "</p>";
  for (const auto& v : r.viewers)
    if (v.ownBody)
      h += fmt::format(
          "<p><b>{}</b> and the own body: {:+.0f} % of the scale against the others, by lot as much in "
          "{:.0f} % of cases</p>",
          escapedMarkup(v.initials), 100 * *v.ownBody, 100 * *v.ownBodyChance);
  return h + "<p class=\"quiet\">sealed as " + s.seal + "; nothing was changed since. " + kScreenUnknown +
         "</p>";
}

}  // namespace edge
