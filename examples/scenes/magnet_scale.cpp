// A magnet tag sticks to a pallet, rides it to the scale, and the pallet goes to the bay for what
// it weighs.
#include "scenes.hpp"

void depot::magnet_scale(Run<2>& run) {
  declare(run, {"pallet", "magnet", "scale", "bay"});
  World<2>& world = run.world;
  world.set_number({}, "weighed", 0).value();
  const auto pallet = [&](const char* name, double y, double speed) {
    world
        .add({.name = name,
              .at = {-4, y},
              .body = BodyKind::kinematic,
              .tags = {"pallet"},
              .colliders = {{.shape = box(1, 0.3)}},
              .numbers = {{"kilos", 40}},
              .velocity = {speed, 0}})
        .value();
  };
  const auto zone = [&](const char* name, const char* tag, const Vec<2>& at, double w, double h,
                        const char* meets) {
    world
        .add({.name = name,
              .at = at,
              .tags = {tag},
              .colliders = {{.shape = box(w, h), .zone = true, .meets = meets}}})
        .value();
  };
  pallet("first", 0, 1.5);
  pallet("second", -1.5, 1.2);
  world
      .add({.name = "magnet",
            .at = {-2, 2},
            .body = BodyKind::kinematic,
            .tags = {"magnet"},
            .colliders = {{.shape = circle(0.3), .zone = true, .meets = "pallet | scale"}},
            .motion = Approach<2>{.object = "first", .speed = 2}})
      .value();
  zone("scale", "scale", {2.5, 0}, 0.6, 4, "magnet");
  zone("heavy-bay", "bay", {6, 3.5}, 1.5, 1, "pallet");
  zone("light-bay", "bay", {8, -2}, 1, 1, "pallet");

  run.rules
      .add({.name = "stick",
            .self = "magnet",
            .other = "pallet",
            .once = Once::ever,
            .effects = {effects::stop(Side::self), effects::attach(Side::self, Side::other)}})
      .value();
  run.rules
      .add(
          {.name = "weigh",
           .self = "scale",
           .other = "magnet",
           .all = {{.kind = Condition::Kind::state, .side = Side::other, .state = State::attached}},
           .effects = {effects::add("world.weighed", 1), effects::cue("weighed")}})
      .value();
  run.rules
      .add({.name = "heavy",
            .when = OnCue{"weighed"},
            .all = {{.kind = Condition::Kind::number, .number = "@first.kilos", .least = 30}},
            .effects = {effects::send(Target::object("first"), Target::object("heavy-bay"), 2)}})
      .value();
  run.rules
      .add({.name = "in-the-bay",
            .self = "@heavy-bay",
            .other = "pallet",
            .effects = {effects::stop(Side::other)}})
      .value();
}
