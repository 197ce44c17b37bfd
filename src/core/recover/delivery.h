// Where noise is judged: takes, modes and bodies are like with like only on one raster and chroma sampling.
#pragma once
#include <nlohmann/json_fwd.hpp>
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
[[nodiscard]] bool operator==(const Delivery& a, const Delivery& b);
[[nodiscard]] std::string wordsOf(const Delivery& d);  // "1920 x 1080, 4:2:0", "as recorded, 4:4:4"
[[nodiscard]] nlohmann::json toJson(const Delivery& d);
[[nodiscard]] Delivery deliveryFrom(const nlohmann::json& j);  // what is missing or absurd: as recorded, 444

// The delivery as a clip of this (developed) raster can serve it: its own raster where it is no larger.
[[nodiscard]] Delivery servedBy(Delivery d, int width, int height);

}  // namespace edge
