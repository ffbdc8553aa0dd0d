// Up through one-way shelves to the stamp parcel, and down through them again.
#include "scenes.hpp"

void depot::shelf_climb(Run<2>& run) {
  declare(run, {"courier", "shelf", "scenery", "parcel", "lamp"});
  World<2>& world = run.world;
  world.set_number({}, "parcels", 0).value();
  world
      .add({.name = "floor",
            .at = {0, -0.5},
            .tags = {"scenery"},
            .colliders = {{.shape = box(8, 1)}}})
      .value();
  for (const auto& [name, height] :
       {std::pair("low-shelf", 1.5), std::pair("high-shelf", 2.25), std::pair("top-shelf", 4.0)})
    world
        .add({.name = name,
              .at = {0, height},
              .tags = {"shelf", "scenery"},
              .colliders = {{.shape = box(3, 0.15), .one_way = {0, 1}}}})
        .value();
  world
      .add({.name = "stamp-parcel",
            .at = {1, 4.4},
            .tags = {"parcel"},
            .colliders = {{.shape = box(0.4, 0.3), .zone = true, .meets = "courier"}}})
      .value();
  world
      .add({.name = "lamp",
            .at = {0, 6.2},
            .tags = {"lamp"},
            .colliders = {{.shape = circle(0.4), .zone = true}}})
      .value();
  std::vector<TimedWish<2>> wishes;
  for (const auto& [from, to] : {std::pair(0.3, 1.4), std::pair(1.6, 2.7), std::pair(3.0, 4.1)}) {
    wishes.push_back({from, {.jump = true}});
    wishes.push_back({to, {}});
  }
  wishes.push_back({4.3, {.velocity = {1.5, 0}}});
  wishes.push_back({4.9, {}});
  for (const double from : {5.5, 6.5, 7.5}) {
    wishes.push_back({from, {.drop = true}});
    wishes.push_back({from + 0.1, {}});
  }
  world
      .add({.name = "courier",
            .at = {0, 0.61},
            .body = BodyKind::kinematic,
            .tags = {"courier"},
            .colliders = {{.shape = capsule<2>(0.6, 1.2), .meets = "scenery | parcel | lamp"}},
            .walker = Walker<2>{.speed = 3, .speeding_up = 30, .jump_speed = jump_speed(2, 9.81)},
            .wishes = wishes})
      .value();

  run.rules
      .add({.name = "collect",
            .self = "courier",
            .other = "parcel",
            .effects = {effects::add("world.parcels", 1), effects::remove(Side::other)}})
      .value();
}
