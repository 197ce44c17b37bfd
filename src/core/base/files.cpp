#include "base/files.h"

#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <cctype>
#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstdlib>
#include <cstring>
#include <fstream>

#include "base/error.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

[[noreturn]] void failWrite(const fs::path& file, int code) {
  const bool full = code == ENOSPC || code == EDQUOT;
  throw Error(full ? "no room left to write" : std::string("can't write: ") + std::strerror(code),
              file.string(), "",
              full ? "free some space and repeat; the earlier file is untouched"
                   : "choose a folder you may write to; the earlier file is untouched");
}

// Errno of what failed; 0: it is on the disk.
int syncToDisk(const fs::path& file) {
  const int fd = ::open(file.c_str(), O_RDONLY | O_CLOEXEC);
  if (fd < 0) return errno;
  const int failed = ::fsync(fd) != 0 ? errno : 0;
  ::close(fd);
  return failed;
}

constexpr const char* kPart = ".part";

// ".NAME.PROCESS.part.EXTENSION"
fs::path temporaryFor(const fs::path& file, const fs::path& folder) {
  return folder /
         ("." + file.stem().string() + "." + std::to_string(::getpid()) + kPart + file.extension().string());
}

// What a killed process left of this file. Its own are left to a process that lives, or may live elsewhere.
void sweep(const fs::path& file, const fs::path& folder) {
  constexpr auto kOld = std::chrono::minutes(5);
  const std::string before = "." + file.stem().string() + ".", after = kPart + file.extension().string();
  std::error_code ec;
  for (const auto& e : fs::directory_iterator(folder, ec)) {
    const std::string name = e.path().filename().string();
    if (!name.starts_with(before) || !name.ends_with(after) || name.size() <= before.size() + after.size())
      continue;
    const std::string process = name.substr(before.size(), name.size() - before.size() - after.size());
    if (!std::all_of(process.begin(), process.end(), [](unsigned char c) { return std::isdigit(c); }))
      continue;
    const bool lives = ::kill(std::atoi(process.c_str()), 0) == 0 || errno != ESRCH;
    const auto written = fs::last_write_time(e.path(), ec);
    if (!ec && !lives && fs::file_time_type::clock::now() - written > kOld) fs::remove(e.path(), ec);
  }
}

}  // namespace

void requireReadable(const fs::path& file) {
  std::error_code ec;
  const auto status = fs::status(file, ec);
  if (!fs::exists(status)) throw Error("no such file", file.string(), "", "check the path");
  if (!fs::is_regular_file(status)) throw Error("not a file", file.string(), "", "name a file");
  if (::access(file.c_str(), R_OK) != 0)
    throw Error("no permission to read", file.string(), "", "allow reading it (chmod +r) or copy it");
  if (fs::file_size(file, ec) == 0) throw Error("the file is empty", file.string(), "", "copy it again");
}

std::string readText(const fs::path& file, std::uintmax_t limitBytes) {
  requireReadable(file);
  const auto size = fs::file_size(file);
  if (size > limitBytes)
    throw Error(
        "the file is too large for its kind", file.string(), std::to_string(size >> 20) + " MB",
        "up to " + std::to_string(limitBytes >> 20) + " MB are read; check that this is the file you meant");
  std::ifstream in(file, std::ios::binary);
  std::string text(size, '\0');
  in.read(text.data(), static_cast<std::streamsize>(size));
  text.resize(static_cast<size_t>(in.gcount()));
  return text;
}

void writeFileAtomically(const fs::path& file, const std::function<void(const fs::path&)>& writer) {
  const fs::path folder = file.has_parent_path() ? file.parent_path() : fs::path(".");
  if (!fs::is_directory(folder))
    throw Error("the folder does not exist", folder.string(), "", "create it first or choose another");
  const fs::path temporary = temporaryFor(file, folder);
  try {
    writer(temporary);
    if (const int failed = syncToDisk(temporary)) failWrite(file, failed);
    std::error_code ec;
    fs::rename(temporary, file, ec);
    if (ec) failWrite(file, ec.value());
    // So that the new name outlives a power cut; not every file system can do it.
    (void)syncToDisk(folder);
    sweep(file, folder);
  } catch (const Error& e) {
    std::error_code ignored;
    fs::remove(temporary, ignored);
    if (e.subject() != temporary.string()) throw;
    throw Error(e.problem(), file.string(), e.place(), e.remedy());  // the name that people know
  } catch (...) {
    std::error_code ignored;
    fs::remove(temporary, ignored);
    throw;
  }
}

void writeFileAtomically(const fs::path& file, std::string_view bytes) {
  writeFileAtomically(file, [&](const fs::path& temporary) {
    const int fd = ::open(temporary.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
    if (fd < 0) failWrite(file, errno);
    size_t done = 0;
    while (done < bytes.size()) {
      const ssize_t n = ::write(fd, bytes.data() + done, bytes.size() - done);
      if (n < 0) {
        const int code = errno;
        ::close(fd);
        failWrite(file, code);
      }
      done += static_cast<size_t>(n);
    }
    if (::close(fd) != 0) failWrite(file, errno);
  });
}

std::string lowerExtension(const fs::path& file) {
  std::string e = file.extension().string();
  std::transform(e.begin(), e.end(), e.begin(), [](unsigned char c) { return std::tolower(c); });
  return e;
}

}  // namespace edge
