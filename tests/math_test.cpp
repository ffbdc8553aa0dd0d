#include <cmath>

#include "math/fine.h"
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

TEST_CASE("sine and cosine agree with the C library to 1e-15 near zero and 1e-9 far out") {
  Random random(1);
  for (int i = 0; i < 20000; ++i) {
    const double most = i % 2 == 0 ? 10 : 1e6;
    const double angle = random.range(-most, most);
    CAPTURE(angle);
    double s = 0;
    double c = 0;
    sine_cosine(angle, s, c);
    const double bound = most == 10 ? 1e-15 : 1e-9;
    REQUIRE(std::abs(s - std::sin(angle)) <= bound);
    REQUIRE(std::abs(c - std::cos(angle)) <= bound);
    REQUIRE(std::abs(s * s + c * c - 1) <= 1e-15);
  }
}

TEST_CASE("the angle of a point agrees with the C library in every quadrant") {
  CHECK(angle_of(0, 0) == 0);
  CHECK(angle_of(0, -1) == kPi);
  Random random(2);
  for (int i = 0; i < 20000; ++i) {
    const double x = random.range(-1, 1) * std::exp(random.range(-20, 20));
    const double y = random.range(-1, 1) * std::exp(random.range(-20, 20));
    REQUIRE(std::abs(angle_of(y, x) - std::atan2(y, x)) <= 1e-14);
  }
}

TEST_CASE_TEMPLATE("rotations compose and undo and keep lengths", T, Two, Three) {
  constexpr int D = T::D;
  Random random(3);
  for (int i = 0; i < 2000; ++i) {
    const Rotation<D> a = random.rotation<D>();
    const Rotation<D> b = random.rotation<D>();
    const Vec<D> v = random.vec<D>(10);
    REQUIRE(((a * b) * v - a * (b * v)).norm() <= 1e-13);
    REQUIRE((a.inverse() * (a * v) - v).norm() <= 1e-13);
    REQUIRE(std::abs((a * v).norm() - v.norm()) <= 1e-13);
    const Rotation<D> again = Rotation<D>::from_spin(a.to_spin());
    REQUIRE((again * v - a * v).norm() <= 1e-12);
    const Rotation<D> half = interpolate<D>(a, b, 0.5);
    // Two half ways make the whole.
    REQUIRE((half * (a.inverse() * half) * v - b * v).norm() <= 1e-12);
    for (int k = 0; k < D; ++k) REQUIRE((a.axis(k) - a * Vec<D>(Vec<D>::Unit(k))).norm() <= 1e-14);
  }
}

TEST_CASE_TEMPLATE("a small turn moves a point along spin cross arm", T, Two, Three) {
  constexpr int D = T::D;
  Random random(4);
  for (int i = 0; i < 500; ++i) {
    Spin<D> spin;
    for (int k = 0; k < kTurnAxes<D>; ++k) spin[k] = random.range(-1, 1);
    const Vec<D> arm = random.vec<D>(1);
    const Vec<D> moved = Rotation<D>::from_spin(spin * 1e-6) * arm - arm;
    REQUIRE((moved / 1e-6 - cross(spin, arm)).norm() <= 1e-5);
  }
}

TEST_CASE_TEMPLATE("a relative pose loses nothing far from the origin", T, Two, Three) {
  constexpr int D = T::D;
  Random random(5);
  for (int i = 0; i < 500; ++i) {
    const Rotation<D> ra = random.rotation<D>();
    const Rotation<D> rb = random.rotation<D>();
    const Vec<D> offset =
        (random.vec<D>(4) * 1024).array().round() / 1024;  // representable there too
    const Vec<D> far = Vec<D>::Constant(1048576.0 * 1024);
    const Pose<D> here = Pose<D>{kZero, ra}.relative({offset, rb});
    const Pose<D> there = Pose<D>{far, ra}.relative({far + offset, rb});
    REQUIRE(here.position == there.position);
    const Vec<D> v = random.vec<D>(3);
    REQUIRE((Pose<D>{kZero, ra} * (here * v) - Pose<D>{offset, rb} * v).norm() <= 1e-13);
  }
}

// Judged by whole numbers: all that is added is a multiple of 2 to the -42, a position there one of
// 2 to the -33.
TEST_CASE_TEMPLATE("a place keeps what its position leaves out, however far and often it is moved",
                   T, Two, Three) {
  constexpr int D = T::D;
  Random random(6);
  const double unit = std::ldexp(1.0, -42);
  const auto whole = [&](double x) { return static_cast<std::int64_t>(std::ldexp(x, 42)); };
  const math::Place<D> from(Pose<D>{Vec<D>::Constant(1e6), {}});
  math::Place<D> at = from;
  std::array<std::int64_t, D> exact{};
  exact.fill(whole(1e6));
  for (int i = 0; i < 10000; ++i) {
    Vec<D> by = random.vec<D>(1);
    for (int k = 0; k < D; ++k) {
      by[k] = std::round(by[k] * std::ldexp(1.0, random.below(40))) * unit;
      exact[static_cast<std::size_t>(k)] += whole(by[k]);
    }
    at = at.moved(by);
  }
  for (int k = 0; k < D; ++k) {
    const std::int64_t there = exact[static_cast<std::size_t>(k)];
    CHECK(whole(at.position[k]) + whole(at.rest[k]) == there);
    CHECK(at.rest[k] != 0);
    CHECK(at.position[k] + at.rest[k] == at.position[k]);
    CHECK(from.offset_to(at)[k] == static_cast<double>(there - whole(1e6)) * unit);
  }
}

TEST_CASE_TEMPLATE("bounds: empty is the identity of merging and touching counts", T, Two, Three) {
  constexpr int D = T::D;
  const Bounds<D> unit{Vec<D>::Constant(0), Vec<D>::Constant(1)};
  const Bounds<D> next{Vec<D>::Constant(1), Vec<D>::Constant(2)};
  CHECK(Bounds<D>{}.empty());
  CHECK(Bounds<D>{}.merged(unit).lo == unit.lo);
  CHECK(unit.overlaps(next));
  CHECK_FALSE(unit.overlaps(next.grown(-0.01)));
  CHECK(unit.merged(next).contains(unit));
  CHECK(unit.swept(Vec<D>::Constant(-3)).contains(Vec<D>(Vec<D>::Constant(-3))));
}
