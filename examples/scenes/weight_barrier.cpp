// Crates on a scale trip a barrier once the weight is there; paper does not count.
#include "scenes.hpp"

void depot::weight_barrier(Run<2>& run) {
  declare(run, {"crate", "paper", "scale", "barrier", "courier", "scenery"});
  World<2>& world = run.world;
  world.set_number({}, "weight", 0).value();
  world
      .add({.name = "floor",
            .at = {10, -0.5},
            .tags = {"scenery"},
            .colliders = {{.shape = box(60, 1)}}})
      .value();
  world
      .add({.name = "scale",
            .at = {-3, 1},
            .tags = {"scale"},
            .colliders = {{.shape = box(3, 2), .zone = true, .meets = "crate"}}})
      .value();
  for (int i = 0; i < 3; ++i)
    world
        .add({.name = "crate." + std::to_string(i + 1),
              .at = {-4.0 + i, 1.5 + 1.2 * i},
              .body = BodyKind::dynamic,
              .tags = {"crate"},
              .colliders = {{.shape = box(0.8, 0.8), .density = 50}}})
        .value();
  world
      .add({.name = "paper",
            .at = {-3, 5},
            .body = BodyKind::dynamic,
            .tags = {"paper"},
            .colliders = {{.shape = box(0.4, 0.05), .density = 0.1}},
            .drag = 4})
      .value();
  world
      .add({.name = "barrier",
            .at = {4, 1.5},
            .tags = {"barrier"},
            .colliders = {{.shape = box(0.3, 3)}}})
      .value();
  world
      .add({.name = "courier",
            .at = {1, 0.5},
            .body = BodyKind::dynamic,
            .tags = {"courier"},
            .colliders = {{.shape = capsule<2>(0.6, 1), .friction = 0}},
            .velocity = {2, 0},
            .locked_rotation = true,
            .pushes = {{.from = 0, .until = 5, .force = {1, 0}}}})
      .value();

  run.rules
      .add({.name = "on-scale",
            .self = "scale",
            .other = "crate",
            .once = Once::per_visit,
            .effects = {effects::add("world.weight", 1)}})
      .value();
  run.rules
      .add({.name = "off-scale",
            .self = "scale",
            .other = "crate",
            .when = OnTouch{Phase::end},
            .effects = {effects::add("world.weight", -1)}})
      .value();
  run.rules
      .add({.name = "trip",
            .when = OnNumber{"world.weight", 3},
            .once = Once::ever,
            .effects = {effects::switch_collider(Target::object("barrier"), 0, false, 2)}})
      .value();
}
