#include <filesystem>

#include "advise/report_page.h"
#include "base/files.h"
#include "command.h"
#include "paper/report_paper.h"
#include "paper_application.h"
#include "project/analysis.h"
#include "report/findings.h"
#include "report/range_compare.h"

namespace edge::cli {
namespace {

struct Args {
  std::string project, pdf, html, csv, json;
  bool stills = true;
};

std::string labelOf(const Project& project, std::int64_t configuration) {
  for (const auto& c : project.configurations())
    if (c.id == configuration) return c.label();
  return "";
}

nlohmann::json run(const Args& args, const Progress& progress) {
  if (args.pdf.empty() && args.html.empty() && args.csv.empty() && args.json.empty())
    throw UsageError("nothing to write", "", "", "give --pdf, --html, --csv or --json");
  const auto project = Project::open(args.project);
  const auto failures = analyseAll(*project, progress);
  auto findings = collectFindings(*project);
  addNoise(findings, collectNoise(*project));
  Report report = reportOf(*project, std::move(findings));
  std::optional<PaperApplication> application;
  if (!args.pdf.empty() || (!args.html.empty() && args.stills)) application.emplace();
  if (args.stills && application) app::addStills(report, project->folder(), progress);
  nlohmann::json written = nlohmann::json::array();
  const auto write = [&](const std::filesystem::path& file, const std::string& text) {
    writeFileAtomically(file, text), written.push_back(file.string());
  };
  nlohmann::json failed = nlohmann::json::array();
  for (const auto& f : failures)
    failed.push_back({{"configuration", labelOf(*project, f.configuration)},
                      {"item", f.words},
                      {"reason", f.error.problem()},
                      {"file", f.error.subject()},
                      {"place", f.error.place()},
                      {"remedy", f.error.remedy()}});
  if (!args.json.empty()) {
    nlohmann::json all = reportJson(report);
    all["failed"] = failed;
    write(args.json, all.dump(2) + "\n");
  }
  if (!args.html.empty()) write(args.html, reportPage(report));
  if (!args.csv.empty()) {
    std::error_code ec;
    std::filesystem::create_directories(args.csv, ec);
    const auto folder = std::filesystem::path(args.csv);
    write(folder / "edge-board.csv", boardCsv(report.findings));
    write(folder / "takes.csv", takesCsv(report.findings));
    write(folder / "ranges.csv", compareCsv(report.findings, 0));
    write(folder / "situations.csv", decisionCsv(report.decisions));
    write(folder / "context.csv", contextCsv(report.context));
  }
  if (!args.pdf.empty()) app::writeReportPdf(args.pdf, report), written.push_back(args.pdf);
  return {{"written", written},
          {"configurations", report.findings.size()},
          {"stills", report.stills.size()},
          {"missing", report.missing},
          {"failed", failed},
          {"inputs", {{"project", args.project}}}};
}

}  // namespace

void addReport(CLI::App& app, Common& common) {
  const auto args = std::make_shared<Args>();
  CLI::App* c = addCommand(app, common, "report", "measures what is missing and writes the report",
                           [args](const Progress& p) { return run(*args, p); });
  c->add_option("project", args->project, "project file (.edgetest)")->required();
  c->add_option("--pdf", args->pdf, "edge board, findings, exposure cards, stills, takes");
  c->add_option("--html", args->html, "the same as a page");
  c->add_option("--csv", args->csv,
                "folder for edge-board.csv, takes.csv, ranges.csv, situations.csv, context.csv");
  c->add_option("--json", args->json, "all findings");
  c->add_flag("!--no-stills", args->stills, "no pictures in page and PDF: faster, and no clip is read");
}

}  // namespace edge::cli
