#include "widgets/picture_store.h"

namespace edge::app {

PictureStore::Shared PictureStore::find(const std::string& key) {
  for (auto it = kept_.begin(); it != kept_.end(); ++it)
    if (it->first == key) {
      kept_.splice(kept_.begin(), kept_, it);
      return kept_.front().second;
    }
  return nullptr;
}

void PictureStore::put(const std::string& key, Shared picture) {
  kept_.emplace_front(key, std::move(picture));
  size_t bytes = 0;
  for (auto it = kept_.begin(); it != kept_.end();) {
    bytes += it->second->rgb.size();
    it = bytes > kMostBytes && it != kept_.begin() ? kept_.erase(it) : std::next(it);
  }
}

}  // namespace edge::app
