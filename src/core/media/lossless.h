// Whether a movie's codec gave back what was recorded, from its headers: the codecs that can do both say it
// in a flag.
#pragma once
#include <cstdint>
#include <vector>

namespace edge {

enum class VideoHeader { H264, H265 };

// ITU-T H.264, 7.3.2.1.1: qpprime_y_zero_transform_bypass_flag of the first sequence parameter set.
// ITU-T H.265, 7.3.2.3.1: transquant_bypass_enabled_flag of the first picture parameter set.
// `extra`: the decoder configuration as a container keeps it, either form. False where it can't be read.
[[nodiscard]] bool codedWithoutLoss(VideoHeader kind, const std::vector<std::uint8_t>& extra);

}  // namespace edge
