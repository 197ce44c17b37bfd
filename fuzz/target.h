// Fuzzing targets: one table of all readers of what comes from outside. A target takes bytes and must end
// well: with a result that holds its promises, or with an Error that names a remedy in one line.
#pragma once
#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <string_view>
#include <vector>

namespace edge::fuzz {

enum class Kind { Text, Media };  // what a target reads: 10^7 runs for the one, 10^6 for the other

struct Target {
  const char* name;
  Kind kind;
  // Of the file that is handed to a reader of files; the first byte chooses where there are several. Empty:
  // the bytes themselves are read.
  std::vector<const char*> extensions;
  std::function<void(std::string_view bytes, const std::string& file)> read;
};

[[nodiscard]] std::vector<Target> textTargets();
[[nodiscard]] std::vector<Target> rowTargets();
[[nodiscard]] std::vector<Target> mediaTargets();
[[nodiscard]] const std::vector<Target>& targets();

// The readers of stored results, of which the target "result" chooses by its first byte.
[[nodiscard]] int resultReaders();
[[nodiscard]] bool resultReads(int reader, const nlohmann::json& value);

// Runs it once. Aborts, for a fuzzer to see, where a promise is broken: another exception than those a reader
// may throw, an error without a remedy, of several lines or of more than 400 characters.
void runOnce(const Target& target, std::string_view bytes);

// Aborts with these words.
void promise(bool holds, const char* words);

}  // namespace edge::fuzz
