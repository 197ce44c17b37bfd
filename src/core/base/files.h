// Reading with bounds and writing so that a crash leaves either the old file or the new one.
#pragma once
#include <cstdint>
#include <filesystem>
#include <functional>
#include <string>
#include <string_view>

namespace edge {

// Whole text of a small file. Errors: missing, unreadable, larger than limitBytes.
[[nodiscard]] std::string readText(const std::filesystem::path& file, std::uintmax_t limitBytes = 64u << 20);

// Existence and permission of a file, with a clear error. Libraries give the same error number for all of
// these.
void requireReadable(const std::filesystem::path& file);

// Writes beside and renames. Errors: no room, no permission.
void writeFileAtomically(const std::filesystem::path& file, std::string_view bytes);

// The same for writers that want a path: they get a temporary name with the same extension.
void writeFileAtomically(const std::filesystem::path& file,
                         const std::function<void(const std::filesystem::path& temporary)>& writer);

// Lower-case extension with its dot.
[[nodiscard]] std::string lowerExtension(const std::filesystem::path& file);

}  // namespace edge
