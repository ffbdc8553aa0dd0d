// Walkers and what moves: riding, conveyors, pushing, being squeezed, room to stand, facing,
// fields, snapshots.
#include "walkers.hpp"

#include <algorithm>

using namespace colvik;
using namespace colvik::test;

namespace {

template <int D>
ObjectDef<D> moving(ObjectDef<D> def, const Motion<D>& motion) {
  def.body = BodyKind::kinematic;
  def.motion = motion;
  return def;
}

}  // namespace

TEST_CASE_TEMPLATE(
    "walkers ride a lift and a cart, several at once, and keep its speed on leaving on request", T,
    Two, Three) {
  constexpr int D = T::D;
  for (const bool keeps : {true, false}) {
    Level<D> level;
    level.world
        .add(moving<D>(level.box_def("cart", kZero, 8, 1),
                       Path<D>{{{0.5, kZero, {}}, {4.5, along_x<D>(12) + up<D>(4), {}}}, false}))
        .value();
    std::vector<ObjectId> riders;
    for (int i = 0; i < 3; ++i) {
      ObjectDef<D> def =
          level.walker_def({.speed = 2, .jump_speed = 4, .keeps_speed = keeps},
                           along_x<D>(-2 + 2 * i) + up<D>(1.102), capsule<D>(0.6, 1.2));
      def.name = "rider-" + std::to_string(i);
      riders.push_back(level.world.add(def).value());
    }
    level.run(1);
    const Vec<D> cart = level.world.object(*level.world.find("cart")).pose.position;
    for (int i = 0; i < 3; ++i) {
      const Vec<D> on =
          level.world.object(riders[static_cast<std::size_t>(i)]).pose.position - cart;
      CHECK((on - (along_x<D>(-2 + 2 * i) + up<D>(1.102))).norm() < 1e-3);
      CHECK(level.on(riders[static_cast<std::size_t>(i)]) == "cart");
      CHECK((level.world.walking(riders[0])->carried - (along_x<D>(3) + up<D>(1))).norm() < 1e-9);
    }
    level.wish(riders[1], {.jump = true});
    level.run(0.25);
    CHECK(!level.world.walking(riders[1])->standing);
    CHECK(level.world.object(riders[1]).velocity[0] ==
          doctest::Approx(keeps ? 3 : 0).epsilon(1e-6));
  }
}

TEST_CASE_TEMPLATE("a conveyor carries, a turning drum carries outside and inside", T, Two, Three) {
  constexpr int D = T::D;
  {
    Level<D> level;
    ObjectDef<D> belt = level.box_def("belt", kZero, 40, 1);
    belt.colliders[0].surface_velocity = along_x<D>(1.5);
    level.world.add(belt).value();
    const ObjectId id = level.walker({.speed = 2}, up<D>(1.102));
    level.run(0.2);
    const double from = level.world.object(id).pose.position[0];
    level.run(2);
    CHECK(level.world.object(id).pose.position[0] - from == doctest::Approx(3).epsilon(1e-6));
    level.wish(id, {.velocity = along_x<D>(-1.5)});  // on the spot
    level.run(1);
    CHECK(std::abs(level.world.object(id).velocity[0]) < 1e-9);
    CHECK(level.on(id) == "belt");
  }
  {  // On top of a wheel: against its turn it stays up there.
    Level<D> level;
    ObjectDef<D> wheel = thing<D>("wheel", BodyKind::kinematic, kZero, {});
    if constexpr (D == 2) {
      wheel.colliders = {solid(circle(8))};
      wheel.spin = Spin<2>(-0.25);
    } else {
      wheel.colliders = {solid(cylinder(8, 6))};
      wheel.turned = Rotation<3>(Vec<3>(1, 0, 0), kPi / 2);
      wheel.spin = Spin<3>(0, 0, -0.25);
    }
    level.world.add(wheel).value();
    const ObjectId id = level.walker({.speed = 3}, up<D>(4.602));
    level.run(0.3);
    REQUIRE(level.on(id) == "wheel");
    CHECK(level.world.object(id).velocity[0] > 0.9);
    level.wish(id, {.velocity = along_x<D>(-1.1)});
    level.run(2);
    CHECK(level.on(id) == "wheel");
    CHECK(level.world.object(id).pose.position[1] > 4.3);
  }
}

