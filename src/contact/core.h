#pragma once
// A placed core: the box inside a shape before rounding, where two shapes are compared.
#include <colvik/shape.hpp>

#include <array>

namespace colvik::contact {

template <int D>
struct Core {
  Vec<D> centre;
  std::array<Vec<D>, D> axes;  // unit length
  Vec<D> half;                 // extents along the axes; zero for a point or a segment

  Core(const Shape<D>& shape, const Pose<D>& pose) : centre(pose.position), half(shape.core) {
    for (int i = 0; i < D; ++i) axes[i] = pose.rotation.axis(i);
  }
  [[nodiscard]] const Vec<D>& axis(int i) const { return axes[i]; }

  // The corner furthest along `direction`.
  [[nodiscard]] Vec<D> support(const Vec<D>& direction) const {
    Vec<D> corner = centre;
    for (int i = 0; i < D; ++i) corner += axis(i) * (direction.dot(axis(i)) < 0 ? -half[i] : half[i]);
    return corner;
  }
  // How far the core reaches from its centre along `direction`, either way.
  [[nodiscard]] double reach(const Vec<D>& direction) const {
    double sum = 0;
    for (int i = 0; i < D; ++i) sum += std::abs(direction.dot(axis(i))) * half[i];
    return sum;
  }
};

}  // namespace colvik::contact
