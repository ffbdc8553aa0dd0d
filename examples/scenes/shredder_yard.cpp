// Paper is shredded and sparks fly out of a spot; what leaves the yard is removed. The guard robot
// faces the other way until there is no more paper.
#include "scenes.hpp"

void depot::shredder_yard(Run<2>& run) {
  declare(run, {"paper", "shredder", "spark", "robot", "lamp", "scenery"});
  World<2>& world = run.world;
  world.set_number({}, "shredded", 0).value();
  for (int i = 0; i < 4; ++i)
    world
        .add({.name = "paper." + std::to_string(i + 1),
              .at = {-1 + 0.5 * i, 3 + 0.7 * i},
              .body = BodyKind::dynamic,
              .tags = {"paper"},
              .colliders = {{.shape = box(0.4, 0.1), .meets = "shredder | scenery"}}})
        .value();
  world
      .add({.name = "shredder",
            .tags = {"shredder"},
            .colliders = {{.shape = box(3, 0.8), .zone = true, .meets = "paper"}},
            .spots = {{"vent", {{1.2, 0.6}, {}}}}})
      .value();
  world
      .add({.name = "ground",
            .at = {0, -2.5},
            .tags = {"scenery"},
            .colliders = {{.shape = box(8, 0.5)}}})
      .value();
  world
      .add({.name = "robot",
            .at = {-3, -1.5},
            .body = BodyKind::kinematic,
            .tags = {"robot"},
            .colliders = {{.shape = box(0.8, 1)},
                          {.shape = circle(0.6),
                           .at = {2.4, 2.6},
                           .zone = true,
                           .meets = "spark",
                           .tags = {"lamp"}}},
            .mirrored = true,
            .drawings = {{{0.8, 1}}, {{0.3, 0.2}, {}, {0.5, 0.3}}}})
      .value();
  world
      .declare_kind({.kind = "spark",
                     .body = BodyKind::dynamic,
                     .tags = {"spark"},
                     .colliders = {{.shape = circle(0.1), .zone = true, .meets = "lamp"}},
                     .mass = 0.01})
      .value();

  run.rules
      .add({.name = "shred",
            .self = "shredder",
            .other = "paper",
            .effects = {effects::remove(Side::other), effects::add("world.shredded", 1),
                        effects::spawn_at("spark", Side::self, "vent", kZero, {5, 3, 0})}})
      .value();
  run.rules
      .add({.name = "all-done",
            .when = OnCount{"paper", 0},
            .effects = {effects::mirror(Target::object("robot"))}})
      .value();
  run.rules.add({.name = "seen", .self = "lamp", .other = "spark"}).value();
}
