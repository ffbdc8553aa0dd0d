// A hook swings along a row of lockers and knocks their doors shut; each counts once, though it
// scrapes along.
#include "scenes.hpp"

void depot::locker_hook(Run<2>& run) {
  declare(run, {"hook", "open", "shut"});
  World<2>& world = run.world;
  world.set_number({}, "shut", 0).value();
  world.add({.name = "arm", .body = BodyKind::kinematic, .spin = Spin<2>(radians(90))}).value();
  world
      .add({.name = "hook",
            .parent = "arm",
            .on_parent = Pose<2>{{2.5, 0}, {}},
            .tags = {"hook"},
            .colliders = {{.shape = circle(0.5), .zone = true}}})
      .value();
  const auto locker = [&](const std::string& name, const Vec<2>& at, double degrees,
                          const char* tag) {
    world
        .add({.name = name,
              .at = at,
              .turned = Rotation<2>(radians(degrees)),
              .tags = {tag},
              .colliders = {{.shape = box(0.7, 0.5), .zone = true, .meets = "hook"}}})
        .value();
  };
  for (int i = 0; i < 6; ++i) {
    const double degrees = 30 + 60 * i;
    locker("locker." + std::to_string(i + 1), Rotation<2>(radians(degrees)) * Vec<2>(2.5, 0),
           degrees, "open");
  }
  locker("locked", {-1.7, 1.7}, 0, "shut");
  locker("far-locker", {3.6, 3.6}, 0, "open");

  run.rules
      .add({.name = "knock",
            .self = "hook",
            .other = "open",
            .effects = {effects::add("world.shut", 1),
                        effects::retag(Side::other, {"shut"}, {"open"})}})
      .value();
  run.rules
      .add({.name = "scrape",
            .self = "hook",
            .other = "open | shut",
            .when = OnTouch{Phase::during},
            .once = Once::per_visit})
      .value();
}
