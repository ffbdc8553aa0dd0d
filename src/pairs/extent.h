#pragma once
#include <colvik/shape.hpp>

#include <utility>

namespace colvik::world {

// From where to where a shape lies along a direction of unit length.
template <int D>
[[nodiscard]] std::pair<double, double> extent_along(const Shape<D>& shape, const Pose<D>& pose,
                                                     const Vec<D>& direction) {
  Pose<D> frame;  // whose x axis is the direction
  if constexpr (D == 2) {
    frame.rotation = Rotation<2>(angle_of(direction.y(), direction.x()));
  } else {
    const Vec<3> axis = cross(Vec<3>(1, 0, 0), direction);
    const double sine = axis.norm();
    if (sine > 1e-12) frame.rotation = Rotation<3>(axis, angle_of(sine, direction.x()));
    else if (direction.x() < 0) frame.rotation = Rotation<3>(Vec<3>(0, 1, 0), kPi);
  }
  const Bounds<D> box = bounds(shape, frame.relative(pose));
  return {box.lo[0], box.hi[0]};
}

}  // namespace colvik::world
