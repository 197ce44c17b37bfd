// What a slate says to a machine, and its QR symbol. Version 1, in the QR alphanumeric character set:
//   ET1 PROJECT TAKE ATTEMPT Iiso Tstop Sshutter Nnd Pstops
//   ET1 9F3A1C 7K2QXA 1 I500 T2.8 S50 N0.6 P+3
// project: 6 hexadecimal digits; take: 6 characters made from the slate's text, so that a plan that is made
// anew keeps them; shutter as 1/S seconds; stops from base, "P*" where the take is no exposure step. 44
// characters or so: a symbol of 29 x 29 modules at error correction Q (a quarter may be lost).
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "plan/plan.h"

namespace edge {

struct SlateCode {
  std::string project, take;
  int attempt = 1;
  double iso = 800, tStop = 4, shutterSeconds = 0.02, nd = 0;
  std::optional<double> stops;

  friend bool operator==(const SlateCode&, const SlateCode&) = default;
};

// "7K2QXA" of "Corvane 35 log 500 +3".
[[nodiscard]] std::string slateId(const std::string& slate);
[[nodiscard]] SlateCode slateOf(const std::string& project, const Take& take, int attempt);
[[nodiscard]] std::string slateText(const SlateCode& code);
// nullopt: not one of our slates. Numbers out of any sense make it no slate either.
[[nodiscard]] std::optional<SlateCode> parseSlate(const std::string& text);
// A slate of a later version of this program.
[[nodiscard]] bool isNewerSlate(const std::string& text);

struct QrSymbol {
  int side = 0;            // modules, without the quiet zone (four modules on each side)
  std::vector<bool> dark;  // row by row
  [[nodiscard]] bool at(int x, int y) const { return dark[static_cast<size_t>(y) * side + x]; }
};
// Made by libqrencode. Errors: text too long for any symbol.
[[nodiscard]] QrSymbol qrOf(const std::string& text);

}  // namespace edge
