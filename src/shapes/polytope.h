#pragma once
// The convex core of a segment, polygon, triangle or hull: its corners and what joins them.
#include <colvik/shape.hpp>

#include <bit>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <limits>
#include <span>
#include <utility>

#include "math/fetch.h"
#include "math/hash.h"

namespace colvik::shapes {

inline constexpr std::size_t kMostCornersOfPolygon = 64;
inline constexpr std::size_t kMostCornersOfHull = 256;

template <int D>
struct Polytope;

struct HullFace {
  Vec<3> normal;            // unit, outward
  double offset = 0;        // normal . x of its plane
  std::uint32_t first = 0;  // into Polytope::loops
  std::uint32_t count = 0;  // corners, counterclockwise seen from outside
};
struct HullEdge {
  std::uint32_t from = 0;
  std::uint32_t to = 0;
  std::uint32_t left = 0;
  std::uint32_t right = 0;  // faces; `left` runs along it from `from` to `to`
};

// An edge seen from one of its corners.
struct Spoke {
  std::uint8_t other = 0;
  bool outward = false;  // the corner is its `from`
};

// What a contact reads of a polytope, in one piece of memory.
class Laid {
 public:
  struct Ring {
    std::uint16_t first = 0;
    std::uint16_t count = 0;  // into loops()
  };
  // Lists by axis: all first coordinates, then all second ones and so on, each list rounded up to
  // whole rows by repeating the first.
  template <class T>
  static constexpr std::size_t row_of(std::size_t count) {
    constexpr std::size_t kWhole = 32 / sizeof(T);
    return (count + kWhole - 1) / kWhole * kWhole;
  }
  template <int D>
  void lay(const Polytope<D>& p);

  // Soon to be read.
  COLVIK_FETCHES void fetch() const { math::fetch(block_.data(), first_spokes_); }

  [[nodiscard]] const double* corners() const { return at<double>(0); }
  // 2D: the outward normals of the sides, x and y in turn, from the first corner on.
  [[nodiscard]] const double* sides() const { return at<double>(normals_); }
  // 2D: a hash of the corners, behind the normals of `count` sides.
  [[nodiscard]] static std::uint64_t hash(const double* sides, std::size_t count) {
    return std::bit_cast<std::uint64_t>(sides[2 * count]);
  }
  [[nodiscard]] const float* normals() const { return at<float>(normals_); }  // of the faces
  [[nodiscard]] const Ring& ring(std::size_t face) const { return at<Ring>(rings_)[face]; }
  [[nodiscard]] std::span<const std::uint8_t> loop(const Ring& ring) const {
    return {at<std::uint8_t>(loops_) + ring.first, ring.count};
  }
  // Of a corner, in the order of the edges.
  [[nodiscard]] std::span<const Spoke> spokes(std::size_t corner) const {
    const auto* first = at<std::uint16_t>(first_spokes_) + corner;
    return {at<Spoke>(spokes_) + first[0], at<Spoke>(spokes_) + first[1]};
  }

 private:
  template <class T>
  [[nodiscard]] const T* at(std::size_t offset) const {
    return reinterpret_cast<const T*>(block_.data() + offset);
  }
  template <class T>
  std::uint32_t append(const std::vector<T>& list) {
    const std::size_t offset = (block_.size() + alignof(T) - 1) / alignof(T) * alignof(T);
    block_.resize(offset + list.size() * sizeof(T));
    std::memcpy(block_.data() + offset, list.data(), list.size() * sizeof(T));
    return static_cast<std::uint32_t>(offset);
  }
  template <int D, class T, class At>
  std::uint32_t append_by_axis(std::size_t count, At&& vector) {
    std::vector<T> list;
    for (int i = 0; i < D; ++i)
      for (std::size_t k = 0; k < row_of<T>(count); ++k)
        list.push_back(static_cast<T>(vector(k < count ? k : 0)[i]));
    return append(list);
  }

