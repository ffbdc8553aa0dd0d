// An air curtain carries paper up and away and lets boxes fall through.
#include "scenes.hpp"

void depot::air_curtain(Run<2>& run) {
  declare(run, {"paper", "box", "catch", "floor"});
  World<2>& world = run.world;
  world
      .add({.name = "floor",
            .at = {0, -0.5},
            .tags = {"floor"},
            .colliders = {{.shape = box(20, 1)}}})
      .value();
  world
      .add({.name = "curtain",
            .at = {0, 2.5},
            .colliders = {{.shape = box(4, 5),
                           .zone = true,
                           .meets = "paper",
                           .field = Field<2>{.drag = 6, .wind = {0, 6}}}}})
      .value();
  world
      .add({.name = "catch",
            .at = {0, 6},
            .tags = {"catch"},
            .colliders = {{.shape = box(6, 0.6), .zone = true, .meets = "paper | box"}}})
      .value();
  for (int i = 0; i < 3; ++i)
    world
        .add({.name = "paper." + std::to_string(i + 1),
              .at = {-1.0 + i, 1.5 + 0.3 * i},
              .body = BodyKind::dynamic,
              .tags = {"paper"},
              .colliders = {{.shape = box(0.3, 0.04), .density = 0.2}}})
        .value();
  world
      .add({.name = "box",
            .at = {0.3, 4},
            .body = BodyKind::dynamic,
            .tags = {"box"},
            .colliders = {{.shape = box(0.6, 0.6)}}})
      .value();

  run.rules
      .add({.name = "caught",
            .self = "catch",
            .other = "paper",
            .once = Once::per_other,
            .effects = {effects::remove(Side::other)}})
      .value();
  run.rules.add({.name = "landed", .self = "floor", .other = "box", .once = Once::per_other})
      .value();
}
