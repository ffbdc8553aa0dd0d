// Distance and manifolds, judged by a plain minimiser that shares no code with the library: the
// distance of two convex sets by projecting back and forth between them (von Neumann, 1950).
#include <algorithm>
#include <cmath>

#include "contact/distance.h"
#include "contact/manifold.h"
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

template <int D>
Vec<D> project(const Shape<D>& s, const Pose<D>& pose, const Vec<D>& p) {
  const Vec<D> local = pose.rotation.inverse() * Vec<D>(p - pose.position);
  return pose * Vec<D>(local.cwiseMax(-s.core).cwiseMin(s.core));
}

// Distance of the cores; an upper bound that gets there slowly.
template <int D>
double judged_distance(const Shape<D>& a, const Shape<D>& b, const Pose<D>& pose) {
  Vec<D> p = pose.position;
  double last = 1e300;
  for (int round = 0; round < 20000; ++round) {
    const Vec<D> q = project(a, Pose<D>{}, p);
    p = project(b, pose, q);
    const double now = (p - q).norm();
    if (round % 50 == 49) {
      if (last - now <= 1e-13 * last) break;
      last = now;
    }
  }
  return (p - project(a, Pose<D>{}, p)).norm();
}

template <int D>
double size_of(const Shape<D>& s) {
  return s.core.norm() + s.radius;
}

// The least coordinate of the shape along a direction, corner by corner.
template <int D>
double lowest(const Shape<D>& s, const Pose<D>& pose, const Vec<D>& direction) {
  double least = 1e300;
  for (unsigned corner = 0; corner < 1U << D; ++corner) {
    Vec<D> local = s.core;
    for (int i = 0; i < D; ++i)
      if ((corner >> i & 1U) != 0) local[i] = -local[i];
    least = std::min(least, direction.dot(pose * local));
  }
  return least - s.radius;
}

// Distance of a point from the shape's surface, from outside; 0 inside.
template <int D>
double outside(const Shape<D>& s, const Pose<D>& pose, const Vec<D>& p) {
  return std::max(0.0, (p - project(s, pose, p)).norm() - s.radius);
}

}  // namespace

