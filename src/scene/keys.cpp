// Every key of a scene file. The reader accepts these and no others; docs/scene-keys.md is made
// from them.
#include <algorithm>

#include <colvik/scene.hpp>

#include "scene/keys_objects.h"
#include "scene/keys_rules.h"

namespace colvik {
namespace {

constexpr auto kKeys = [] {
  std::array<SceneKey, std::size(scene::kObjectKeys) + std::size(scene::kRuleKeys)> all{};
  auto* end = std::copy(std::begin(scene::kObjectKeys), std::end(scene::kObjectKeys), all.begin());
  std::copy(std::begin(scene::kRuleKeys), std::end(scene::kRuleKeys), end);
  return all;
}();

}  // namespace

std::span<const SceneKey> scene_keys() { return kKeys; }

std::span<const std::string> control_keys() {
  static const std::vector<std::string> keys = [] {
    std::vector<std::string> all{"left", "right", "up", "down", "space", "enter", "shift"};
    for (char c = 'a'; c <= 'z'; ++c) all.emplace_back(1, c);
    for (char c = '0'; c <= '9'; ++c) all.emplace_back(1, c);
    return all;
  }();
  return keys;
}

}  // namespace colvik
