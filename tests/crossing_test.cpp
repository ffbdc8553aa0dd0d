// One-way surfaces that are crossed from every side, and what walkers push and are struck by, at
// every rate.
#include "walkers.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

constexpr double kCrossingRates[] = {15, 30, 60, 120, 240, 480};

template <int D>
ObjectDef<D> mover(int i, const Vec<D>& at, const Vec<D>& velocity) {
  ObjectDef<D> def = thing<D>("mover", i % 2 != 0 ? BodyKind::dynamic : BodyKind::kinematic, at,
                              {solid(i % 3 != 0 ? cube<D>(0.4) : ball<D>(0.4))});
  def.velocity = velocity;
  return def;
}

// Begins of solid touches with the shelf while `counts`.
template <int D, class F>
int begins(Level<D>& level, double seconds, const F& counts) {
  int found = 0;
  const auto steps = static_cast<int>(seconds * level.world.settings().rate);
  for (int k = 0; k < steps; ++k) {
    level.world.step();
    for (const Event<D>& e : level.world.events())
      for (const ObjectId id : {e.self, e.other})
        found += e.phase == Phase::begin && level.world.object(id).name == "shelf" && counts();
  }
  return found;
}

template <int D>
double push_crate(double rate, double wish, Walker<D> can) {
  Level<D> level(rate);
  level.box("floor", up<D>(-0.5), 100, 1);
  ObjectDef<D> crate = thing<D>("crate", BodyKind::dynamic, Vec<D>(along_x<D>(1.2) + up<D>(0.5)),
                                {solid(cube<D>(1))});
  crate.mass = 17;
  crate.colliders[0].friction = 0.5;
  const ObjectId it = level.world.add(crate).value();
  can.speed = 4;
  const ObjectId walker = level.walker(can, up<D>(0.602));
  level.run(0.5);
  level.wish(walker, {.velocity = along_x<D>(wish)});
  level.run(wish < 1 ? 1 / wish + 3 : 2);
  return level.world.object(it).pose.position[0] - 1.2;
}

}  // namespace

TEST_CASE_TEMPLATE("through a one-way surface from below or beside, nothing touches it", Dims, Two,
                   Three) {
  constexpr int D = Dims::D;
  Random random(5);
  const auto always = [] { return true; };
  for (const double rate : kCrossingRates)
    for (int i = 0; i < 24; ++i) {
      CAPTURE(rate);
      CAPTURE(i);
      const double thickness = random.range(0.02, 0.5);
      const double speed = random.range(1, 20);
      const double far = random.range(1, 2.5);
      Level<D> rising(rate, kZero);
      rising.one_way("shelf", up<D>(far), 4, thickness);
      rising.world.add(mover<D>(i, kZero, up<D>(speed))).value();
      CHECK(begins(rising, 1, always) == 0);
      Level<D> beside(rate, kZero);
      beside.one_way("shelf", along_x<D>(far + 2), 4, thickness);
      const double height = random.range(-0.5, 0.5) * thickness;
      beside.world.add(mover<D>(i, up<D>(height), along_x<D>(speed))).value();
      CHECK(begins(beside, 1, always) == 0);
      // From above it is solid: one touch.
      Level<D> falling(rate, kZero);
      falling.one_way("shelf", up<D>(-far), 4, thickness);
      falling.world.add(mover<D>(i, kZero, up<D>(-speed))).value();
      CHECK(begins(falling, 0.1 + far / speed, always) == 1);
    }
}

TEST_CASE_TEMPLATE("a jump through shelves is as high as one without, and ends on one of them",
                   Dims, Two, Three) {
  constexpr int D = Dims::D;
  for (const double rate : kCrossingRates)
    for (const int shelves : {0, 2, 10}) {
      CAPTURE(rate);
      CAPTURE(shelves);
      Level<D> level(rate);
      level.box("floor", up<D>(-0.5), 20, 1);
      for (int i = 0; i < shelves; ++i)
        level.one_way(i == 0 ? "shelf" : "shelf" + std::to_string(i), up<D>(1.4 + 0.15 * i), 4,
                      0.1);
      Walker<D> can{.speed = 4};
      can.jump_speed = jump_speed(1.7, 9.81);
      const ObjectId walker = level.walker(can, up<D>(0.602));
      level.run(0.2);
      const double from = level.world.object(walker).pose.position[1];
      level.wish(walker, {.jump = true});
      double highest = 0;
      const int rising =
          begins(level, 1.5, [&] { return level.world.walking(walker)->own_velocity[1] > 0; });
      highest = std::max(highest, level.world.walking(walker)->highest);
      CHECK(rising == 0);
      CHECK(level.on(walker) == (shelves == 0 ? "floor" : "shelf1"));
      // The most that it was above the floor, by a second jump that is watched.
      Level<D> again(rate);
      again.box("floor", up<D>(-0.5), 20, 1);
      for (int i = 0; i < shelves; ++i)
        again.one_way("shelf" + std::to_string(i), up<D>(1.4 + 0.15 * i), 4, 0.1);
      const ObjectId other = again.walker(can, up<D>(0.602));
      again.run(0.2);
      again.wish(other, {.jump = true});
      double top = 0;
      for (int k = 0; k < rate; ++k) {
        again.world.step();
        top = std::max(top, again.world.walking(other)->highest);
      }
      CHECK(top - from == doctest::Approx(1.7).epsilon(1e-5));
    }
}

