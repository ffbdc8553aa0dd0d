// What somebody's project does first: one contact, counted.
#include <colvik/colvik.hpp>

#include <cstdio>

int main() {
  colvik::World<2> world;
  world.tags().declare("crate").value();
  world.add({.name = "floor", .colliders = {{.shape = colvik::box(20, 1)}}}).value();
  world
      .add({.name = "crate",
            .at = {0, 1.2},
            .body = colvik::BodyKind::dynamic,
            .tags = {"crate"},
            .colliders = {{.shape = colvik::box(1, 1)}},
            .velocity = {0, -2}})
      .value();
  int begins = 0;
  for (int i = 0; i < 60; ++i) {
    world.step();
    for (const auto& event : world.events()) begins += event.phase == colvik::Phase::begin ? 1 : 0;
  }
  std::printf("begins: %d\n", begins);
#ifdef WITH_SCENE
  const auto loaded =
      colvik::read_scene("colvik = 1\n[world]\ndimension = 2\nlength = 1\n", "inline");
  if (!loaded.problems.empty()) return 1;
#endif
  return begins == 1 ? 0 : 1;
}