TEST_CASE("inside a turning drum a walker walks against the turn") {
  World<2> world(earth<2>());
  std::vector<Vec<2>> ring;
  for (int i = 0; i < 64; ++i) {
    const double a = 2 * kPi * i / 64;
    ring.emplace_back(5 * std::cos(a), 5 * std::sin(a));
  }
  ObjectDef<2> drum =
      thing<2>("drum", BodyKind::kinematic, kZero,
               {solid(polyline(ring, {.closed = true, .two_sided = true}).value())});
  drum.spin = Spin<2>(0.3);
  world.add(drum).value();
  ObjectDef<2> def =
      thing<2>("walker", BodyKind::kinematic, {0, -4.3}, {solid(capsule<2>(0.6, 1.2))});
  def.walker = Walker<2>{.speed = 4};
  const ObjectId id = world.add(def).value();
  for (int i = 0; i < 20; ++i) world.step();
  REQUIRE(world.walking(id)->standing);
  CHECK(world.object(id).velocity.x() > 1);  // carried along
  for (int i = 0; i < 300; ++i) {
    world.wish(id, {.velocity = {-1.5 - world.object(id).pose.position.x(), 0}});
    world.step();
    CHECK(world.walking(id)->standing);
  }
  CHECK(std::abs(world.object(id).pose.position.x()) < 0.4);
}

TEST_CASE_TEMPLATE(
    "carriers that enter again take their riders if they are to; one switched off drops them", T,
    Two, Three) {
  constexpr int D = T::D;
  for (const bool takes : {true, false}) {
    Level<D> level;
    ObjectDef<D> tray = level.box_def("tray", along_x<D>(-8), 4, 0.5);
    tray.body = BodyKind::kinematic;
    tray.velocity = along_x<D>(6);
    tray.heed.re_enters = Bounds<D>{Vec<D>::Constant(-10), Vec<D>::Constant(10)};
    tray.heed.takes_riders = takes;
    const ObjectId carrier = level.world.add(tray).value();
    const ObjectId id = level.walker({.speed = 2}, along_x<D>(-8) + up<D>(0.852));
    level.run(3.8);
    CHECK(level.world.object(carrier).pose.position[0] < 5);
    CHECK((level.on(id) == "tray") == takes);
  }
  Level<D> level;
  const ObjectId shelf = level.box("shelf", kZero, 4, 0.5);
  const ObjectId id = level.walker({.speed = 2}, up<D>(0.852));
  level.run(0.2);
  CHECK(level.on(id) == "shelf");
  level.world.switch_collider(shelf, 0, false);
  level.run(0.5);
  CHECK(level.on(id).empty());
  CHECK(level.world.object(id).pose.position[1] < 0);
}

TEST_CASE_TEMPLATE("without gravity all directions are alike, and a moving floor carries", T, Two,
                   Three) {
  constexpr int D = T::D;
  Level<D> level(60, kZero);
  ObjectDef<D> floor = thing<D>("floor", BodyKind::kinematic, kZero, {zone(cube<D>(6))});
  floor.velocity = along_x<D>(1);
  floor.colliders[0].field = Field<D>{.carries = true};
  level.world.add(floor).value();
  ObjectDef<D> stream = thing<D>("stream", BodyKind::fixed, up<D>(20), {zone(cube<D>(10))});
  stream.colliders[0].field = Field<D>{.current = along_x<D>(-2)};
  level.world.add(stream).value();
  const ObjectId id = level.walker({.speed = 3}, kZero, ball<D>(0.8));
  level.run(1);
  CHECK(level.world.object(id).pose.position[0] == doctest::Approx(1).epsilon(0.03));
  level.wish(id, {.velocity = up<D>(3)});
  level.run(0.5);
  CHECK(level.world.object(id).pose.position[1] == doctest::Approx(1.5).epsilon(0.01));
  // Also what is no walker.
  ObjectDef<D> raft = thing<D>("raft", BodyKind::kinematic, up<D>(20), {solid(cube<D>(0.5))});
  const ObjectId floats = level.world.add(raft).value();
  level.run(2);
  CHECK(level.world.object(floats).pose.position[0] == doctest::Approx(-4).epsilon(0.02));
}