TEST_CASE("a push is as strong at any rate and speed") {
  for (const double rate : kCrossingRates) {
    CAPTURE(rate);
    CHECK(push_crate<2>(rate, 4, {.speeding_up = 30, .push_least = 160}) ==
          doctest::Approx(5.6).epsilon(0.02));
    if (rate < 30) continue;  // friction stops it several times in a step
    CHECK(push_crate<2>(rate, 4, {.push = 400}) == doctest::Approx(7.13).epsilon(0.01));
    CHECK(push_crate<3>(rate, 1, {.push = 400, .push_least = 150}) ==
          doctest::Approx(1.48).epsilon(0.02));
    if (rate >= 60)
      CHECK(push_crate<2>(rate, 0.1, {.push = 400, .push_least = 160}) ==
            doctest::Approx(0.88).epsilon(0.04));
  }
}

TEST_CASE_TEMPLATE("what strikes a walker begins to touch it when and as fast as it arrives", Dims,
                   Two, Three) {
  constexpr int D = Dims::D;
  for (const double rate : kCrossingRates)
    for (const double speed : {3.0, 5.0, 9.0, 20.0}) {
      CAPTURE(rate);
      CAPTURE(speed);
      Level<D> level(rate);
      level.box("floor", up<D>(-0.5), 20, 1);
      const ObjectId walker = level.walker({.speed = 4}, up<D>(0.602));
      level.run(0.4);
      ObjectDef<D> stone = thing<D>("stone", BodyKind::dynamic,
                                    Vec<D>(along_x<D>(-2) + up<D>(0.602)), {solid(ball<D>(0.2))});
      stone.velocity = along_x<D>(speed);
      stone.gravity_scale = 0;
      level.world.add(stone).value();
      std::vector<Event<D>> found;
      for (int i = 0; i < rate; ++i) {
        level.world.step();
        for (const Event<D>& e : level.world.events())
          if (e.phase == Phase::begin && (e.self == walker || e.other == walker))
            found.push_back(e);
      }
      REQUIRE(found.size() == 1);
      // Solids count as touching from 4 mm on: that much a slow one is early.
      CHECK(std::abs(found[0].time - 0.4 - 1.6 / speed) <
            1e-4 + (speed < 0.004 * rate * 3 ? 0.004 / speed : 0));
      CHECK(found[0].approach_speed == doctest::Approx(speed).epsilon(1e-3));
    }
}

TEST_CASE_TEMPLATE("what starts in a solid and leaves it within the step touches it once", Dims,
                   Two, Three) {
  constexpr int D = Dims::D;
  for (const double rate : kCrossingRates)
    for (const BodyKind kind : {BodyKind::dynamic, BodyKind::kinematic})
      for (const BodyKind other : {BodyKind::fixed, BodyKind::dynamic})
        for (const double speed : {5.0, 50.0, 200.0}) {
          CAPTURE(rate);
          CAPTURE(speed);
          World<D> world({.rate = rate});
          world.add(thing<D>("block", other, Vec<D>(kZero), {solid(cube<D>(1))})).value();
          ObjectDef<D> def = thing<D>("stone", kind, along_x<D>(0.3), {solid(ball<D>(0.2))});
          def.velocity = along_x<D>(speed);
          world.add(def).value();
          std::vector<double> begins;
          std::vector<double> ends;
          for (int i = 0; i < rate / 2; ++i) {
            world.step();
            for (const Event<D>& e : world.events()) {
              if (e.phase == Phase::begin) begins.push_back(e.time);
              if (e.phase == Phase::end) ends.push_back(e.time);
            }
          }
          REQUIRE(begins.size() == 1);
          REQUIRE(ends.size() == 1);
          CHECK(begins[0] == 0);
          // It is let go 12 mm away: where that is a later step, at the end of that one.
          if (speed > 0.012 * rate) CHECK(ends[0] == doctest::Approx(0.3 / speed).epsilon(1e-4));
          else CHECK(std::abs(ends[0] - 0.3 / speed) < 0.012 / speed + 1 / rate);
        }
}

TEST_CASE("a mesh is touched from its outside alone") {
  const std::vector<Vec<3>> corners{{-5, 0, -5}, {5, 0, -5}, {5, 0, 5}, {-5, 0, 5}};
  const std::vector<std::array<std::uint32_t, 3>> from_above{{0, 2, 1}, {0, 3, 2}};
  const std::vector<std::array<std::uint32_t, 3>> from_below{{0, 1, 2}, {0, 2, 3}};
  for (const double rate : kCrossingRates)
    for (const double size : {0.2, 1.0})
      for (const bool behind : {false, true})
        for (int i = 0; i < 4; ++i) {
          CAPTURE(rate);
          CAPTURE(size);
          CAPTURE(behind);
          CAPTURE(i);
          WorldSettings<3> settings = earth<3>();
          settings.rate = rate;
          World<3> world(settings);
          const ObjectId ground =
              world
                  .add(thing<3>("ground", BodyKind::fixed, Vec<3>(kZero),
                                {solid(mesh(corners, behind ? from_below : from_above).value())}))
                  .value();
          const bool walks = i == 3;
          ObjectDef<3> def =
              thing<3>("thing", i < 2 ? BodyKind::dynamic : BodyKind::kinematic, {0.3, 2, 0.1},
                       {solid(i % 2 != 0 ? cube<3>(size) : ball<3>(size))});
          if (walks) def.walker = Walker<3>{.speed = 1};
          else if (i == 2) def.velocity = up<3>(-3);
          world.add(def).value();
          int begins = 0;
          for (int k = 0; k < 2 * rate; ++k) {
            world.step();
            for (const Event<3>& e : world.events()) begins += e.phase == Phase::begin;
          }
          CHECK(begins == (behind ? 0 : 1));
          if (behind || i != 2) CHECK(world.passed_from_behind(ground) == behind);
        }
}
