#include "recover/delivery.h"

#include <fmt/format.h>

#include <nlohmann/json.hpp>
#include <utility>

using nlohmann::json;

namespace edge {
namespace {

constexpr std::pair<Chroma, const char*> kChroma[] = {
    {Chroma::Full444, "444"}, {Chroma::Half422, "422"}, {Chroma::Quarter420, "420"}};

}  // namespace

std::optional<Chroma> parseChroma(const std::string& word) {
  for (const auto& [c, name] : kChroma)
    if (word == name) return c;
  return std::nullopt;
}

const char* wordOf(Chroma c) {
  return kChroma[static_cast<size_t>(c)].second;
}

bool operator==(const Delivery& a, const Delivery& b) {
  if (a.chroma != b.chroma || a.raster.has_value() != b.raster.has_value()) return false;
  return !a.raster || (a.raster->width == b.raster->width && a.raster->height == b.raster->height);
}

std::string wordsOf(const Delivery& d) {
  const std::string chroma = wordOf(d.chroma);
  const std::string sampling = fmt::format("{}:{}:{}", chroma[0], chroma[1], chroma[2]);
  return d.raster ? fmt::format("{} x {}, {}", d.raster->width, d.raster->height, sampling)
                  : "as recorded, " + sampling;
}

json toJson(const Delivery& d) {
  return {{"raster", d.raster ? json{{"width", d.raster->width}, {"height", d.raster->height}} : json()},
          {"chroma", wordOf(d.chroma)}};
}

Delivery deliveryFrom(const json& j) {
  Delivery d;
  if (!j.is_object()) return d;
  if (j.contains("chroma") && j["chroma"].is_string())
    d.chroma = parseChroma(j["chroma"].get<std::string>()).value_or(Chroma::Full444);
  if (!j.contains("raster") || !j["raster"].is_object()) return d;
  const json& r = j["raster"];
  const auto side = [&](const char* key) {
    return r.contains(key) && r[key].is_number_integer() ? r[key].get<std::int64_t>() : 0;
  };
  constexpr std::int64_t kMost = 32768;
  const std::int64_t width = side("width"), height = side("height");
  if (width > 0 && width <= kMost && height > 0 && height <= kMost)
    d.raster = Raster{static_cast<int>(width), static_cast<int>(height)};
  return d;
}

Delivery servedBy(Delivery d, int width, int height) {
  if (d.raster && (d.raster->width >= width || d.raster->height >= height)) d.raster.reset();
  return d;
}

}  // namespace edge
