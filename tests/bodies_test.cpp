// Forces, locks, materials, sleep: what a caller can ask of a body.
#include <cmath>

#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

template <int D>
ObjectId drop(World<D>& world, const std::string& name, const Vec<D>& at, const Shape<D>& shape) {
  return world.add(thing<D>(name, BodyKind::dynamic, at, {solid(shape)})).value();
}
template <int D>
void run(World<D>& world, int steps) {
  for (int i = 0; i < steps; ++i) world.step();
}
template <int D>
World<D>& rest(World<D>& world, int most = 600) {
  for (int i = 0; i < most && world.awake_count() > 0; ++i) world.step();
  REQUIRE(world.awake_count() == 0);
  return world;
}

}  // namespace

TEST_CASE_TEMPLATE("forces act through one step, impulses at once, at the centre or a point", T,
                   Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  ObjectDef<D> def = thing<D>("rod", BodyKind::dynamic, kZero, {solid(cube<D>(1))});
  def.mass = 2;
  const ObjectId id = world.add(def).value();
  CHECK(world.apply_force(id, along_x<D>(120)));
  CHECK(world.object(id).velocity.norm() == 0);
  world.step();
  CHECK(world.object(id).velocity[0] == doctest::Approx(1));
  world.step();
  CHECK(world.object(id).velocity[0] == doctest::Approx(1));
  CHECK(world.apply_impulse(id, along_x<D>(-2)));
  CHECK(world.object(id).velocity.norm() <= 1e-12);
  // Off its centre it turns too: angular impulse 1, moment of inertia 2/6.
  CHECK(
      world.apply_impulse(id, along_x<D>(2), Vec<D>(world.object(id).pose.position + up<D>(-0.5))));
  CHECK(world.object(id).velocity[0] == doctest::Approx(1));
  CHECK(world.object(id).spin[kTurnAxes<D> - 1] == doctest::Approx(3));
  Spin<D> back = Spin<D>::Zero();
  back[kTurnAxes<D> - 1] = -1;
  CHECK(world.apply_angular_impulse(id, back));
  CHECK(world.object(id).spin.norm() <= 1e-12);
  CHECK(world.apply_torque(id, Spin<D>(-back * 60)));
  world.step();
  CHECK(world.object(id).spin[kTurnAxes<D> - 1] == doctest::Approx(3).epsilon(1e-6));

  const ObjectId still =
      world.add(thing<D>("post", BodyKind::fixed, up<D>(9), {solid(cube<D>(1))})).value();
  CHECK_FALSE(world.apply_force(still, along_x<D>(1)));
  CHECK_FALSE(world.apply_impulse(id, along_x<D>(std::numeric_limits<double>::quiet_NaN())));
  CHECK_FALSE(world.apply_torque(ObjectId{}, Spin<D>::Zero()));
}

TEST_CASE_TEMPLATE("timed pushes act in their time, in the world's frame or the object's own", T,
                   Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  ObjectDef<D> def = thing<D>("cart", BodyKind::dynamic, kZero, {solid(cube<D>(1))});
  def.mass = 4;
  if constexpr (D == 2) def.turned = Rotation<2>(kPi / 2);
  else def.turned = Rotation<3>(Vec<3>::Unit(2), kPi / 2);
  // From the middle of a step to the middle of another: a quarter of a second all the same.
  def.pushes = {{.from = 0.1234, .until = 0.3734, .force = along_x<D>(16)},
                {.from = 0.5, .impulse = along_x<D>(8), .own_frame = true}};
  const ObjectId id = world.add(def).value();
  run(world, 60);
  CHECK(world.object(id).velocity[0] == doctest::Approx(1));
  CHECK(world.object(id).velocity[1] == doctest::Approx(2));
  def.pushes[0].until = 0.1;
  def.name = "bad";
  CHECK(world.add(def).error().message() ==
        "object 'bad' push: until 0.1 does not come after from 0.1234; a force has a time in which "
        "it acts");
}

