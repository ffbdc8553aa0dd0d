// Walkers on the ground and in the air: moving, sliding, slopes, steps, jumping, one-way surfaces.
#include "walkers.hpp"

#include <algorithm>

using namespace colvik;
using namespace colvik::test;

TEST_CASE_TEMPLATE("a walker stops flush at a wall at any speed, and never enters it", T, Two,
                   Three) {
  constexpr int D = T::D;
  for (const double speed : {0.5, 4.0, 1000.0}) {
    Level<D> level;
    level.box("floor", up<D>(-0.5), 400, 1);
    level.box("wall", along_x<D>(10.5), 1, 6);
    const ObjectId id = level.walker({.speed = speed}, up<D>(0.602));
    level.wish(id, {.velocity = along_x<D>(speed)});
    for (int i = 0; i < 1500 && level.world.object(id).pose.position[0] < 9.69; ++i)
      level.world.step();
    level.run(0.1);
    const Vec<D> at = level.world.object(id).pose.position;
    CHECK(at[0] == doctest::Approx(10 - 0.3 - 0.002).epsilon(1e-6));
    CHECK(at[1] == doctest::Approx(0.602).epsilon(1e-6));
    const Walking<D>& w = *level.world.walking(id);
    CHECK(w.standing);
    CHECK(level.world.object(w.on).name == "floor");
    const auto beside = std::find_if(w.touches.begin(), w.touches.end(), [](const WalkTouch<D>& t) {
      return t.side == WalkSide::beside;
    });
    REQUIRE(beside != w.touches.end());
    CHECK(level.world.object(beside->object).name == "wall");
    CHECK(beside->normal.dot(along_x<D>(-1)) > 0.999);
    CHECK(level.world.touching(id, Channel::solid).size() == 2);
  }
}

TEST_CASE_TEMPLATE("a jump reaches its height and range at every step rate", T, Two, Three) {
  constexpr int D = T::D;
  double worst_height = 0;
  double worst_time = 0;
  for (const double rate : {15.0, 30.0, 60.0, 120.0, 240.0}) {
    Level<D> level(rate);
    level.box("floor", up<D>(-0.5), 200, 1);
    const double v = jump_speed(1.4, 9.81);
    const ObjectId id = level.walker({.speed = 4, .jump_speed = v}, up<D>(0.602));
    level.run(0.5);
    const double requested = level.world.time();
    level.wish(id, {.velocity = along_x<D>(4), .jump = true});
    double landed = -1;
    double highest = 0;
    for (int i = 0; i < 2 * static_cast<int>(rate); ++i) {
      level.world.step();
      const Walking<D>& w = *level.world.walking(id);
      if (!w.standing) highest = std::max(highest, w.highest);
      if (i > 2 && w.standing) {
        landed = w.since;
        break;
      }
    }
    CHECK(highest - 0.602 == doctest::Approx(1.4).epsilon(1e-3));
    worst_height = std::max(worst_height, std::abs(highest - 0.602 - 1.4) / 1.4);
    worst_time = std::max(worst_time, std::abs(landed - requested - 2 * v / 9.81) / (2 * v / 9.81));
    // It left the ground at the start of the step in which it was requested to.
    CHECK(landed - requested == doctest::Approx(2 * v / 9.81).epsilon(1e-3));
  }
  MESSAGE("random: jumps ", D, "D: at five rates, worst error of the height ", worst_height,
          ", of the time and range ", worst_time);
  CHECK(jump_speed_of_time(1, 9.81) == doctest::Approx(9.81 / 2));
}

TEST_CASE_TEMPLATE("letting go of a jump cuts its rise, and control in the air is what was said", T,
                   Two, Three) {
  constexpr int D = T::D;
  const auto height = [](double cut, bool let_go) {
    Level<D> level;
    level.box("floor", up<D>(-0.5), 50, 1);
    const ObjectId id = level.walker({.speed = 4, .jump_speed = 5, .jump_cut = cut}, up<D>(0.602));
    level.run(0.2);
    level.wish(id, {.jump = true});
    double highest = 0;
    for (int i = 0; i < 80; ++i) {
      if (i == 6 && let_go) level.wish(id, {});
      level.world.step();
      highest = std::max(highest, level.world.object(id).pose.position[1]);
    }
    return highest - 0.602;
  };
  CHECK(height(0.4, false) == doctest::Approx(25 / 19.62).epsilon(0.02));
  CHECK(height(0.4, true) < 0.75 * height(0.4, false));
  CHECK(height(1, true) == doctest::Approx(height(1, false)));

  Level<D> level;
  level.box("floor", up<D>(-0.5), 50, 1);
  const ObjectId stiff =
      level.walker({.speed = 4, .air_control = 0, .jump_speed = 5}, up<D>(0.602));
  level.run(0.2);
  level.wish(stiff, {.jump = true});
  level.run(0.1);
  level.wish(stiff, {.velocity = along_x<D>(4), .jump = true});
  level.run(0.3);
  CHECK(!level.world.walking(stiff)->standing);
  CHECK(level.world.object(stiff).pose.position[0] == 0);
}

