#pragma once
// When a moving shape first touches another.
#include <optional>
#include <span>
#include <vector>

#include "contact/core.h"

namespace colvik::contact {

/// How shape b moves while t goes from 0 to 1, in the frame of the shape that stands still: its
/// origin along a line, and evenly about its origin.
template <int D>
struct Course {
  Pose<D> start{};
  Vec<D> move = kZero;
  Spin<D> turn = kZero;
  bool through_one_way = false;  // one-way cells are ignored

  [[nodiscard]] Pose<D> at(double t) const {
    return {start.position + t * move, Rotation<D>::from_spin(t * turn) * start.rotation};
  }
};

template <int D>
struct Impact {
  double t = 0;         // 0 to 1
  Vec<D> normal;        // unit, from the standing shape to the moving one
  Vec<D> point;         // halfway between the surfaces
  double gap = 0;       // left between them then; negative when they overlap from the start
  bool inside = false;  // they overlap already at t = 0
  bool capped = false;  // the search was cut off; t is early, never late
};

/// Bounds at the start of the course that hold the shape also as it is turned later: swept along
/// `move` they hold every place it takes.
template <int D>
[[nodiscard]] Bounds<D> bounds_on_course(const Shape<D>& shape, const Course<D>& course);

/// The first t at which the shapes are no further apart than a ten millionth of the displacement or
/// of the size (whichever is more); never late. Shapes that touch at the start and move along or
/// away do not count; shapes that overlap there count at t = 0. One-sided surfaces are hit from
/// their front only. Hits after `limit`, of 0 to 1, may be left out. Method: conservative
/// advancement (Mirtich, "Impulse-based dynamic simulation of rigid body systems", 1996): the slab
/// between the two cannot close faster than the motion allows; a plain translation closes it in one
/// stride.
template <int D>
[[nodiscard]] std::optional<Impact<D>> first_touch(const Shape<D>& a, const Shape<D>& b,
                                                   const Course<D>& course, double limit = 1);

/// The same for points that move without turning, which takes less time than one by one where a has
/// many parts: they are advanced interleaved.
template <int D>
[[nodiscard]] std::vector<std::optional<Impact<D>>> first_touches(const Shape<D>& a,
                                                                  std::span<const Course<D>> lines);

}  // namespace colvik::contact
