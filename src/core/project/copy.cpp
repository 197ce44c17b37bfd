#include "project/copy.h"

#include <functional>

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

json withCurves(json recipe, const std::function<std::string(const std::string&)>& curveOf) {
  if (!recipe.contains("bodies") || !recipe["bodies"].is_array()) return recipe;
  for (auto& body : recipe["bodies"])
    if (body.is_object() && body.contains("modes") && body["modes"].is_array())
      for (auto& mode : body["modes"])
        if (mode.is_object() && mode.contains("curve")) {
          json& curve =
              mode["curve"].contains("value") ? mode["curve"]["value"] : mode["curve"];  // with its source
          if (curve.is_string()) curve = curveOf(curve);
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
    d->value = withCurves(d->value, [&](const std::string& c) { return rebase.curve(c); });
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

json recipeElsewhere(const json& recipe, const fs::path& from, const fs::path& to) {
  const Rebase rebase(from, to);
  return withCurves(recipe, [&](const std::string& c) { return rebase.curve(c); });
}

bool staysInside(const std::string& path) {
  const fs::path p = fs::path(path).lexically_normal();
  return !p.is_absolute() && (p.empty() || *p.begin() != "..");
}

std::vector<std::string> keepInside(Project& p) {
  std::vector<std::string> changed;
  const auto inside = [&](const std::string& path) {
    if (staysInside(path)) return path;
    changed.push_back(path);
    return fs::path(path).filename().string();
  };
  for (Configuration c : p.configurations()) {
    const size_t before = changed.size();
    for (auto& clip : c.clips) clip.path = inside(clip.path);
    if (changed.size() > before) p.setClips(c.id, c.clips);
    if (!isCurveName(c.decode.curve)) {
      const std::string curve = inside(c.decode.curve);
      if (curve != c.decode.curve) c.decode.curve = curve, p.setSetup(c);
    }
  }
  if (auto d = p.decision(0, "", kRecipeKey)) {
    const json recipe =
        withCurves(d->value, [&](const std::string& c) { return isCurveName(c) ? c : inside(c); });
    if (recipe != d->value) d->value = recipe, p.setDecision(*d);
  }
  if (auto d = p.decision(0, "", kLookKey); d && d->value.is_string()) {
    const std::string look = inside(d->value);
    if (look != d->value) d->value = look, p.setDecision(*d);
  }
  return changed;
}

void saveCopy(const Project& project, const fs::path& file) {
  std::error_code ec;
  if (fs::equivalent(project.file(), file, ec))
    throw Error("this is the project itself", file.string(), "", "give the copy another name or folder");
  writeFileAtomically(file, [&](const fs::path& temporary) {
    project.writeTo(temporary);
    if (fs::equivalent(project.folder(), temporary.parent_path(), ec)) return;
    rebaseAll(*Project::open(temporary), Rebase(project.folder(), temporary.parent_path()));
    // Closing puts the log into the file, and says nothing where it can't.
    if (const fs::path rest = temporary.string() + "-wal"; fs::exists(rest)) {
      fs::remove(rest), fs::remove(temporary.string() + "-shm");
      throw Error("no room left to write the project", file.string(), "", "free some space and repeat");
    }
  });
}

}  // namespace edge