TEST_CASE_TEMPLATE(
    "a walker goes up slopes to its limit, slides down steeper ones, and keeps to the ground", T,
    Two, Three) {
  constexpr int D = T::D;
  for (const double degrees : {20.0, 44.0, 46.0, 60.0}) {
    Level<D> level;
    level.box("floor", up<D>(-0.5), 40, 1);
    // A long ramp that begins at x = 5.
    const Rotation<D> turn = about_z<D>(radians(degrees));
    level.box("ramp", along_x<D>(5) + turn * (along_x<D>(10) + up<D>(-0.5)), 20, 1, turn);
    const ObjectId id =
        level.walker({.speed = 3, .steepest = radians(45)}, up<D>(0.602) + along_x<D>(2));
    level.wish(id, {.velocity = along_x<D>(3)});
    level.run(3);
    const Walking<D>& w = *level.world.walking(id);
    const double height = level.world.object(id).pose.position[1];
    if (degrees <= 45) {
      CHECK(w.standing);
      CHECK(w.normal.dot(turn * up<D>(1)) > 0.9999);
      CHECK(height > 2);
      // Down again, at the same speed, without leaving the ground.
      level.wish(id, {.velocity = along_x<D>(-3)});
      for (int i = 0; i < 100; ++i) {
        level.world.step();
        CHECK(level.world.walking(id)->standing);
        CHECK(level.world.object(id).velocity.norm() == doctest::Approx(3).epsilon(0.02));
        if (level.world.object(id).pose.position[0] < 6) break;
      }
    } else {
      CHECK(height < 0.75);
      CHECK(level.world.object(id).pose.position[0] < 5.4);
      // Put on it, it slides down.
      level.world.place(id, {along_x<D>(5) + turn * (along_x<D>(6) + up<D>(0.5)), {}});
      level.wish(id, {});
      level.run(0.2);
      const double before = level.world.object(id).pose.position[1];
      level.run(0.5);
      CHECK(!level.world.walking(id)->standing);
      CHECK(level.world.object(id).pose.position[1] < before - 0.3);
    }
  }
}

TEST_CASE_TEMPLATE("steps up to a height are climbed, higher ones are walls", T, Two, Three) {
  constexpr int D = T::D;
  for (const bool round : {true, false})
    for (const double step : {0.15, 0.25, 0.35}) {
      CAPTURE(round);
      CAPTURE(step);
      Level<D> level;
      level.box("floor", up<D>(-0.5), 40, 1);
      for (int i = 0; i < 5; ++i)
        level.box("stair-" + std::to_string(i),
                  along_x<D>(3 + 0.5 * i + 5) + up<D>(step * (i + 1) - 1), 10, 2);
      const ObjectId id = level.walker({.speed = 3, .step = 0.3}, up<D>(0.602),
                                       round ? capsule<D>(0.6, 1.2) : slab<D>(0.6, 1.2));
      level.wish(id, {.velocity = along_x<D>(3)});
      level.run(3);
      const Vec<D> at = level.world.object(id).pose.position;
      if (step < 0.3) {
        CHECK(at[1] == doctest::Approx(0.602 + 5 * step).epsilon(1e-3));
        CHECK(at[0] > 6);
        // And down, keeping to the ground.
        level.wish(id, {.velocity = along_x<D>(-3)});
        int in_the_air = 0;
        for (int i = 0; i < 200; ++i) {
          level.world.step();
          in_the_air += level.world.walking(id)->standing ? 0 : 1;
        }
        CHECK(in_the_air == 0);
        CHECK(level.world.object(id).pose.position[1] == doctest::Approx(0.602).epsilon(1e-3));
      } else {
        CHECK(at[0] < 3);
        CHECK(at[1] < 0.7);
      }
    }
}

