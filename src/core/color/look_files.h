// Corrections as open files: ASC CDL (.cdl, .ccc), CLF (Academy S-2014-006) and .cube, on code values 0..1.
#pragma once
#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "color/cdl.h"

namespace edge {

struct NamedCdl {
  std::string id, description;
  Cdl cdl;
};
void writeCdl(const std::filesystem::path& file, const NamedCdl& look);
void writeCdlCollection(const std::filesystem::path& file, const std::vector<NamedCdl>& looks);  // .ccc
void writeClf(const std::filesystem::path& file, const NamedCdl& look);

// Code to code, 0..1. Per channel: a table of kCurvePoints a channel, as CLF or one-dimensional .cube.
using CodeMap = std::function<Vec3(const Vec3&)>;
inline constexpr int kCurvePoints = 4096;
void writeClf(const std::filesystem::path& file, const std::string& id, const std::string& description,
              const CodeMap& map);
void writeCube(const std::filesystem::path& file, const std::string& title, const CodeMap& map);
// What mixes channels: a lattice, kLatticePoints a side.
inline constexpr int kLatticePoints = 65;
void writeLattice(const std::filesystem::path& file, const std::string& title, const CodeMap& map);

// The map of each channel as a slope and an offset, where that is the same within half a code of ten bits
// from `from` to 1; nullopt where it is not: such a map is no CDL.
[[nodiscard]] std::optional<Cdl> asCdl(const CodeMap& map, const Vec3& from);

}  // namespace edge
