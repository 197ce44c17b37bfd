#include "library/library.h"

#include "command.h"
#include "library/retest.h"
#include "library/shelf.h"

namespace edge::cli {
namespace {

using nlohmann::json;

struct Args {
  std::string folder, search, before, after, project;
  bool rebuild = false;
};

json rowOf(const Tested& t) {
  json j = {{"project", t.file}, {"title", t.title}, {"date", t.date},   {"id", t.id},    {"body", t.body},
            {"mode", t.mode},    {"iso", t.iso},     {"light", t.light}, {"fits", t.fits}};
  for (const auto& f : testedFigures()) j["figures"][f.key] = toJson(t[f.id]);
  return j;
}

json runLibrary(const Args& args, const Progress& progress) {
  const Library library = readLibrary(args.folder, indexOf(args.folder), args.rebuild, progress);
  json rows = json::array(), unread = json::array();
  for (const auto& row : searchLibrary(library, args.search)) {
    const LibraryProject& p = library.projects[row.project];
    if (row.tested) rows.push_back(rowOf(p.tested[*row.tested]));
    if (!p.problem.empty()) unread.push_back({{"file", p.file}, {"problem", p.problem}});
  }
  return {{"projects", library.projects.size()},
          {"read_anew", library.readAnew},
          {"rows", rows},
          {"unread", unread},
          {"notes", library.notes},
          {"inputs", {{"folder", args.folder}, {"search", args.search}}}};
}

json runRetest(const Args& args, const Progress&) {
  const auto before = testedOf(*Project::read(args.before), args.before);
  const auto after = testedOf(*Project::read(args.after), args.after);
  json pairs = json::array();
  for (const auto& [b, a] : pairsOf(before, after))
    pairs.push_back(toJson(before[b], after[a], retest(before[b], after[a])));
  if (pairs.empty())
    throw Error("the projects share no configuration", args.after, "",
                "compare tests of one body, mode, ISO and light");
  return {{"configurations", pairs}, {"inputs", {{"before", args.before}, {"after", args.after}}}};
}

json runRepeat(const Args& args, const Progress&) {
  repeatTest(*Project::read(args.before), args.project);
  return {{"project", args.project}, {"inputs", {{"repeats", args.before}}}};
}

json runTakeIn(const Args& args, const Progress&) {
  const TakenIn taken = takeIn(args.before, args.folder);
  return {{"project", taken.file.string()}, {"notes", taken.notes}, {"inputs", {{"project", args.before}}}};
}

}  // namespace

void addLibrary(CLI::App& app, Common& common) {
  const auto args = std::make_shared<Args>();
  CLI::App* c = addCommand(app, common, "library", "searches a folder of projects",
                           [args](const Progress& p) { return runLibrary(*args, p); });
  c->add_option("folder", args->folder, "folder the projects lie in, at any depth")->required();
  c->add_option("--search", args->search, "words: body, mode, ISO, light, title, date");
  c->add_flag("--rebuild", args->rebuild, "reads every project again");
  c = addCommand(app, common, "retest", "what changed between two tests of one configuration",
                 [args](const Progress& p) { return runRetest(*args, p); });
  c->add_option("before", args->before, "project of the first test")->required();
  c->add_option("after", args->after, "project of the second test")->required();
  c = addCommand(app, common, "repeat", "a new project with the plan of an old one",
                 [args](const Progress& p) { return runRepeat(*args, p); });
  c->add_option("before", args->before, "project to repeat")->required();
  c->add_option("--project", args->project, "new project file")->required();
  c = addCommand(app, common, "take-in", "checks somebody else's project and copies it into the library",
                 [args](const Progress& p) { return runTakeIn(*args, p); });
  c->add_option("before", args->before, "project to take in")->required();
  c->add_option("--library", args->folder, "folder of the library")->required();
}

}  // namespace edge::cli