TEST_CASE_TEMPLATE("locked axes and turns, drag, a mass centre and inertia of one's own", T, Two,
                   Three) {
  constexpr int D = T::D;
  World<D> world(earth<D>());
  ObjectDef<D> rail = thing<D>("rail", BodyKind::dynamic, kZero, {solid(cube<D>(1))});
  rail.locked_axes[1] = true;
  const ObjectId r = world.add(rail).value();
  world.apply_impulse(r, Vec<D>(along_x<D>(1) + up<D>(5)));
  ObjectDef<D> bob = thing<D>("bob", BodyKind::dynamic, along_x<D>(20), {solid(cube<D>(1))});
  bob.mass_centre = up<D>(-0.3);
  bob.inertia = Spin<D>::Constant(2);
  bob.gravity_scale = 0;
  const ObjectId b = world.add(bob).value();
  world.apply_angular_impulse(b, Spin<D>::Constant(4));
  CHECK(world.object(b).spin[0] == doctest::Approx(2));
  CHECK(world.object(b).mass_centre[1] == -0.3);
  run(world, 60);
  CHECK(world.object(r).pose.position[1] == 0);
  CHECK(world.object(r).velocity[0] == doctest::Approx(1));
  // It turns about its centre of mass, which stays.
  CHECK(
      (world.object(b).pose * world.object(b).mass_centre - along_x<D>(20) - up<D>(-0.3)).norm() <=
      1e-9);
  if constexpr (D == 3) {
    ObjectDef<3> post = thing<3>("post", BodyKind::dynamic, up<3>(50), {solid(box(1, 2, 3))});
    post.locked_turns = {true, false, true};
    const ObjectId p = world.add(post).value();
    world.apply_angular_impulse(p, Vec<3>(5, 6, 7));
    run(world, 60);
    CHECK(std::abs(world.object(p).spin.x()) + std::abs(world.object(p).spin.z()) == 0);
    CHECK(world.object(p).spin.y() > 0.5);
    CHECK(world.object(p).pose.rotation.axis(1).y() == doctest::Approx(1));
  }
  rail.name = "worn";
  rail.drag = -1;
  CHECK(world.add(rail).error().message() ==
        "object 'worn' drag: -1 or 0 is not usable; numbers from 0 up, per second");
  rail.drag = 0;
  rail.inertia = Spin<D>::Zero();
  CHECK_FALSE(world.add(rail));
}

TEST_CASE_TEMPLATE("friction and restitution are mixed as the world says", T, Two, Three) {
  constexpr int D = T::D;
  const auto rebound = [](Mixing mixing) {
    WorldSettings<D> s = earth<D>();
    s.restitution_mixing = mixing;
    World<D> world(s);
    ColliderDef<D> ground = solid(slab<D>(20, 1));
    ColliderDef<D> bouncy = solid(ball<D>(1));
    ground.restitution = 0.25;
    bouncy.restitution = 1;
    world.add(thing<D>("ground", BodyKind::fixed, up<D>(-0.5), {ground})).value();
    const ObjectId id =
        world.add(thing<D>("ball", BodyKind::dynamic, up<D>(1.5), {bouncy})).value();
    while (world.object(id).velocity[1] <= 0 && world.steps() < 100) world.step();
    const Object<D>& o = world.object(id);
    return std::sqrt(o.velocity[1] * o.velocity[1] + 2 * 9.81 * (o.pose.position[1] - 0.5)) /
           std::sqrt(2 * 9.81);
  };
  CHECK(rebound(Mixing::larger) == doctest::Approx(1).epsilon(1e-3));
  CHECK(rebound(Mixing::smaller) == doctest::Approx(0.25).epsilon(1e-3));
  CHECK(rebound(Mixing::mean) == doctest::Approx(0.625).epsilon(1e-3));
  CHECK(rebound(Mixing::geometric_mean) == doctest::Approx(0.5).epsilon(1e-3));
  CHECK(rebound(Mixing::product) == doctest::Approx(0.25).epsilon(1e-3));
}

