#include "shapes/shapes.h"

namespace colvik {

Shape<2> circle(double diameter) { return {ShapeKind::ball, Vec<2>::Zero(), diameter / 2}; }
Shape<3> sphere(double diameter) { return {ShapeKind::ball, Vec<3>::Zero(), diameter / 2}; }

namespace shapes {

template <>
MassProperties<2> ball_mass(const Shape<2>& s) {
  const double area = kPi * s.radius * s.radius;
  return {area, Vec<2>::Zero(), Inertia<2>(area * s.radius * s.radius / 2)};
}
template <>
MassProperties<3> ball_mass(const Shape<3>& s) {
  const double volume = 4.0 / 3.0 * kPi * s.radius * s.radius * s.radius;
  return {volume, Vec<3>::Zero(), Inertia<3>::Identity() * (0.4 * volume * s.radius * s.radius)};
}

void add_arc(std::vector<Edge3>& edges, const Vec<3>& centre, const Vec<3>& u, const Vec<3>& v,
             int first, int last) {
  const auto on_circle = [&](double k) {
    double s = 0;
    double c = 1;
    sine_cosine(2 * kPi * k / kChords, s, c);
    return Vec<3>(c * u + s * v);
  };
  for (int k = first; k < last; ++k) {
    const Vec<3> outward = on_circle(k + 0.5);
    edges.push_back({centre + on_circle(k), centre + on_circle(k + 1), outward, outward});
  }
}

std::vector<Edge3> ball_edges(const Shape<3>& s) {
  std::vector<Edge3> lines;
  const Vec<3> none = Vec<3>::Zero();
  const Vec<3> x = Vec<3>(s.radius, 0, 0);
  const Vec<3> y = Vec<3>(0, s.radius, 0);
  const Vec<3> z = Vec<3>(0, 0, s.radius);
  add_arc(lines, none, x, z, 0, kChords);
  add_arc(lines, none, x, y, 0, kChords);
  add_arc(lines, none, y, z, 0, kChords);
  return lines;
}

}  // namespace shapes
}  // namespace colvik