TEST_CASE_TEMPLATE(
    "a crate is pushed by how fast the walker goes: light ones far, heavy ones barely", T, Two,
    Three) {
  constexpr int D = T::D;
  const auto pushed = [](double mass, double speed, const std::string& pushes = "any") {
    Level<D> level;
    level.world.tags().declare("crate", "").value();
    level.box("floor", up<D>(-0.5), 200, 1);
    ObjectDef<D> crate = thing<D>("crate", BodyKind::dynamic, along_x<D>(2) + up<D>(0.4),
                                  {solid(cube<D>(0.8))}, {"crate"});
    crate.mass = mass;
    crate.colliders[0].friction = 0.4;
    const ObjectId box = level.world.add(crate).value();
    Walker<D> can{.speed = 4, .push = 400, .push_least = 60};
    can.pushes = pushes;
    const ObjectId id = level.walker(can, up<D>(0.602));
    level.run(0.5);
    level.wish(id, {.velocity = along_x<D>(speed)});
    double fastest = 0;
    double highest = 0;
    for (int i = 0; i < 120; ++i) {
      level.world.step();
      fastest = std::max(fastest, level.world.object(box).velocity.norm());
      highest = std::max(highest, level.world.object(box).pose.position[1]);
      CHECK(!level.world.deepest(id, level.world.object(id).pose.position));
    }
    CHECK(fastest <= 4.01);  // never launched
    CHECK(highest < 0.45);
    return level.world.object(box).pose.position[0] - 2;
  };
  const double light = pushed(1, 4);
  const double middle = pushed(40, 4);
  const double heavy = pushed(2000, 4);
  const double slow = pushed(1, 1);
  CAPTURE(light);
  CAPTURE(middle);
  CHECK(light > 4);
  CHECK(middle < light);
  CHECK(middle > 1);
  CHECK(heavy < 0.05);
  CHECK(slow > 0.3);
  CHECK(slow < light);
  CHECK(pushed(1, 4, "none") < 0.01);
}

TEST_CASE_TEMPLATE("a push that wakes what sleeps ends no other touch", T, Two, Three) {
  constexpr int D = T::D;
  Level<D> level;
  level.box("floor", up<D>(-0.5), 200, 1);
  const ObjectId id = level.walker({.speed = 4, .push = 400, .push_least = 60}, up<D>(0.602));
  const auto crate = [&](const std::string& name, double x, double y, bool may_sleep) {
    ObjectDef<D> def =
        thing<D>(name, BodyKind::dynamic, along_x<D>(x) + up<D>(y), {solid(cube<D>(0.8))});
    def.mass = 10;
    def.may_sleep = may_sleep;
    return level.world.add(def).value();
  };
  const ObjectId low = crate("low", 0.71, 0.4, true);
  crate("high", 0.71, 1.2, true);
  crate("awake", -20, 0.4,
        false);  // after the sleepers by age, so that their pairs come before its own
  level.run(3);
  REQUIRE(level.world.object(low).asleep);
  level.wish(id, {.velocity = along_x<D>(4)});
  int ended = 0;
  for (int i = 0; i < 10; ++i) {
    level.world.step();
    for (const Event<D>& e : level.world.events())
      ended += e.phase == Phase::end && e.self != id && e.other != id
                   ? 1
                   : 0;  // its own begin and end as it pushes
  }
  CHECK_FALSE(level.world.object(low).asleep);
  CHECK(level.world.object(low).velocity[0] > 0);
  CHECK(ended == 0);
}

