// Counting hits in a unit test: a thrown flask must hit the wall once, and never the robot.
#define DOCTEST_CONFIG_IMPLEMENT_WITH_MAIN
#include <doctest/doctest.h>

#include <colvik/colvik.hpp>

TEST_CASE("the flask hits the wall once and flies over the robot") {
  using namespace colvik;
  Run<2> run({.gravity = {0, -9.81}});
  for (const char* tag : {"flask", "robot", "wall"}) run.world.tags().declare(tag).value();
  run.world
      .add({.name = "robot",
            .at = {2, 0},
            .body = BodyKind::kinematic,
            .tags = {"robot"},
            .colliders = {{.shape = capsule<2>(0.6, 1.2)}}})
      .value();
  run.world
      .add({.name = "wall", .at = {4, 2}, .tags = {"wall"}, .colliders = {{.shape = box(0.2, 6)}}})
      .value();
  run.world
      .add({.name = "flask",
            .at = {0, 1},
            .body = BodyKind::dynamic,
            .tags = {"flask"},
            .colliders = {{.shape = circle(0.3)}},
            .velocity = {8, 4}})
      .value();
  run.rules
      .add({.name = "hit",
            .self = "flask",
            .other = "wall",
            .when = OnTouch{Phase::begin, Channel::solid}})
      .value();

  run.run_for(2);

  CHECK(run.rules.count("hit") == 1);
  Expectation<2> never{.what = ExpectContact{"flask", "robot"}, .never = true};
  const ExpectationResult result = judge(never, run.trace);
  CHECK_MESSAGE(result.met, result.expected, "; ", result.happened);
}
