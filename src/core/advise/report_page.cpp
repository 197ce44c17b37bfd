#include "advise/report_page.h"

#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "base/markup.h"
#include "base/numbers.h"
#include "project/analysis.h"
#include "report/board.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr const char* kStyle =
    "body{font:15px/1.5 'Noto Sans',sans-serif;max-width:64rem;margin:2rem auto;padding:0 1rem;color:#222;"
    "background:#fff}table{border-collapse:collapse;width:100%}td,th{padding:.3rem .6rem;border-bottom:1px "
    "solid "
    "#ccc;text-align:left;vertical-align:top}dl{display:grid;grid-template-columns:14rem auto;gap:.2rem 1rem}"
    "dd{margin:0}.quiet{color:#666;font-size:13px}.figure{white-space:nowrap;font-weight:bold}"
    "svg{width:100%;height:34px}section{break-inside:avoid}@media print{body{margin:0;max-width:none}}";

constexpr double kFrom = -10, kTo = 10, kWidth = 640;  // of the strip, stops and its own units

double x(double stops) {
  return (std::clamp(stops, kFrom, kTo) - kFrom) / (kTo - kFrom) * kWidth;
}

std::string bar(double from, double to, double y, double height, const char* fill) {
  return to <= from ? ""
                    : fmt::format(
                          "<rect x=\"{:.1f}\" y=\"{:g}\" width=\"{:.1f}\" height=\"{:g}\" fill=\"{}\" "
                          "stroke=\"#222\"/>",
                          x(from), y, x(to) - x(from), height, fill);
}

// Clean solid, clean-up hatched, range thin below; the same patterns as everywhere.
std::string strip(const Finding& f) {
  const Reach r = reachOf(f);
  std::string s = fmt::format(
      "<svg viewBox=\"0 0 {:g} 34\" preserveAspectRatio=\"none\" role=\"img\" "
      "aria-label=\"{}\"><defs><pattern "
      "id=\"h{}\" width=\"5\" height=\"5\" patternUnits=\"userSpaceOnUse\"><path d=\"M0 5L5 0\" "
      "stroke=\"#222\"/></pattern></defs>",
      kWidth, escapedMarkup(r.label + " on the stop ruler"), r.id);
  const std::string hatch = fmt::format("url(#h{})", r.id);
  if (r.cleanUnder && r.cleanOver) {
    if (r.lostUnder) s += bar(r.lostUnder->stops, r.cleanUnder->stops, 4, 14, hatch.c_str());
    s += bar(r.cleanUnder->stops, r.cleanOver->stops, 4, 14, "#222");
    if (r.lostOver) s += bar(r.cleanOver->stops, r.lostOver->stops, 4, 14, hatch.c_str());
  }
  if (f.range && f.range->belowGrey && r.clip)
    s += bar(-f.range->belowGrey->stops, r.clip->stops, 22, 5, "#fff");
  s += fmt::format("<line x1=\"{0:.1f}\" y1=\"0\" x2=\"{0:.1f}\" y2=\"34\" stroke=\"#888\"/></svg>", x(0));
  return s;
}

std::string cell(const std::string& text, const char* kind = "") {
  return fmt::format("<td{}>{}</td>", *kind ? fmt::format(" class=\"{}\"", kind) : "", escapedMarkup(text));
}

std::string board(const std::vector<Finding>& findings) {
  std::string s =
      "<table><tr><th>Configuration</th><th style=\"width:40%\">From −10 to +10 stops, grey in the "
      "middle</th>"
      "<th>Sinks to</th><th>Burns to</th><th>Clips "
      "at</th><th>Range</th><th>Latitude</th><th>Rate</th></tr>\n";
  for (const auto& group : boardOf(findings, BoardSort::AsTested, "")) {
    if (!group.differs.empty())
      s += "<tr><td colspan=\"8\" class=\"quiet\">Not to be compared with those above: " +
           escapedMarkup(group.differs) + "</td></tr>\n";
    for (const size_t i : group.rows) {
      const Finding& f = findings[i];
      const ExposureCard card = cardOf(f);
      s += "<tr>" + cell(card.title) + "<td>" + strip(f) + "</td>";
      for (size_t k = 0; k < 3; ++k) s += cell(card.large[k].value, "figure");
      s += cell(limitFigure(f.range ? f.range->headline : std::nullopt), "figure") +
           cell(limitFigure(f.latitude ? f.latitude->edges.latitude : std::nullopt), "figure") +
           cell(card.large[3].value, "figure") + "</tr>\n";
    }
  }
  return s +
         "</table>\n<p class=\"quiet\">Stops from grey. Solid: clean. Hatched: usable with clean-up. Thin: "
         "dynamic "
         "range.</p>\n";
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

std::string cardHtml(const Finding& f) {
  const ExposureCard card = cardOf(f);
  std::string s = fmt::format("<section><h3>{}</h3><dl>\n", escapedMarkup(card.title));
  std::vector<CardLine> lines = card.large;
  lines.insert(lines.end(), card.lines.begin(), card.lines.end());
  for (const auto& l : lines)
    s += "<dt>" + escapedMarkup(l.label) + "</dt><dd><b>" + escapedMarkup(l.value) + "</b>" +
         (l.note.empty() ? "" : " <span class=\"quiet\">" + escapedMarkup(l.note) + "</span>") + "</dd>\n";
  s += "</dl>";
  if (!card.advice.empty()) {
    s += "<ul>\n";
    for (const auto& a : card.advice) s += "<li>" + escapedMarkup(a) + "</li>\n";
    s += "</ul>";
  }
  return s + "</section>\n";
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

std::string reportPage(const std::vector<Finding>& findings, const std::vector<DecisionRow>& decisions,
                       const std::string& title) {
  std::string s = "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>" +
                  escapedMarkup(title) + "</title><style>" + kStyle + "</style></head><body>\n<h1>" +
                  escapedMarkup(title) + "</h1>\n";
  s += board(findings);
  s += notEstablished(findings);
  if (!decisions.empty()) s += decisionTableHtml(decisions);
  s += "<h2>Cards</h2>\n";
  for (const auto& f : findings) s += cardHtml(f);
  s += "<h2>To be checked</h2>\n";
  for (const auto& f : findings) s += takesHtml(f);
  if (!findings.empty()) s += criteriaHtml(findings.front().profile);
  s += fmt::format(
      "<p class=\"quiet\">Edge Test, method {}. How every figure comes about stands in its method "
      "description.</p>\n",
      methodVersion());
  return s + "</body></html>\n";
}

json reportJson(const std::vector<Finding>& findings, const std::vector<DecisionRow>& decisions) {
  json j = findingsJson(findings);
  for (size_t i = 0; i < findings.size(); ++i) {
    const ExposureCard card = cardOf(findings[i]);
    json lines = json::array();
    for (const auto* list : {&card.large, &card.lines})
      for (const auto& l : *list) lines.push_back({{"label", l.label}, {"value", l.value}, {"note", l.note}});
    j["configurations"][i]["card"] = {
        {"lines", lines}, {"advice", card.advice}, {"not_established", card.notEstablished}};
    j["configurations"][i]["published_stops"] =
        findings[i].claimStops ? json(*findings[i].claimStops) : json();
    j["configurations"][i]["own_count"] = findings[i].ownCount ? json(*findings[i].ownCount) : json();
  }
  j["situations"] = decisionJson(decisions);
  return j;
}

}  // namespace edge
