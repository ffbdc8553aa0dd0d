// Up a staircase and down a ramp without leaving the ground; a second courier stands before a step
// too high.
#include "scenes.hpp"

void depot::stairs_and_ramp(Run<2>& run) {
  declare(run, {"courier", "scenery", "bell"});
  World<2>& world = run.world;
  const auto solid = [&](const std::string& name, const Vec<2>& at, const Shape<2>& shape) {
    world.add({.name = name, .at = at, .tags = {"scenery"}, .colliders = {{.shape = shape}}})
        .value();
  };
  solid("floor", {4, -0.5}, box(24, 1));
  for (int i = 0; i < 5; ++i)
    solid("stair." + std::to_string(i + 1), {4 + 0.5 * i, -0.8 + 0.2 * i}, box(5, 2));
  const Vec<2> corners[] = {{0, 0}, {3, 0}, {0, 1}};
  solid("ramp", {8.35, 0}, polygon(corners).value());
  solid("ledge", {-3, 0.2}, box(1, 0.4));
  world
      .add({.name = "bell",
            .at = {12.5, 0.5},
            .tags = {"bell"},
            .colliders = {{.shape = box(0.4, 1), .zone = true}}})
      .value();
  const auto courier = [&](const char* name, double x, std::vector<TimedWish<2>> wishes) {
    world
        .add({.name = name,
              .at = {x, 0.61},
              .body = BodyKind::kinematic,
              .tags = {"courier"},
              .colliders = {{.shape = capsule<2>(0.6, 1.2), .meets = "scenery | bell"}},
              .walker =
                  Walker<2>{.speed = 3, .speeding_up = 20, .steepest = radians(40), .step = 0.3},
              .wishes = std::move(wishes)})
        .value();
  };
  courier("courier", -1, {{0.2, {.velocity = {3, 0}}}, {6, {}}});
  courier("short-legs", -5, {{0.2, {.velocity = {3, 0}}}});

  run.rules.add({.name = "through", .self = "@courier", .other = "@bell"}).value();
}
