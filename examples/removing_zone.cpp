// A removing zone in 3D: crates fall past the edge of a ramp into a shredder that removes them.
#include <colvik/colvik.hpp>

#include <iostream>

int main() {
  using namespace colvik;
  World<3> world({.gravity = {0, -9.81, 0}});
  world.tags().declare("crate").value();

  world
      .add({.name = "ramp",
            .turned = Rotation<3>({0, 0, 1}, radians(-30)),
            .colliders = {{.shape = box(4, 0.2, 2), .friction = 0.1}}})
      .value();
  const ObjectId shredder = world
                                .add({.name = "shredder",
                                      .at = {4, -4, 0},
                                      .colliders = {{.shape = box(6, 1, 4), .zone = true}}})
                                .value();
  for (int i = 0; i < 3; ++i)
    world
        .add({.name = "crate-" + std::to_string(i + 1),
              .at = {-1.0 + i, 1.5 - 0.4 * i, 0},
              .body = BodyKind::dynamic,
              .tags = {"crate"},
              .colliders = {{.shape = box(0.5, 0.5, 0.5), .friction = 0.1}}})
        .value();

  // A listener sees each step's touches; what it requests happens at the end of the step.
  world.add_listener([&](World<3>& w, std::span<const Event<3>> events) {
    for (const Event<3>& event : events) {
      if (event.channel != Channel::zone || event.phase != Phase::begin) continue;
      const Event<3> seen = event.seen_from(shredder);
      std::cout << w.object(seen.self).name << " takes " << w.object(seen.other).name << "\n";
      w.remove(seen.other);
    }
  });
  for (int i = 0; i < 180; ++i) world.step();
  std::cout << "objects left: " << world.count() << "\n";
}
