#include "media/readers.h"
#include "target.h"

namespace edge::fuzz {

const std::vector<Target>& targets() {
  static const std::vector<Target> all = [] {
    // A module that can't be loaded is an Error with a remedy, too: every clip would pass unread.
    loadReaders();
    std::vector<Target> list = textTargets();
    for (const auto& more : {rowTargets(), mediaTargets()}) list.insert(list.end(), more.begin(), more.end());
    return list;
  }();
  return all;
}

}  // namespace edge::fuzz
