// A rough patch drains the robot's charge, the dock fills it up; a trolley without a battery
// changes nothing.
#include "scenes.hpp"

void depot::charging_dock(Run<2>& run) {
  declare(run, {"robot", "trolley", "patch", "dock"});
  World<2>& world = run.world;
  world
      .add({.name = "robot",
            .at = {0, 0.5},
            .body = BodyKind::kinematic,
            .tags = {"robot"},
            .colliders = {{.shape = capsule<2>(0.6, 1)}},
            .numbers = {{"charge", 5}},
            .motion = Path<2>{{{0, {0, 0.5}, {}}, {4, {12, 0.5}, {}}}}})
      .value();
  world
      .add({.name = "trolley",
            .at = {0, 2},
            .body = BodyKind::kinematic,
            .tags = {"trolley"},
            .colliders = {{.shape = box(0.8, 0.6)}},
            .motion = Path<2>{{{1, {0, 2}, {}}, {5, {12, 2}, {}}}}})
      .value();
  world
      .add({.name = "patch",
            .at = {4.5, 1.2},
            .tags = {"patch"},
            .colliders = {{.shape = box(3, 3), .zone = true, .meets = "robot | trolley"}}})
      .value();
  world
      .add({.name = "dock",
            .at = {12, 0.5},
            .tags = {"dock"},
            .colliders = {{.shape = circle(1.2), .zone = true, .meets = "robot"}}})
      .value();

  run.rules
      .add({.name = "drain",
            .self = "robot",
            .other = "patch",
            .when = OnTouch{Phase::during},
            .cooldown = 0.35,
            .effects = {effects::add("self.charge", -1), effects::clamp("self.charge", 0, 5)}})
      .value();
  run.rules
      .add({.name = "fill",
            .self = "robot",
            .other = "dock",
            .when = OnTouch{Phase::during},
            .none = {{.kind = Condition::Kind::number, .number = "self.charge", .least = 5}},
            .cooldown = 0.5,
            .effects = {effects::add("self.charge", 1)}})
      .value();
  const auto at_charge = [&](const char* name, double charge, const char* outcome) {
    run.rules
        .add({.name = name,
              .self = "robot",
              .when = OnNumber{"self.charge", charge},
              .effects = {effects::finish(outcome)}})
        .value();
  };
  at_charge("empty", 0, "stranded");
  at_charge("full", 5, "charged");
}
