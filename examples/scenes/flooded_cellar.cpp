// Water and a ladder are zones with fields.
#include "scenes.hpp"

void depot::flooded_cellar(Run<2>& run) {
  declare(run, {"courier", "scenery", "water", "ladder", "valve", "hatch"});
  World<2>& world = run.world;
  world.set_number({}, "valves", 0).value();
  world
      .add({.name = "floor",
            .tags = {"scenery"},
            .colliders = {{.shape = box(3, 1), .at = {-3.5, -0.5}},
                          {.shape = box(3, 1), .at = {4.5, -0.5}},
                          {.shape = box(9, 1), .at = {0.5, -4.5}},
                          {.shape = box(0.5, 4), .at = {-2.25, -2}},
                          {.shape = box(0.5, 4), .at = {3.25, -2}}}})
      .value();
  const auto zone = [&](const char* name, const Vec<2>& at, double w, double h,
                        std::optional<Field<2>> field) {
    world
        .add(
            {.name = name,
             .at = at,
             .tags = {name},
             .colliders = {{.shape = box(w, h), .zone = true, .meets = "courier", .field = field}}})
        .value();
  };
  zone("water", {0.5, -2}, 5, 4, Field<2>{.gravity = {0, 5.5}, .drag = 3});
  zone("ladder", {5.2, 1.9}, 0.4, 3.8, Field<2>{.gravity = {0, 9.81}, .drag = 8});
  world
      .add({.name = "loft",
            .at = {6.4, 3.3},
            .tags = {"scenery"},
            .colliders = {{.shape = box(1.4, 0.2), .one_way = {0, 1}}}})
      .value();
  zone("valve", {0.6, -3.8}, 0.5, 0.5, {});
  zone("hatch", {6.5, 4}, 0.5, 0.5, {});
  world
      .add({.name = "courier",
            .at = {-3.5, 0.61},
            .body = BodyKind::kinematic,
            .tags = {"courier"},
            .colliders = {{.shape = capsule<2>(0.6, 1.2),
                           .meets = "scenery | water | ladder | valve | hatch"}},
            .walker = Walker<2>{.speed = 2.5,
                                .speeding_up = 30,
                                .jump_speed = jump_speed(0.4, 9.81),
                                .mirrors = true},
            .wishes = {{0.2, {.velocity = {2.5, 0}}},
                       {1.3, {.velocity = {0.5, 0}}},
                       {3.6, {}},
                       {4.0, {.velocity = {0.9, 2.5}, .fly = true}},
                       {6.0, {.velocity = {2.5, 0}}},
                       {7.15, {.velocity = {0.1, 2.2}}},
                       {8.8, {.velocity = {2.0, 0}}}}})
      .value();

  run.rules
      .add({.name = "turn-off",
            .self = "courier",
            .other = "valve",
            .once = Once::ever,
            .effects = {effects::add("world.valves", 1)}})
      .value();
  run.rules.add({.name = "wet", .self = "courier", .other = "water"}).value();
  run.rules.add({.name = "dry", .self = "courier", .other = "water", .when = OnTouch{Phase::end}})
      .value();
  run.rules
      .add({.name = "out",
            .self = "courier",
            .other = "hatch",
            .all = {{.kind = Condition::Kind::number, .number = "world.valves", .least = 1}},
            .once = Once::ever,
            .effects = {effects::finish("dry feet")}})
      .value();
}
