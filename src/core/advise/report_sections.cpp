// Sections of the report that are words and tables: the same on the page and on paper.
#include <fmt/format.h>

#include "advise/report_page.h"
#include "base/markup.h"
#include "base/numbers.h"
#include "project/analysis.h"
#include "report/protocols.h"
#include "report/review_words.h"

namespace edge {
namespace {

std::string cell(const std::string& text, const char* kind = "") {
  return fmt::format("<td{}>{}</td>", *kind ? fmt::format(" class=\"{}\"", kind) : "", escapedMarkup(text));
}

std::string notEstablished(const std::vector<Finding>& findings) {
  std::string s;
  for (const auto& f : findings) {
    const ExposureCard card = cardOf(f);
    for (const auto& n : card.notEstablished)
      s += "<li><b>" + escapedMarkup(card.title) + "</b>: " + escapedMarkup(n) + "</li>\n";
  }
  return s.empty() ? "" : "<section><h2>Not established by this test</h2><ul>\n" + s + "</ul></section>\n";
}

std::string decisionTableHtml(const std::vector<DecisionRow>& rows) {
  std::string s =
      "<section><h2>Situations</h2><table><tr><th>Situation</th><th>Take</th><th>Rate</th><th>Why</"
      "th><th>What it "
      "costs</th></tr>\n";
  for (const auto& r : rows)
    s += "<tr>" + cell(r.situation->words) + cell(r.configuration) + cell(r.rating, "figure") +
         cell((r.overruled ? "overruled: " : "") + r.reason) + cell(r.cost) + "</tr>\n";
  return s + "</table><p class=\"quiet\">What each situation asks is common practice.</p></section>\n";
}

std::string contextHtml(const std::vector<ContextRow>& rows) {
  std::string s =
      "<section><h2>What a choice also weighs</h2><table><tr><th>Body</th><th>Mode</th><th>Dynamic "
      "range</th>";
  for (const auto& field : contextFields()) s += fmt::format("<th>{}</th>", field.words);
  s += "</tr>\n";
  for (const auto& r : rows) {
    s += "<tr>" + cell(r.body) + cell(r.mode) + cell(rangeWords(r));
    for (const auto& v : r.values) s += cell(v ? fmt::format("{:.10g}", *v) : "–");
    s += "</tr>\n";
  }
  return s +
         "</table><p class=\"quiet\">Typed by hand; no verdict and no recommendation looks at "
         "it.</p></section>\n";
}

std::string reviewsHtml(const std::vector<ReportReview>& reviews) {
  std::string s;
  for (const auto& r : reviews) s += "<section>" + reviewHtml(r.session, r.report) + "</section>\n";
  return s.empty() ? "" : "<h2>Judged blind</h2>\n" + s;
}

std::string protocolHtml(const Finding& f) {
  const auto protocol = protocolOf(f.configuration);
  if (!protocol) return "";
  std::string s = "<h3>Protocol of " + escapedMarkup(f.configuration.label()) + "</h3><table>";
  for (const auto& l : protocol->lines) s += "<tr>" + cell(l.question) + cell(l.answer) + "</tr>\n";
  return s + "</table>\n";
}

// Every take with the tool's verdict and a person's beside it.
std::string takesHtml(const Finding& f) {
  if (!f.latitude) return "";
  std::string s = "<h3>Takes of " + escapedMarkup(f.configuration.label()) +
                  "</h3><table><tr><th>Take</th><th>Planned</th><th>Measured</th><th>Verdict</th><th>By the "
                  "tool</th><th>Why</th></tr>\n";
  for (size_t i = 0; i < f.latitudeMeasure->takes.size(); ++i) {
    const TakeMetrics& t = f.latitudeMeasure->takes[i];
    std::string why;
    for (const auto& r : f.latitude->verdicts[i].reasons) why += (why.empty() ? "" : "; ") + reasonWords(r);
    s += "<tr>" + cell(t.name) + cell(formatSigned(t.planned, 1)) +
         cell(t.measured ? formatSigned(*t.measured, 2) + " ±" + formatNumber(t.sigma, 2) : "–") +
         cell(wordOf(f.latitude->judged[i].verdict)) + cell(wordOf(f.latitude->verdicts[i].verdict)) +
         cell(why) + "</tr>\n";
  }
  return s + "</table>\n";
}

std::string limit(const LimitPair& pair, double value, const char* unit) {
  if (!pair.judges()) return "not judged";
  return formatNumber(value, 2) + (*unit ? std::string(" ") + unit : "");
}

std::string criteriaHtml(const CriteriaProfile& profile) {
  std::string s =
      "<h3>Limits of the profile " + escapedMarkup(profile.name) +
      "</h3><table><tr><th>Criterion</th><th>Clean</th><th>Lost</th><th>How it is measured</th></tr>\n";
  for (const auto& c : criteria())
    s += "<tr>" + cell(c.words) + cell(limit(profile[c.id], profile[c.id].clean, c.unit)) +
         cell(limit(profile[c.id], profile[c.id].lost, c.unit)) + cell(c.formula) + "</tr>\n";
  return s + "</table>\n";
}

}  // namespace

std::string reportFront(const Report& r) {
  return notEstablished(r.findings) + (r.decisions.empty() ? "" : decisionTableHtml(r.decisions)) +
         (r.context.empty() ? "" : contextHtml(r.context)) + reviewsHtml(r.reviews);
}

std::string reportBack(const Report& r) {
  std::string s = "<h2>To be checked</h2>\n";
  for (const auto& f : r.findings) s += takesHtml(f);
  for (const auto& f : r.findings) s += protocolHtml(f);
  if (!r.findings.empty()) s += criteriaHtml(r.findings.front().profile);
  for (const auto& m : r.missing) s += "<p class=\"quiet\">" + escapedMarkup(m) + "</p>\n";
  return s + fmt::format(
                 "<p class=\"quiet\">Edge Test, method {}. How every figure comes about stands in its method "
                 "description.</p>\n",
                 methodVersion());
}

}  // namespace edge
