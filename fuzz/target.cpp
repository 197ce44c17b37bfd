#include "target.h"

#include <fcntl.h>
#include <unistd.h>

#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "base/error.h"

namespace edge::fuzz {
namespace {

constexpr size_t kLongestLine = 400;  // characters of an error (issue 18, 12)

void checkError(const Error& e) {
  const std::string line = e.what();
  promise(!line.empty(), "the error says nothing");
  promise(line.find('\n') == std::string::npos && line.find('\r') == std::string::npos,
          "the error has several lines");
  size_t characters = 0;
  for (const unsigned char c : line) characters += (c & 0xc0) != 0x80;
  promise(characters <= kLongestLine, "the error has more than 400 characters");
  promise(!e.remedy().empty(), "the error has no remedy");
}

// One file in memory, written anew for every run.
std::string scratchFile(const char* extension) {
  static const std::string folder = [] {
    std::string name = "/dev/shm/edge-fuzz-XXXXXX";
    if (!mkdtemp(name.data())) std::abort();
    return name;
  }();
  struct AtEnd {
    ~AtEnd() {
      std::error_code ec;
      std::filesystem::remove_all(folder, ec);
    }
  };
  static const AtEnd atEnd;
  return folder + "/x" + extension;
}

void write(const std::string& file, std::string_view bytes) {
  const int fd = ::open(file.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0600);
  if (fd < 0) std::abort();
  while (!bytes.empty()) {
    const auto n = ::write(fd, bytes.data(), bytes.size());
    if (n <= 0) std::abort();
    bytes.remove_prefix(static_cast<size_t>(n));
  }
  ::close(fd);
}

}  // namespace

void promise(bool holds, const char* words) {
  if (holds) return;
  std::fprintf(stderr, "BROKEN PROMISE: %s\n", words);
  std::abort();
}

void runOnce(const Target& target, std::string_view bytes) {
  std::string file;
  if (!target.extensions.empty()) {
    size_t chosen = 0;
    if (target.extensions.size() > 1) {
      if (bytes.empty()) return;
      chosen = static_cast<unsigned char>(bytes[0]) % target.extensions.size();
      bytes.remove_prefix(1);
    }
    file = scratchFile(target.extensions[chosen]);
    write(file, bytes);
  }
  try {
    target.read(bytes, file);
  } catch (const Error& e) {
    checkError(e);
  } catch (const std::exception& e) {
    std::fprintf(stderr, "NOT AN ERROR OF OURS: %s\n", e.what());
    std::abort();
  }
}

}  // namespace edge::fuzz