TEST_CASE("a thousand seams of tiles change neither speed nor height") {
  World<2> world(earth<2>());
  world
      .add(thing<2>(
          "tiles", BodyKind::fixed, {-2, -1},
          {solid(tiles(std::vector<std::string>{std::string(1100, '#')}, {1, 1}).value())}))
      .value();
  for (const Shape<2>& shape : {capsule<2>(0.6, 1.2), slab<2>(0.6, 1.2), circle(0.8)}) {
    ObjectDef<2> def = thing<2>("", BodyKind::kinematic, {0, 0.7}, {solid(shape)});
    def.colliders[0].meets = "none";  // of each other
    def.walker = Walker<2>{.speed = 20};
    def.colliders[0].meets = "any";
    const ObjectId id = world.add(def).value();
    for (int i = 0; i < 30; ++i) world.step();
    const double height = world.object(id).pose.position.y();
    world.wish(id, {.velocity = {20, 0}});
    world.step();
    double worst = 0;
    double worst_speed = 0;
    for (int i = 0; i < 3100; ++i) {
      world.step();
      if (world.object(id).pose.position.x() > 1000) break;
      worst = std::max(worst, std::abs(world.object(id).pose.position.y() - height));
      worst_speed = std::max(worst_speed, std::abs(world.object(id).velocity.x() - 20));
    }
    CHECK(world.object(id).pose.position.x() > 1000);
    CHECK(worst < 1e-4 * 0.6);
    MESSAGE("random: seams: a thousand, worst change of height ", worst, ", of speed ",
            worst_speed);
    CHECK(worst_speed < 1e-4 * 0.6 * 60);
    world.remove(id);
    world.step();
  }
}

TEST_CASE("pressed against a wall of tiles a walker falls as freely as beside it") {
  World<2> world(earth<2>());
  world
      .add(thing<2>("wall", BodyKind::fixed, {0.302, -40},
                    {solid(tiles(std::vector<std::string>(60, "#"), {1, 1}).value())}))
      .value();
  ObjectDef<2> def =
      thing<2>("walker", BodyKind::kinematic, {0, 15}, {solid(capsule<2>(0.6, 1.2))});
  def.walker = Walker<2>{.speed = 3};
  const ObjectId id = world.add(def).value();
  world.wish(id, {.velocity = {3, 0}});
  for (int i = 1; i <= 120; ++i) {
    world.step();
    const double t = i / 60.0;
    CHECK(world.object(id).pose.position.y() ==
          doctest::Approx(15 - 9.81 * t * t / 2).epsilon(1e-6));
  }
  CHECK(std::abs(world.object(id).pose.position.x()) < 1e-4);
}

TEST_CASE_TEMPLATE(
    "over a crest a walker keeps to the ground when slow, and flies when faster than it holds", T,
    Two, Three) {
  constexpr int D = T::D;
  const auto in_the_air = [](double speed) {
    Level<D> level;
    level.box("up", along_x<D>(-5), 10, 1);
    const Rotation<D> turn = about_z<D>(radians(-30));
    level.box("down", up<D>(0.5) + turn * (along_x<D>(10) + up<D>(-0.5)), 20, 1, turn);
    const ObjectId id =
        level.walker({.speed = speed, .hold_below = 4.0}, along_x<D>(-3) + up<D>(1.102));
    level.run(0.2);
    level.wish(id, {.velocity = along_x<D>(speed)});
    int steps = 0;
    for (int i = 0; i < static_cast<int>(60 * 5 / speed); ++i) {
      level.world.step();
      steps += level.world.walking(id)->standing ? 0 : 1;
    }
    return steps;
  };
  CHECK(in_the_air(3) == 0);
  CHECK(in_the_air(6) > 5);
}

