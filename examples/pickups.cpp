// Pickups in 2D: a courier robot drives along a shelf and collects each parcel once.
#include <colvik/colvik.hpp>
#include <iostream>

int main() {
  using namespace colvik;
  World<2> world;
  for (const char* tag : {"courier", "parcel"}) world.tags().declare(tag).value();
  world.set_number({}, "parcels", 0).value();
  const ColliderDef<2> hull{.shape = capsule<2>(0.6, 1.2)};
  const ColliderDef<2> label{.shape = box(0.5, 0.4), .zone = true, .meets = "courier"};
  world
      .add({.name = "robot",
            .body = BodyKind::kinematic,
            .tags = {"courier"},
            .colliders = {hull},
            .velocity = {2, 0}})
      .value();
  for (int i = 1; i <= 3; ++i)
    world
        .add({.name = "parcel-" + std::to_string(i),
              .at = {2.0 * i, 0},
              .tags = {"parcel"},
              .colliders = {label}})
        .value();

  Rules<2> rules(world);
  rules
      .add({.name = "collect",
            .self = "courier",
            .other = "parcel",
            .effects = {effects::add("world.parcels", 1), effects::remove(Side::other, 0.3)},
            .call =
                [](World<2>& w, const Firing<2>& f) {
                  std::cout << w.object(*f.self).name << " collects " << w.object(*f.other).name
                            << " at " << f.time << " s\n";
                }})
      .value();
  for (int i = 0; i < 240; ++i) world.step();
  std::cout << "parcels: " << *world.number({}, "parcels") << ", objects left: " << world.count()
            << "\n";
}
