#include "advise/report_page.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/markup.h"
#include "base/numbers.h"
#include "project/analysis.h"
#include "report/board.h"
#include "report/stills.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr const char* kStyle =
    "body{font:15px/1.5 'Noto Sans',sans-serif;max-width:64rem;margin:2rem auto;padding:0 1rem;color:#222;"
    "background:#fff}table{border-collapse:collapse;width:100%}td,th{padding:.3rem .6rem;border-bottom:1px "
    "solid "
    "#ccc;text-align:left;vertical-align:top}dl{display:grid;grid-template-columns:14rem auto;gap:.2rem 1rem}"
    "dd{margin:0}.quiet{color:#666;font-size:13px}.figure{white-space:nowrap;font-weight:bold}"
    "svg{width:100%;height:34px}.plot{height:auto;max-width:42rem;display:block}"
    ".stills{display:grid;grid-template-columns:1fr 1fr;gap:.5rem}.stills "
    "img{width:100%}section{break-inside:avoid}@media print{body{margin:0;max-width:none}}";

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

// Luma SNR by stops from grey, with the thresholds of the range.
std::string plot(const Finding& f) {
  const auto points = snrCurve(f);
  if (points.size() < 2) return "";
  static constexpr double kPlotHeight = 180, kMostSnr = 10;  // log2
  const auto y = [](double log2Snr) {
    return kPlotHeight * (1 - (std::clamp(log2Snr, -1.0, kMostSnr) + 1) / (kMostSnr + 1));
  };
  std::string s =
      fmt::format("<svg class=\"plot\" viewBox=\"0 -4 {:g} {:g}\" role=\"img\" aria-label=\"{}\">", kWidth,
                  kPlotHeight + 24, escapedMarkup("Signal to noise of " + f.configuration.label()));
  for (const double snr : {1.0, 2.0, 10.0, 100.0})
    s += fmt::format(
        "<line x1=\"0\" x2=\"{0:g}\" y1=\"{1:.1f}\" y2=\"{1:.1f}\" stroke=\"#bbb\"/><text x=\"2\" "
        "y=\"{2:.1f}\" "
        "font-size=\"10\">SNR {3:g}</text>",
        kWidth, y(std::log2(snr)), y(std::log2(snr)) - 2, snr);
  for (int stops = static_cast<int>(kFrom); stops <= static_cast<int>(kTo); stops += 2)
    s += fmt::format("<text x=\"{:.1f}\" y=\"{:g}\" font-size=\"10\" text-anchor=\"middle\">{}</text>",
                     x(stops), kPlotHeight + 16, stops == 0 ? "grey" : formatSigned(stops, 0));
  std::string path;
  for (const auto& [stops, snr] : points) {
    path += fmt::format("{}{:.1f} {:.1f}", path.empty() ? "M" : "L", x(stops), y(snr));
    s += fmt::format("<circle cx=\"{:.1f}\" cy=\"{:.1f}\" r=\"2.5\" fill=\"#222\"/>", x(stops), y(snr));
  }
  return s + "<path d=\"" + path +
         "\" fill=\"none\" stroke=\"#222\"/></svg><p class=\"quiet\">Luma signal to noise " +
         "of every step, stops from grey.</p>\n";
}

std::string stillsHtml(const Report& r, std::int64_t configuration) {
  std::string s;
  for (const auto& still : r.stills)
    if (still.configuration == configuration)
      s += fmt::format("<img alt=\"{}\" src=\"data:image/jpeg;base64,{}\">\n", escapedMarkup(still.identity),
                       still.jpeg);
  return s.empty() ? ""
                   : "<div class=\"stills\">\n" + s + "</div><p class=\"quiet\">" + kScreenLegend + "</p>\n";
}

std::vector<ReportReview> reviewsOf(const Project& p) {
  std::vector<ReportReview> out;
  for (const auto& d : p.decisions()) {
    if (d.configuration != 0 || !d.key.starts_with(kReviewKey)) continue;
    try {
      BlindSession session = sessionFromJson(d.value);
      if (!session.unsealed) continue;  // nobody learns from a report what is still to be judged
      SessionReport report = reportOf(session);
      out.push_back({std::move(session), std::move(report)});
    } catch (const Error&) {
      continue;  // the stage Review says what is wrong with it
    }
  }
  return out;
}

}  // namespace

Report reportOf(const Project& p, std::vector<Finding> findings) {
  Report r;
  r.title = p.title();
  const auto own = p.decision(0, "", kSituationsKey);
  r.decisions = decisionTable(reachesOf(findings), own ? overruledFrom(own->value) : OverruledBySituation{});
  if (const Context context = contextOf(p); !context.empty()) r.context = contextRows(findings, context);
  r.reviews = reviewsOf(p);
  r.findings = std::move(findings);
  return r;
}

std::string reportPage(const Report& r) {
  const std::string title = escapedMarkup(r.title);
  std::string s = "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>" + title +
                  "</title><style>" + kStyle + "</style></head><body>\n<h1>" + title + "</h1>\n";
  s += board(r.findings);
  s += reportFront(r);
  s += "<h2>Cards</h2>\n";
  for (const auto& f : r.findings) s += cardHtml(f) + stillsHtml(r, f.configuration.id) + plot(f);
  return s + reportBack(r) + "</body></html>\n";
}

json reportJson(const Report& r) {
  json j = findingsJson(r.findings);
  for (size_t i = 0; i < r.findings.size(); ++i) {
    const Finding& f = r.findings[i];
    const ExposureCard card = cardOf(f);
    json lines = json::array();
    for (const auto* list : {&card.large, &card.lines})
      for (const auto& l : *list) lines.push_back({{"label", l.label}, {"value", l.value}, {"note", l.note}});
    json& c = j["configurations"][i];
    c["card"] = {{"lines", lines}, {"advice", card.advice}, {"not_established", card.notEstablished}};
    c["published_stops"] = f.claimStops ? json(*f.claimStops) : json();
    c["own_count"] = f.ownCount ? json(*f.ownCount) : json();
    c["stills"] = json::array();
    for (const auto& still : r.stills)
      if (still.configuration == f.configuration.id) c["stills"].push_back(still.identity);
  }
  j["situations"] = decisionJson(r.decisions);
  j["context"] = contextJson(r.context);
  j["reviews"] = json::array();
  for (const auto& review : r.reviews) j["reviews"].push_back(toJson(review.session, review.report));
  return j;
}

}  // namespace edge
