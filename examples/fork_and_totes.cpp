// A fork truck takes totes onto its fork, one upon the other, and sets them down again one by one.
#include <colvik/colvik.hpp>
#include <iostream>

int main() {
  using namespace colvik;
  World<2> world;
  for (const char* tag : {"truck", "fork", "tote"}) world.tags().declare(tag).value();
  world.set_number({}, "lifted", 0).value();
  world
      .add({.name = "truck",
            .at = {-2, 0.4},
            .body = BodyKind::kinematic,
            .tags = {"truck"},
            .colliders = {{.shape = box(1.2, 0.8)}},
            .spots = {{"carriage", {{1.1, -0.1}, {}}}},
            .velocity = {2, 0}})
      .value();
  // The fork is smaller than it looks, so that near misses feel fair.
  world
      .add({.name = "fork",
            .parent = "truck",
            .on_parent = Pose<2>{{1.0, -0.3}, {}},
            .tags = {"fork"},
            .colliders = {{.shape = box(0.3, 0.1), .zone = true, .meets = "tote"}}})
      .value();
  for (int i = 1; i <= 3; ++i)
    world
        .add({.name = "tote-" + std::to_string(i),
              .at = {2.0 * i - 1, 0.2},
              .body = BodyKind::kinematic,
              .tags = {"tote"},
              .colliders = {{.shape = box(0.6, 0.4), .zone = true, .meets = "fork"}}})
        .value();

  Rules<2> rules(world);
  rules
      .add({.name = "lift",
            .self = "fork",
            .other = "tote",
            .once = Once::per_other,
            .effects = {effects::attach(Side::other, Target::object("truck"), "carriage",
                                        {0, 0.4, 0}),
                        effects::add("world.lifted", 1)},
            .call =
                [](World<2>& w, const Firing<2>& f) {
                  std::cout << f.time << " s: " << w.object(*f.other).name << " is lifted\n";
                }})
      .value();
  rules
      .add({.name = "set-down",
            .when = OnInterval{.every = 1, .from = 4},
            .all = {{.kind = Condition::Kind::number, .number = "world.lifted", .least = 1}},
            .effects = {effects::drop_last(Target::object("truck")),
                        effects::add("world.lifted", -1)}})
      .value();
  while (world.time() < 7) world.step();
  const ObjectId truck = *world.find("truck");
  std::cout << "lifted at the end: " << *world.number({}, "lifted")
            << ", on the truck: " << world.children(truck).size() << " (the fork)\n";
  for (int i = 1; i <= 3; ++i) {
    const Object<2>& tote = world.object(*world.find("tote-" + std::to_string(i)));
    std::cout << tote.name << " lies " << tote.pose.position[1] << " high\n";
  }
}