TEST_CASE_TEMPLATE("what rests falls asleep, and wakes with what it rests with", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world(earth<D>());
  const ObjectId ground =
      world.add(thing<D>("ground", BodyKind::fixed, up<D>(-0.5), {solid(slab<D>(60, 1))})).value();
  const ObjectId low = drop<D>(world, "low", up<D>(0.5), cube<D>(1));
  const ObjectId high = drop<D>(world, "high", up<D>(1.5), cube<D>(1));
  const ObjectId far = drop<D>(world, "far", Vec<D>(along_x<D>(10) + up<D>(0.5)), cube<D>(1));
  rest(world);
  CHECK(world.object(low).asleep);
  run(world, 30);
  CHECK(world.events().empty());

  const auto awake = [&] {
    return std::array{!world.object(low).asleep, !world.object(high).asleep,
                      !world.object(far).asleep};
  };
  using Awake = std::array<bool, 3>;
  SUBCASE("an impulse wakes the pile and nothing else") {
    world.apply_impulse(high, along_x<D>(0.1));
    CHECK(awake() == Awake{true, true, false});
    rest(world);
  }
  SUBCASE("a touch does; passing by does not") {
    ObjectDef<D> by =
        thing<D>("by", BodyKind::dynamic, Vec<D>(along_x<D>(-5) + up<D>(4)), {solid(ball<D>(0.5))});
    by.velocity = along_x<D>(30);
    by.gravity_scale = 0;
    world.add(by).value();
    run(world, 30);
    CHECK(awake() == Awake{false, false, false});
    drop<D>(world, "hits", up<D>(2.6), ball<D>(0.5));
    run(world, 20);
    CHECK(awake() == Awake{true, true, false});
  }
  SUBCASE("a zone that comes notices it and wakes nothing; its touch lasts through sleep") {
    ObjectDef<D> scan = thing<D>("scan", BodyKind::kinematic, Vec<D>(along_x<D>(-4) + up<D>(1)),
                                 {zone(cube<D>(1))});
    scan.velocity = along_x<D>(4);
    world.add(scan).value();
    int begins = 0;
    int ends = 0;
    for (int i = 0; i < 120; ++i) {
      world.step();
      for (const Event<D>& e : world.events()) ++(e.phase == Phase::begin ? begins : ends);
    }
    CHECK(begins == 2);  // low and high
    CHECK(ends == 2);
    CHECK(awake() == Awake{false, false, false});
  }
  SUBCASE("removing, hiding or re-filtering what carries it does") {
    const int how = D;
    if (how == 2) world.remove(ground);
    else world.set_filter(ground, 0, TagQuery::parse("none", world.tags()).value());
    CHECK(awake() == Awake{true, true, true});
    run(world, 30);
    CHECK(world.object(far).pose.position[1] < 0);
  }
  SUBCASE("removing one of them does") {
    world.remove(low);
    CHECK(awake() == Awake{true, true, false});
    run(world, 60);
    CHECK(world.object(high).pose.position[1] < 0.7);
  }
  SUBCASE("a change elsewhere does not") {
    const ObjectId wall =
        world.add(thing<D>("wall", BodyKind::fixed, along_x<D>(-20), {solid(cube<D>(1))})).value();
    run(world, 2);
    world.place(wall, {along_x<D>(-25), {}});
    world.remove(wall);
    run(world, 2);
    CHECK(awake() == Awake{false, false, false});
  }
  SUBCASE("something put into it does") {
    world.add(thing<D>("peg", BodyKind::fixed, up<D>(2.2), {solid(cube<D>(0.5))})).value();
    run(world, 2);
    CHECK(awake() == Awake{true, true, false});
  }
  SUBCASE("it can be woken, and set never to sleep") {
    CHECK(world.wake(low));
    CHECK(awake() == Awake{true, true, false});
    ObjectDef<D> guard = thing<D>("guard", BodyKind::dynamic, Vec<D>(along_x<D>(-10) + up<D>(0.5)),
                                  {solid(cube<D>(1))});
    guard.may_sleep = false;
    world.add(guard).value();
    run(world, 300);
    CHECK(world.awake_count() == 1);
  }
}

TEST_CASE_TEMPLATE("a shot hits what sleeps and wakes it, and does not pass", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  Shape<D> plate = cube<D>(1);
  plate.core[0] = 0.01;
  std::vector<ObjectId> plates;
  for (int i = 0; i < 6; ++i)
    plates.push_back(drop<D>(world, "plate" + std::to_string(i), up<D>(3.0 * i), plate));
  rest(world);
  const ObjectId shot = drop<D>(world, "shot", Vec<D>(along_x<D>(-9) + up<D>(15)), ball<D>(0.1));
  world.set_velocity(shot, along_x<D>(600), Spin<D>::Zero());
  run(world, 10);
  CHECK(world.object(shot).pose.position[0] < world.object(plates[5]).pose.position[0]);
  CHECK(world.object(plates[5]).velocity[0] > 0);
}

TEST_CASE_TEMPLATE("a force requested of a hidden object is not kept", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  const ObjectId id = drop<D>(world, "crate", kZero, cube<D>(1));
  world.set_shown(id, false);
  world.apply_force(id, along_x<D>(100));
  run(world, 3);
  world.set_shown(id, true);
  run(world, 3);
  CHECK(world.object(id).velocity.norm() == 0);
}

TEST_CASE_TEMPLATE("on a platform things sleep while it stands and wake when it goes", T, Two,
                   Three) {
  constexpr int D = T::D;
  World<D> world(earth<D>());
  const ObjectId platform =
      world.add(thing<D>("platform", BodyKind::kinematic, up<D>(-0.5), {solid(slab<D>(6, 1))}))
          .value();
  const ObjectId crate = drop<D>(world, "crate", up<D>(0.5), cube<D>(1));
  run(world, 200);
  CHECK(world.object(crate).asleep);
  world.set_velocity(platform, kZero, Spin<D>::Zero());  // which it has
  world.step();
  CHECK(world.object(crate).asleep);
  world.set_velocity(platform, along_x<D>(1), Spin<D>::Zero());
  run(world, 60);
  CHECK_FALSE(world.object(crate).asleep);
  CHECK(world.object(crate).pose.position[0] > 0.7);
  world.set_velocity(platform, kZero, Spin<D>::Zero());
  run(world, 200);
  CHECK(world.object(crate).asleep);
  SUBCASE("taken away") { world.remove(platform); }
  SUBCASE("teleported") { world.place(platform, {up<D>(-20), {}}); }
  run(world, 30);
  CHECK(world.object(crate).pose.position[1] < 0);
}

