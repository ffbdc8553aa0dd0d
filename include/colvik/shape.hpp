#pragma once
/// Collider shapes. Sizes are whole sizes, never half: a box of size (2, 1) is two wide and one
/// high.
///
/// A ball, box, capsule, cylinder and cone is centred on the origin of its collider, the long axis
/// of the last three along y. Segments, polygons and hulls are placed by their points.

#include <colvik/export.hpp>
#include <colvik/pose.hpp>
#include <colvik/result.hpp>

#include <array>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace colvik {

enum class ShapeKind {
  // convex
  ball,
  box,
  capsule,
  segment,
  polygon,
  cylinder,
  cone,
  hull,
  // made of convex pieces
  compound,
  outline,
  polyline,
  tiles,
  mesh,
  heights,
  half_space  ///< "half-plane" in 2D
};

namespace shapes {
template <int D>
struct Polytope;
template <int D>
struct Assembly;
struct TileGrid;
}  // namespace shapes

/// A convex core grown by a radius, or many convex pieces. It is checked where it is given to a
/// world. Cheap to copy: large parts are shared and immutable.
template <int D>
struct Shape {
  // First what contacts read of every shape, close together.
  ShapeKind kind = ShapeKind::ball;
  Vec<D> core = kZero;                                   ///< half extents of the core's bounds
  double radius = 0;                                     ///< of the rounding around the core
  std::shared_ptr<const shapes::Polytope<D>> corners{};  ///< of a segment, polygon or hull
  std::shared_ptr<const shapes::Assembly<D>> parts{};    ///< of shapes made of pieces
  std::shared_ptr<const shapes::TileGrid> tiles{};       ///< of a tile grid: what it was drawn as
  Vec<D> middle = kZero;                                 ///< of the core's bounds
};

/// Whether it is one convex body (a half-space is not).
template <int D>
[[nodiscard]] bool is_convex(const Shape<D>& shape) {
  return shape.parts == nullptr && shape.kind != ShapeKind::half_space;
}
/// Whether it has no inside to take a mass from, or no end: a half-space, polyline, tile grid, mesh
/// or height field. Such a solid cannot be on a dynamic object.
[[nodiscard]] constexpr bool is_scenery(ShapeKind kind) { return kind >= ShapeKind::polyline; }

/// Disc of the given diameter.
[[nodiscard]] COLVIK_EXPORT Shape<2> circle(double diameter);
/// Ball of the given diameter.
[[nodiscard]] COLVIK_EXPORT Shape<3> sphere(double diameter);
/// Box of the given width and height (and depth).
[[nodiscard]] COLVIK_EXPORT Shape<2> box(double width, double height);
[[nodiscard]] COLVIK_EXPORT Shape<3> box(double width, double height, double depth);
/// Stadium (2D) or pill (3D) of the given width, and height with both round ends; height >= width.
template <int D>
[[nodiscard]] COLVIK_EXPORT Shape<D> capsule(double width, double height);
/// Cylinder of the given diameter and height.
[[nodiscard]] COLVIK_EXPORT Shape<3> cylinder(double diameter, double height);
/// Cone with its tip up: `diameter` of the base, `height` from base to tip; half of it above the
/// origin.
[[nodiscard]] COLVIK_EXPORT Shape<3> cone(double diameter, double height);

/// What a maker mended, in plain words ("corner 3 repeats corner 2 and was left out").
using Mended = std::vector<std::string>;

/// Line from one point to another. It has no mass unless rounded. Fails when the two are the same.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<Shape<D>> segment(const Vec<D>& from, const Vec<D>& to);
/// Convex polygon of 3 to 64 corners. Clockwise corners are turned round, repeated ones and those
/// on the line between their neighbours left out, and reported in `mended`. Fails, naming the
/// corner, on values that are not finite, all corners on a line, crossing sides, and corners that
/// bend inward.
[[nodiscard]] COLVIK_EXPORT Result<Shape<2>> polygon(std::span<const Vec<2>> corners,
                                                     Mended* mended = nullptr);
