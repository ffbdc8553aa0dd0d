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
  if constexpr (A::kUnpacks)
    if (!p.points.empty()) p.laid.lay(p);
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
template <class A, int D>
void pack(A& a, Assembly<D>& x) {
  a(x.points, x.corner_list, x.pieces, x.fronts, x.children, x.surface, x.two_sided, x.mass,
    x.lines);
  if constexpr (A::kUnpacks)
    if (a.good()) x.finish();
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