TEST_CASE_TEMPLATE("continuous can be switched off for a body", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  Shape<D> wall = cube<D>(20);
  wall.core[0] = 0.005;
  world.add(thing<D>("wall", BodyKind::fixed, along_x<D>(5.3), {solid(wall)})).value();
  for (const bool continuous : {true, false}) {
    ObjectDef<D> def = thing<D>(continuous ? "a" : "b", BodyKind::dynamic,
                                up<D>(continuous ? 0 : 3), {solid(ball<D>(0.1))});
    def.velocity = along_x<D>(300);
    def.continuous = continuous;
    const ObjectId id = world.add(def).value();
    run(world, 10);
    CHECK((world.object(id).pose.position[0] < 5.3) == continuous);
  }
}

TEST_CASE_TEMPLATE(
    "squeezed is what two that do not yield press from opposite sides, not what one presses away",
    T, Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  const auto post = [&](const std::string& name, double x) {
    world.add(thing<D>(name, BodyKind::fixed, along_x<D>(x), {solid(cube<D>(1))})).value();
  };
  post("between", 0);
  drop<D>(world, "left", along_x<D>(-0.8), cube<D>(1));
  drop<D>(world, "right", along_x<D>(0.8), cube<D>(1));
  for (const int x : {10, 20}) {
    post("before" + std::to_string(x), x - 0.8);
    post("behind" + std::to_string(x), x + 0.8);
    drop<D>(world, "squeezed" + std::to_string(x), along_x<D>(x), cube<D>(1));
  }
  post("same-side", 30 - 0.8);
  post("same-side-too", 30 - 0.8);
  drop<D>(world, "pressed-from-one-side", along_x<D>(30), cube<D>(1));
  world.step();
  std::size_t begun = 0;
  for (const Event<D>& e : world.events()) {
    const bool between = world.object(e.self).name.starts_with("squeezed") ||
                         world.object(e.other).name.starts_with("squeezed");
    CAPTURE(world.object(e.self).name);
    CHECK(e.squeezed == between);
    ++begun;
  }
  CHECK(begun == 8);
}

// A sleeper feels a field that comes over it, however it comes, and misses one that goes.
TEST_CASE_TEMPLATE("fields that come and go wake what they act on", T, Two, Three) {
  constexpr int D = T::D;
  enum class Way { switched, placed, shown, scheduled, driven };
  for (const BodyKind body : {BodyKind::fixed, BodyKind::kinematic})
    for (const Way way : {Way::switched, Way::placed, Way::shown, Way::scheduled, Way::driven})
      for (const bool comes : {true, false}) {
        if (way == Way::driven && body == BodyKind::fixed) continue;
        CAPTURE(name_of(body));
        CAPTURE(static_cast<int>(way));
        CAPTURE(comes);
        World<D> world(earth<D>());
        // It is blown along a floor, or was held against a ceiling and falls.
        const double side = comes ? -1 : 1;
        world.add(thing<D>("slab", BodyKind::fixed, up<D>(side), {solid(slab<D>(20, 1))})).value();
        const ObjectId crate =
            world.add(thing<D>("crate", BodyKind::dynamic, kZero, {solid(cube<D>(1))})).value();
        ColliderDef<D> wind = zone(cube<D>(2));
        wind.field = Field<D>{};
        wind.field->gravity = comes ? Vec<D>(Vec<D>::Unit(0) * 20) : up<D>(20);
        if (way == Way::scheduled) wind.schedule.beats = {{0, !comes, {}}, {3, comes, {}}};
        const Vec<D> away = Vec<D>::Unit(0) * 30;
        ObjectDef<D> fan = thing<D>("fan", body, kZero, {wind});
        if (comes && way == Way::placed) fan.at = away;
        if (comes && way == Way::driven) fan.at = away / 6;
        const ObjectId id = world.add(fan).value();
        if (comes && way == Way::switched) world.switch_collider(id, 0, false);
        if (comes && way == Way::shown) world.set_shown(id, false);
        for (int i = 0; i < 150; ++i) world.step();
        REQUIRE(world.object(crate).asleep);
        if (way == Way::switched) world.switch_collider(id, 0, comes);
        if (way == Way::placed) world.place(id, {comes ? Vec<D>(kZero) : away, {}});
        if (way == Way::shown) world.set_shown(id, comes);
        if (way == Way::driven) world.set_velocity(id, comes ? Vec<D>(-away / 6) : away, kZero);
        for (int i = 0; i < 150; ++i) world.step();
        if (comes) CHECK(world.object(crate).pose.position[0] > 0.5);
        else CHECK(world.object(crate).pose.position[1] < -1);
      }
}
