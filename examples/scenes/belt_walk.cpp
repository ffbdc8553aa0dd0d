// Belts that carry a resting courier, hold a walking one on the spot, and throw a third one over a
// gap.
#include "scenes.hpp"

void depot::belt_walk(Run<2>& run) {
  declare(run, {"courier", "scenery", "scanner", "gap"});
  World<2>& world = run.world;
  const auto belt = [&](const char* name, const Vec<2>& at, double length, double speed) {
    world
        .add({.name = name,
              .at = at,
              .tags = {"scenery"},
              .colliders = {{.shape = box(length, 0.4), .surface_velocity = {speed, 0}}}})
        .value();
  };
  const auto zone = [&](const char* name, const Vec<2>& at, double width, double height) {
    world
        .add({.name = name,
              .at = at,
              .tags = {name},
              .colliders = {{.shape = box(width, height), .zone = true}}})
        .value();
  };
  const auto courier = [&](const char* name, const Vec<2>& at, std::vector<TimedWish<2>> wishes) {
    world
        .add({.name = name,
              .at = at,
              .body = BodyKind::kinematic,
              .tags = {"courier"},
              .colliders = {{.shape = capsule<2>(0.5, 1), .meets = "scenery | scanner | gap"}},
              .walker = Walker<2>{.speed = 2, .speeding_up = 40, .air_control = 0},
              .wishes = std::move(wishes)})
        .value();
  };
  belt("belt", {0, 6}, 10, 2);
  belt("treadmill", {0, 3}, 10, 2);
  belt("thrower", {-4, 0}, 6, 4);
  belt("landing", {6, -1.2}, 10, 0);
  zone("gap", {0, -1.5}, 1, 0.5);
  zone("scanner", {3, 6.7}, 0.2, 1);
  courier("rider", {-3, 6.71}, {});
  courier("runner", {0, 3.71}, {{0, {.velocity = {-2, 0}}}});
  courier("thrown", {-6, 0.71}, {});

  run.rules.add({.name = "seen", .self = "scanner", .other = "courier"}).value();
}
