#pragma once
// The convex core of a segment, polygon, triangle or hull: its corners and what joins them.
#include <colvik/shape.hpp>

#include <cstdint>
#include <limits>
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
  std::vector<Vec<D>> points;           // 2D: counterclockwise
  std::vector<double> by_axis;          // of the points, for furthest()
  std::vector<HullFace> faces;          // 3D hulls
  std::vector<double> normals_by_axis;  // of the faces, for furthest()
  std::vector<std::uint32_t> loops;
  std::vector<HullEdge> edges;
};

/// All first coordinates, then all second ones and so on, each list rounded up to whole fours by
/// repeating the first.
template <int D, class At>
std::vector<double> laid_by_axis(std::size_t count, At&& at) {
  std::vector<double> out;
  for (int i = 0; i < D; ++i)
    for (std::size_t k = 0; k < (count + 3) / 4 * 4; ++k) out.push_back(at(k < count ? k : 0)[i]);
  return out;
}

/// Of vectors laid out by laid_by_axis, the one furthest along a direction; the first of equals. Several
/// at a time.
template <int D>
[[nodiscard]] std::size_t furthest(const double* by_axis, std::size_t count, const Vec<D>& direction);
template <>
std::size_t furthest(const double* by_axis, std::size_t count, const Vec<2>& direction);
template <>
std::size_t furthest(const double* by_axis, std::size_t count, const Vec<3>& direction);

/// Fills in the lists by axis.
template <int D>
void lay_out(Polytope<D>& p) {
  p.by_axis = laid_by_axis<D>(p.points.size(), [&](std::size_t k) { return p.points[k]; });
  if constexpr (D == 3)
    if (!p.faces.empty())
      p.normals_by_axis = laid_by_axis<3>(p.faces.size(), [&](std::size_t k) { return p.faces[k].normal; });
}

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
