// A hatch is open while its lamp is red; two states are conditions: what the lamp is, and that the
// robot moves.
#include "scenes.hpp"

void depot::hatch_lamp(Run<2>& run) {
  declare(run, {"robot", "hatch", "lamp", "red", "vault"});
  World<2>& world = run.world;
  world.set_number({}, "refused", 0).value();
  world
      .add(
          {.name = "hatch",
           .at = {2, 0},
           .tags = {"hatch"},
           .colliders = {{.shape = box(0.4, 2), .meets = "robot", .schedule = {{{3, false, {}}}}}}})
      .value();
  world
      .add({.name = "lamp",
            .at = {1.4, 0},
            .tags = {"lamp"},
            .colliders = {{.shape = circle(0.5), .zone = true, .meets = "robot"}}})
      .value();
  world
      .add({.name = "vault",
            .at = {4.5, 0},
            .tags = {"vault"},
            .colliders = {{.shape = box(1, 1), .zone = true, .meets = "robot"}}})
      .value();
  world
      .add({.name = "robot",
            .at = {-2, 0},
            .body = BodyKind::kinematic,
            .tags = {"robot"},
            .colliders = {{.shape = circle(0.5)}},
            .motion =
                std::vector<VelocityFrom<2>>{
                    {0, {2.6, 0}}, {1.3, {-1, 0}}, {3.4, {1.5, 0}}, {8, {0, 0}}}})
      .value();

  const Condition is_red{.kind = Condition::Kind::is, .side = Side::other, .query = "red"};
  run.rules
      .add({.name = "red-light",
            .when = OnTime{3},
            .effects = {effects::retag(Target::object("lamp"), {"red"}, {})}})
      .value();
  run.rules
      .add({.name = "refuse",
            .self = "robot",
            .other = "lamp",
            .none = {is_red},
            .effects = {effects::add("world.refused", 1)}})
      .value();
  run.rules
      .add({.name = "let-through",
            .self = "robot",
            .other = "lamp",
            .all = {is_red, {.kind = Condition::Kind::state, .state = State::moving}}})
      .value();
  run.rules
      .add({.name = "inside",
            .self = "robot",
            .other = "vault",
            .effects = {effects::finish("in the vault")}})
      .value();
}
