// From a shape's kind to its own file.
#include <algorithm>

#include "shapes/assembly.h"
#include "shapes/moments.h"
#include "shapes/polytope.h"
#include "shapes/shapes.h"

namespace colvik {
namespace {

// A segment in space, rounded: a capsule lying along it.
MassProperties<3> stick_mass(const Shape<3>& s) {
  const Vec<3>& from = s.corners->points[0];
  const Vec<3>& to = s.corners->points[1];
  const double length = (to - from).norm();
  const Vec<3> along = (to - from) / length;
  Shape<3> upright;
  upright.core.y() = length / 2;
  upright.radius = s.radius;
  MassProperties<3> m = shapes::capsule_mass(upright);
  const double own = m.inertia(1, 1);
  const double across = m.inertia(0, 0);
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
    case ShapeKind::box:
      return {{-h.x(), -h.y()}, {h.x(), -h.y()}, {h.x(), h.y()}, {-h.x(), h.y()}};
    default: return s.corners->points;
  }
}

std::vector<Edge3> polytope_edges(const shapes::Polytope<3>& p, double radius) {
  std::vector<Edge3> lines;
  if (p.faces.empty()) lines.push_back({p.points[0], p.points[1], Vec<3>::Zero(), Vec<3>::Zero()});
  for (const shapes::HullEdge& e : p.edges) {
    const Vec<3>& left = p.faces[e.left].normal;
    const Vec<3>& right = p.faces[e.right].normal;
    const Vec<3>& from = p.points[e.from];
    const Vec<3>& to = p.points[e.to];
    if (radius <= 0) {
      lines.push_back({from, to, left, right});
      continue;
    }
    for (const Vec<3>* n : {&left, &right})
      lines.push_back({from + radius * *n, to + radius * *n, *n, *n});
  }
  return lines;
}

}  // namespace

template <>
MassProperties<2> mass_properties(const Shape<2>& s) {
  if (s.parts != nullptr) return s.parts->mass;
  if (s.kind == ShapeKind::half_space) return {};
  if (s.kind == ShapeKind::ball) return shapes::ball_mass(s);
  if (s.kind == ShapeKind::capsule) return shapes::capsule_mass(s);
  if (s.kind == ShapeKind::box && s.radius <= 0) return shapes::box_mass(s);
  shapes::Polytope<2> p;
  p.points = corners_of(s);
  return shapes::rounded_mass(p, s.radius);
}
template <>
MassProperties<3> mass_properties(const Shape<3>& s) {
  if (s.parts != nullptr) return s.parts->mass;
  if (s.kind == ShapeKind::half_space) return {};
  switch (s.kind) {
    case ShapeKind::ball: return shapes::ball_mass(s);
    case ShapeKind::capsule: return shapes::capsule_mass(s);
    case ShapeKind::cylinder: return shapes::cylinder_mass(s);
    case ShapeKind::cone: return shapes::cone_mass(s);
    case ShapeKind::box:
      return s.radius > 0 ? shapes::rounded_mass(shapes::box_polytope(s.core), s.radius)
                          : shapes::box_mass(s);
    case ShapeKind::segment: return stick_mass(s);
    default: return shapes::rounded_mass(*s.corners, s.radius);
  }
}

namespace {

std::vector<Vec<2>> convex_outline(const Shape<2>& shape) {
  const std::vector<Vec<2>> corners = corners_of(shape);
  std::vector<Vec<2>> points;
  if (shape.radius <= 0) {
    points = corners;
    points.push_back(corners[0]);
    return points;
  }
  const std::size_t n = corners.size();
  for (std::size_t i = 0; i < n; ++i) {
    // An arc from the normal of the side before to that of the side after.
    const Vec<2> in = corners[i] - corners[(i + n - 1) % n];
    const Vec<2> out = corners[(i + 1) % n] - corners[i];
    const double first = n == 1 ? 0 : angle_of(-in.x(), in.y());
    double turn = n == 1 ? 2 * kPi : angle_of(torque(in, out)[0], in.dot(out));
    if (turn <= 0) turn += 2 * kPi;
    const int chords =
        std::max(1, static_cast<int>(std::ceil(turn / (2 * kPi) * shapes::kChords - 1e-9)));
    for (int k = 0; k <= (n == 1 ? chords - 1 : chords); ++k)
      points.emplace_back(corners[i] +
                          Rotation<2>(first + turn * k / chords) * Vec<2>(shape.radius, 0));
  }
  points.push_back(Vec<2>(points[0]));
  return points;
}

}  // namespace