/// Convex hull of a cloud, of at most `budget` corners (4 to 256), the outermost first, so that a
/// smaller budget gives a smaller hull. Fails on a cloud that is empty, not finite or flat.
[[nodiscard]] COLVIK_EXPORT Result<Shape<3>> hull(std::span<const Vec<3>> cloud,
                                                  std::size_t budget = 64);
/// The body between slabs around a cloud: along each of 3 (a box), 7 (with the corners cut) or 13
/// (with the edges cut too) fixed directions it reaches as far as the cloud. Encloses the cloud.
[[nodiscard]] COLVIK_EXPORT Result<Shape<3>> slabs(std::span<const Vec<3>> cloud,
                                                   int directions = 13);

/// A shape in another's frame.
template <int D>
struct Placed {
  Shape<D> shape{};
  Vec<D> at = kZero;
  Rotation<D> turned = kUnturned;
};
/// Several shapes as one. Fails on none, and on children that are scenery.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<Shape<D>> compound(std::span<const Placed<D>> children);
/// The convex shapes a compound is made of; of other shapes none.
template <int D>
[[nodiscard]] COLVIK_EXPORT std::vector<Placed<D>> convex_children(const Shape<D>& compound);
/// Any outline without crossings, with holes: split into few convex parts. Repeated corners are
/// left out, loops turned the right way round, and reported in `mended`. Fails, naming loop and
/// corner, on crossing sides, holes outside, values that are not finite, and more than 2000
/// corners.
[[nodiscard]] COLVIK_EXPORT Result<Shape<2>> outlined(
    std::span<const Vec<2>> corners, std::span<const std::vector<Vec<2>>> holes = {},
    Mended* mended = nullptr);
struct PolylineOptions {
  bool closed = false;  ///< the last point is joined to the first
  /// Otherwise solid from its left only, seen from the first point to the last.
  bool two_sided = false;
};
/// Line through points, smooth: nothing that slides along it feels its inner points. No mass.
[[nodiscard]] COLVIK_EXPORT Result<Shape<2>> polyline(std::span<const Vec<2>> points,
                                                      const PolylineOptions& options = {},
                                                      Mended* mended = nullptr);
/// Cells of `cell` size as drawn, top row first, the lower left corner of the grid at the origin:
/// '#' solid, '.' or ' ' empty, '/' and '\\' slopes solid beneath, '-' solid at its top for what
/// comes from above. One collider, smooth along its surface. No mass. `with_tile` gives a copy with
/// one cell changed (columns count from the left, rows from the bottom, from 0).
[[nodiscard]] COLVIK_EXPORT Result<Shape<2>> tiles(std::span<const std::string> rows,
                                                   const Vec<2>& cell);
[[nodiscard]] COLVIK_EXPORT Result<Shape<2>> with_tile(const Shape<2>& tiles, int column, int row,
                                                       char what);
/// Everything on and below y = 0 of its own frame, unbounded. No mass.
template <int D>
[[nodiscard]] Shape<D> half_space() {
  Shape<D> s;
  s.kind = ShapeKind::half_space;
  return s;
}
/// Surface of triangles (corner indices, counterclockwise seen from outside), solid from outside
/// only unless two-sided, smooth over its inner edges. No mass. Triangles without an area are left
/// out and points at the same place are joined, and reported in `mended`. Fails, naming the
/// triangle, on indices out of range, and on values that are not finite.
[[nodiscard]] COLVIK_EXPORT Result<Shape<3>> mesh(
    std::span<const Vec<3>> points, std::span<const std::array<std::uint32_t, 3>> triangles,
    bool two_sided = false, Mended* mended = nullptr);
/// Heights (y) over a grid: columns along x, rows along z, `cell` the distances between; the first
/// height at the origin, then along x. Solid from above, smooth. No mass.
[[nodiscard]] COLVIK_EXPORT Result<Shape<3>> heights(int columns, int rows, const Vec<2>& cell,
                                                     std::span<const double> heights);