TEST_CASE("seams of polylines and meshes do not catch a walker either") {
  const auto walk = [](auto ground, auto shape) {
    constexpr int D = decltype(ground.dimension)::D;
    World<D> world(earth<D>());
    world.add(thing<D>("ground", BodyKind::fixed, kZero, {solid(ground.shape)})).value();
    ObjectDef<D> def = thing<D>("walker", BodyKind::kinematic, up<D>(0.61), {solid(shape)});
    def.walker = Walker<D>{.speed = 7.3};
    const ObjectId id = world.add(def).value();
    for (int i = 0; i < 30; ++i) world.step();
    const double height = world.object(id).pose.position[1];
    world.wish(id, {.velocity = along_x<D>(7.3)});
    world.step();
    double worst = 0;
    for (int i = 0; i < 300; ++i) {
      world.step();
      worst = std::max({worst, std::abs(world.object(id).pose.position[1] - height),
                        std::abs(world.object(id).velocity[0] - 7.3) / 60});
      CHECK(world.walking(id)->standing);
    }
    CHECK(worst < 1e-4 * 1.2);
  };
  struct Flat {
    Shape<2> shape;
    Two dimension{};
  };
  struct Solid {
    Shape<3> shape;
    Three dimension{};
  };
  std::vector<Vec<2>> line;
  for (int i = 0; i <= 60; ++i) line.emplace_back(-2 + i, 0);
  const Shape<2> ground = polyline(line).value();
  walk(Flat{ground}, capsule<2>(0.6, 1.2));
  walk(Flat{ground}, slab<2>(0.6, 1.2));
  std::vector<Vec<3>> points;
  std::vector<std::array<std::uint32_t, 3>> triangles;
  for (std::uint32_t i = 0; i <= 60; ++i)
    for (std::uint32_t k = 0; k < 2; ++k) points.emplace_back(-2.0 + i, 0, k == 0 ? -2 : 2);
  for (std::uint32_t i = 0; i < 60; ++i) {
    triangles.push_back({2 * i, 2 * i + 1, 2 * i + 2});
    triangles.push_back({2 * i + 1, 2 * i + 3, 2 * i + 2});
  }
  walk(Solid{mesh(points, triangles).value()}, capsule<3>(0.6, 1.2));
  walk(Solid{mesh(points, triangles).value()}, slab<3>(0.6, 1.2));
}

TEST_CASE_TEMPLATE("in acute corners and wedges a walker comes to rest and does not shake", T, Two,
                   Three) {
  constexpr int D = T::D;
  int walked = 0;
  for (const double degrees : {10.0, 35.0, 60.0}) {
    Level<D> level;
    level.box("floor", up<D>(-0.5), 40, 1);
    // A roof that comes down ahead of it.
    const Rotation<D> turn = about_z<D>(radians(-degrees));
    level.box("roof", along_x<D>(4) + turn * (along_x<D>(-4) + up<D>(0.5)), 8, 1, turn);
    const ObjectId id =
        level.walker({.speed = 3, .steepest = radians(50)}, up<D>(0.602) + along_x<D>(-6));
    if (level.world.deepest(id, level.world.object(id).pose.position)) continue;
    level.wish(id, {.velocity = along_x<D>(3)});
    level.run(5);
    const Vec<D> at = level.world.object(id).pose.position;
    double moved = 0;
    for (int i = 0; i < 60; ++i) {
      level.world.step();
      moved = std::max(moved, (level.world.object(id).pose.position - at).norm());
    }
    CAPTURE(degrees);
    CHECK(moved < 1e-4);
    CHECK(!level.world.deepest(id, at));
    CHECK(level.world.walking(id)->standing);
    CHECK(at[0] > -6);
    ++walked;
  }
  CHECK(walked >= 2);
}

TEST_CASE_TEMPLATE(
    "one-way shelves, two of them nearer than the walker is tall, are each judged alone", T, Two,
    Three) {
  constexpr int D = T::D;
  Level<D> level;
  level.box("floor", up<D>(-0.5), 40, 1);
  level.one_way("low", up<D>(1.5), 4, 0.2);
  level.one_way("high", up<D>(2.2), 4, 0.2);
  const ObjectId id = level.walker({.speed = 3, .jump_speed = jump_speed(1.8, 9.81)}, up<D>(0.602));
  level.run(0.3);
  level.wish(id, {.jump = true});
  level.run(1.5);
  REQUIRE(level.on(id) == "low");  // its head is in the high one
  CHECK(level.world.object(id).pose.position[1] == doctest::Approx(1.6 + 0.602).epsilon(1e-3));
  level.run(2);
  CHECK(level.on(id) == "low");
  level.wish(id, {});
  level.run(0.1);
  level.wish(id, {.jump = true});
  level.run(1.5);
  REQUIRE(level.on(id) == "high");
  // Walking about on it does not drop it.
  for (int i = 0; i < 8; ++i) {
    level.wish(id, {.velocity = along_x<D>(i % 2 == 0 ? 1.5 : -1.5)});
    level.run(0.5);
    CHECK(level.on(id) == "high");
  }
  // Dropping through: one after the other, on request.
  level.wish(id, {.drop = true});
  level.run(1.0 / 60);
  level.wish(id, {});
  level.run(1);
  CHECK(level.on(id) == "low");
  level.world.drop_through(id);
  level.run(1);
  CHECK(level.on(id) == "floor");
  // From the side it passes: neither is a wall.
  level.world.place(id, {along_x<D>(-6) + up<D>(1.5), {}});
  level.wish(id, {.velocity = along_x<D>(3), .fly = true});
  level.run(4);
  CHECK(level.world.object(id).pose.position[0] > 3);
}

