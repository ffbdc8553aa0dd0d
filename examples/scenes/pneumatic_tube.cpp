// A tube swallows parcels and spits them out elsewhere, their speed turned with the mouth; what is
// too large is turned away.
#include "scenes.hpp"

void depot::pneumatic_tube(Run<2>& run) {
  declare(run, {"parcel", "bulky", "mouth", "tray"});
  World<2>& world = run.world;
  const auto thrown = [&](const char* name, const Vec<2>& at, double width, double height) {
    world
        .add({.name = name,
              .at = at,
              .body = BodyKind::dynamic,
              .tags = {name},
              .colliders = {{.shape = box(width, height)}},
              .velocity = {4, 0}})
        .value();
  };
  thrown("parcel", {-5, -0.3}, 0.4, 0.3);
  thrown("bulky", {-3, 1.2}, 0.9, 0.9);
  world
      .add({.name = "entry",
            .at = {2, 0.4},
            .tags = {"mouth"},
            .colliders = {{.shape = box(0.5, 3), .zone = true}}})
      .value();
  world
      .add({.name = "exit",
            .at = {5, 1},
            .turned = Rotation<2>(radians(90)),
            .spots = {{"lip", {{0.6, 0}, {}}}}})
      .value();
  world
      .add({.name = "tray",
            .at = {5, 5},
            .tags = {"tray"},
            .colliders = {{.shape = box(2, 0.5), .zone = true, .meets = "parcel | bulky"}}})
      .value();

  run.rules
      .add({.name = "swallow",
            .self = "parcel",
            .other = "mouth",
            .effects = {effects::teleport(Side::self, Target::object("exit"), "lip", true)}})
      .value();
  run.rules
      .add({.name = "refuse",
            .self = "bulky",
            .other = "mouth",
            .effects = {effects::bounce(Side::self)}})
      .value();
  run.rules
      .add({.name = "arrive",
            .self = "tray",
            .other = "parcel",
            .effects = {effects::finish("delivered", 0.5)}})
      .value();
}
