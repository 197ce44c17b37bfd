#include "command.h"
#include "demo/demo_project.h"

namespace edge::cli {

void addDemo(CLI::App& app, Common& common) {
  struct Args {
    std::string folder;
    bool small = false;
  };
  const auto args = std::make_shared<Args>();
  CLI::App* c =
      addCommand(app, common, "demo", "writes the demo project and its clips", [args](const Progress& p) {
        const DemoFiles f = makeDemo(args->folder, args->small, p);
        return nlohmann::json{{"project", f.project.string()},
                              {"clips", f.clips.string()},
                              {"truth", f.truth.string()},
                              {"inputs", {{"folder", args->folder}, {"small", args->small}}}};
      });
  c->add_option("folder", args->folder, "where to write")->required();
  c->add_flag("--small", args->small, "smaller pictures");
}

}  // namespace edge::cli