/// The shape with all its lengths times `by`, about its own origin. Requires: by > 0.
template <int D>
[[nodiscard]] COLVIK_EXPORT Shape<D> scaled(const Shape<D>& shape, double by);

/// The shape as in a mirror across its y axis (3D: the plane of y and z). Fails on tile grids,
/// meshes and height fields.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<Shape<D>> mirrored(const Shape<D>& shape);
[[nodiscard]] COLVIK_EXPORT Rotation<2> mirrored(const Rotation<2>& turned);
[[nodiscard]] COLVIK_EXPORT Rotation<3> mirrored(const Rotation<3>& turned);

/// The shape grown by `by` on all sides, its corners and edges round. Requires: convex, by >= 0.
template <int D>
[[nodiscard]] Shape<D> rounded(Shape<D> shape, double by) {
  shape.radius += by;
  return shape;
}

/// Name of the kind as scene files spell it: a ball is "circle" in 2D and "sphere" in 3D.
template <int D>
[[nodiscard]] COLVIK_EXPORT std::string_view shape_name(ShapeKind kind);

/// Largest and smallest size accepted, in metres.
inline constexpr double kSmallestSize = 1e-5;
inline constexpr double kLargestSize = 1e7;

/// Fails on NaN, infinite, zero, negative or absurd sizes and on a capsule lower than wide.
/// `metre` is the number of user's units in a metre.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<void> check_shape(const Shape<D>& shape, double metre);

/// Area (2D) or volume (3D), centre, and moment of inertia about it, for a density of one.
template <int D>
struct MassProperties {
  double volume = 0;
  Vec<D> centre = kZero;  ///< of mass, in the shape's frame
  Inertia<D> inertia = Inertia<D>::Zero();
};
/// Closed form; exact up to rounding, but for the corners of a rounded 3D shape with edges, which
/// are integrated to 1e-4 of themselves. Source: any table of moments of inertia; polygons and
/// hulls are sums of simplices.
template <int D>
[[nodiscard]] COLVIK_EXPORT MassProperties<D> mass_properties(const Shape<D>& shape);
template <>
COLVIK_EXPORT MassProperties<2> mass_properties(const Shape<2>& shape);
template <>
COLVIK_EXPORT MassProperties<3> mass_properties(const Shape<3>& shape);

/// The tightest axis-aligned bounds of the shape at `pose`.
template <int D>
[[nodiscard]] COLVIK_EXPORT Bounds<D> bounds(const Shape<D>& shape, const Pose<D>& pose);

/// The lines of a shape in its own frame. Round parts are short chords (32 to a full turn); loops
/// end with their first point. A half-space is drawn 1000 long.
[[nodiscard]] COLVIK_EXPORT std::vector<std::vector<Vec<2>>> outlines(const Shape<2>& shape);
/// Convex closed loops that together cover the inside of a shape; none for what has no inside.
[[nodiscard]] COLVIK_EXPORT std::vector<std::vector<Vec<2>>> fills(const Shape<2>& shape);

/// The edges of a 3D shape and, where it is round, its rings, as line segments in its
/// own frame, each with the directions of the surface on both sides (for telling hidden lines).
struct Edge3 {
  Vec<3> from;
  Vec<3> to;
  Vec<3> side_a;
  Vec<3> side_b;
};
[[nodiscard]] COLVIK_EXPORT std::vector<Edge3> edges(const Shape<3>& shape);

/// The triangles of a mesh or height field, counterclockwise seen from outside; of others none.
[[nodiscard]] COLVIK_EXPORT std::vector<std::array<Vec<3>, 3>> triangles(const Shape<3>& shape);

/// Gap between two shapes at these poses; below 0: minus the depth. Of those further apart than
/// `beyond`, some gap above it. Surfaces (segments, meshes) have no inside. O(1) for convex shapes.
template <int D>
[[nodiscard]] COLVIK_EXPORT double gap_between(const Shape<D>& a, const Pose<D>& at_a,
                                               const Shape<D>& b, const Pose<D>& at_b,
                                               double beyond);

}  // namespace colvik
