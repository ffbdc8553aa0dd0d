#include "shapes/shapes.h"

namespace colvik {

Shape<2> box(double width, double height) { return {ShapeKind::box, {width / 2, height / 2}, 0}; }
Shape<3> box(double width, double height, double depth) {
  return {ShapeKind::box, {width / 2, height / 2, depth / 2}, 0};
}

namespace shapes {

template <>
MassProperties<2> box_mass(const Shape<2>& s) {
  const double area = 4 * s.core.x() * s.core.y();
  return {area, Inertia<2>(area * s.core.squaredNorm() / 3)};
}
template <>
MassProperties<3> box_mass(const Shape<3>& s) {
  const double volume = 8 * s.core.prod();
  const Vec<3> q = s.core.cwiseAbs2() * (volume / 3);
  Inertia<3> inertia = Inertia<3>::Zero();
  inertia.diagonal() << q.y() + q.z(), q.x() + q.z(), q.x() + q.y();
  return {volume, inertia};
}

std::vector<Edge3> box_edges(const Shape<3>& s) {
  std::vector<Edge3> lines;
  for (int along = 0; along < 3; ++along) {
    const int b = (along + 1) % 3, c = (along + 2) % 3;
    for (const int sign_b : {-1, 1})
      for (const int sign_c : {-1, 1}) {
        Vec<3> from = s.core;
        from[along] = -s.core[along], from[b] *= sign_b, from[c] *= sign_c;
        Vec<3> to = from;
        to[along] = s.core[along];
        lines.push_back({from, to, Vec<3>::Unit(b) * sign_b, Vec<3>::Unit(c) * sign_c});
      }
  }
  return lines;
}

}  // namespace shapes
}  // namespace colvik
