#pragma once
/// Collider shapes. Sizes are whole sizes, never half: a box of size (2, 1) is two wide and one high.
///
/// A shape is centred on the origin of its collider. A capsule's long axis is y in 2D and in 3D.

#include <colvik/pose.hpp>
#include <colvik/result.hpp>

#include <string_view>
#include <vector>

namespace colvik {

enum class ShapeKind { ball, box, capsule };

/// A convex shape: a box-shaped core (some of whose extents may be zero), grown by a radius.
/// Plain data; it is checked where it is given to a world.
template <int D>
struct Shape {
  ShapeKind kind = ShapeKind::ball;
  Vec<D> core = kZero;  ///< half extents of the core
  double radius = 0;    ///< of the rounding around the core
};

/// Disc of the given diameter.
[[nodiscard]] Shape<2> circle(double diameter);
/// Ball of the given diameter.
[[nodiscard]] Shape<3> sphere(double diameter);
/// Box of the given width and height (and depth).
[[nodiscard]] Shape<2> box(double width, double height);
[[nodiscard]] Shape<3> box(double width, double height, double depth);
/// Stadium (2D) or pill (3D) of the given width, and height with both round ends; height >= width.
template <int D>
[[nodiscard]] Shape<D> capsule(double width, double height);

/// Name of the kind as scene files spell it: a ball is "circle" in 2D and "sphere" in 3D.
template <int D>
[[nodiscard]] std::string_view shape_name(ShapeKind kind);

/// Largest and smallest size accepted, in metres.
inline constexpr double kSmallestSize = 1e-5, kLargestSize = 1e7;

/// Fails on NaN, infinite, zero, negative or absurd sizes and on a capsule lower than wide.
/// `metre` is the number of user's units in a metre.
template <int D>
[[nodiscard]] Result<void> check_shape(const Shape<D>& shape, double metre);

/// Area (2D) or volume (3D), and the moment of inertia about the centre for a density of one.
template <int D>
struct MassProperties {
  double volume = 0;
  Inertia<D> inertia = Inertia<D>::Zero();
};
/// Closed form; exact up to rounding. Source: any table of moments of inertia; the capsule is a
/// cylinder and two half balls moved by the parallel axis theorem.
template <int D>
[[nodiscard]] MassProperties<D> mass_properties(const Shape<D>& shape);

/// The tightest axis-aligned bounds of the shape at `pose`.
template <int D>
[[nodiscard]] Bounds<D> bounds(const Shape<D>& shape, const Pose<D>& pose);

/// Closed outline of a 2D shape in its own frame, counterclockwise, round parts as short chords
/// (32 to a full turn).
[[nodiscard]] std::vector<Vec<2>> outline(const Shape<2>& shape);

/// The 12 edges of a 3D shape's core box and, for round shapes, its rings, as line segments in its
/// own frame, each with the directions of the surface on both sides (for telling hidden lines).
struct Edge3 {
  Vec<3> from, to;
  Vec<3> side_a, side_b;
};
[[nodiscard]] std::vector<Edge3> edges(const Shape<3>& shape);

}  // namespace colvik