TEST_CASE_TEMPLATE("walkers stand on each other whatever their age, and what one carries is solid",
                   T, Two, Three) {
  constexpr int D = T::D;
  for (const bool above_first : {true, false}) {
    Level<D> level;
    level.box("floor", up<D>(-0.5), 60, 1);
    const auto add = [&](const std::string& name, double height) {
      ObjectDef<D> def = level.walker_def({.speed = 2}, up<D>(height), slab<D>(0.8, 1));
      def.name = name;
      return level.world.add(def).value();
    };
    ObjectId above;
    ObjectId below;
    if (above_first) {
      above = add("above", 1.51);
      below = add("below", 0.502);
    } else {
      below = add("below", 0.502);
      above = add("above", 1.51);
    }
    level.run(0.3);
    CHECK(level.on(above) == "below");
    level.wish(below, {.velocity = along_x<D>(2)});
    level.run(2);
    CHECK(level.world.object(above).pose.position[0] == doctest::Approx(4).epsilon(1e-3));
    CHECK(level.on(above) == "below");
  }
  Level<D> level;
  level.box("floor", up<D>(-0.5), 60, 1);
  level.box("wall", along_x<D>(5.5) + up<D>(2), 1, 4);
  const ObjectId id = level.walker({.speed = 2}, up<D>(0.602));
  ObjectDef<D> tote = thing<D>("tote", BodyKind::fixed, kZero, {solid(cube<D>(0.4))});
  tote.parent = "walker";
  tote.on_parent = Pose<D>{along_x<D>(1), {}};
  level.world.add(tote).value();
  level.wish(id, {.velocity = along_x<D>(2)});
  level.run(4);
  CHECK(level.world.object(id).pose.position[0] == doctest::Approx(5 - 1.2 - 0.002).epsilon(1e-5));
}

TEST_CASE_TEMPLATE(
    "walkers are launched and stopped, stand on children of still things, and fall when up turns "
    "round",
    T, Two, Three) {
  constexpr int D = T::D;
  Level<D> level;
  level.box("floor", up<D>(-0.5), 60, 1);
  level.world.add(level.box_def("post", along_x<D>(9), 0.2, 0.2)).value();
  ObjectDef<D> plank = level.box_def("plank", kZero, 4, 0.2);
  plank.parent = "post";
  plank.on_parent = Pose<D>{up<D>(1), {}};
  const ObjectId board = level.world.add(plank).value();
  const ObjectId id = level.walker({.speed = 2, .air_control = 0}, up<D>(0.602));
  level.run(0.2);
  level.world.set_velocity(id, up<D>(6) + along_x<D>(1), Spin<D>::Zero());
  level.run(0.7);
  CHECK(!level.world.walking(id)->standing);
  CHECK(level.world.walking(id)->highest == doctest::Approx(0.602 + 36 / 19.62).epsilon(1e-3));
  CHECK(level.world.object(id).pose.position[0] == doctest::Approx(0.7).epsilon(0.01));
  level.run(1.5);
  CHECK(level.on(id) == "floor");
  level.wish(id, {.velocity = along_x<D>(2)});
  level.run(0.2);
  level.world.stop(id);
  level.run(0.2);
  CHECK(level.world.object(id).velocity.norm() < 1e-9);

  level.world.place(id, {along_x<D>(9) + up<D>(1.702), {}});
  level.run(0.3);
  const Vec<D> stood = level.world.object(id).pose.position;
  level.run(1);
  CHECK(level.on(id) == "plank");
  CHECK((level.world.object(id).pose.position - stood).norm() < 1e-6);
  // On its own again it is as still as before.
  level.world.detach(board);
  level.run(0.5);
  CHECK(level.on(id) == "plank");
  CHECK((level.world.object(id).pose.position - stood).norm() < 1e-6);

  level.world.set_gravity_scale(id, -1);
  level.run(0.5);
  CHECK(!level.world.walking(id)->standing);
  CHECK(level.world.object(id).pose.position[1] > stood[1] + 0.5);
  CHECK(level.world.object(id).pose.position.allFinite());
}

