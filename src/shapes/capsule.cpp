#include "shapes/shapes.h"

namespace colvik {

template <int D>
Shape<D> capsule(double width, double height) {
  return {ShapeKind::capsule, Vec<D>::Unit(1) * (height / 2 - width / 2), width / 2};
}
template Shape<2> capsule<2>(double, double);
template Shape<3> capsule<3>(double, double);

namespace shapes {

template <>
MassProperties<2> capsule_mass(const Shape<2>& s) {
  const double r = s.radius;
  const double h = s.core.y();
  const double middle = 4 * r * h;
  const double ends = kPi * r * r;
  // The centroid of a half disc lies 4r/(3 pi) from its flat side.
  const double c = 4 * r / (3 * kPi);
  const double end_inertia = ends * (r * r / 2 - c * c + (h + c) * (h + c));
  return {middle + ends, Vec<2>::Zero(), Inertia<2>(middle * (r * r + h * h) / 3 + end_inertia)};
}
template <>
MassProperties<3> capsule_mass(const Shape<3>& s) {
  const double r = s.radius;
  const double h = s.core.y();
  const double middle = kPi * r * r * 2 * h;
  const double ends = 4.0 / 3.0 * kPi * r * r * r;
  // The centroid of a half ball lies 3r/8 from its flat side.
  const double c = 3 * r / 8;
  const double along = middle * r * r / 2 + ends * 0.4 * r * r;
  const double across =
      middle * (r * r / 4 + h * h / 3) + ends * (0.4 * r * r - c * c + (h + c) * (h + c));
  Inertia<3> inertia = Inertia<3>::Zero();
  inertia.diagonal() << across, along, across;
  return {middle + ends, Vec<3>::Zero(), inertia};
}

std::vector<Edge3> capsule_edges(const Shape<3>& s) {
  std::vector<Edge3> lines;
  const Vec<3> top = s.core;
  const Vec<3> bottom = -s.core;
  const Vec<3> x(s.radius, 0, 0);
  const Vec<3> y(0, s.radius, 0);
  const Vec<3> z(0, 0, s.radius);
  for (const Vec<3>& side : {x, z}) {
    add_arc(lines, top, side, y, 0, kChords / 2);
    add_arc(lines, bottom, side, Vec<3>(-y), 0, kChords / 2);
    for (const double sign : {-1.0, 1.0})
      lines.push_back({top + sign * side, bottom + sign * side, sign * side, sign * side});
  }
  add_arc(lines, top, x, z, 0, kChords);
  add_arc(lines, bottom, x, z, 0, kChords);
  return lines;
}

}  // namespace shapes
}  // namespace colvik
