// Mass of polytopes, sharp and rounded.
#include "shapes/moments.h"

#include "shapes/polytope.h"
#include "shapes/shapes.h"

namespace colvik::shapes {
namespace {

// Of a sector of a disc: `half` the angle to both sides of direction u, w across it.
Moments<2> sector(double radius, double half, const Vec<2>& u, const Vec<2>& w) {
  double s = 0;
  double c = 1;
  sine_cosine(half, s, c);
  const double r2 = radius * radius;
  Moments<2> m;
  m.volume = r2 * half;
  m.first = u * (r2 * radius * 2 / 3 * s);
  m.second =
      r2 * r2 / 4 * ((half + s * c) * u * u.transpose() + (half - s * c) * w * w.transpose());
  return m;
}

// A flat piece with moments in the plane of u and w, extruded `length` along e, half to each side
// of its plane.
Moments<3> extruded(const Moments<2>& flat, const Vec<3>& u, const Vec<3>& w, const Vec<3>& e,
                    double length) {
  Eigen::Matrix<double, 3, 2> axes;
  axes.col(0) = u;
  axes.col(1) = w;
  Moments<3> m;
  m.volume = flat.volume * length;
  m.first = axes * flat.first * length;
  m.second = axes * flat.second * axes.transpose() * length +
             flat.volume * length * length * length / 12 * e * e.transpose();
  return m;
}

// The sector of a ball over a spherical triangle, by parting the triangle.
void add_ball_sector(Moments<3>& m, double radius, const Vec<3>& a, const Vec<3>& b,
                     const Vec<3>& c, int depth) {
  if (depth > 0) {
    const Vec<3> ab = (a + b).normalized();
    const Vec<3> bc = (b + c).normalized();
    const Vec<3> ca = (c + a).normalized();
    add_ball_sector(m, radius, a, ab, ca, depth - 1);
    add_ball_sector(m, radius, ab, b, bc, depth - 1);
    add_ball_sector(m, radius, ca, bc, c, depth - 1);
    add_ball_sector(m, radius, ab, bc, ca, depth - 1);
    return;
  }
  // Van Oosterom and Strackee, "The solid angle of a plane triangle" (1983).
  const double solid_angle =
      2 * angle_of(std::abs(a.dot(cross(b, c))), 1 + a.dot(b) + b.dot(c) + c.dot(a));
  const Vec<3> n = (a + b + c).normalized();
  const double r3 = radius * radius * radius;
  m.volume += solid_angle * r3 / 3;
  m.first += n * (solid_angle * r3 * radius / 4);
  m.second += n * n.transpose() * (solid_angle * r3 * radius * radius / 5);
}

}  // namespace

template <>
MassProperties<2> rounded_mass(const Polytope<2>& core, double radius) {
  Moments<2> all;
  const std::size_t n = core.points.size();
  const Vec<2>& origin = core.points[0];
  Moments<2> body;  // about the first corner: exact far from the frame's origin
  const auto edge = [&](std::size_t i) {
    return Vec<2>(core.points[(i + 1) % n] - core.points[i % n]);
  };
  for (std::size_t i = 0; i < n; ++i)
    body.add_simplex({Vec<2>(core.points[i] - origin), Vec<2>(core.points[(i + 1) % n] - origin)});
  all.add(body, origin);
  for (std::size_t i = 0; radius > 0 && i < n; ++i) {
    const Vec<2> along = edge(i);
    const Vec<2> next = edge(i + 1);
    const double length = along.norm();
    const Vec<2> e = along / length;
    const Vec<2> out(e.y(), -e.x());
    Moments<2> strip;
    strip.volume = length * radius;
    strip.second = strip.volume * (length * length / 12 * e * e.transpose() +
                                   radius * radius / 12 * out * out.transpose());
    all.add(strip, core.points[i] + 0.5 * along + 0.5 * radius * out);
    double turn = angle_of(torque(along, next)[0], along.dot(next));
    if (turn < 0) turn += 2 * kPi;  // the two ends of a segment
    const Vec<2> u = Rotation<2>(turn / 2) * out;
    all.add(sector(radius, turn / 2, u, Vec<2>(-u.y(), u.x())), core.points[(i + 1) % n]);
  }
  return all.about_centre();
}

template <>
MassProperties<3> rounded_mass(const Polytope<3>& core, double radius) {
  const Vec<3>& origin = core.points[0];
  const auto corner = [&](const HullFace& f, std::uint32_t k) {
    return Vec<3>(core.points[core.loops[f.first + k % f.count]] - origin);
  };
  Moments<3> all;
  for (const HullFace& f : core.faces)
    for (std::uint32_t k = 1; k + 1 < f.count; ++k) {
      const std::array<Vec<3>, 3> t{corner(f, 0), corner(f, k), corner(f, k + 1)};
      all.add_simplex(t);
      if (radius <= 0) continue;
      // The slab on this triangle: a prism, from its first corner.
      const Vec<3> u = t[1] - t[0];
      const Vec<3> w = t[2] - t[0];
      Moments<2> flat;
      flat.add_simplex({Vec<2>(1, 0), Vec<2>(0, 1)});
      Moments<3> prism = extruded(flat, u, w, f.normal, radius);
      const double scale = cross(u, w).norm();
      prism.volume *= scale;
      prism.first *= scale;
      prism.second *= scale;
      all.add(prism, t[0] + 0.5 * radius * f.normal);
    }
  Moments<3> out;
  out.add(all, origin);
  if (radius <= 0) return out.about_centre();

  for (const HullEdge& edge : core.edges) {
    const Vec<3>& from = core.points[edge.from];
    const Vec<3>& to = core.points[edge.to];
    const Vec<3>& n1 = core.faces[edge.left].normal;
    const Vec<3>& n2 = core.faces[edge.right].normal;
    const double angle = angle_of(cross(n1, n2).norm(), n1.dot(n2));
    const double length = (to - from).norm();
    const Vec<3> e = (to - from) / length;
    const Vec<3> u = (n1 + n2).normalized();
    const Vec<3> w = cross(e, u);
    out.add(extruded(sector(radius, angle / 2, Vec<2>(1, 0), Vec<2>(0, 1)), u, w, e, length),
            0.5 * (from + to));
  }
  // At each corner the normals of its faces, in order round it, span a part of the sphere.
  for (std::uint32_t p = 0; p < core.points.size(); ++p) {
    std::vector<Vec<3>> normals;
    Vec<3> middle = Vec<3>::Zero();
    for (const HullFace& f : core.faces)
      for (std::uint32_t k = 0; k < f.count; ++k)
        if (core.loops[f.first + k] == p) {
          normals.push_back(f.normal);
          middle += f.normal;
        }
    if (normals.size() < 3) continue;
    middle.normalize();
    const Vec<3> u =
        cross(middle, Vec<3>(normals[0] - middle * middle.dot(normals[0]))).normalized();
    const Vec<3> w = cross(middle, u);
    std::sort(normals.begin(), normals.end(), [&](const Vec<3>& x, const Vec<3>& y) {
      return angle_of(x.dot(w), x.dot(u)) < angle_of(y.dot(w), y.dot(u));
    });
    Moments<3> ball;
    for (std::size_t k = 0; k < normals.size(); ++k)
      add_ball_sector(ball, radius, middle, normals[k], normals[(k + 1) % normals.size()], 4);
    out.add(ball, core.points[p]);
  }
  return out.about_centre();
}

}  // namespace colvik::shapes