TEST_CASE_TEMPLATE("a crate is ridden by one walker and pushed by another, and neither shakes", T,
                   Two, Three) {
  constexpr int D = T::D;
  Level<D> level;
  level.box("floor", up<D>(-0.5), 200, 1);
  ObjectDef<D> crate =
      thing<D>("crate", BodyKind::dynamic, along_x<D>(2) + up<D>(0.6), {solid(slab<D>(1.6, 1.2))});
  crate.mass = 30;
  crate.colliders[0].friction = 0.3;
  const ObjectId box = level.world.add(crate).value();
  ObjectDef<D> rider =
      level.walker_def({.speed = 2}, along_x<D>(2) + up<D>(1.81), capsule<D>(0.6, 1.2));
  rider.name = "rider";
  const ObjectId rides = level.world.add(rider).value();
  const ObjectId pushes = level.walker({.speed = 2, .push = 300}, up<D>(0.602));
  level.run(0.5);
  level.wish(pushes, {.velocity = along_x<D>(2)});
  double worst = 0;
  for (int i = 0; i < 180; ++i) {
    const Vec<D> before =
        level.world.object(rides).pose.position - level.world.object(box).pose.position;
    level.world.step();
    const Vec<D> after =
        level.world.object(rides).pose.position - level.world.object(box).pose.position;
    worst = std::max(worst, (after - before).norm());
    CHECK(level.on(rides) == "crate");
  }
  CHECK(level.world.object(box).pose.position[0] > 5);
  CHECK(worst < 0.005);
}

TEST_CASE_TEMPLATE("standing on a crate, riding it, and being blocked or shoved by bodies", T, Two,
                   Three) {
  constexpr int D = T::D;
  {
    Level<D> level;
    level.box("floor", up<D>(-0.5), 40, 1);
    ObjectDef<D> crate = thing<D>("crate", BodyKind::dynamic, up<D>(0.4), {solid(cube<D>(0.8))});
    crate.mass = 20;
    const ObjectId box = level.world.add(crate).value();
    const ObjectId id =
        level.walker({.speed = 3, .push = 100, .push_least = 20, .weight = 60}, up<D>(1.41));
    level.run(2);
    CHECK(level.on(id) == "crate");
    CHECK(level.world.object(box).pose.position[1] == doctest::Approx(0.4).epsilon(0.02));
    level.world.apply_impulse(box, along_x<D>(60));
    level.run(0.1);
    CHECK(level.on(id) == "crate");
    CHECK(level.world.object(id).pose.position[0] ==
          doctest::Approx(level.world.object(box).pose.position[0]).epsilon(0.02));
    level.run(1);
    CHECK(level.on(id) == "crate");
  }
  for (const bool yields : {false, true}) {
    Level<D> level(60, kZero);
    level.world.tags().declare("cart", "").value();
    ObjectDef<D> cart =
        thing<D>("cart", BodyKind::dynamic, along_x<D>(-3), {solid(cube<D>(1))}, {"cart"});
    cart.velocity = along_x<D>(4);
    const ObjectId rolls = level.world.add(cart).value();
    Walker<D> can{.speed = 2};
    can.yields_to = yields ? "cart" : "none";
    const ObjectId id = level.walker(can, kZero, ball<D>(0.8));
    level.run(1.5);
    const double at = level.world.object(id).pose.position[0];
    const double body = level.world.object(rolls).pose.position[0];
    if (yields) CHECK((at > 2 && body > 2));
    else CHECK((std::abs(at) < 0.01 && body < 0));
    CHECK(!level.world.deepest(id, level.world.object(id).pose.position));
  }
}

