#include "project/copy.h"

#include "base/error.h"
#include "base/files.h"
#include "color/curve.h"
#include "project/analysis.h"
#include "project/match_project.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

class Rebase {
 public:
  Rebase(const fs::path& from, const fs::path& to) : from_(fs::absolute(from)), to_(fs::absolute(to)) {}

  [[nodiscard]] std::string operator()(const std::string& path) const {
    return fs::relative((from_ / path).lexically_normal(), to_).generic_string();
  }
  [[nodiscard]] std::string curve(const std::string& name) const {
    return name.empty() || isCurveName(name) ? name : (*this)(name);
  }

 private:
  fs::path from_, to_;
};

json rebasedRecipe(json recipe, const Rebase& rebase) {
  if (!recipe.contains("bodies") || !recipe["bodies"].is_array()) return recipe;
  for (auto& body : recipe["bodies"])
    if (body.is_object() && body.contains("modes") && body["modes"].is_array())
      for (auto& mode : body["modes"])
        if (mode.is_object() && mode.contains("curve")) {
          json& curve =
              mode["curve"].contains("value") ? mode["curve"]["value"] : mode["curve"];  // with its source
          if (curve.is_string()) curve = rebase.curve(curve);
        }
  return recipe;
}

void rebaseAll(Project& p, const Rebase& rebase) {
  for (Configuration c : p.configurations()) {
    for (auto& clip : c.clips) clip.path = rebase(clip.path);
    p.setClips(c.id, c.clips);
    c.decode.curve = rebase.curve(c.decode.curve);
    p.setSetup(c);
  }
  if (auto d = p.decision(0, "", kRecipeKey)) {
    d->value = rebasedRecipe(d->value, rebase);
    p.setDecision(*d);
  }
  if (auto d = p.decision(0, "", kByHandKey); d && d->value.is_object()) {
    json links = json::object();
    for (const auto& [path, slate] : d->value.items()) links[rebase(path)] = slate;
    d->value = links;
    p.setDecision(*d);
  }
}

}  // namespace

void saveCopy(const Project& project, const fs::path& file) {
  std::error_code ec;
  if (fs::equivalent(project.file(), file, ec))
    throw Error("this is the project itself", file.string(), "", "give the copy another name or folder");
  writeFileAtomically(file, [&](const fs::path& temporary) {
    project.writeTo(temporary);
    if (fs::equivalent(project.folder(), temporary.parent_path(), ec)) return;
    const auto copy = Project::open(temporary);
    rebaseAll(*copy, Rebase(project.folder(), temporary.parent_path()));
  });
}

}  // namespace edge
