// A lift of endless trays: what leaves above comes back below; a flap lets them pass while it is
// folded away.
#include "scenes.hpp"

void depot::endless_trays(Run<2>& run) {
  declare(run, {"tray", "sensor", "flap", "roof"});
  World<2>& world = run.world;
  world.set_number({}, "passed", 0).value();
  for (int i = 0; i < 4; ++i)
    world
        .add({.name = "tray." + std::to_string(i + 1),
              .at = {0, -3 + 2.0 * i},
              .body = BodyKind::kinematic,
              .tags = {"tray"},
              .colliders = {{.shape = box(1.5, 0.2), .meets = "sensor | flap | roof"}},
              .velocity = {0, 1.5},
              .heed = {.re_enters = Bounds<2>{{-2, -4}, {2, 4}}}})
        .value();
  world
      .add({.name = "sensor",
            .at = {0, 0.5},
            .tags = {"sensor"},
            .colliders = {{.shape = box(1, 0.1), .zone = true, .meets = "tray"}}})
      .value();
  const Schedule<2> folds{{{0, true, {}}, {0.15, false, {}}, {1.1, true, {}}}, 1.4};
  world
      .add({.name = "flap",
            .at = {1.2, 2},
            .tags = {"flap"},
            .colliders = {{.shape = box(1.2, 0.2), .schedule = folds}}})
      .value();
  world.add({.name = "roof", .at = {0, 5}, .tags = {"roof"}, .colliders = {{.shape = box(4, 0.4)}}})
      .value();

  run.rules
      .add({.name = "pass",
            .self = "sensor",
            .other = "tray",
            .effects = {effects::add("world.passed", 1)}})
      .value();
}
