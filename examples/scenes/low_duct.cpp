// A duct too low for the courier; the mouse gets through and switches the door off.
#include "scenes.hpp"

void depot::low_duct(Run<2>& run) {
  declare(run, {"courier", "mouse", "scenery", "fuse"});
  World<2>& world = run.world;
  const auto solid = [&](const char* name, const Vec<2>& at, double width, double height) {
    world
        .add({.name = name,
              .at = at,
              .tags = {"scenery"},
              .colliders = {{.shape = box(width, height)}}})
        .value();
  };
  solid("floor.1", {3, -0.25}, 14, 0.5);
  solid("floor.2", {3, 3.75}, 14, 0.5);
  solid("duct", {2, 1.6}, 4, 2.2);
  solid("door", {2, 5}, 0.3, 2);
  world
      .add({.name = "fuse",
            .at = {6, 0.3},
            .tags = {"fuse"},
            .colliders = {{.shape = box(0.3, 0.6), .zone = true}}})
      .value();
  const auto walker = [&](const char* name, const char* tag, const Vec<2>& at,
                          const Shape<2>& shape) {
    world
        .add({.name = name,
              .at = at,
              .body = BodyKind::kinematic,
              .tags = {tag},
              .colliders = {{.shape = shape, .meets = "scenery | fuse"}},
              .walker = Walker<2>{.speed = 2},
              .wishes = {{0.2, {.velocity = {2, 0}}}}})
        .value();
  };
  walker("mouse", "mouse", {-1, 0.21}, box(0.6, 0.4));
  walker("courier", "courier", {-2.5, 0.61}, capsule<2>(0.6, 1.2));
  walker("upstairs", "courier", {-1, 4.61}, capsule<2>(0.6, 1.2));

  run.rules
      .add({.name = "unlock",
            .self = "mouse",
            .other = "fuse",
            .once = Once::ever,
            .effects = {effects::switch_collider(Target::object("door"), 0, false)}})
      .value();
}