std::vector<std::vector<Vec<2>>> outlines(const Shape<2>& shape) {
  if (shape.kind == ShapeKind::half_space) return {{Vec<2>(500, 0), Vec<2>(-500, 0)}};
  if (shape.parts == nullptr) return {convex_outline(shape)};
  std::vector<std::vector<Vec<2>>> all = shape.parts->lines;
  for (const shapes::Child<2>& c : shape.parts->children) {
    all.push_back(convex_outline(c.shape));
    for (Vec<2>& p : all.back()) p = c.pose * p;
  }
  return all;
}

std::vector<std::vector<Vec<2>>> fills(const Shape<2>& shape) {
  if (shape.kind == ShapeKind::half_space)
    return {{{-500, -500}, {500, -500}, {500, 0}, {-500, 0}, {-500, -500}}};
  if (shape.parts == nullptr) return {convex_outline(shape)};
  std::vector<std::vector<Vec<2>>> all;
  const shapes::Assembly<2>& parts = *shape.parts;
  for (const shapes::Piece<2>& p : parts.pieces) {
    if (p.corners == 2) continue;
    all.emplace_back();
    if (p.child >= 0) {
      const shapes::Child<2>& c = parts.children[p.child];
      for (const Vec<2>& q : convex_outline(c.shape)) all.back().push_back(c.pose * q);
    }
    for (std::uint32_t k = 0; k < p.corners; ++k)
      all.back().push_back(parts.points[parts.corner_list[p.first_corner + k]]);
    if (p.child < 0) all.back().push_back(Vec<2>(all.back()[0]));
  }
  return all;
}

std::vector<Edge3> edges(const Shape<3>& s) {
  if (s.kind == ShapeKind::half_space) {  // a square with its middle lines
    std::vector<Edge3> lines;
    const Vec<3> up = Vec<3>::Unit(1);
    for (const double t : {-500.0, 0.0, 500.0}) {
      lines.push_back({{t, 0, -500}, {t, 0, 500}, up, up});
      lines.push_back({{-500, 0, t}, {500, 0, t}, up, up});
    }
    return lines;
  }
  if (s.parts != nullptr) {
    std::vector<Edge3> lines;
    for (const shapes::Child<3>& c : s.parts->children)
      for (const Edge3& e : edges(c.shape))
        lines.push_back({c.pose * e.from, c.pose * e.to, c.pose.rotation * e.side_a,
                         c.pose.rotation * e.side_b});
    for (const shapes::Front<3>& f : s.parts->fronts) {
      const Vec<3> n = s.parts->normal(f);
      for (std::size_t k = 0; k < 3; ++k) {
        const std::uint32_t a = f.corner[k];
        const std::uint32_t b = f.corner[(k + 1) % 3];
        // Each edge once, and none between triangles of one plane.
        const bool open = f.lean[k] >= 1;
        if (open || (f.lean[k] != 0 && a < b))
          lines.push_back({s.parts->points[a], s.parts->points[b], n, n});
      }
    }
    return lines;
  }
  switch (s.kind) {
    case ShapeKind::ball: return shapes::ball_edges(s);
    case ShapeKind::capsule: return shapes::capsule_edges(s);
    case ShapeKind::cylinder:
    case ShapeKind::cone: return shapes::round_edges(s);
    case ShapeKind::box: return polytope_edges(shapes::box_polytope(s.core), s.radius);
    default: return polytope_edges(*s.corners, s.radius);
  }
}

std::vector<std::array<Vec<3>, 3>> triangles(const Shape<3>& s) {
  std::vector<std::array<Vec<3>, 3>> all;
  if (s.parts != nullptr && s.parts->surface)
    for (const shapes::Front<3>& f : s.parts->fronts) all.push_back(s.parts->flat(f));
  return all;
}

}  // namespace colvik
