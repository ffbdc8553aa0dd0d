#pragma once
// Where two shapes touch: a normal and a few points with stable ids.
#include <algorithm>
#include <cstdint>

#include "contact/distance.h"
#include "contact/start.h"

namespace colvik::contact {

template <int D>
inline constexpr int kMostPoints = D == 2 ? 2 : 4;

template <int D>
struct ContactPoint {
  // Not set by default: there is room for many.
  Vec<D> position;   // halfway between the surfaces, in a's frame
  double gap;        // along the normal; negative: overlap
  std::uint32_t id;  // which corners and edges made it; the same from step to step
};

template <int D>
struct Manifold {
  Vec<D> normal = Vec<D>::Unit(0);  // unit, from a to b, in a's frame
  int count = 0;
  std::uint32_t one_way = 0;  // of a one-way piece: its number, from 1
  std::array<ContactPoint<D>, kMostPoints<D>> points;

  /// The deepest point's gap; `most` if no point is nearer.
  [[nodiscard]] double least_gap(double most) const {
    double gap = most;
    for (int k = 0; k < count; ++k) gap = std::min(gap, points[static_cast<std::size_t>(k)].gap);
    return gap;
  }
};

/// The contact points of two placed cores with their roundings that are no further apart than
/// `margin`. Faces count as facing each other when they are parallel to within `flat` (a length:
/// how much one end of a face may lie behind the other). Empty when the shapes are further apart.
/// Method: the features facing along the normal are clipped against each other (Sutherland and
/// Hodgman, "Reentrant polygon clipping", 1974); of more than two (2D) or four
/// (3D) points those stay that span most. `start`: as of separation_within(), whose result is
/// stored in `found` if that is given.
template <int D>
[[nodiscard]] Manifold<D> manifold(const Core<D>& a, const Core<D>& b, double margin, double flat,
                                   Start<D>* start = nullptr, Separation<D>* found = nullptr);

/// The same for shape `a` at the origin and shape `b` at `b_in_a`, all in a's frame.
template <int D>
[[nodiscard]] Manifold<D> manifold(const Shape<D>& a, const Shape<D>& b, const Pose<D>& b_in_a,
                                   double margin, double flat, Start<D>* start = nullptr,
                                   Separation<D>* found = nullptr) {
  return manifold(Core<D>(a), Core<D>(b, b_in_a), margin, flat, start, found);
}

}  // namespace colvik::contact