TEST_SUITE("random") {
  TEST_CASE_TEMPLATE("distance agrees with the judge and depth is the least that parts", T, Two,
                     Three) {
    constexpr int D = T::D;
    const int pairs = scaled(200000);
    double worst_gap = 0;
    double worst_depth = 0;
    int apart = 0;
    int inside = 0;
    for (int i = 0; i < pairs; ++i) {
      CAPTURE(i);
      Random random(static_cast<std::uint64_t>(i) + 1000);
      const Shape<D> a = random.shape<D>();
      const Shape<D> b = random.shape<D>();
      const double small = std::min(size_of(a), size_of(b));
      const double large = std::max(size_of(a), size_of(b));
      const bool right_angles = random.coin(0.3);
      const Rotation<D> turn = right_angles ? Rotation<D>() : random.rotation<D>();
      const Pose<D> pose{random.direction<D>() * random.range(0, 1.3) * (size_of(a) + size_of(b)),
                         turn};
      const contact::Separation<D> s = contact::separation(a, b, pose);
      REQUIRE(std::isfinite(s.gap));
      REQUIRE(std::abs(s.normal.norm() - 1) <= 1e-9);
      const double judged = judged_distance(a, b, pose);
      if (judged > 1e-6 * small) {  // the cores are apart
        ++apart;
        // The judge comes from above and may be slow to arrive, so that the answer is also judged
        // by itself: its points are on the shapes (the gap is no larger), and a slab of that width
        // fits between them (no smaller).
        const double accepted = 1e-5 * small + 1e-9 * large;
        const double slab_width =
            lowest(b, pose, s.normal) - -lowest(a, Pose<D>{}, Vec<D>(-s.normal));
        const double error =
            std::max(s.gap - (judged - a.radius - b.radius), std::abs(s.gap - slab_width));
        worst_gap = std::max(worst_gap, error / small);
        REQUIRE(error <= accepted);
        REQUIRE(std::abs((s.on_a - project(a, Pose<D>{}, s.on_a)).norm() - a.radius) <= accepted);
        REQUIRE(std::abs((s.on_b - project(b, pose, s.on_b)).norm() - b.radius) <= accepted);
        REQUIRE((s.on_b - s.on_a - s.normal * s.gap).norm() <= accepted);
      } else if (s.gap < -1e-6 * small) {
        ++inside;
        // Moving b by the depth along the normal parts them, ...
        Pose<D> moved = pose;
        moved.position -= s.normal * (s.gap * (1 + 1e-6) - 1e-9 * large);
        REQUIRE(contact::separation(a, b, moved).gap >= -1e-6 * large);
        // ... and no shorter way does.
        for (int k = 0; k < 30; ++k) {
          moved.position = pose.position - random.direction<D>() * (s.gap * 0.99);
          REQUIRE(contact::separation(a, b, moved).gap <= 1e-9 * large);
        }
        worst_depth = std::max(worst_depth, -s.gap / small);
      }
      // The order of the two changes nothing but the direction.
      const contact::Separation<D> swapped = contact::separation(b, a, pose.relative(Pose<D>{}));
      REQUIRE(std::abs(swapped.gap - s.gap) <= 1e-7 * large);
    }
    CHECK(apart > pairs / 10);
    CHECK(inside > pairs / 50);
    MESSAGE("random: contact ", D, "D: ", pairs, " pairs (", apart, " with cores apart, ", inside,
            " deep), worst gap error ", worst_gap, " of the smaller size");
  }

  TEST_CASE_TEMPLATE(
      "manifold points lie between the surfaces and turn over little as shapes move little", T, Two,
      Three) {
    constexpr int D = T::D;
    const int paths = scaled(20000);
    int jumps = 0;
    int steps = 0;
    int points = 0;
    for (int i = 0; i < paths; ++i) {
      CAPTURE(i);
      Random random(static_cast<std::uint64_t>(i) + 5000);
      const Shape<D> a = random.shape<D>(0.3);
      const Shape<D> b = random.shape<D>(0.3);
      const double large = std::max(size_of(a), size_of(b));
      const double margin = 0.1 * std::min(size_of(a), size_of(b));
      Pose<D> pose{random.direction<D>() * (size_of(a) + size_of(b)), random.rotation<D>()};
      pose.position *= 1 - contact::separation(a, b, pose).gap / pose.position.norm() * 0.999;
      const Vec<D> slide = random.direction<D>() * 1e-6 * large;
      contact::Manifold<D> before;
      for (int k = 0; k < 10; ++k, pose.position += slide) {
        const contact::Manifold<D> m = contact::manifold(a, b, pose, margin, 0.2 * margin);
        const double gap = contact::separation(a, b, pose).gap;
        REQUIRE((m.count > 0) == (gap <= margin));
        for (int p = 0; p < m.count; ++p) {
          const contact::ContactPoint<D>& point = m.points[static_cast<std::size_t>(p)];
          ++points;
          REQUIRE(std::isfinite(point.gap));
          REQUIRE(outside(a, Pose<D>{}, point.position) <= margin);
          REQUIRE(outside(b, pose, point.position) <= margin);
          for (int q = 0; q < p; ++q) REQUIRE(m.points[static_cast<std::size_t>(q)].id != point.id);
        }
        if (k > 0 && m.count > 0 && before.count > 0) {
          ++steps;
          if ((m.normal - before.normal).norm() > 1e-3) ++jumps;
        }
        before = m;
      }
    }
    CHECK(steps > paths);
    CHECK(jumps * 100 <= steps);  // a corner may pass over an edge now and then
    MESSAGE("random: manifolds ", D, "D: ", points, " points within the margin, ", jumps,
            " turns of the normal in ", steps, " small moves");
  }
}

TEST_CASE("a box lying on a box has a full face of contact") {
  const contact::Manifold<2> two =
      contact::manifold(box(4, 1), box(1, 1), Pose<2>{{0.3, 1.001}, {}}, 0.02, 0.02);
  REQUIRE(two.count == 2);
  CHECK((two.normal - Vec<2>(0, 1)).norm() <= 1e-12);
  CHECK(std::abs(std::abs(two.points[0].position.x() - two.points[1].position.x()) - 1) <= 1e-9);
  const contact::Manifold<3> three = contact::manifold(
      box(4, 1, 4), box(1, 1, 1), Pose<3>{{0.3, 0.99, 0}, Rotation<3>({0, 1, 0}, 0.5)}, 0.02, 0.02);
  REQUIRE(three.count == 4);
  for (const auto& p : three.points) CHECK(std::abs(p.gap + 0.01) <= 1e-9);
}

TEST_CASE_TEMPLATE("hard places: concentric, touching, a needle and sizes far apart", T, Two,
                   Three) {
  constexpr int D = T::D;
  CHECK(contact::separation(ball<D>(2), ball<D>(1), Pose<D>{}).gap ==
        doctest::Approx(-1.5).epsilon(1e-12));
  CHECK(contact::separation(cube<D>(2), cube<D>(2), Pose<D>{}).gap ==
        doctest::Approx(-2).epsilon(1e-12));
  CHECK(std::abs(contact::separation(cube<D>(1), cube<D>(1), Pose<D>{along_x<D>(1), {}}).gap) <=
        1e-12);
  CHECK(std::abs(contact::separation(ball<D>(1), ball<D>(1), Pose<D>{along_x<D>(1), {}}).gap) <=
        1e-12);
  const Shape<D> needle = slab<D>(0.001, 1);
  CHECK(contact::separation(needle, needle, Pose<D>{along_x<D>(0.002), {}}).gap ==
        doctest::Approx(0.001).epsilon(1e-9));
  CHECK(contact::separation(capsule<D>(1e-3, 1), capsule<D>(1e-3, 1), Pose<D>{}).gap ==
        doctest::Approx(-1e-3).epsilon(1e-9));
  CHECK(
      std::abs(
          contact::separation(cube<D>(1e4), ball<D>(1e-3), Pose<D>{along_x<D>(5000.001), {}}).gap -
          5e-4) <= 1e-8);
}

