// Cylinders and cones: bodies of revolution about y.
#include <functional>

#include "shapes/moments.h"
#include "shapes/shapes.h"

namespace colvik {

Shape<3> cylinder(double diameter, double height) {
  return {ShapeKind::cylinder, {diameter / 2, height / 2, diameter / 2}, 0};
}
Shape<3> cone(double diameter, double height) {
  return {ShapeKind::cone, {diameter / 2, height / 2, diameter / 2}, 0};
}

namespace shapes {
namespace {

// A stretch of the outline: distance from the axis and height, for t from 0 to 1, downward.
using Stretch = std::function<Vec<2>(double)>;

// Discs from top to bottom, added up by Simpson's rule.
MassProperties<3> revolved(const std::vector<Stretch>& profile) {
  constexpr int kPanels = 64;
  Moments<3> m;
  for (const Stretch& at : profile)
    for (int k = 0; k < kPanels; ++k) {
      const double t0 = static_cast<double>(k) / kPanels;
      const double t1 = static_cast<double>(k + 1) / kPanels;
      const Vec<2> ends[2] = {at(t0), at(t1)};
      const Vec<2> mid = at((t0 + t1) / 2);
      const double drop = ends[0].y() - ends[1].y();
      const auto disc = [&](const Vec<2>& p, double weight) {
        const double r2 = p.x() * p.x();
        const double volume = weight * drop * kPi * r2;
        m.volume += volume;
        m.first.y() += volume * p.y();
        m.second(0, 0) += volume * r2 / 4, m.second(2, 2) += volume * r2 / 4;
        m.second(1, 1) += volume * p.y() * p.y();
      };
      disc(ends[0], 1.0 / 6);
      disc(mid, 4.0 / 6);
      disc(ends[1], 1.0 / 6);
    }
  return m.about_centre();
}

Stretch line(const Vec<2>& from, const Vec<2>& to) {
  return [=](double t) { return Vec<2>(from + t * (to - from)); };
}
// Clockwise from angle `from` down to angle `to`.
Stretch arc(const Vec<2>& centre, double radius, double from, double to) {
  return [=](double t) {
    double s = 0;
    double c = 1;
    sine_cosine(from + t * (to - from), s, c);
    return Vec<2>(centre + radius * Vec<2>(c, s));
  };
}

}  // namespace

MassProperties<3> cylinder_mass(const Shape<3>& s) {
  const double r = s.core.x();
  const double h = s.core.y();
  const double g = s.radius;
  if (g > 0)
    return revolved(
        {arc({r, h}, g, kPi / 2, 0), line({r + g, h}, {r + g, -h}), arc({r, -h}, g, 0, -kPi / 2)});
  MassProperties<3> m;
  m.volume = 2 * h * kPi * r * r;
  m.inertia.diagonal() << r * r / 4 + h * h / 3, r * r / 2, r * r / 4 + h * h / 3;
  m.inertia *= m.volume;
  return m;
}

MassProperties<3> cone_mass(const Shape<3>& s) {
  const double r = s.core.x();
  const double h = 2 * s.core.y();
  const double g = s.radius;
  if (g > 0) {
    const double slope = angle_of(r, h);  // of the side's normal above the horizontal
    const Vec<2> out = Rotation<2>(slope) * Vec<2>(g, 0);
    const Vec<2> tip(0, h / 2);
    const Vec<2> rim(r, -h / 2);
    return revolved(
        {arc(tip, g, kPi / 2, slope), line(tip + out, rim + out), arc(rim, g, slope, -kPi / 2)});
  }
  MassProperties<3> m;
  m.volume = h * kPi * r * r / 3;
  m.centre.y() = -h / 4;
  m.inertia.diagonal() << 0.15 * r * r + 0.0375 * h * h, 0.3 * r * r, 0.15 * r * r + 0.0375 * h * h;
  m.inertia *= m.volume;
  return m;
}

std::vector<Edge3> round_edges(const Shape<3>& s) {
  std::vector<Edge3> lines;
  const bool tip = s.kind == ShapeKind::cone;
  const double r = s.core.x() + s.radius;
  const double h = s.core.y();
  const Vec<3> x(r, 0, 0);
  const Vec<3> z(0, 0, r);
  if (!tip)
    add_arc(lines, Vec<3>(0, h + s.radius, 0), x * (s.core.x() / r), z * (s.core.x() / r), 0,
            kChords);
  add_arc(lines, Vec<3>(0, -h - s.radius, 0), x * (s.core.x() / r), z * (s.core.x() / r), 0,
          kChords);
  if (s.radius > 0) {
    if (!tip) add_arc(lines, Vec<3>(0, h, 0), x, z, 0, kChords);
    add_arc(lines, Vec<3>(0, -h, 0), x, z, 0, kChords);
  }
  const double slope = tip ? angle_of(s.core.x(), 2 * h) : 0;
  for (int k = 0; k < 8; ++k) {
    const Vec<3> along = Rotation<3>(Vec<3>::Unit(1), k * kPi / 4) * Vec<3>(Vec<3>::Unit(0));
    double up = 0;
    double flat = 1;
    sine_cosine(slope, up, flat);
    const Vec<3> out = along * flat + Vec<3>(0, up, 0);
    const Vec<3> foot = along * s.core.x() - Vec<3>(0, h, 0);
    const Vec<3> head = tip ? Vec<3>(0, h, 0) : Vec<3>(along * s.core.x() + Vec<3>(0, h, 0));
    lines.push_back({foot + out * s.radius, head + out * s.radius, out, out});
  }
  return lines;
}

}  // namespace shapes
}  // namespace colvik
