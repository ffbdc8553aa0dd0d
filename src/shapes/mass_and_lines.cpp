// From a shape's kind to its own file.
#include "shapes/shapes.h"

namespace colvik {

template <int D>
MassProperties<D> mass_properties(const Shape<D>& shape) {
  switch (shape.kind) {
    case ShapeKind::ball: return shapes::ball_mass(shape);
    case ShapeKind::box: return shapes::box_mass(shape);
    default: return shapes::capsule_mass(shape);
  }
}
template MassProperties<2> mass_properties(const Shape<2>&);
template MassProperties<3> mass_properties(const Shape<3>&);

std::vector<Vec<2>> outline(const Shape<2>& shape) {
  const Vec<2>& h = shape.core;
  if (shape.kind == ShapeKind::box) return {{-h.x(), -h.y()}, {h.x(), -h.y()}, {h.x(), h.y()}, {-h.x(), h.y()}};
  std::vector<Vec<2>> points;
  // Two half turns, above and below; of a ball both have the same centre.
  for (int half = 0; half < 2; ++half)
    for (int k = 0; k <= shapes::kChords / 2; ++k) {
      double s = 0, c = 1;
      sine_cosine(kPi * half + 2 * kPi * k / shapes::kChords, s, c);
      points.emplace_back(shape.radius * c, (half == 0 ? h.y() : -h.y()) + shape.radius * s);
    }
  return points;
}

std::vector<Edge3> edges(const Shape<3>& shape) {
  switch (shape.kind) {
    case ShapeKind::ball: return shapes::ball_edges(shape);
    case ShapeKind::box: return shapes::box_edges(shape);
    default: return shapes::capsule_edges(shape);
  }
}

}  // namespace colvik