  std::vector<std::byte> block_;
  std::uint32_t normals_ = 0;
  std::uint32_t rings_ = 0;
  std::uint32_t loops_ = 0;
  std::uint32_t first_spokes_ = 0;
  std::uint32_t spokes_ = 0;
};

template <int D>
struct Polytope {
  std::vector<Vec<D>> points;   // 2D: counterclockwise
  std::vector<HullFace> faces;  // 3D hulls
  std::vector<std::uint32_t> loops;
  std::vector<HullEdge> edges;
  Laid laid;  // made of these, once they are complete
};

template <int D>
void Laid::lay(const Polytope<D>& p) {
  block_.clear();
  append_by_axis<D, double>(p.points.size(), [&](std::size_t k) { return p.points[k]; });
  if constexpr (D == 2) {
    std::vector<double> sides;
    for (std::size_t i = 0; i < p.points.size(); ++i) {
      const Vec<2> edge = p.points[(i + 1) % p.points.size()] - p.points[i];
      const double length = edge.norm();
      sides.insert(sides.end(), {edge.y() / length, -edge.x() / length});
    }
    math::Hasher hash;
    for (const Vec<2>& corner : p.points) hash.add(corner);
    sides.push_back(std::bit_cast<double>(hash.value()));
    normals_ = append(sides);
  } else if (!p.faces.empty()) {
    normals_ =
        append_by_axis<3, float>(p.faces.size(), [&](std::size_t k) { return p.faces[k].normal; });
    std::vector<Ring> rings;
    for (const HullFace& f : p.faces)
      rings.push_back({static_cast<std::uint16_t>(f.first), static_cast<std::uint16_t>(f.count)});
    rings_ = append(rings);
    loops_ = append(std::vector<std::uint8_t>(p.loops.begin(), p.loops.end()));
    std::vector<std::uint16_t> first_spokes;
    std::vector<Spoke> spokes;
    for (std::size_t corner = 0; corner <= p.points.size(); ++corner) {
      first_spokes.push_back(static_cast<std::uint16_t>(spokes.size()));
      for (const HullEdge& e : p.edges)
        if (e.from == corner || e.to == corner)
          spokes.push_back(
              {static_cast<std::uint8_t>(e.from == corner ? e.to : e.from), e.from == corner});
    }
    first_spokes_ = append(first_spokes);
    spokes_ = append(spokes);
  }
}

/// Of vectors laid out by axis, the one furthest along a direction; the first of equals. Several at
/// a time.
[[nodiscard]] std::size_t furthest(const double* by_axis, std::size_t count,
                                   const Vec<2>& direction);
[[nodiscard]] std::size_t furthest(const double* by_axis, std::size_t count,
                                   const Vec<3>& direction);
[[nodiscard]] std::size_t furthest(const float* by_axis, std::size_t count,
                                   const Vec<3>& direction);

/// Corners laid out by axis, and the range to search.
struct CornersAlong {
  const double* by_axis;
  std::size_t count;
  Vec<3> direction;
};
/// The same of two lists, which takes less time than one after the other.
[[nodiscard]] std::pair<std::size_t, std::size_t> furthest_of_both(const CornersAlong& a,
                                                                   const CornersAlong& b);

/// The corners of the convex hull of `points`, counterclockwise; corners nearer than `tolerance` to
/// the line through their neighbours are left out. Source: Andrew, "Another efficient algorithm for
/// convex hulls in two dimensions" (1979).
[[nodiscard]] std::vector<Vec<2>> convex_corners(std::vector<Vec<2>> points, double tolerance);

/// The hull of a cloud with at most `budget` corners, taken outermost first, or nothing for a cloud
/// that is flat to within `tolerance`. Coplanar triangles are one face. Source: Barber, Dobkin and
/// Huhdanpaa, "The quickhull algorithm for convex hulls" (1996), with one queue for all faces.
[[nodiscard]] std::optional<Polytope<3>> convex_hull(std::span<const Vec<3>> points,
                                                     std::size_t budget, double tolerance);

/// Mass of the polytope grown by `radius`: its core, a slab on each face (2D: edge), a wedge on
/// each edge and a sector of a ball (disc) at each corner. The sectors of balls are integrated
/// numerically, to about 1e-4 of themselves.
template <int D>
[[nodiscard]] MassProperties<D> rounded_mass(const Polytope<D>& core, double radius);
template <>
MassProperties<2> rounded_mass(const Polytope<2>& core, double radius);
template <>
MassProperties<3> rounded_mass(const Polytope<3>& core, double radius);

/// The corners and faces of a box with these half extents.
[[nodiscard]] Polytope<3> box_polytope(const Vec<3>& half);

}  // namespace colvik::shapes