TEST_CASE_TEMPLATE("a search goes on from the last, even of other shapes, and finds the same", T,
                   Two, Three) {
  constexpr int D = T::D;
  Random random(31);
  contact::Start<D> start;
  double worst = 0;
  int apart = 0;
  int deep = 0;
  for (int k = 0; k < 3000; ++k) {
    // Shapes change now and then, as they may while a world runs; the start is kept.
    const Shape<D> a = odd<D>(k / 100);
    const Shape<D> b = k / 50 % 4 == 0 ? cube<D>(0.5) : odd<D>(k / 50);
    const Pose<D> pose{random.direction<D>() * random.range(0.1, 0.9), random.rotation<D>()};
    for (int frame = 0; frame < 4; ++frame) {
      const double far = frame * random.range(0, 0.03);
      Spin<D> turn;
      for (int i = 0; i < kTurnAxes<D>; ++i) turn[i] = random.range(-far, far);
      const Pose<D> now{Vec<D>(pose.position + random.direction<D>() * far),
                        Rotation<D>::from_spin(turn) * pose.rotation};
      const double cold = contact::separation(a, b, now).gap;
      const double warm = contact::separation_within(contact::Core<D>(a, {}),
                                                     contact::Core<D>(b, now), 10.0, &start)
                              .gap;
      // Of curved ones depth is reported to a thousandth.
      worst = std::max(worst, std::abs(warm - cold) - 2e-3 * std::max(-cold, 0.0));
      ++(cold > 0 ? apart : deep);
    }
  }
  CHECK(worst <= 1e-6);
  CHECK(std::min(apart, deep) > 500);
  MESSAGE("random: searches ", D, "D that go on: ", apart, " apart, ", deep, " deep, off by ",
          worst);
}

// The two are the same body, but a search knows only the second one's corners, while the first has
// a closed form.
TEST_CASE_TEMPLATE("a capsule is as far from things as a rounded segment between its ends", T, Two,
                   Three) {
  constexpr int D = T::D;
  Random random(11);
  for (int round = 0; round < 4000; ++round) {
    const double width = std::pow(10.0, random.range(-3, 1));
    const double length = width * std::pow(10.0, random.range(-2, 2));
    const Shape<D> round_ended = capsule<D>(width, width + length);
    const Vec<D> end = Vec<D>::Unit(1) * (length / 2);
    const Shape<D> line = rounded(segment<D>(-end, end).value(), width / 2);
    const double size = std::pow(10.0, random.range(-3, 1));
    const Shape<D> other = round % 3 == 0   ? ball<D>(size)
                           : round % 3 == 1 ? cube<D>(size)
                                            : capsule<D>(size / 2, size);
    // As often as not in parallel, where many points are as near.
    Pose<D> pose{random.vec<D>(1.5 * (width + length + size)), {}};
    if (random.coin()) pose.rotation = random.rotation<D>();
    const contact::Separation<D> got = contact::separation(other, round_ended, pose);
    const contact::Separation<D> sought = contact::separation(other, line, pose);
    const double close = 1e-9 * (width + length + size);
    CAPTURE(round);
    CHECK(std::abs(got.gap - sought.gap) <= close);
    if (got.gap + width / 2 < 1e-3 * width)
      continue;  // of cores in each other's way the normal need not be one
    CHECK((got.normal - sought.normal).norm() <= 1e-6);
    CHECK((got.on_b - got.on_a - got.normal * got.gap).norm() <= close);
    CHECK(outside<D>(other, Pose<D>{}, got.on_a) <= close);
    CHECK(outside<D>(round_ended, pose, got.on_b) <= close);
  }
}

TEST_CASE_TEMPLATE("what lies level is nearest in the middle of where it lies beside the other", T,
                   Two, Three) {
  constexpr int D = T::D;
  // From -2 to 2 along y, the other from 1 to 5 and of 0.5: beside each other from 1 to 2.
  const Pose<D> pose{Vec<D>(Vec<D>::Unit(0) * 3 + Vec<D>::Unit(1) * 3), {}};
  const Shape<D> other = capsule<D>(1, 5);
  for (const Shape<D>& shape : {capsule<D>(1, 5), rounded(cube<D>(4), 0.1)}) {
    const contact::Separation<D> s = contact::separation(shape, other, pose);
    CHECK(s.on_a.y() == doctest::Approx(1.5));
    CHECK(s.on_b.y() == doctest::Approx(1.5));
  }
}
