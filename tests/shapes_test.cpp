#include <algorithm>
#include <cmath>
#include <functional>

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

// Area or volume, centre and inertia by counting the points of a fine grid that `holds` holds.
template <int D>
void check_mass(const Shape<D>& s, const std::function<bool(const Vec<D>&)>& holds,
                double accepted = 0.01) {
  const Bounds<D> box = bounds(s, Pose<D>{});
  constexpr int kSide = D == 2 ? 1200 : 120;
  double volume = 0;
  Vec<D> first = Vec<D>::Zero();
  Eigen::Matrix<double, D, D> second = Eigen::Matrix<double, D, D>::Zero();
  const Vec<D> cell = box.size() / kSide;
  std::array<int, D> index{};
  for (bool more = true; more;) {
    Vec<D> at;
    for (int i = 0; i < D; ++i) at[i] = box.lo[i] + cell[i] * (index[i] + 0.5);
    if (holds(at)) {
      volume += cell.prod();
      first += cell.prod() * at;
      second += cell.prod() * at * at.transpose();
    }
    more = false;
    for (int i = 0; i < D && !more; ++i) more = ++index[i] < kSide ? true : (index[i] = 0, false);
  }
  const MassProperties<D> exact = mass_properties(s);
  CAPTURE(shape_name<D>(s.kind));
  CAPTURE(s.radius);
  CHECK(std::abs(exact.volume - volume) <= accepted * volume);
  CHECK((exact.centre - first / volume).norm() <= accepted * box.size().norm());
  second -= first * first.transpose() / volume;
  Inertia<D> inertia;
  if constexpr (D == 2) inertia(0, 0) = second.trace();
  else inertia = Inertia<3>::Identity() * second.trace() - second;
  CHECK((exact.inertia - inertia).cwiseAbs().maxCoeff() <=
        1.5 * accepted * inertia.cwiseAbs().maxCoeff());
}

double to_line(const Vec<2>& p, const Vec<2>& a, const Vec<2>& b) {
  const Vec<2> u = b - a;
  return (p - a - u * std::clamp(u.dot(p - a) / u.squaredNorm(), 0.0, 1.0)).norm();
}
// Distance from a convex loop, 0 inside.
double off(const std::vector<Vec<2>>& loop, const Vec<2>& p) {
  bool in = true;
  double least = 1e9;
  for (std::size_t i = 0; i < loop.size(); ++i) {
    const Vec<2>& a = loop[i];
    const Vec<2>& b = loop[(i + 1) % loop.size()];
    in = in && (b - a).x() * (p - a).y() - (b - a).y() * (p - a).x() >= 0;
    least = std::min(least, to_line(p, a, b));
  }
  return in ? 0 : least;
}

}  // namespace

TEST_CASE_TEMPLATE("mass and inertia agree with counting points of a fine grid", T, Two, Three) {
  constexpr int D = T::D;
  for (const Shape<D>& s : {ball<D>(1.4), slab<D>(1, 0.4), capsule<D>(0.6, 1.7),
                            capsule<D>(0.5, 0.5), rounded(slab<D>(1, 0.4), 0.3)})
    check_mass<D>(s, [&](const Vec<D>& p) { return inside(s, p); });
  const Vec<D> from = along_x<D>(0.3);
  const Vec<D> to = up<D>(1.1) - along_x<D>(0.4);
  check_mass<D>(rounded(segment<D>(from, to).value(), 0.3), [&](const Vec<D>& p) {
    const Vec<D> u = to - from;
    return (p - from - u * std::clamp(u.dot(p - from) / u.squaredNorm(), 0.0, 1.0)).norm() <= 0.3;
  });
}

