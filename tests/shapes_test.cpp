#include <cmath>

#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

// Whether a point of the shape's frame lies in it: the distance to the core is at most the radius.
template <int D>
bool inside(const Shape<D>& s, const Vec<D>& p) {
  const Vec<D> nearest = p.cwiseMax(-s.core).cwiseMin(s.core);
  return (p - nearest).norm() <= s.radius + 1e-12;
}

}  // namespace

TEST_CASE_TEMPLATE("mass and inertia agree with counting points of a fine grid", T, Two, Three) {
  constexpr int D = T::D;
  for (const Shape<D>& s : {ball<D>(1.4), slab<D>(1, 0.4), capsule<D>(0.6, 1.7), capsule<D>(0.5, 0.5)}) {
    const Bounds<D> box = bounds(s, Pose<D>{});
    constexpr int kSide = D == 2 ? 1500 : 150;
    double volume = 0;
    Inertia<D> inertia = Inertia<D>::Zero();
    const Vec<D> cell = box.size() / kSide;
    Vec<D> at = box.lo + cell / 2;
    std::array<int, D> index{};
    for (bool more = true; more;) {
      if (inside(s, at)) {
        volume += cell.prod();
        if constexpr (D == 2) inertia(0, 0) += cell.prod() * at.squaredNorm();
        else inertia += cell.prod() * (Inertia<3>::Identity() * at.squaredNorm() - at * at.transpose());
      }
      more = false;
      for (int i = 0; i < D && !more; ++i) {
        at[i] += cell[i];
        if (++index[i] < kSide) more = true;
        else index[i] = 0, at[i] = box.lo[i] + cell[i] / 2;
      }
    }
    const MassProperties<D> exact = mass_properties(s);
    CAPTURE(shape_name<D>(s.kind));
    CHECK(std::abs(exact.volume - volume) <= 0.01 * volume);
    CHECK((exact.inertia - inertia).cwiseAbs().maxCoeff() <= 0.015 * inertia.cwiseAbs().maxCoeff());
  }
}

TEST_CASE_TEMPLATE("bounds hold every point of the shape and are touched on each side", T, Two, Three) {
  constexpr int D = T::D;
  Random random(11);
  for (int i = 0; i < 300; ++i) {
    const Shape<D> s = random.shape<D>();
    const Pose<D> pose{random.vec<D>(5), random.rotation<D>()};
    const Bounds<D> box = bounds(s, pose);
    for (int side = 0; side < D; ++side) {
      // The furthest point along an axis: the core's corner, then the radius.
      Vec<D> corner = kZero;
      for (int k = 0; k < D; ++k) corner[k] = pose.rotation.axis(k)[side] >= 0 ? s.core[k] : -s.core[k];
      const Vec<D> furthest = pose * corner + s.radius * Vec<D>::Unit(side);
      REQUIRE(std::abs(furthest[side] - box.hi[side]) <= 1e-9);
      REQUIRE(box.grown(1e-9).contains(furthest));
    }
  }
}

TEST_CASE("outlines and edges lie on the surface") {
  for (const Shape<2>& s : {circle(2), box(3, 1), capsule<2>(1, 4)}) {
    const std::vector<Vec<2>> line = outlines(s)[0];
    for (const Vec<2>& p : line) {
      CHECK(inside<2>(s, p));
      CHECK_FALSE(inside<2>(s, p * 1.001));
    }
  }
  CHECK(edges(box(1, 2, 3)).size() == 12);
  for (const Shape<3>& s : {sphere(2), box(3, 1, 2), capsule<3>(1, 4)})
    for (const Edge3& e : edges(s)) {
      CHECK(inside<3>(s, e.from));
      CHECK_FALSE(inside<3>(s, e.from * 1.001));
    }
}

TEST_CASE_TEMPLATE("sizes that cannot be used are refused with what would do", T, Two, Three) {
  constexpr int D = T::D;
  const double nan = std::nan(""), inf = HUGE_VAL;
  for (const double bad : {0.0, -1.0, nan, inf, 1e-9, 1e9}) {
    CAPTURE(bad);
    for (const Shape<D>& s : {ball<D>(bad), slab<D>(1, bad), capsule<D>(bad, 2)}) {
      const Result<void> result = check_shape(s, 1);
      REQUIRE_FALSE(result);
      CHECK(result.error().accepted.size() > 5);
    }
  }
  CHECK(check_shape(ball<D>(1e9), 1000));  // sizes count in metres
  const Result<void> squat = check_shape(capsule<D>(2, 1), 1);
  REQUIRE_FALSE(squat);
  CHECK(squat.error().message() ==
        "capsule height: 1 is less than the width 2; the height with both round ends, at least the width");
}
