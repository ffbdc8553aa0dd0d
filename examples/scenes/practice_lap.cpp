// A lap that starts again when its last gate was passed; the log and the counts go on.
#include "scenes.hpp"

void depot::practice_lap(Run<2>& run) {
  declare(run, {"courier", "gate", "cone"});
  World<2>& world = run.world;
  world.set_number({}, "gates", 0).value();
  world
      .add({.name = "courier",
            .body = BodyKind::kinematic,
            .tags = {"courier"},
            .colliders = {{.shape = circle(0.5)}},
            .motion = Path<2>{{{0, {0, 0}, {}}, {3, {8, 0}, {}}}}})
      .value();
  for (int i = 0; i < 3; ++i)
    world
        .add({.name = "gate." + std::to_string(i + 1),
              .at = {2 + 2.5 * i, 0},
              .tags = {"gate"},
              .colliders = {{.shape = box(0.3, 2), .zone = true, .meets = "courier"}}})
        .value();
  world
      .add({.name = "cone",
            .at = {3, 0},
            .tags = {"cone"},
            .colliders = {{.shape = circle(0.3), .zone = true, .meets = "courier"}}})
      .value();

  run.rules
      .add({.name = "gate",
            .self = "courier",
            .other = "gate",
            .effects = {effects::add("world.gates", 1)}})
      .value();
  run.rules
      .add({.name = "knock",
            .self = "courier",
            .other = "cone",
            .once = Once::ever,
            .effects = {effects::remove(Side::other)}})
      .value();
  run.rules
      .add({.name = "again",
            .self = "courier",
            .other = "@gate.3",
            .when = OnTouch{Phase::end},
            .effects = {effects::restart()}})
      .value();
}
