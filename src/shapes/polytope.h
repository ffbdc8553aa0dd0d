#pragma once
// The convex core of a segment, polygon, triangle or hull: its corners and what joins them.
#include <colvik/shape.hpp>

#include <cstdint>
#include <span>

namespace colvik::shapes {

inline constexpr std::size_t kMostCornersOfPolygon = 64, kMostCornersOfHull = 256;

struct HullFace {
  Vec<3> normal;            // unit, outward
  double offset = 0;        // normal . x of its plane
  std::uint32_t first = 0;  // into Polytope::loops
  std::uint32_t count = 0;  // corners, counterclockwise seen from outside
};
struct HullEdge {
  std::uint32_t from = 0, to = 0;
  std::uint32_t left = 0, right = 0;  // faces; `left` runs along it from `from` to `to`
};

template <int D>
struct Polytope {
  std::vector<Vec<D>> points;   // 2D: counterclockwise
  std::vector<HullFace> faces;  // 3D hulls
  std::vector<std::uint32_t> loops;
  std::vector<HullEdge> edges;
};

/// The corners of the convex hull of `points`, counterclockwise; corners nearer than `tolerance` to
/// the line through their neighbours are left out. Source: Andrew, "Another efficient algorithm for
/// convex hulls in two dimensions" (1979).
[[nodiscard]] std::vector<Vec<2>> convex_corners(std::vector<Vec<2>> points, double tolerance);

/// The hull of a cloud with at most `budget` corners, taken outermost first, or nothing for a cloud
/// that is flat to within `tolerance`. Coplanar triangles are one face. Source: Barber, Dobkin and
/// Huhdanpaa, "The quickhull algorithm for convex hulls" (1996), with one queue for all faces.
[[nodiscard]] std::optional<Polytope<3>> convex_hull(std::span<const Vec<3>> points, std::size_t budget,
                                                     double tolerance);

/// Mass of the polytope grown by `radius`: its core, a slab on each face (2D: edge), a wedge on each
/// edge and a sector of a ball (disc) at each corner. The sectors of balls are integrated numerically,
/// to about 1e-4 of themselves.
template <int D>
[[nodiscard]] MassProperties<D> rounded_mass(const Polytope<D>& core, double radius);

/// The corners and faces of a box with these half extents.
[[nodiscard]] Polytope<3> box_polytope(const Vec<3>& half);

}  // namespace colvik::shapes
