#include "library/shelf.h"

#include <fmt/format.h>

#include <algorithm>
#include <functional>

#include "base/error.h"
#include "base/files.h"
#include "color/curve.h"
#include "plan/recipe.h"
#include "plan/recipe_spec.h"
#include "project/analysis.h"
#include "project/copy.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

constexpr const char* kProtocolFolder = "protocols";
constexpr size_t kMostProtocols = 500, kLongestName = 80;

json recipeOf(const Project& p) {
  const auto d = p.decision(0, "", kRecipeKey);
  if (!d || !d->value.is_object())
    throw Error("the project has no plan", p.file().string(), "",
                "only a test that was planned can be repeated");
  checkRecipeShape(d->value, p.file().string());
  return d->value;
}

// A free folder of this name; made. Names of somebody else are no paths.
fs::path freeFolder(const fs::path& in, const std::string& name) {
  for (int n = 1; n < 1000; ++n) {
    const fs::path folder = in / (n == 1 ? name : fmt::format("{}-{}", name, n));
    std::error_code ec;
    if (fs::create_directory(folder, ec)) return folder;
    if (ec)
      throw Error("can't make a folder: " + ec.message(), folder.string(), "",
                  "choose a folder you may write to");
  }
  throw Error("there are a thousand of this name", (in / name).string(), "", "tidy the folder");
}

// A file's name from words that somebody typed.
std::string fileNameOf(const std::string& words) {
  std::string name;
  for (const char c : words.substr(0, kLongestName))
    name += c == '/' || static_cast<unsigned char>(c) < ' ' ? '-' : c;
  while (name.starts_with('.') || name.starts_with(' ')) name.erase(0, 1);
  while (name.ends_with(' ')) name.pop_back();
  return name;
}

void copyCurves(const Project& p, const fs::path& to, std::vector<std::string>& notes) {
  for (const auto& c : p.configurations()) {
    const std::string& curve = c.decode.curve;
    if (curve.empty() || isCurveName(curve) || !staysInside(curve)) continue;
    const fs::path from = p.folder() / curve, target = to / curve;
    std::error_code ec;
    if (fs::exists(target, ec)) continue;
    if (!fs::is_regular_file(from, ec) || fs::is_symlink(from, ec) ||
        fs::file_size(from, ec) > kMostCurveBytes) {
      notes.push_back("its curve " + curve + " is not beside it: what was measured by it can't be checked");
      continue;
    }
    fs::create_directories(target.parent_path(), ec);
    fs::copy_file(from, target, ec);
    if (ec) notes.push_back("its curve " + curve + " could not be copied: " + ec.message());
  }
}

void writeNew(const fs::path& file, const json& recipe, const std::string& title,
              const std::function<void(Project&)>& more) {
  (void)Project::create(file, title, "", [&](Project& p) {
    p.setDecision({0, "", kRecipeKey, recipe, ""});
    more(p);
  });
}

}  // namespace

TakenIn takeIn(const fs::path& project, const fs::path& folder) {
  const auto p = Project::read(project);
  try {
    (void)p->decisions();
    (void)p->log();
  } catch (const json::exception& e) {
    throw Error("a decision or an entry of its log can't be read", project.string(), e.what(),
                "ask whoever sent it for the file as the program saved it");
  }
  TakenIn taken;
  if (const auto outside = keepInside(*p); !outside.empty())
    taken.notes.push_back(
        fmt::format("{} paths led out of its folder and were cut to their names, the first {}",
                    outside.size(), outside.front()));
  std::string name = fileNameOf(project.stem().string());
  if (name.empty()) name = "project";
  const fs::path own = freeFolder(folder, name);
  copyCurves(*p, own, taken.notes);
  taken.file = own / (name + ".edgetest");
  try {
    writeFileAtomically(taken.file, [&](const fs::path& temporary) { p->writeTo(temporary); });
  } catch (...) {
    std::error_code ec;
    fs::remove_all(own, ec);  // made by us a moment ago
    throw;
  }
  return taken;
}

void repeatTest(const Project& old, const fs::path& file) {
  const json recipe = recipeElsewhere(recipeOf(old), old.folder(), fs::absolute(file).parent_path());
  writeNew(file, recipe, file.stem().string(), [&](Project& p) {
    for (const char* key : {kCriteriaKey, kHeadlineSnrKey, kRasterKey, kContextKey})
      if (const auto d = old.decision(0, "", key)) p.setDecision(*d);
    p.setDecision({0, "", kRepeatsKey, {{"title", old.title()}, {"id", old.id()}}, ""});
  });
}

fs::path keepProtocol(const Project& project, const fs::path& library, const std::string& name) {
  const std::string stem = fileNameOf(name);
  if (stem.empty())
    throw Error("a protocol needs a name", name, "", "name what it is for: \"two days, faces and wedge\"");
  const fs::path file = library / kProtocolFolder / (stem + ".json");
  std::error_code ec;
  if (fs::exists(file, ec))
    throw Error("there is a protocol of this name already", file.string(), "", "choose another name");
  fs::create_directories(file.parent_path(), ec);
  const json recipe = recipeElsewhere(recipeOf(project), project.folder(), fs::absolute(file).parent_path());
  writeFileAtomically(file, recipe.dump(2) + "\n");
  return file;
}

std::vector<fs::path> protocolsIn(const fs::path& library) {
  std::vector<fs::path> list;
  std::error_code ec;
  for (fs::directory_iterator it(library / kProtocolFolder, ec), end; !ec && it != end; it.increment(ec))
    if (it->path().extension() == ".json" && it->is_regular_file(ec) && list.size() < kMostProtocols)
      list.push_back(it->path());
  std::sort(list.begin(), list.end());
  return list;
}

void beginFromProtocol(const fs::path& protocol, const fs::path& file) {
  const json recipe = readRecipeJson(protocol);
  checkRecipeShape(recipe, protocol.string());
  writeNew(file,
           recipeElsewhere(recipe, fs::absolute(protocol).parent_path(), fs::absolute(file).parent_path()),
           file.stem().string(), [](Project&) {});
}

}  // namespace edge