TEST_CASE_TEMPLATE("between a lift and a ceiling a walker is squeezed, and says so", T, Two,
                   Three) {
  constexpr int D = T::D;
  Level<D> level;
  level.box("ceiling", up<D>(4), 6, 1);
  level.world
      .add(moving<D>(level.box_def("lift", up<D>(0), 4, 1),
                     Path<D>{{{0, up<D>(0), {}}, {3, up<D>(3), {}}, {6, up<D>(0), {}}}, false}))
      .value();
  const ObjectId id = level.walker({.speed = 2}, up<D>(1.102));
  int squeezed = 0;
  int told_so = 0;
  for (int i = 0; i < 360; ++i) {
    level.world.step();
    squeezed += level.world.walking(id)->squeezed ? 1 : 0;
    for (const Event<D>& e : level.world.events()) told_so += e.squeezed ? 1 : 0;
  }
  CHECK(squeezed > 30);
  CHECK(level.world.walking(id)->standing);
  CHECK(!level.world.walking(id)->squeezed);
  CHECK(level.on(id) == "lift");
  CHECK(level.world.object(id).pose.position[1] == doctest::Approx(1.102).epsilon(0.01));
}

TEST_CASE_TEMPLATE("is there room: standing up, free places, hops", T, Two, Three) {
  constexpr int D = T::D;
  Level<D> level;
  level.box("floor", up<D>(-0.5), 40, 1);
  const ObjectId duct = level.box("duct", up<D>(1.4), 4, 1);
  const ObjectId id = level.walker({.speed = 2}, up<D>(0.402), capsule<D>(0.6, 0.8));
  level.run(0.2);
  const Vec<D> standing = level.world.object(id).pose.position + up<D>(0.2);
  const Result<void> up_there = level.world.fit_shape(id, 0, capsule<D>(0.6, 1.2), standing);
  REQUIRE(!up_there.ok());
  CHECK(up_there.error().message().find("deep in 'duct'") != std::string::npos);
  CHECK(level.world.object(id).colliders[0].def.shape.core[1] == doctest::Approx(0.1));
  level.world.remove(duct);
  level.run(0.1);
  CHECK(level.world.fit_shape(id, 0, capsule<D>(0.6, 1.2), standing).ok());
  level.run(0.2);
  CHECK(level.world.object(id).pose.position[1] == doctest::Approx(0.602).epsilon(1e-3));

  CHECK(level.world.deepest(id, up<D>(0.1)).has_value());
  const auto free = level.world.free_place(id, up<D>(0.1), 3);
  REQUIRE(free.has_value());
  CHECK((*free)[1] == doctest::Approx(0.6).epsilon(0.01));
  CHECK(!level.world.deepest(id, *free));
  CHECK(!level.world.free_place(id, up<D>(-0.5), 0.2));

  level.box("post", along_x<D>(3) + up<D>(1), 0.2, 2);
  CHECK(level.world.hop(id, along_x<D>(2)).ok());
  const Result<void> stopped = level.world.hop(id, along_x<D>(2));
  REQUIRE(!stopped.ok());
  CHECK(stopped.error().message().find("is stopped by 'post'") != std::string::npos);
  CHECK(level.world.object(id).pose.position[0] == doctest::Approx(2));
}

