#pragma once
// How far apart two convex shapes are, or how deep inside each other.
#include <colvik/shape.hpp>

#include "contact/core.h"
#include "contact/start.h"

namespace colvik::contact {

template <int D>
struct Separation {
  double gap = 0;  // between the surfaces; negative: the depth along `normal`
  Vec<D> normal;   // unit, from a to b
  Vec<D> on_a;
  Vec<D> on_b;             // the points of the surfaces that are nearest (or deepest)
  bool capped = false;     // a search was cut off before it had converged
  bool has_points = true;  // on_a and on_b are set
};

/// Gap between two placed cores with their roundings. Points and segments beside each other or
/// beside boxes: closed.h.
///
/// Cores apart: Gilbert, Johnson and Keerthi, "A fast procedure for computing the distance between
/// complex objects in three-dimensional space" (1988), with every face of the simplex tried.
/// Cores touching or overlapping: see depth.h. Concentric balls have no unique normal: +x is
/// returned. Never NaN for accepted shapes.
template <int D>
[[nodiscard]] Separation<D> separation(const Core<D>& a, const Core<D>& b);

/// The same where only a gap up to `beyond` matters: of a larger one a bound above it is returned,
/// at the first plane that shows it. Without on_a and on_b of overlapping cores, which cost a
/// second search. `start`: from the same call of the last step; updated, or left alone where no
/// search was needed.
template <int D>
[[nodiscard]] Separation<D> separation_within(const Core<D>& a, const Core<D>& b, double beyond,
                                              Start<D>* start);

/// The same for shape `a` at the origin and shape `b` at `b_in_a`, all in a's frame.
template <int D>
[[nodiscard]] Separation<D> separation(const Shape<D>& a, const Shape<D>& b,
                                       const Pose<D>& b_in_a) {
  return separation(Core<D>(a), Core<D>(b, b_in_a));
}

}  // namespace colvik::contact
