// Walkers push crates by how fast they go: light ones far, heavy ones barely, fragile ones not at
// all.
#include "scenes.hpp"

void depot::crate_push(Run<2>& run) {
  declare(run, {"courier", "crate", "fragile", "scenery", "alarm"});
  World<2>& world = run.world;
  const auto name = [](const char* kind, int i) {
    return std::string(kind) + "." + std::to_string(i + 1);
  };
  for (int i = 0; i < 4; ++i)
    world
        .add({.name = name("floor", i),
              .at = {7.5, -0.2 + 3 * i},
              .tags = {"scenery"},
              .colliders = {{.shape = box(19, 0.4), .friction = 0.6}}})
        .value();
  for (int i = 0; i < 4; ++i)
    world
        .add(
            {.name = name("courier", i),
             .at = {0, 0.61 + 3 * i},
             .body = BodyKind::kinematic,
             .tags = {"courier"},
             .colliders = {{.shape = capsule<2>(0.6, 1.2), .meets = "scenery | crate"}},
             .walker =
                 Walker<2>{.speed = 4, .push = 500, .push_least = 80, .pushes = "crate & !fragile"},
             .wishes = {{0.5, {.velocity = {4, 0}}}, {2.5, {}}}})
        .value();
  const auto crate = [&](const char* called, double height, double mass,
                         std::vector<std::string> tags) {
    world
        .add({.name = called,
              .at = {2, height},
              .body = BodyKind::dynamic,
              .tags = std::move(tags),
              .colliders = {{.shape = box(0.8, 0.8),
                             .friction = 0.4,
                             .meets = "scenery | courier | alarm"}},
              .mass = mass})
        .value();
  };
  crate("empty", 0.41, 2, {"crate"});
  crate("half-full", 3.41, 60, {"crate"});
  crate("full", 6.41, 1500, {"crate"});
  crate("glass", 9.41, 2, {"crate", "fragile"});
  world
      .add({.name = "alarm",
            .at = {3, 9.41},
            .tags = {"alarm"},
            .colliders = {{.shape = box(0.2, 1), .zone = true}}})
      .value();
}