TEST_CASE("facing mirrors colliders, spots, children and own-frame directions") {
  World<2> world(earth<2>());
  world.add(thing<2>("floor", BodyKind::fixed, {0, -0.5}, {solid(box(40, 1))})).value();
  ObjectDef<2> def =
      thing<2>("robot", BodyKind::kinematic, {0, 0.602}, {solid(capsule<2>(0.6, 1.2))});
  ColliderDef<2> hand = zone<2>(polygon(std::vector<Vec<2>>{{0, 0}, {1, 0}, {0, 0.5}}).value());
  hand.at = {0.3, 0.2};
  hand.turned = Rotation<2>(0.4);
  def.colliders.push_back(hand);
  def.spots = {{"nozzle", {{0.8, 0.1}, Rotation<2>(0.5)}}};
  def.walker = Walker<2>{.speed = 3, .mirrors = true};
  const ObjectId id = world.add(def).value();
  ObjectDef<2> lamp = thing<2>("lamp", BodyKind::fixed, kZero, {zone(box(0.2, 0.2))});
  lamp.parent = "robot";
  lamp.on_parent = Pose<2>{{0.5, 0.9}, {}};
  const ObjectId child = world.add(lamp).value();
  world.wish(id, {.velocity = {-3, 0}});
  world.step();
  CHECK(world.object(id).mirrored);
  CHECK(world.walking(id)->facing == Vec<2>(-1, 0));
  const Pose<2> nozzle = world.object(id).pose.relative(*world.spot(id, "nozzle"));
  CHECK((nozzle.position - Vec<2>(-0.8, 0.1)).norm() < 1e-12);
  CHECK(nozzle.rotation.angle() == doctest::Approx(-0.5));
  CHECK((world.object(child).pose.position - world.object(id).pose.position - Vec<2>(-0.5, 0.9))
            .norm() < 1e-9);
  // Every point of the hand is where a mirror shows it.
  const ColliderDef<2>& now = world.object(id).colliders[1].def;
  Random random(1);
  for (int i = 0; i < 200; ++i) {
    const Vec<2> p = random.vec<2>(1.5);
    World<2> one;
    World<2> other;
    const auto in = [&](const ColliderDef<2>& c, const Vec<2>& at) {
      World<2> alone;
      alone.add(thing<2>("x", BodyKind::fixed, kZero, {c})).value();
      return alone.any(AtPoint<2>{at}, {.zones = true});
    };
    CHECK(in(hand, p) == in(now, Vec<2>(-p.x(), p.y())));
  }
  world.wish(id, {.velocity = {3, 0}});
  world.step();
  CHECK(!world.object(id).mirrored);
  CHECK((world.object(id).colliders[1].def.at - hand.at).norm() < 1e-12);
}

TEST_CASE_TEMPLATE("shapes mirrored twice are themselves, and their mass is mirrored", T, Two,
                   Three) {
  constexpr int D = T::D;
  Random random(8);
  for (int i = 0; i < 60; ++i) {
    std::vector<Placed<D>> parts;
    for (int k = 0; k < 3; ++k)
      parts.push_back({random.shape<D>(0.3), random.vec<D>(1), random.rotation<D>()});
    const Shape<D> shape = compound<D>(parts).value();
    const Shape<D> twice = mirrored(mirrored(shape).value()).value();
    const Pose<D> pose{random.vec<D>(3), random.rotation<D>()};
    CHECK((bounds(shape, pose).lo - bounds(twice, pose).lo).norm() < 1e-9);
    CHECK((bounds(shape, pose).hi - bounds(twice, pose).hi).norm() < 1e-9);
    Vec<D> centre = mass_properties(mirrored(shape).value()).centre;
    centre[0] = -centre[0];
    CHECK((centre - mass_properties(shape).centre).norm() < 1e-9);
  }
  if constexpr (D == 2) {
    const std::vector<Vec<2>> corners{{0, 0}, {3, 0}, {3, 1}, {1, 1}, {1, 2}, {0, 2}};
    const Shape<2> hook = outlined(corners).value();
    const Shape<2> other = mirrored(hook).value();
    CHECK(mass_properties(other).centre.x() == doctest::Approx(-mass_properties(hook).centre.x()));
    CHECK(bounds(other, {}).lo.x() == doctest::Approx(-3));
  } else {
    CHECK(!mirrored(heights(2, 2, {1, 1}, std::vector<double>{0, 0, 0, 0}).value()).ok());
  }
}

