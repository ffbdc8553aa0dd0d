#pragma once
// Any two shapes: those made of many pieces are taken piece by piece.
#include <vector>

#include "contact/distance.h"
#include "contact/manifold.h"

namespace colvik::contact {

/// As separation() of convex shapes, for the two pieces that are nearest or deepest in each other.
/// When they are further apart than `beyond`, some gap above it. Surfaces have no inside, and here
/// no side either: in front and behind count alike. Two half-spaces are always apart.
template <int D>
[[nodiscard]] Separation<D> nearest(const Shape<D>& a, const Shape<D>& b, const Pose<D>& b_in_a,
                                    double beyond);

/// All contact between solids, as manifolds with different normals; `out` is cleared first. Smooth
/// along surfaces and across the pieces of an outline or a tile grid: a normal leans over the side
/// of a piece only where the surface itself bends there. Method: of a normal that leans further,
/// the piece's own outer normal is taken instead, and the other shape's face clipped to that piece;
/// manifolds with the same normal are then joined. `start`: as of separation_within(), for shapes
/// that go_on(). Of two convex shapes, `found` is as of manifold(); of others it is left alone.
template <int D>
void collide(const Shape<D>& a, const Shape<D>& b, const Pose<D>& b_in_a, double margin,
             double flat, std::vector<Manifold<D>>& out, Start<D>* start = nullptr,
             Separation<D>* found = nullptr);

/// Whether b is behind every piece of the surface a that it may touch within `margin`, and there
/// are some.
template <int D>
[[nodiscard]] bool is_behind(const Shape<D>& a, const Shape<D>& b, const Pose<D>& b_in_a,
                             double margin);

/// Whether contact of the two is searched from scratch unless it starts from the last: two convex
/// shapes in 3D, one of them a hull, cylinder or cone.
template <int D>
[[nodiscard]] bool go_on(const Shape<D>& a, const Shape<D>& b);

}  // namespace colvik::contact
