// Pucks slide down deflectors; a diverter that is switched off in time sends the later ones to the
// other bin.
#include "scenes.hpp"

void depot::puck_sorter(Run<2>& run) {
  declare(run, {"puck", "left", "right", "scenery"});
  World<2>& world = run.world;
  for (const char* number : {"left", "right"}) world.set_number({}, number, 0).value();
  for (int i = 0; i < 4; ++i)
    world
        .add({.name = "pucks." + std::to_string(i + 1),
              .at = {0.1, 3 + 1.2 * i},
              .body = BodyKind::dynamic,
              .tags = {"puck"},
              .colliders = {{.shape = circle(0.4), .friction = 0.1, .restitution = 0.2}}})
        .value();
  const auto slope = [&](const char* name, const Vec<2>& at, double degrees, double length,
                         Schedule<2> schedule) {
    world
        .add({.name = name,
              .at = at,
              .turned = Rotation<2>(radians(degrees)),
              .tags = {"scenery"},
              .colliders = {{.shape = box(length, 0.15),
                             .friction = 0.1,
                             .schedule = std::move(schedule)}}})
        .value();
  };
  slope("diverter", {0.2, 1}, -35, 1.6, {{{0.85, false, {}}}});
  slope("deflector", {0, -1}, 35, 2.4, {});
  for (const auto& [side, x] : {std::pair("left", -2.0), std::pair("right", 2.2)}) {
    world
        .add({.name = std::string(side) + "-bin",
              .at = {x, -3},
              .tags = {side},
              .colliders = {{.shape = box(2.6, 0.8), .zone = true, .meets = "puck"}}})
        .value();
    run.rules
        .add({.name = std::string("sorted-") + side,
              .self = side,
              .other = "puck",
              .effects = {effects::add(std::string("world.") + side, 1),
                          effects::remove(Side::other)}})
        .value();
  }
}
