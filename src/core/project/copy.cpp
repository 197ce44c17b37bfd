#include "project/copy.h"

#include <functional>
#include <set>

#include "base/error.h"
#include "base/files.h"
#include "color/curve.h"
#include "color/display.h"
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

namespace {

// Each path of what was read, replaced by what `with` makes of it; true: something is another now.
using PathMap = std::function<std::string(const std::string&)>;

bool mapPaths(Configuration& c, const PathMap& with) {
  bool changed = false;
  const auto put = [&](std::string& path) {
    std::string now = with(path);
    changed |= now != path;
    path = std::move(now);
  };
  for (auto& clip : c.clips) put(clip.path);
  if (!isCurveName(c.decode.curve)) put(c.decode.curve);
  if (isDisplayFile(c.display)) put(c.display);
  return changed;
}

bool mapPaths(Decision& d, const PathMap& with) {
  const json before = d.value;
  if (d.key == kRecipeKey)
    d.value = withCurves(d.value, [&](const std::string& c) { return isCurveName(c) ? c : with(c); });
  if (d.key == kLookKey && d.value.is_string()) d.value = with(d.value);
  return d.value != before;
}

std::vector<std::string> pathsThat(const Project& p, const std::function<bool(const std::string&)>& hold) {
  std::set<std::string> found;
  const PathMap note = [&](const std::string& path) {
    if (hold(path)) found.insert(path);
    return path;
  };
  for (Configuration c : p.configurations()) mapPaths(c, note);
  for (Decision d : p.decisions()) mapPaths(d, note);
  return {found.begin(), found.end()};
}

}  // namespace

std::vector<std::string> outsidePaths(const Project& p) {
  std::error_code ec;
  const fs::path folder = fs::weakly_canonical(p.folder(), ec);
  // Where a path leads is not seen in its words: a link may lead out, a whole path back in. No file is
  // opened to see that.
  return pathsThat(p, [&](const std::string& path) {
    const fs::path at = fs::weakly_canonical(folder / path, ec).lexically_relative(folder);
    return ec || at.empty() || !staysInside(at.string());
  });
}

std::vector<std::string> keepInside(Project& p) {
  const auto outside = pathsThat(p, [](const std::string& path) { return !staysInside(path); });
  const PathMap cut = [](const std::string& path) {
    return staysInside(path) ? path : fs::path(path).filename().string();
  };
  for (Configuration c : p.configurations())
    if (mapPaths(c, cut)) p.setClips(c.id, c.clips), p.setSetup(c);
  const std::vector<Decision> all = p.decisions();
  for (Decision d : all)
    if (mapPaths(d, cut)) p.setDecision(d);
  return outside;
}

void saveCopy(const Project& project, const fs::path& file) {
  std::error_code ec;
  if (fs::equivalent(project.file(), file, ec))
    throw Error("this is the project itself", file.string(), "", "give the copy another name or folder");
  const auto copy = project.copyInMemory();
  const fs::path folder = fs::absolute(file).parent_path();
  if (!fs::equivalent(project.folder(), folder, ec)) rebaseAll(*copy, Rebase(project.folder(), folder));
  writeFileAtomically(file, [&](const fs::path& temporary) { copy->writeTo(temporary); });
}

}  // namespace edge
