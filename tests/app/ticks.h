// What the machine was kept from doing while a test measured it.
#pragma once
#include <algorithm>
#include <fstream>
#include <string>

namespace edge::app {

// Time that a virtual machine's host gave to others, and all time, in ticks of all processors (proc(5)). Gaps
// of a walk that was robbed of half its time are nobody's fault here.
struct Ticks {
  double stolen = 0, all = 0;
  static Ticks now() {
    std::ifstream stat("/proc/stat");
    std::string cpu;
    stat >> cpu;
    Ticks t;
    double n = 0;
    for (int field = 0; field < 8 && stat >> n; ++field) t.all += n, t.stolen = field == 7 ? n : 0;
    return t;
  }
  [[nodiscard]] double stolenSince() const {  // 0..1
    const Ticks t = now();
    return (t.stolen - stolen) / std::max(1.0, t.all - all);
  }
};

}  // namespace edge::app
