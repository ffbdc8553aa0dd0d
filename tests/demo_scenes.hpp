#pragma once
// Each scene of data/.
#include <colvik/scene.hpp>

#include "support.hpp"

namespace colvik::test {

// Calls `f` with each as Scene<2> or Scene<3>.
template <class F>
void for_demo_scenes(const F& f) {
  for (const auto& entry : std::filesystem::directory_iterator(COLVIK_SOURCE_DIR "/data")) {
    if (entry.path().extension() != ".toml") continue;
    CAPTURE(entry.path().string());
    const LoadedScene loaded = load_scene(entry.path().string());
    REQUIRE(loaded.ok());
    std::visit(f, *loaded.scene);
  }
}

}  // namespace colvik::test
