// Pictures that were rendered once, kept as long as there is room.
#pragma once
#include <list>
#include <memory>
#include <string>

#include "recover/picture.h"

namespace edge::app {

// Rendered pictures by what they show, the last ones used; at most kMostBytes.
class PictureStore {
 public:
  using Shared = std::shared_ptr<const Picture>;
  [[nodiscard]] Shared find(const std::string& key);
  void put(const std::string& key, Shared picture);

 private:
  static constexpr size_t kMostBytes = 192u << 20;
  std::list<std::pair<std::string, Shared>> kept_;  // the last used first
};

}  // namespace edge::app
