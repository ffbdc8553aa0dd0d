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
  return {area, Vec<2>::Zero(), Inertia<2>(area * s.core.squaredNorm() / 3)};
}
template <>
MassProperties<3> box_mass(const Shape<3>& s) {
  const double volume = 8 * s.core.prod();
  const Vec<3> q = s.core.cwiseAbs2() * (volume / 3);
  Inertia<3> inertia = Inertia<3>::Zero();
  inertia.diagonal() << q.y() + q.z(), q.x() + q.z(), q.x() + q.y();
  return {volume, Vec<3>::Zero(), inertia};
}

}  // namespace shapes
}  // namespace colvik
