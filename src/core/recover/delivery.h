// Where noise is judged: takes, modes and bodies are like with like only on one raster and chroma sampling.
#pragma once
#include <optional>
#include <string>

#include "image/frame.h"

namespace edge {

enum class Chroma { Full444, Half422, Quarter420 };
[[nodiscard]] std::optional<Chroma> parseChroma(const std::string& word);  // "444", "422", "420"
[[nodiscard]] const char* wordOf(Chroma c);

struct Delivery {
  std::optional<Raster> raster;  // none: the clip's own, developed
  Chroma chroma = Chroma::Full444;
};

}  // namespace edge
