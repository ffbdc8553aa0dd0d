#pragma once
// What a shape of many pieces is made of: convex pieces in a tree, and the smooth surface they
// form.
#include <colvik/shape.hpp>

#include "index/tree.h"
#include "math/many.h"

namespace colvik::shapes {

// A piece of surface: a segment (2D) or a triangle (3D) with an outside. A contact's normal may
// lean from the surface's own over side k (2D: beyond end k; 3D: over the edge from corner k to the
// next) by no more than to the next front's normal; where that one lies in the same plane (0) or
// bends inward
// (-1), by nothing. So what slides along meets no inner edges.
template <int D>
struct Front {
  std::array<std::uint32_t, D>
      corner{};  // 2D: outside to the right of corner 0 to 1; 3D: counterclockwise from outside
  std::array<double, D> lean{};         // largest normal . (direction outward over side k); 1: free
  std::array<double, D> lean_behind{};  // the same for the other side of a two-sided surface
};

template <int D>
using FlatCorners = std::array<Vec<D>, D>;

template <int D>
struct Piece {
  std::uint32_t first_corner = 0;
  std::uint32_t corners = 0;  // into Assembly::corner_list, or:
  std::int32_t child = -1;    // into Assembly::children
  std::uint32_t first_front = 0;
  std::uint32_t fronts = 0;
};

template <int D>
struct Child {
  Shape<D> shape;
  Pose<D> pose;
};

template <int D>
struct Assembly {
  std::vector<Vec<D>> points;
  std::vector<std::uint32_t> corner_list;
  std::vector<Piece<D>> pieces;
  std::vector<Front<D>> fronts;
  std::vector<Child<D>> children;
  math::Many<FlatCorners<D>> flats;  // of a surface, by front: what is tested first, in one place
  index::Tree<D> tree;               // over the pieces
  Bounds<D> bounds;                  // of all of them
  // Pieces are segments or triangles, without an inside, each the front of its number.
  bool surface = false;
  bool two_sided = false;  // of a surface: solid from both sides
  MassProperties<D> mass;
  std::vector<std::vector<Vec<D>>>
      lines;  // for drawing; 2D loops are closed by their first point again

  [[nodiscard]] FlatCorners<D> flat(const Front<D>& f) const {
    FlatCorners<D> out;
    for (int k = 0; k < D; ++k) out[k] = points[f.corner[k]];
    return out;
  }
  [[nodiscard]] static Vec<D> normal(const FlatCorners<D>& at) {
    const Vec<D> along = at[1] - at[0];
    if constexpr (D == 2) return Vec<2>(along.y(), -along.x()).normalized();
    else return cross(along, Vec<3>(at[2] - at[0])).normalized();
  }
  [[nodiscard]] Vec<D> normal(const Front<D>& f) const { return normal(flat(f)); }
  // Outward over side k, in the front's plane.
  [[nodiscard]] Vec<D> outward(const Front<D>& f, const Vec<D>& normal, int k) const {
    if constexpr (D == 2) {
      static_cast<void>(normal);
      return (points[f.corner[k]] - points[f.corner[1 - k]]).normalized();
    } else {
      return cross(Vec<3>(points[f.corner[(k + 1) % 3]] - points[f.corner[k]]), normal)
          .normalized();
    }
  }
  // Builds the tree, sets `lean` from which fronts meet, and lays out `flats`. Call once all pieces
  // are there.
  void finish();
};

/// A piece as a shape of its own, placed in the assembly's frame.
template <int D>
[[nodiscard]] Child<D> as_child(const Assembly<D>& all, const Piece<D>& piece);

/// A shape of the assembly's pieces.
template <int D>
Shape<D> of_parts(ShapeKind kind, Assembly<D> assembly);

/// The triangles of a simple polygon with holes as corner indices, and convex parts of up to 64
/// corners made of them by leaving out inner edges (Hertel and Mehlhorn, "Fast triangulation of the
/// plane with respect to simple polygons", 1985). Fat triangles are cut off first, then edges are
/// flipped to the better of two diagonals (Lawson, 1977). Outer loop counterclockwise, holes
/// clockwise.
[[nodiscard]] std::vector<std::vector<std::uint32_t>> convex_parts(
    const std::vector<Vec<2>>& points, const std::vector<std::vector<std::uint32_t>>& loops);

}  // namespace colvik::shapes