TEST_CASE_TEMPLATE(
    "one-way surfaces hold on slopes, upside down, moving and for dynamic bodies, by the same rule",
    T, Two, Three) {
  constexpr int D = T::D;
  {  // A slope.
    Level<D> level;
    const Rotation<D> turn = about_z<D>(radians(25));
    level.one_way("slope", kZero, 10, 0.2, turn);
    const ObjectId id = level.walker({.speed = 2}, up<D>(2));
    level.run(1);
    CHECK(level.on(id) == "slope");
    level.wish(id, {.velocity = along_x<D>(2)});
    level.run(1);
    CHECK(level.on(id) == "slope");
  }
  {  // Upside down: up is against gravity.
    Level<D> level(60, up<D>(9.81));
    level.one_way("ceiling", kZero, 10, 0.2, about_z<D>(kPi));
    const ObjectId id = level.walker({.speed = 2, .jump_speed = 5}, up<D>(-3));
    level.run(1.2);
    CHECK(level.on(id) == "ceiling");
    CHECK(level.world.walking(id)->up.dot(up<D>(-1)) > 0.999);
  }
  {  // Turning, like a seesaw.
    Level<D> level;
    ObjectDef<D> board = level.one_way_def("board", kZero, 8, 0.2);
    board.body = BodyKind::kinematic;
    board.motion = Path<D>{{{0, kZero, about_z<D>(radians(-20))},
                            {2, kZero, about_z<D>(radians(20))},
                            {4, kZero, about_z<D>(radians(-20))}},
                           true};
    level.world.add(board).value();
    const ObjectId id = level.walker({.speed = 2}, up<D>(1.5) + along_x<D>(1));
    level.run(0.7);
    for (int i = 0; i < 400; ++i) {
      level.world.step();
      REQUIRE(level.on(id) == "board");
    }
  }
  {  // Moving up and down.
    Level<D> level;
    ObjectDef<D> lift = level.one_way_def("lift", up<D>(0), 6, 0.2);
    lift.body = BodyKind::kinematic;
    lift.motion = Path<D>{{{0, up<D>(0), {}}, {2, up<D>(3), {}}, {4, up<D>(0), {}}}, true};
    level.world.add(lift).value();
    const ObjectId id = level.walker({.speed = 2}, up<D>(1.5));
    level.run(0.7);
    for (int i = 0; i < 400; ++i) {
      level.world.step();
      REQUIRE(level.on(id) == "lift");
    }
  }
  {  // Dynamic bodies: one thrown up comes through and lies on it, one from the side passes.
    Level<D> level;
    level.box("floor", up<D>(-0.5), 40, 1);
    level.one_way("shelf", up<D>(2), 4, 0.2);
    ObjectDef<D> crate = thing<D>("crate", BodyKind::dynamic, up<D>(0.5), {solid(cube<D>(0.4))});
    crate.velocity = up<D>(8);
    const ObjectId id = level.world.add(crate).value();
    ObjectDef<D> thrown =
        thing<D>("thrown", BodyKind::dynamic, along_x<D>(-4) + up<D>(2), {solid(ball<D>(0.4))});
    thrown.velocity = along_x<D>(12);
    thrown.gravity_scale = 0;
    const ObjectId flies = level.world.add(thrown).value();
    level.run(3);
    CHECK(level.world.object(id).pose.position[1] == doctest::Approx(2.3).epsilon(0.01));
    CHECK(level.world.object(flies).pose.position[0] > 10);
    CHECK(level.world.drop_through(id));
    level.run(2);
    CHECK(level.world.object(id).pose.position[1] == doctest::Approx(0.2).epsilon(0.02));
  }
}

