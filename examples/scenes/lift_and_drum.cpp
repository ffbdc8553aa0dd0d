// A lift carries two couriers up to a turning drum; one walks on to it and is carried along to the
// landing.
#include "scenes.hpp"

void depot::lift_and_drum(Run<2>& run) {
  declare(run, {"courier", "scenery"});
  World<2>& world = run.world;
  world
      .add({.name = "lift",
            .at = {0, -0.1},
            .body = BodyKind::kinematic,
            .tags = {"scenery"},
            .colliders = {{.shape = box(2.4, 0.2)}},
            .motion = Path<2>{{{0, {0, -0.1}, {}},
                               {1, {0, -0.1}, {}},
                               {4, {0, 2.9}, {}},
                               {8, {0, 2.9}, {}},
                               {11, {0, -0.1}, {}}}}})
      .value();
  world
      .add({.name = "drum",
            .at = {3.2, 1},
            .body = BodyKind::kinematic,
            .tags = {"scenery"},
            .colliders = {{.shape = circle(4)}},
            .spin = Spin<2>(radians(-20))})
      .value();
  world
      .add({.name = "landing",
            .at = {7, 2.2},
            .tags = {"scenery"},
            .colliders = {{.shape = box(4, 0.4)}}})
      .value();
  const auto courier = [&](const char* name, double x, std::vector<TimedWish<2>> wishes) {
    world
        .add({.name = name,
              .at = {x, 0.51},
              .body = BodyKind::kinematic,
              .tags = {"courier"},
              .colliders = {{.shape = capsule<2>(0.5, 1), .meets = "scenery"}},
              .walker = Walker<2>{.speed = 2, .steepest = radians(50), .step = 0.2},
              .wishes = std::move(wishes)})
        .value();
  };
  courier("rider", 0.6,
          {{4.5, {.velocity = {1, 0}}}, {6.0, {}}, {7.5, {.velocity = {1, 0}}}, {9.5, {}}});
  courier("liftboy", -0.7, {});
}
