#pragma once
// Penetration depth: the shortest translation that separates two cores that touch or overlap.
#include "contact/core.h"
#include "contact/start.h"

namespace colvik::contact {

inline constexpr double kNever = std::numeric_limits<double>::infinity();

/// Of corners of a difference; in 2D a triangle.
template <int D>
struct Tetrahedron {
  std::array<Vec<D>, D + 1> point;
  std::array<CornerPair, D + 1> from;
};

template <int D>
struct Axis {
  Vec<D> normal = Vec<D>::Unit(0);  // unit, from a to b
  double gap = std::numeric_limits<double>::lowest();
  bool capped = false;  // the search was cut off; `gap` then parts them, but may be too long
  bool exact = false;   // no two points are nearer than `gap`, even if it is positive

  // Keeps the better of two, along a unit normal.
  void consider(const Vec<D>& along, double apart) {
    if (apart > gap) {
      normal = along;
      gap = apart;
      exact = false;
    }
  }
};

/// 2D, and boxes, triangles, segments and points: the separating axes (edge normals; face normals
/// and products of edges), which give the least depth exactly. Hulls, cylinders and cones: the
/// polytope grown outward in the difference of the two (van den Bergen, "Proximity queries and
/// penetration depth computation on 3D game objects", 2001), from a simplex that need not hold the
/// origin; of curved ones to a thousandth.
///
/// Separating axes stop at the first with a gap above `enough`, which need not be the best. `held`:
/// corners of a - b that hold the origin between them, for the polytope to start from. `start` is
/// set to the polytope, to continue from in the next step. In 2D to the two best axes and how far
/// they were ahead: while the two have moved by less than half of that since, no other can be
/// better, and only these are tested.
[[nodiscard]] Axis<2> deepest_axis(const Core<2>& a, const Core<2>& b, double enough = kNever,
                                   const Tetrahedron<2>* held = nullptr, Start<2>* start = nullptr);
[[nodiscard]] Axis<3> deepest_axis(const Core<3>& a, const Core<3>& b, double enough = kNever,
                                   const Tetrahedron<3>* held = nullptr, Start<3>* start = nullptr);

/// Whether a few separating axes suffice for two cores that touch or overlap: cheaper than a
/// search.
[[nodiscard]] inline bool has_few_axes(const Core<2>&, const Core<2>&) { return true; }
[[nodiscard]] inline bool has_few_axes(const Core<3>& a, const Core<3>& b) {
  const auto few = [](const Core<3>& c) { return c.flat_sided() && c.polytope == nullptr; };
  return few(a) && few(b);
}

}  // namespace colvik::contact
