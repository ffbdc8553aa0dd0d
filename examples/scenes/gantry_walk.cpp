// In 3D: up steps, along a slanted wall, on to a turning table, and through a one-way grate.
#include "scenes.hpp"

void depot::gantry_walk(Run<3>& run) {
  for (const char* tag : {"courier", "scenery", "grate", "edge"})
    run.world.tags().declare(tag).value();
  World<3>& world = run.world;
  world
      .add({.name = "floor",
            .at = {0, -0.5, 0},
            .tags = {"scenery"},
            .colliders = {{.shape = box(16, 1, 8)}}})
      .value();
  for (int i = 0; i < 4; ++i)
    world
        .add({.name = "step." + std::to_string(i + 1),
              .at = {3 + 0.5 * i, -0.8 + 0.2 * i, 0},
              .tags = {"scenery"},
              .colliders = {{.shape = box(6, 2, 3)}}})
        .value();
  world
      .add({.name = "slanted-wall",
            .at = {3.5, 1.6, 1.1},
            .turned = Rotation<3>({0, 1, 0}, radians(20)),
            .tags = {"scenery"},
            .colliders = {{.shape = box(3, 1.6, 0.2)}}})
      .value();
  world
      .add({.name = "table",
            .at = {6, 0.7, -0.4},
            .body = BodyKind::kinematic,
            .tags = {"scenery"},
            .colliders = {{.shape = cylinder(2.4, 0.4)}},
            .spin = {0, radians(30), 0}})
      .value();
  world
      .add({.name = "grate",
            .at = {6, 2.2, -0.4},
            .tags = {"scenery", "grate"},
            .colliders = {{.shape = box(2.5, 0.1, 2.5), .one_way = {0, 1, 0}}}})
      .value();
  world
      .add({.name = "edge",
            .at = {3, 1.5, -1.9},
            .tags = {"edge"},
            .colliders = {{.shape = box(8, 1, 0.4), .zone = true, .meets = "courier"}}})
      .value();
  world
      .add({.name = "courier",
            .at = {-3, 0.61, 0.5},
            .body = BodyKind::kinematic,
            .tags = {"courier"},
            .colliders = {{.shape = capsule<3>(0.5, 1.2), .meets = "scenery | edge"}},
            .walker = Walker<3>{.speed = 2.5,
                                .speeding_up = 25,
                                .jump_speed = jump_speed(1.7, 9.81),
                                .step = 0.25},
            .wishes = {{0.2, {.velocity = {2.5, 0, 0}}}, {4.3, {}}, {6, {.jump = true}}}})
      .value();
}
