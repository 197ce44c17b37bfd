// What was rendered once, kept as long as there is room.
#pragma once
#include <cstddef>
#include <list>
#include <memory>
#include <string>

#include "recover/picture.h"

namespace edge::app {

// Things by what they show, the last ones used, at most `most` bytes of them; of one project.
template <class Thing>
class RecentStore {
 public:
  using Shared = std::shared_ptr<const Thing>;
  explicit RecentStore(std::size_t most) : most_(most) {}

  [[nodiscard]] Shared find(const std::string& key) {
    for (auto it = kept_.begin(); it != kept_.end(); ++it)
      if (it->key == key) {
        kept_.splice(kept_.begin(), kept_, it);
        return it->thing;
      }
    return nullptr;
  }
  // The one put last is kept, however large.
  void put(const std::string& key, Shared thing, std::size_t bytes) {
    kept_.remove_if([&](const Kept& k) { return k.key == key; });
    kept_.push_front({key, std::move(thing), bytes});
    std::size_t sum = 0;
    for (auto it = kept_.begin(); it != kept_.end();) {
      sum += it->bytes;
      it = sum > most_ && it != kept_.begin() ? kept_.erase(it) : std::next(it);
    }
  }
  void clear() { kept_.clear(); }

 private:
  struct Kept {
    std::string key;
    Shared thing;
    std::size_t bytes;
  };
  std::size_t most_;
  std::list<Kept> kept_;  // the last used first
};

// Rendered pictures.
class PictureStore : public RecentStore<Picture> {
 public:
  PictureStore() : RecentStore(192u << 20) {}
  void put(const std::string& key, Shared picture) {
    const std::size_t bytes = picture->rgb.size();
    RecentStore::put(key, std::move(picture), bytes);
  }
};

}  // namespace edge::app
