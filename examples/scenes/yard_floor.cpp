// From above, without gravity: a moving floor carries, a stream carries sideways, walls are slid
// along.
#include "scenes.hpp"

void depot::yard_floor(Run<2>& run) {
  declare(run, {"courier", "wall", "floor", "office", "pit"});
  World<2>& world = run.world;
  const auto wall = [&](const char* name, const Vec<2>& at, double w, double h,
                        double degrees = 0) {
    world
        .add({.name = name,
              .at = at,
              .turned = Rotation<2>(radians(degrees)),
              .tags = {"wall"},
              .colliders = {{.shape = box(w, h)}}})
        .value();
  };
  wall("border.left", {-8.25, 0}, 0.5, 13);
  wall("border.right", {8.25, 0}, 0.5, 13);
  wall("border.bottom", {0, -6.25}, 16, 0.5);
  wall("border.top", {0, 6.25}, 16, 0.5);
  world
      .add({.name = "moving-floor",
            .at = {-5, 0},
            .body = BodyKind::kinematic,
            .tags = {"floor"},
            .colliders = {{.shape = box(3, 3),
                           .zone = true,
                           .meets = "courier",
                           .field = Field<2>{.carries = true}}},
            .motion = Path<2>{{{0, {-5, 0}, {}}, {4, {3, 0}, {}}, {8, {-5, 0}, {}}}, true}})
      .value();
  world
      .add({.name = "paper-stream",
            .at = {0, -4.5},
            .tags = {"floor"},
            .colliders = {{.shape = box(16, 1.5),
                           .zone = true,
                           .meets = "courier",
                           .field = Field<2>{.current = {2, 0}}}}})
      .value();
  wall("shed", {0, 4}, 3, 0.6, 30);
  for (const auto& [name, x, y] : {std::tuple("office", 4.0, 0.0), std::tuple("pit", 7.0, -2.0)})
    world
        .add({.name = name,
              .at = {x, y},
              .tags = {name},
              .colliders = {{.shape = box(1.5, 1.5), .zone = true, .meets = "courier"}}})
        .value();
  const auto courier = [&](const char* name, const Vec<2>& at, std::vector<TimedWish<2>> wishes) {
    world
        .add({.name = name,
              .at = at,
              .body = BodyKind::kinematic,
              .tags = {"courier"},
              .colliders = {{.shape = circle(0.6)}},
              .walker = Walker<2>{.speed = 2, .speeding_up = 30},
              .wishes = std::move(wishes)})
        .value();
  };
  courier("passenger", {-5, 0}, {});
  courier("drifter", {-6, -4.5}, {});
  courier("slider", {0, 2}, {{0.2, {.velocity = {0, 2}}}});

  run.rules.add({.name = "arrive", .self = "courier", .other = "office"}).value();
}
