#include <filesystem>

#include "advise/report_page.h"
#include "base/files.h"
#include "command.h"
#include "paper/card_page.h"
#include "paper_application.h"
#include "project/analysis.h"
#include "report/findings.h"
#include "report/range_compare.h"

namespace edge::cli {
namespace {

struct Args {
  std::string project, pdf, html, csv, json;
};

void writePdf(const std::string& file, const std::vector<Finding>& findings, const std::string& title) {
  const PaperApplication application;
  app::writeReportPdf(file, findings, QString::fromStdString(title));
}

nlohmann::json run(const Args& args, const Progress& progress) {
  if (args.pdf.empty() && args.html.empty() && args.csv.empty() && args.json.empty())
    throw UsageError("nothing to write", "", "", "give --pdf, --html, --csv or --json");
  const auto project = Project::open(args.project);
  analyseAll(*project, progress);
  auto findings = collectFindings(*project);
  addNoise(findings, collectNoise(*project));
  const auto reaches = reachesOf(findings);
  const auto own = project->decision(0, "", kSituationsKey);
  const auto decisions = decisionTable(reaches, own ? overruledFrom(own->value) : OverruledBySituation{});
  nlohmann::json written = nlohmann::json::array();
  if (!args.json.empty())
    writeFileAtomically(args.json, reportJson(findings, decisions).dump(2) + "\n"),
        written.push_back(args.json);
  if (!args.html.empty())
    writeFileAtomically(args.html, reportPage(findings, decisions, project->title())),
        written.push_back(args.html);
  if (!args.csv.empty()) {
    std::error_code ec;
    std::filesystem::create_directories(args.csv, ec);
    const auto folder = std::filesystem::path(args.csv);
    for (const auto& [name, text] :
         {std::pair("edge-board.csv", boardCsv(findings)), std::pair("takes.csv", takesCsv(findings)),
          std::pair("ranges.csv", compareCsv(findings, 0)),
          std::pair("situations.csv", decisionCsv(decisions))})
      writeFileAtomically(folder / name, text), written.push_back((folder / name).string());
  }
  if (!args.pdf.empty()) writePdf(args.pdf, findings, project->title()), written.push_back(args.pdf);
  return {{"written", written}, {"configurations", findings.size()}, {"inputs", {{"project", args.project}}}};
}

}  // namespace

void addReport(CLI::App& app, Common& common) {
  const auto args = std::make_shared<Args>();
  CLI::App* c = addCommand(app, common, "report", "measures what is missing and writes the report",
                           [args](const Progress& p) { return run(*args, p); });
  c->add_option("project", args->project, "project file (.edgetest)")->required();
  c->add_option("--pdf", args->pdf, "edge board and exposure cards");
  c->add_option("--html", args->html, "the same as a page");
  c->add_option("--csv", args->csv, "folder for edge-board.csv, takes.csv, ranges.csv, situations.csv");
  c->add_option("--json", args->json, "all findings");
}

}  // namespace edge::cli
