#pragma once
// The smallest simple shapes around points.
#include <algorithm>

#include "fit/loops.h"

namespace colvik::fitting {

template <int D>
struct Ball {
  Vec<D> centre = kZero;
  double radius = -1;
};
/// The smallest ball around points. Source: Welzl, "Smallest enclosing disks (balls and
/// ellipsoids)", 1991. Expected O(points).
template <int D>
[[nodiscard]] Ball<D> ball_around(std::vector<Vec<D>> points);

// Collider and its area or volume.
template <int D>
struct Around {
  Placed<D> collider{};
  double volume = 0;
};
// What is turned must be smaller by this than what is upright.
inline constexpr double kWorth = 0.998;
[[nodiscard]] Around<2> circle_around(const Loop& hull);
[[nodiscard]] Around<2> box_around(const Loop& points);
// Of the least area; its shorter turn. Source: Freeman and Shapira, "Determining the
// minimum-area encasing rectangle for an arbitrary closed curve", 1975.
[[nodiscard]] Around<2> turned_box_around(const Loop& hull);
// Of about the least area: so many directions, the best one refined.
[[nodiscard]] Around<2> capsule_around(const Loop& hull, int directions);

// A capsule along an axis, around points given by their place along it and their distance from it,
// or the smallest of such within a choice of radii from the least. Volumes by `volume_of(radius,
// length)`.
struct Pill {
  double radius = 0;
  double from = 0;  // middles of its ends along the axis
  double to = 0;
};
struct Off {
  double along;
  double away;
};
[[nodiscard]] Pill pill_of_radius(const std::vector<Off>& points, double radius);
template <class Volume>
[[nodiscard]] Pill pill_around(const std::vector<Off>& points, Volume&& volume_of) {
  double least = 0;
  double lo = 1e300;
  double hi = -1e300;
  for (const Off& p : points) {
    least = std::max(least, p.away);
    lo = std::min(lo, p.along);
    hi = std::max(hi, p.along);
  }
  const auto of = [&](double radius) {
    const Pill pill = pill_of_radius(points, radius);
    return volume_of(pill.radius, pill.to - pill.from);
  };
  // The volume has one valley between these radii nearly always: by thirds.
  double a = least;
  double b = std::max(least, 0.5 * (hi - lo)) * 1.5;
  for (int i = 0; i < 40; ++i) {
    const double third = (b - a) / 3;
    if (of(a + third) <= of(b - third)) b -= third;
    else a += third;
  }
  return pill_of_radius(points, of(least) <= of(a) ? least : 0.5 * (a + b));
}

[[nodiscard]] Around<3> turned_box_around(std::span<const Vec<3>> points, const Shape<3>& hull);
[[nodiscard]] Around<3> capsule_around(std::span<const Vec<3>> points, const Shape<3>& hull);
[[nodiscard]] Around<3> cylinder_around(std::span<const Vec<3>> points, const Shape<3>& hull);
[[nodiscard]] Around<3> cone_around(std::span<const Vec<3>> points, const Shape<3>& hull);

// Corners of a hull, and its planes as (normal, offset).
struct Planes {
  std::vector<Vec<3>> corners;
  std::vector<std::pair<Vec<3>, double>> planes;
};
[[nodiscard]] Planes planes_of(const Shape<3>& hull);

// Polygons around a hull. Both fail (empty) where no polygon of so few corners closes.
[[nodiscard]] Loop polygon_around(const Loop& hull, std::size_t corners);

}  // namespace colvik::fitting
