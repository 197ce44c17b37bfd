#include "base/hash.h"

#include <fmt/format.h>
#define XXH_INLINE_ALL
#include <xxhash.h>

#include <fstream>
#include <memory>

#include "base/files.h"
#include "base/parallel.h"

namespace edge {
namespace {
std::string hex(XXH128_hash_t h) {
  return fmt::format("{:016x}{:016x}", h.high64, h.low64);
}
}  // namespace

std::string hashBytes(std::string_view bytes) {
  return hex(XXH3_128bits(bytes.data(), bytes.size()));
}

std::string hashFile(const std::filesystem::path& file) {
  requireReadable(file);
  const std::unique_ptr<XXH3_state_t, decltype(&XXH3_freeState)> state(XXH3_createState(), XXH3_freeState);
  XXH3_128bits_reset(state.get());
  std::ifstream in(file, std::ios::binary);
  std::vector<char> block(1u << 20);
  while (in.read(block.data(), static_cast<std::streamsize>(block.size())) || in.gcount() > 0)
    XXH3_128bits_update(state.get(), block.data(), static_cast<size_t>(in.gcount()));
  return hex(XXH3_128bits_digest(state.get()));
}

std::string hashFiles(const std::vector<std::filesystem::path>& files) {
  if (files.size() == 1) return hashFile(files.front());
  std::vector<std::string> hashes(files.size());
  parallelFor(static_cast<int>(files.size()), [&](int i) { hashes[i] = hashFile(files[i]); });
  std::string manifest;
  for (size_t i = 0; i < files.size(); ++i)
    manifest += hashes[i] + "  " + files[i].filename().string() + "\n";
  return hashBytes(manifest);
}

}  // namespace edge
