#pragma once
// Shapes to bytes and back, bit by bit: not rebuilt from what they were made of.
#include "math/bytes.h"
#include "shapes/assembly.h"
#include "shapes/polytope.h"
#include "shapes/tile_grid.h"

namespace colvik {

template <class A, int D>
void pack(A& a, MassProperties<D>& m) {
  a(m.volume, m.centre, m.inertia);
}
template <class A, int D>
void pack(A& a, Shape<D>& s);

namespace shapes {

template <class A>
void pack(A& a, HullFace& f) {
  a(f.normal, f.offset, f.first, f.count);
}
template <class A>
void pack(A& a, HullEdge& e) {
  a(e.from, e.to, e.left, e.right);
}
template <class A, int D>
void pack(A& a, Polytope<D>& p) {
  a(p.points, p.faces, p.loops, p.edges);
  if constexpr (A::kUnpacks) {
    const auto out_of = [](std::uint32_t index, const auto& list) { return index >= list.size(); };
    for (const HullFace& f : p.faces)
      if (f.count > p.loops.size() || f.first > p.loops.size() - f.count) return a.fail();
    for (const std::uint32_t corner : p.loops)
      if (out_of(corner, p.points)) return a.fail();
    for (const HullEdge& e : p.edges)
      if (out_of(e.from, p.points) || out_of(e.to, p.points) || out_of(e.left, p.faces) ||
          out_of(e.right, p.faces))
        return a.fail();
    if (p.points.size() > kMostCornersOfHull) return a.fail();
    if (a.good() && !p.points.empty()) p.laid.lay(p);
  }
}
template <class A, int D>
void pack(A& a, Front<D>& f) {
  a(f.corner);
}
template <class A, int D>
void pack(A& a, Piece<D>& p) {
  a(p.first_corner, p.corners, p.child, p.first_front, p.fronts);
}
template <class A, int D>
void pack(A& a, Child<D>& c) {
  a(c.shape, c.pose);
}
// Whether all indices are of what is there.
template <int D>
[[nodiscard]] bool fits(const Assembly<D>& x) {
  const auto within = [](std::uint32_t first, std::uint32_t count, std::size_t size) {
    return count <= size && first <= size - count;
  };
  for (const std::uint32_t corner : x.corner_list)
    if (corner >= x.points.size()) return false;
  for (const Piece<D>& p : x.pieces)
    if (!within(p.first_corner, p.corners, x.corner_list.size()) ||
        !within(p.first_front, p.fronts, x.fronts.size()) ||
        p.child >= static_cast<std::int64_t>(x.children.size()))
      return false;
  for (const Front<D>& f : x.fronts)
    for (const std::uint32_t corner : f.corner)
      if (corner >= x.points.size()) return false;
  for (const Child<D>& c : x.children)
    if (!is_convex(c.shape)) return false;
  return true;
}
template <class A, int D>
void pack(A& a, Assembly<D>& x) {
  a(x.points, x.corner_list, x.pieces, x.fronts, x.children, x.surface, x.two_sided, x.mass,
    x.lines);
  if constexpr (A::kUnpacks) {
    if (a.good() && fits(x)) x.finish();
    else a.fail();
  }
}
template <class A>
void pack(A& a, TileGrid& t) {
  a(t.cells, t.cell);
}

}  // namespace shapes

template <class A, int D>
void pack(A& a, Shape<D>& s) {
  a(s.kind, s.core, s.radius, s.middle);
  a.shared(s.corners, [&](shapes::Polytope<D>& p) { a(p); });
  a.shared(s.parts, [&](shapes::Assembly<D>& p) { a(p); });
  a.shared(s.tiles, [&](shapes::TileGrid& t) { a(t); });
}

}  // namespace colvik
