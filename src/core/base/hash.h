// Content hashes (XXH128, the form `xxhsum -H2` prints): to know again what a result was made from.
#pragma once
#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

namespace edge {

[[nodiscard]] std::string hashBytes(std::string_view bytes);            // 32 hexadecimal digits
[[nodiscard]] std::string hashFile(const std::filesystem::path& file);  // streamed

// Hash of a clip of several files: of the lines "HASH  NAME\n" in order. One file: its own hash.
[[nodiscard]] std::string hashFiles(const std::vector<std::filesystem::path>& files);

}  // namespace edge
