// A scanner that answers only to one shift's robots, and a hatch that lets them through only while
// its lamp is red.
#include <colvik/colvik.hpp>
#include <iostream>

int main() {
  using namespace colvik;
  Run<2> run;
  World<2>& world = run.world;
  for (const char* tag : {"robot", "night", "day", "scanner", "hatch"})
    world.tags().declare(tag).value();
  world.set_number({}, "lamp", 0).value();
  const auto robot = [&](const char* name, const char* shift, double y) {
    world
        .add({.name = name,
              .at = {-4, y},
              .body = BodyKind::kinematic,
              .tags = {"robot", shift},
              .colliders = {{.shape = circle(0.8), .meets = "scanner | hatch"}},
              .velocity = {2, 0}})
        .value();
  };
  robot("night-robot", "night", 1);
  robot("day-robot", "day", -1);
  for (const auto& [name, x] : {std::pair("scanner", 0.0), std::pair("hatch", 4.0)})
    world
        .add({.name = name,
              .at = {x, 0},
              .tags = {name},
              .colliders = {{.shape = box(0.4, 5), .zone = true, .meets = "robot"}}})
        .value();

  run.rules.add({.name = "scan", .self = "scanner", .other = "robot & night"}).value();
  run.rules.add({.name = "lamp-red", .when = OnTime{2}, .effects = {effects::set("world.lamp", 1)}})
      .value();
  run.rules
      .add({.name = "through",
            .self = "robot",
            .other = "hatch",
            .all = {{.kind = Condition::Kind::number, .number = "world.lamp", .least = 1},
                    {.kind = Condition::Kind::is, .query = "night"}},
            .effects = {effects::finish("out", 0.5)}})
      .value();
  run.run_for(6);

  const Expectation<2> expectations[] = {
      {.what = ExpectReaction{"scan"}, .times = 1},
      {.what = ExpectReaction{.reaction = "scan", .other = "!night"}, .never = true},
      {.what = ExpectReaction{.reaction = "through", .self = "@night-robot"}, .times = 1},
      {.what = ExpectOutcome{"out"}},
  };
  for (const Expectation<2>& e : expectations) {
    const ExpectationResult r = judge(e, run.trace);
    std::cout << (r.met ? "met     " : "MISSED  ") << r.expected << "\n";
  }
  for (const Tried& t : coverage(run.trace).all)
    if (!t.tried) std::cout << name_of(t.what) << ": never " << t.name << "\n";
}
