// What walks or is carried over an edge falls from there, whatever its foot and however many steps.
#include "walkers.hpp"

using namespace colvik;
using namespace colvik::test;

TEST_CASE_TEMPLATE("over an edge a walker goes on as fast as before, and falls from rest", T, Two,
                   Three) {
  constexpr int D = T::D;
  constexpr double kHeight = 4;
  for (const double speed : {2.0, 4.0, 8.0})
    for (const double step : {0.0, 0.3})
      for (const bool carried : {false, true})
        for (const Shape<D>& foot : {slab<D>(0.6, 1.2), capsule<D>(0.6, 1.2), ball<D>(1.2)})
          for (const double rate : {15, 30, 60, 120, 240, 480}) {
            CAPTURE(speed);
            CAPTURE(step);
            CAPTURE(carried);
            CAPTURE(rate);
            Level<D> level(rate);
            ObjectDef<D> ledge = Level<D>::box_def("ledge", along_x<D>(-20) + up<D>(-0.5), 40, 1);
            if (carried) ledge.colliders[0].surface_velocity = along_x<D>(speed);
            level.world.add(ledge).value();
            level.box("floor", up<D>(-kHeight - 0.5), 80, 1);
            const ObjectId id = level.walker({.speed = speed, .air_control = 0, .step = step},
                                             along_x<D>(-3) + up<D>(0.602), foot);
            if (!carried) level.wish(id, {.velocity = along_x<D>(speed)});
            double left = 0;
            Vec<D> edge = kZero;
            for (int i = 0; i < 4 * rate; ++i) {
              level.world.step();
              const Walking<D>& w = *level.world.walking(id);
              const Vec<D>& at = level.world.object(id).pose.position;
              if (w.standing && at[1] < 0) break;
              if (w.standing) edge = at;
              else if (left == 0 && !edge.isZero(0)) left = level.world.time();
            }
            REQUIRE(left > 0);
            const Walking<D>& w = *level.world.walking(id);
            REQUIRE(w.standing);
            // From where it was last held up, within the step in which it left.
            const double fallen = edge[1] - level.world.object(id).pose.position[1];
            const double fall = std::sqrt(2 * fallen / 9.81);
            CHECK(std::abs(w.since - (left - 1 / rate) - fall) < 1 / rate + 0.012);
            const double gone = level.world.object(id).pose.position[0] - edge[0];
            CHECK(std::abs(gone - speed * fall) < 2 * speed / rate + 0.02 * speed);
          }
}

TEST_CASE_TEMPLATE("no walker gets higher than its jump by pressing against an edge", T, Two,
                   Three) {
  constexpr int D = T::D;
  constexpr double kJump = 1.4;
  for (const double rate : {15, 60, 240, 480})
    for (const double speed : {2.0, 4.0, 8.0})
      for (const double high : {1.3, 1.45, 1.55, 1.65, 3.0}) {
        CAPTURE(rate);
        CAPTURE(speed);
        CAPTURE(high);
        Level<D> level(rate);
        level.box("floor", up<D>(-0.5), 40, 1);
        level.box("wall", along_x<D>(22) + up<D>(high / 2), 40, high);
        const ObjectId id = level.walker({.speed = speed, .jump_speed = jump_speed(kJump, 9.81)},
                                         along_x<D>(1.6) + up<D>(0.602));
        level.run(0.5);
        double top = 0;
        for (int i = 0; i < 2 * rate; ++i) {
          level.wish(id, {.velocity = along_x<D>(speed), .jump = true});
          level.world.step();
          top = std::max(top, level.world.object(id).pose.position[1] - 0.602);
        }
        // A round foot comes to stand on an edge by a part of its radius, 0.3.
        CHECK(top < kJump + 0.3 * 0.3 + 0.01);
        CHECK(top > kJump - 0.01);
        CHECK((level.on(id) == "wall") == (high < kJump + 0.3 * 0.3));
      }
}
