#include "project/check.h"

#include "command.h"

namespace edge::cli {

void addCheck(CLI::App& app, Common& common) {
  const auto file = std::make_shared<std::string>();
  CLI::App* c =
      addCommand(app, common, "check", "integrity of a project and its media", [file](const Progress& p) {
        const auto project = Project::open(*file);
        const ProjectCheck check = checkProject(*project, p);
        nlohmann::json j = {
            {"sound", check.fileProblems.empty() && check.mediaProblems.empty()},
            {"file_problems", check.fileProblems},
            {"media_problems", nlohmann::json::array()},
            {"clips", check.clips},
            {"results", {{"current", check.resultsCurrent}, {"missing", check.resultsMissing}}},
            {"inputs", {{"project", *file}}}};
        for (const auto& m : check.mediaProblems)
          j["media_problems"].push_back({{"clip", m.clip}, {"problem", m.problem}, {"remedy", m.remedy}});
        return j;
      });
  c->add_option("project", *file, "project file (.edgetest)")->required();
}

}  // namespace edge::cli
