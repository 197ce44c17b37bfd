// Without the libraries of the media readers: every exception looks through all that are loaded, and a run of a
// text reader is mostly an exception.
#include "target.h"

namespace edge::fuzz {

const std::vector<Target>& targets() {
  static const std::vector<Target> all = [] {
    std::vector<Target> list = textTargets();
    const auto rows = rowTargets();
    list.insert(list.end(), rows.begin(), rows.end());
    return list;
  }();
  return all;
}

}  // namespace edge::fuzz
