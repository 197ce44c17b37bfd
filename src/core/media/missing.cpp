#include "media/missing.h"

#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "base/json_numbers.h"

namespace edge {

std::string wordsOf(const MissingFrames& missing) {
  const bool one = missing.count == 1;
  if (!missing.firstDamaged)
    return fmt::format("the clip ends early: {} {} promised {} not there: copy it again", missing.count,
                       one ? "frame" : "frames", one ? "is" : "are");
  return one ? fmt::format("frame {} is damaged and left out: copy the clip again", *missing.firstDamaged)
             : fmt::format(
                   "{} frames are damaged or missing, the first frame {}, and left out: copy the clip again",
                   missing.count, *missing.firstDamaged);
}

void warnOf(const MissingFrames& missing, const std::string& where, std::vector<Warning>& warnings) {
  if (missing.count > 0) warnings.push_back({kTruncated, wordsOf(missing), where});
}

void store(nlohmann::json& object, const MissingFrames& missing) {
  object["missing_frames"] = missing.count;
  if (missing.firstDamaged) object["damaged_frame"] = *missing.firstDamaged;
}

MissingFrames missingFrom(const nlohmann::json& object) {
  MissingFrames m;
  m.count = Whole(object.at("missing_frames"));
  if (const auto damaged = object.find("damaged_frame"); damaged != object.end())
    m.firstDamaged = std::int64_t{Whole(*damaged)};
  return m;
}

}  // namespace edge
