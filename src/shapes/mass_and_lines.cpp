// From a shape's kind to its own file.
#include <algorithm>

#include "shapes/moments.h"
#include "shapes/polytope.h"
#include "shapes/shapes.h"

namespace colvik {
namespace {

// A segment in space, rounded: a capsule lying along it.
MassProperties<3> stick_mass(const Shape<3>& s) {
  const Vec<3>&from = s.corners->points[0], &to = s.corners->points[1];
  const double length = (to - from).norm();
  const Vec<3> along = (to - from) / length;
  Shape<3> upright;
  upright.core.y() = length / 2, upright.radius = s.radius;
  MassProperties<3> m = shapes::capsule_mass(upright);
  const double own = m.inertia(1, 1), across = m.inertia(0, 0);
  m.inertia = Inertia<3>::Identity() * across + (own - across) * along * along.transpose();
  m.centre = 0.5 * (from + to);
  return m;
}

// The corners of a 2D core, counterclockwise.
std::vector<Vec<2>> corners_of(const Shape<2>& s) {
  const Vec<2>& h = s.core;
  switch (s.kind) {
    case ShapeKind::ball: return {Vec<2>::Zero()};
    case ShapeKind::capsule: return {Vec<2>(0, -h.y()), Vec<2>(0, h.y())};
    case ShapeKind::box: return {{-h.x(), -h.y()}, {h.x(), -h.y()}, {h.x(), h.y()}, {-h.x(), h.y()}};
    default: return s.corners->points;
  }
}

std::vector<Edge3> polytope_edges(const shapes::Polytope<3>& p, double radius) {
  std::vector<Edge3> lines;
  if (p.faces.empty()) lines.push_back({p.points[0], p.points[1], Vec<3>::Zero(), Vec<3>::Zero()});
  for (const shapes::HullEdge& e : p.edges) {
    const Vec<3>&left = p.faces[e.left].normal, &right = p.faces[e.right].normal;
    const Vec<3>&from = p.points[e.from], &to = p.points[e.to];
    if (radius <= 0) {
      lines.push_back({from, to, left, right});
      continue;
    }
    for (const Vec<3>* n : {&left, &right}) lines.push_back({from + radius * *n, to + radius * *n, *n, *n});
  }
  return lines;
}

}  // namespace

template <>
MassProperties<2> mass_properties(const Shape<2>& s) {
  if (s.kind == ShapeKind::ball) return shapes::ball_mass(s);
  if (s.kind == ShapeKind::capsule) return shapes::capsule_mass(s);
  if (s.kind == ShapeKind::box && s.radius <= 0) return shapes::box_mass(s);
  shapes::Polytope<2> p;
  p.points = corners_of(s);
  return shapes::rounded_mass(p, s.radius);
}
template <>
MassProperties<3> mass_properties(const Shape<3>& s) {
  switch (s.kind) {
    case ShapeKind::ball: return shapes::ball_mass(s);
    case ShapeKind::capsule: return shapes::capsule_mass(s);
    case ShapeKind::cylinder: return shapes::cylinder_mass(s);
    case ShapeKind::cone: return shapes::cone_mass(s);
    case ShapeKind::box:
      return s.radius > 0 ? shapes::rounded_mass(shapes::box_polytope(s.core), s.radius) : shapes::box_mass(s);
    case ShapeKind::segment: return stick_mass(s);
    default: return shapes::rounded_mass(*s.corners, s.radius);
  }
}

std::vector<Vec<2>> outline(const Shape<2>& shape) {
  const std::vector<Vec<2>> corners = corners_of(shape);
  if (shape.radius <= 0) return corners;
  std::vector<Vec<2>> points;
  const std::size_t n = corners.size();
  for (std::size_t i = 0; i < n; ++i) {
    // An arc from the direction in which the side before looks to that of the side after.
    const Vec<2> in = corners[i] - corners[(i + n - 1) % n], out = corners[(i + 1) % n] - corners[i];
    const double first = n == 1 ? 0 : angle_of(-in.x(), in.y());
    double turn = n == 1 ? 2 * kPi : angle_of(torque(in, out)[0], in.dot(out));
    if (turn <= 0) turn += 2 * kPi;
    const int chords = std::max(1, static_cast<int>(std::ceil(turn / (2 * kPi) * shapes::kChords - 1e-9)));
    for (int k = 0; k <= (n == 1 ? chords - 1 : chords); ++k)
      points.emplace_back(corners[i] + Rotation<2>(first + turn * k / chords) * Vec<2>(shape.radius, 0));
  }
  return points;
}

std::vector<Edge3> edges(const Shape<3>& s) {
  switch (s.kind) {
    case ShapeKind::ball: return shapes::ball_edges(s);
    case ShapeKind::capsule: return shapes::capsule_edges(s);
    case ShapeKind::cylinder:
    case ShapeKind::cone: return shapes::round_edges(s);
    case ShapeKind::box: return polytope_edges(shapes::box_polytope(s.core), s.radius);
    default: return polytope_edges(*s.corners, s.radius);
  }
}

}  // namespace colvik