TEST_CASE_TEMPLATE(
    "a walker saved and loaded goes on to the same bits, ladders and water are fields", T, Two,
    Three) {
  constexpr int D = T::D;
  Level<D> level;
  level.box("floor", up<D>(-0.5), 40, 1);
  level.one_way("shelf", up<D>(1.5), 4, 0.2);
  ObjectDef<D> water =
      thing<D>("water", BodyKind::fixed, along_x<D>(8) + up<D>(1.5), {zone(slab<D>(6, 3))});
  water.colliders[0].field = Field<D>{.gravity = up<D>(9.81 - 1), .drag = 4};
  level.world.add(water).value();
  ObjectDef<D> crate =
      thing<D>("crate", BodyKind::dynamic, along_x<D>(3) + up<D>(0.4), {solid(cube<D>(0.8))});
  level.world.add(crate).value();
  ObjectDef<D> def = level.walker_def({.speed = 3, .speeding_up = 20, .jump_speed = 6, .push = 100},
                                      up<D>(0.602), capsule<D>(0.6, 1.2));
  def.wishes = {{0.2, {.jump = true}},
                {1.6, {.velocity = along_x<D>(3)}},
                {4, {.velocity = along_x<D>(3), .jump = true}}};
  const ObjectId id = level.world.add(def).value();
  for (int i = 0; i < 330; ++i) {
    if (i % 37 == 0) {
      World<D> other;
      other.load(level.world.save()).value();
      World<D> same;
      same.load(level.world.save()).value();
      for (int k = 0; k < 12; ++k) same.step();
      const std::uint64_t hash = same.hash();
      for (int k = 0; k < 12; ++k) other.step();
      CHECK(hash == other.hash());
    }
    level.world.step();
  }
  CHECK(level.world.object(id).pose.position[0] > 6);
  // In the water it sinks slowly.
  level.wish(id, {});
  level.world.place(id, {along_x<D>(8) + up<D>(2), {}});
  level.run(1);
  const double before = level.world.object(id).pose.position[1];
  level.run(0.5);
  CHECK(before - level.world.object(id).pose.position[1] == doctest::Approx(0.125).epsilon(0.05));
}

TEST_CASE_TEMPLATE("what no walker can be is refused, with what is wrong and what would do", T, Two,
                   Three) {
  constexpr int D = T::D;
  World<D> world(earth<D>());
  const auto refusal = [&](const std::function<void(ObjectDef<D>&)>& spoil) {
    ObjectDef<D> def = thing<D>("w", BodyKind::kinematic, kZero, {solid(capsule<D>(0.6, 1.2))});
    def.walker = Walker<D>{.speed = 3};
    spoil(def);
    const Result<ObjectId> id = world.add(def);
    return id.ok() ? std::string("accepted") : id.error().message();
  };
  CHECK(refusal([](auto& d) { d.colliders.clear(); }) ==
        "object 'w' walker: has no solid collider; a collider, such as a capsule");
  CHECK(refusal([](auto& d) { d.walker->steepest = kPi / 2; }) ==
        "object 'w' walker: steepest of 90 degrees is not usable; from 0 to below 90");
  CHECK(refusal([](auto& d) { d.walker->step = 1.3; }) ==
        "object 'w' walker: step 1.3 is not below its own height of 1.2; from 0 to below that");
  CHECK(refusal([](auto& d) { d.walker->speed = 0; }) ==
        "object 'w' walker: speed 0 is not usable; a number above 0");
  CHECK(refusal([](auto& d) { d.body = BodyKind::dynamic; }) ==
        "object 'w' walker: is a dynamic object; body = kinematic");
  CHECK(refusal([](auto& d) {
          d.walker->pushes = "crates";
        }).starts_with("object 'w' walker pushes: 'crates' is not"));
  CHECK(refusal([](auto& d) {
          d.walker->clearance = 0.1;
        }).starts_with("object 'w' walker: clearance 0.1 is not usable"));
  CHECK(refusal([](auto& d) {
          d.wishes = {{1, {}}, {0.5, {}}};
        }).starts_with("object 'w' wish: time 0.5 is not usable"));
  CHECK(refusal([](auto& d) {
          d.velocity = along_x<D>(1);
        }).starts_with("object 'w' walker: has a motion or velocity"));
  ObjectDef<D> shelf = thing<D>("s", BodyKind::fixed, kZero, {zone(cube<D>(1))});
  shelf.colliders[0].one_way = up<D>(1);
  CHECK(world.add(shelf).error().message() ==
        "object 's' collider one way: is given to a zone; a solid convex shape");
  CHECK(!world.wish({}, {}));
  CHECK(world.walking({}) == nullptr);
}