TEST_CASE("one-way cells of a tile grid let a walker through from below and hold it from above") {
  World<2> world(earth<2>());
  const std::vector<std::string> rows{"..........", "..------..", "..........", "..........",
                                      "##########"};
  world.add(thing<2>("tiles", BodyKind::fixed, {0, 0}, {solid(tiles(rows, {1, 1}).value())}))
      .value();
  ObjectDef<2> def =
      thing<2>("walker", BodyKind::kinematic, {5, 1.7}, {solid(capsule<2>(0.6, 1.2))});
  def.walker = Walker<2>{.speed = 3, .jump_speed = jump_speed(3.2, 9.81)};
  const ObjectId id = world.add(def).value();
  for (int i = 0; i < 30; ++i) world.step();
  CHECK(world.object(id).pose.position.y() == doctest::Approx(1.602).epsilon(1e-3));
  world.wish(id, {.jump = true});
  for (int i = 0; i < 120; ++i) world.step();
  CHECK(world.walking(id)->standing);
  CHECK(world.object(id).pose.position.y() == doctest::Approx(4.602).epsilon(1e-3));
  world.wish(id, {.drop = true});
  world.step();
  world.wish(id, {});
  for (int i = 0; i < 90; ++i) world.step();
  CHECK(world.object(id).pose.position.y() == doctest::Approx(1.602).epsilon(1e-3));
}

// The same level walked at several rates: hills, steps, a jump over a gap.
TEST_CASE("the same level walked at five rates ends at the same place") {
  std::vector<Vec<2>> ends;
  for (const double rate : {15.0, 30.0, 60.0, 120.0, 240.0}) {
    Level<2> level(rate);
    level.box("floor", {0, -0.5}, 20, 1);
    level.box("ramp", {11.5, 0.1}, 4, 0.4, Rotation<2>(radians(20)));
    level.box("upper", {20, 0.3}, 14, 1);
    level.box("stair", {24, 0.9}, 8, 0.6);
    level.box("far", {38, 0}, 20, 1);
    ObjectDef<2> def =
        level.walker_def({.speed = 4, .speeding_up = 20, .jump_speed = 6, .step = 0.4}, {0, 0.7},
                         capsule<2>(0.6, 1.2));
    def.wishes = {{0.2, {.velocity = {4, 0}}},
                  {6.4, {.velocity = {4, 0}, .jump = true}},
                  {9.0, {.velocity = {0, 0}}}};
    const ObjectId id = level.world.add(def).value();
    level.run(10);
    ends.push_back(level.world.object(id).pose.position);
    CHECK(level.world.walking(id)->standing);
  }
  double spread = 0;
  for (const Vec<2>& end : ends) spread = std::max(spread, (end - ends.back()).norm());
  MESSAGE("random: one level at five rates: ends apart ", spread, " at a height of 1.2");
  for (const Vec<2>& end : ends) {
    CAPTURE(end.x());
    CAPTURE(end.y());
    CHECK((end - ends.back()).norm() < 0.05 * 1.2);
  }
  CHECK(ends.back().x() > 30);
}