TEST_CASE(
    "mass of polygons, cylinders, cones and hulls, sharp and rounded, agrees with counting "
    "points") {
  const std::vector<Vec<2>> kite{{1, 0}, {2, 0.6}, {1, 2}, {0.2, 0.8}};
  const Shape<2> sharp = polygon(kite).value();
  check_mass<2>(sharp, [&](const Vec<2>& p) { return off(kite, p) <= 0; });
  check_mass<2>(rounded(sharp, 0.4), [&](const Vec<2>& p) { return off(kite, p) <= 0.4; });
  const std::vector<Vec<2>> ell{{0, 0}, {2, 0}, {2, 1}, {1, 1}, {1, 2}, {0, 2}};
  const std::vector<std::vector<Vec<2>>> hole{{{0.2, 0.2}, {0.8, 0.2}, {0.8, 0.8}, {0.2, 0.8}}};
  check_mass<2>(outlined(ell, hole).value(), [](const Vec<2>& p) {
    const bool body = p.x() <= 1 || p.y() <= 1;
    return body && !(p.x() > 0.2 && p.x() < 0.8 && p.y() > 0.2 && p.y() < 0.8);
  });
  for (const double r : {0.0, 0.3}) {
    check_mass<3>(rounded(cylinder(1, 1.6), r), [r](const Vec<3>& p) {
      const double out = std::max(0.0, std::hypot(p.x(), p.z()) - 0.5);
      const double over = std::max(0.0, std::abs(p.y()) - 0.8);
      return std::hypot(out, over) <= r;
    });
    const std::vector<Vec<2>> profile{{-0.5, -0.8}, {0.5, -0.8}, {0, 0.8}};
    check_mass<3>(rounded(cone(1, 1.6), r), [&](const Vec<3>& p) {
      return off(profile, {std::hypot(p.x(), p.z()), p.y()}) <= r;
    });
  }
  std::vector<Vec<3>> octahedron;
  for (int i = 0; i < 3; ++i)
    for (const double sign : {1.0, -1.0})
      octahedron.emplace_back(sign * Vec<3>::Unit(i) + Vec<3>(0.3, 0, 0));
  check_mass<3>(hull(octahedron).value(),
                [](const Vec<3>& p) { return (p - Vec<3>(0.3, 0, 0)).lpNorm<1>() <= 1; });
  // Between 7 directions an octahedron's corners fill the cube of its bounds cut at |x| + |y| + |z|
  // = 1: itself.
  CHECK(mass_properties(slabs(octahedron, 7).value()).volume == doctest::Approx(4.0 / 3));
  CHECK(mass_properties(slabs(octahedron, 3).value()).volume == doctest::Approx(8));
  // Steiner: V + A r + (mean width) ... for a cube of side 1 grown by r.
  std::vector<Vec<3>> corners;
  for (int i = 0; i < 8; ++i) corners.emplace_back(i & 1, i >> 1 & 1, i >> 2);
  const double r = 0.4;
  CHECK(mass_properties(rounded(hull(corners).value(), r)).volume ==
        doctest::Approx(1 + 6 * r + 3 * kPi * r * r + 4.0 / 3 * kPi * r * r * r).epsilon(1e-4));
  // A budget takes the outermost corners.
  CHECK(mass_properties(hull(corners, 4).value()).volume < 0.7);
  CHECK(mass_properties(scaled(hull(corners).value(), 2)).volume == doctest::Approx(8));
}

TEST_CASE_TEMPLATE("bounds hold every point of the shape and are touched on each side", T, Two,
                   Three) {
  constexpr int D = T::D;
  Random random(11);
  for (int i = 0; i < 300; ++i) {
    const Shape<D> s = random.shape<D>();
    const Pose<D> pose{random.vec<D>(5), random.rotation<D>()};
    const Bounds<D> box = bounds(s, pose);
    for (int side = 0; side < D; ++side) {
      // The furthest point along an axis: the core's corner, then the radius.
      Vec<D> corner = kZero;
      for (int k = 0; k < D; ++k)
        corner[k] = pose.rotation.axis(k)[side] >= 0 ? s.core[k] : -s.core[k];
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
  const double nan = std::nan("");
  const double inf = HUGE_VAL;
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
        "capsule height: 1 is less than the width 2; the height with both round ends, at least the "
        "width");
}
