// Equals are treated equally: what lands flat stays upright, mirrored worlds stay mirrored.
#include <algorithm>
#include <cmath>

#include "random.hpp"
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

template <int D>
WorldSettings<D> at_rate(double rate) {
  WorldSettings<D> settings = earth<D>();
  settings.rate = rate;
  return settings;
}

// Sine of the angle between an object's own y and the world's.
template <int D>
double lean(const World<D>& world, ObjectId id) {
  const Vec<D> own = world.object(id).pose.rotation * Vec<D>(Vec<D>::Unit(1));
  return (own - Vec<D>::Unit(1) * own[1]).norm();
}

// The greatest lean, within four seconds, of an upright box that falls from a height on a floor.
template <int D>
double most_lean(double height, const Vec<2>& size, double restitution, double rate) {
  World<D> world(at_rate<D>(rate));
  ColliderDef<D> ground = solid(slab<D>(20, 1));
  ColliderDef<D> box = solid(slab<D>(size[0], size[1]));
  ground.restitution = box.restitution = restitution;
  world.add(thing<D>("floor", BodyKind::fixed, up<D>(-0.5), {ground})).value();
  const ObjectId id =
      world.add(thing<D>("box", BodyKind::dynamic, up<D>(height + size[1] / 2), {box})).value();
  double most = 0;
  for (int i = 0; i < 4 * rate; ++i) {
    world.step();
    most = std::max(most, lean(world, id));
  }
  return most;
}

}  // namespace

TEST_CASE_TEMPLATE("what lands flat stays upright" * doctest::test_suite("random"), T, Two, Three) {
  constexpr int D = T::D;
  Random random(27);
  for (const Vec<2>& size : {Vec<2>{0.3, 1}, Vec<2>{1, 1}, Vec<2>{1, 0.3}, Vec<2>{0.5, 0.8}})
    for (const double restitution : {0.0, 0.4})
      for (const double rate : {15, 30, 60, 120, 240, 480})
        for (int i = 0; i < 2 + scaled(200); ++i) {
          const double height = random.range(0.2, 6);
          CAPTURE(size);
          CAPTURE(restitution);
          CAPTURE(rate);
          CAPTURE(height);
          CHECK(most_lean<D>(height, size, restitution, rate) < 0.002);
        }
}

TEST_CASE_TEMPLATE("what is hit head-on and flat does not turn", T, Two, Three) {
  constexpr int D = T::D;
  for (const double speed : {0.5, 2.0, 8.0, 30.0})
    for (const double restitution : {0.0, 0.5, 1.0}) {
      CAPTURE(speed);
      CAPTURE(restitution);
      WorldSettings<D> settings;
      settings.sleep = false;
      World<D> world(settings);
      ColliderDef<D> small = solid(cube<D>(1));
      ColliderDef<D> large = solid(cube<D>(3));
      small.restitution = large.restitution = restitution;
      ObjectDef<D> thrown = thing<D>("thrown", BodyKind::dynamic, kZero, {small});
      thrown.at[0] = -4;
      thrown.velocity[0] = speed;
      const ObjectId a = world.add(thrown).value();
      const ObjectId b = world.add(thing<D>("hit", BodyKind::dynamic, kZero, {large})).value();
      for (int i = 0; i < 600; ++i) world.step();
      CHECK(world.object(b).velocity[0] > 0.03 * speed);
      for (const ObjectId id : {a, b}) {
        CHECK(lean(world, id) < 1e-3);
        CHECK(world.object(id).spin.norm() < 1e-4 * speed);
      }
    }
}

// A world whose x runs the other way, built in the same order, gives the same with the other sign.
TEST_CASE_TEMPLATE("mirrored throws have mirrored ends", T, Two, Three) {
  constexpr int D = T::D;
  Random random(28);
  for (int run = 0; run < 40; ++run) {
    CAPTURE(run);
    const Vec<2> size{random.range(0.3, 1), random.range(0.3, 1)};
    const double restitution = run % 2 == 0 ? 0 : 0.5;
    const Vec<D> velocity = random.vec<D>(6);
    std::array<Vec<D>, 2> ends;
    std::array<double, 2> leans{};
    for (const int side : {0, 1}) {
      World<D> world(at_rate<D>(60));
      ColliderDef<D> ground = solid(slab<D>(200, 1));
      ColliderDef<D> box = solid(slab<D>(size[0], size[1]));
      ground.restitution = box.restitution = restitution;
      world.add(thing<D>("floor", BodyKind::fixed, up<D>(-0.5), {ground})).value();
      ObjectDef<D> def = thing<D>("box", BodyKind::dynamic, up<D>(2), {box});
      def.velocity = velocity;
      if (side == 1) def.velocity[0] = -def.velocity[0];
      const ObjectId id = world.add(def).value();
      for (int i = 0; i < 60; ++i) world.step();
      ends[static_cast<std::size_t>(side)] = world.object(id).pose.position;
      leans[static_cast<std::size_t>(side)] = lean(world, id);
    }
    ends[1][0] = -ends[1][0];
    CHECK((ends[0] - ends[1]).norm() < 5e-3);
    CHECK(std::abs(leans[0] - leans[1]) < 5e-3);
  }
}