TEST_CASE_TEMPLATE("random moves among random solids: no overlap, and none longer than requested",
                   T, Two, Three) {
  constexpr int D = T::D;
  Random random(5);
  int moves = 0;
  double deepest = 0;
  double longest = 0;
  for (int round = 0; moves < scaled(100000); ++round) {
    WorldSettings<D> settings;
    World<D> world(settings);
    for (int i = 0; i < 25; ++i) {
      ObjectDef<D> def =
          thing<D>("solid-" + std::to_string(i), BodyKind::fixed, random.vec<D>(8), {});
      Shape<D> shape = random.shape<D>(0.6);
      shape.core = shape.core.cwiseMin(2.5);
      shape.radius = std::min(shape.radius, 1.5);
      def.turned = random.rotation<D>();
      def.colliders = {solid(shape)};
      world.add(def).value();
    }
    ObjectDef<D> def =
        thing<D>("walker", BodyKind::kinematic, kZero, {solid(capsule<D>(0.6, 1.2))});
    if (round % 3 == 1) def.colliders = {solid(ball<D>(0.8))};
    if (round % 3 == 2) def.colliders = {solid(slab<D>(0.5, 0.9))};
    if (round % 6 == 5) {  // a compound
      const std::vector<Placed<D>> two{{ball<D>(0.5), up<D>(0.4), {}},
                                       {cube<D>(0.5), up<D>(-0.2), {}}};
      def.colliders = {solid(compound<D>(two).value())};
    }
    def.walker = Walker<D>{.speed = 600};
    const ObjectId id = world.add(def).value();
    const auto start = world.free_place(id, kZero, 8);
    if (!start) continue;
    world.place(id, {*start, {}});
    for (int i = 0; i < 100; ++i, ++moves) {
      const Vec<D> way = random.direction<D>() * random.range(0, 3);
      const Vec<D> before = world.object(id).pose.position;
      world.wish(id, {.velocity = way * 60});
      world.step();
      const Vec<D> after = world.object(id).pose.position;
      if (i > 1) CHECK((after - before).norm() <= way.norm() + 1e-9);
      if (i > 1) longest = std::max(longest, (after - before).norm() - way.norm());
      if (const auto worst = world.deepest(id, after)) deepest = std::max(deepest, -worst->at);
      if (after.norm() > 9) world.place(id, {*start, {}});
    }
  }
  CHECK(deepest < 0.002);
  MESSAGE("random: moves ", D, "D: ", moves, " among solids, deepest overlap ", deepest,
          ", longer than requested by ", longest);
}

TEST_CASE("turned by a right angle or mirrored, a walk is the same") {
  const auto walk = [](int quarters, bool mirrored_too) {
    const Rotation<2> turn(kPi / 2 * quarters);
    const auto put = [&](Vec<2> v) {
      if (mirrored_too) v.x() = -v.x();
      return Vec<2>(turn * v);
    };
    WorldSettings<2> settings;
    settings.gravity = put({0, -9.81});
    World<2> world(settings);
    const auto box_at = [&](const std::string& name, const Vec<2>& at, double w, double h,
                            double degrees = 0) {
      ObjectDef<2> def = thing<2>(name, BodyKind::fixed, put(at), {solid(box(w, h))});
      def.turned = turn * Rotation<2>(radians(mirrored_too ? -degrees : degrees));
      world.add(def).value();
    };
    box_at("floor", {0, -0.5}, 30, 1);
    box_at("ramp", {6, 0.2}, 5, 0.3, 22);
    box_at("step", {-6, 0.1}, 4, 0.2);
    box_at("wall", {12, 2}, 1, 6);
    box_at("roof", {-3, 1.9}, 2, 0.4, 10);
    ObjectDef<2> def =
        thing<2>("walker", BodyKind::kinematic, put({0, 0.7}), {solid(capsule<2>(0.6, 1.2))});
    def.turned = turn;
    def.walker = Walker<2>{.speed = 4, .speeding_up = 30, .jump_speed = 5, .step = 0.25};
    const ObjectId id = world.add(def).value();
    std::vector<Vec<2>> trace;
    Random random(3);
    for (int i = 0; i < 600; ++i) {
      if (i % 40 == 0)
        world.wish(id, {.velocity = put({random.range(-4, 4), 0}), .jump = random.coin(0.4)});
      world.step();
      Vec<2> at = turn.inverse() * world.object(id).pose.position;
      if (mirrored_too) at.x() = -at.x();
      trace.push_back(at);
    }
    return trace;
  };
  const std::vector<Vec<2>> first = walk(0, false);
  for (const std::pair<int, bool>& turn :
       {std::pair(1, false), std::pair(2, false), std::pair(3, false), std::pair(0, true)}) {
    const int quarters = turn.first;
    const bool mirrored_too = turn.second;
    const std::vector<Vec<2>> other = walk(quarters, mirrored_too);
    double worst = 0;
    for (std::size_t i = 0; i < first.size(); ++i)
      worst = std::max(worst, (first[i] - other[i]).norm());
    CAPTURE(quarters);
    CAPTURE(mirrored_too);
    CHECK(worst < 1e-5);
    MESSAGE("random: a walk turned by ", 90 * quarters, " degrees, mirrored ", mirrored_too,
            ": differs by ", worst);
  }
}
