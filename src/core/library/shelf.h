// What goes into the library and comes out of it again: somebody else's project taken in, an old test planned
// once more, a protocol kept for the next one.
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "project/project.h"

namespace edge {

// Reads all of it, then writes a copy into the folder under a name that is free. Its figures come along, and
// curves that lie beside it; paths that lead out of its folder lose their folders, so that nothing of the
// reader's is opened. Returns the file and what was left behind, in words.
struct TakenIn {
  std::filesystem::path file;
  std::vector<std::string> notes;
};
[[nodiscard]] TakenIn takeIn(const std::filesystem::path& project, const std::filesystem::path& folder);

// A new project with the plan, limits and choices of an old one, to be shot again: no clips, no figures, no
// verdicts. Errors: it has no plan; the file exists.
void repeatTest(const Project& old, const std::filesystem::path& file);

// Protocols are recipes in the folder "protocols" of the library.
[[nodiscard]] std::filesystem::path keepProtocol(const Project& project, const std::filesystem::path& library,
                                                 const std::string& name);
[[nodiscard]] std::vector<std::filesystem::path> protocolsIn(const std::filesystem::path& library);
// Errors: not a recipe; the file exists.
void beginFromProtocol(const std::filesystem::path& protocol, const std::filesystem::path& file);

}  // namespace edge
