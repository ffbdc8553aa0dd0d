// In 3D: crates dropped at places by chance; the shredder eats some, what leaves the yard is
// removed.
#include "scenes.hpp"

void depot::drone_drops(Run<3>& run) {
  for (const char* tag : {"crate", "shredder", "drone", "scenery"})
    run.world.tags().declare(tag).value();
  World<3>& world = run.world;
  world.set_number({}, "shredded", 0).value();
  world
      .add({.name = "drone",
            .at = {4, 8, 0},
            .body = BodyKind::kinematic,
            .tags = {"drone"},
            .colliders = {{.shape = box(1, 0.3, 1)}},
            .motion = Circling<3>{.centre = {0, 8, 0}, .rate = {0, radians(60), 0}, .turns = true}})
      .value();
  world
      .add({.name = "ramp",
            .at = {-3, 1, 0},
            .turned = Rotation<3>({0, 0, 1}, radians(25)),
            .tags = {"scenery"},
            .colliders = {{.shape = box(8, 0.3, 8), .friction = 0.1}}})
      .value();
  world
      .add({.name = "shredder",
            .at = {4, 0, 0},
            .tags = {"shredder"},
            .colliders = {{.shape = box(7, 1, 8), .zone = true, .meets = "crate"}}})
      .value();
  world
      .declare_kind({.kind = "crate",
                     .body = BodyKind::dynamic,
                     .tags = {"crate"},
                     .colliders = {{.shape = box(0.7, 0.7, 0.7), .friction = 0.2}}})
      .value();

  run.rules
      .add({.name = "drop",
            .when = OnInterval{.every = 0.8, .from = 0.5},
            .most = 8,
            .effects = {effects::spawn_in("crate", Bounds<3>{{-6, 6, -2}, {6, 7, 2}}, 11)}})
      .value();
  run.rules
      .add({.name = "shred",
            .self = "shredder",
            .other = "crate",
            .effects = {effects::add("world.shredded", 1), effects::remove(Side::other)}})
      .value();
}
