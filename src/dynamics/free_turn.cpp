#include "dynamics/free_turn.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace colvik::dynamics {
namespace {

constexpr int kSweeps = 12;         // Jacobi converges in four to six
constexpr double kMostTurn = 0.02;  // radians of the composed turn in a part
constexpr int kMostParts = 64;

// The rotation whose axes are the columns of an orthonormal matrix: one turn maps the first axis, a
// second one about it the others.
Rotation<3> rotation_of(const Inertia<3>& m) {
  const Vec<3> x = m.col(0);
  const Vec<3> y = m.col(1);
  const auto turn_to = [](const Vec<3>& from, const Vec<3>& to, const Vec<3>& about) {
    const Vec<3> axis = cross(from, to);
    const double sine = axis.norm();
    const double cosine = from.dot(to);
    if (sine < 1e-14) return cosine > 0 ? Rotation<3>() : Rotation<3>(about, kPi);
    return Rotation<3>(axis, angle_of(sine, cosine));
  };
  const Rotation<3> first = turn_to(Vec<3>::Unit(0), x, Vec<3>::Unit(1));
  const Rotation<3> second = turn_to(Vec<3>(first * Vec<3>(Vec<3>::Unit(1))), y, x);
  Rotation<3> both = second * first;
  both.normalize();
  return both;
}

}  // namespace

PrincipalAxes principal_axes(const Inertia<3>& inertia) {
  Inertia<3> a = inertia;
  Inertia<3> v = Inertia<3>::Identity();
  for (int sweep = 0; sweep < kSweeps; ++sweep) {
    const double off = std::abs(a(0, 1)) + std::abs(a(0, 2)) + std::abs(a(1, 2));
    if (off <= 1e-15 * a.trace()) break;
    for (const auto& [p, q] : {std::pair(0, 1), std::pair(0, 2), std::pair(1, 2)}) {
      if (a(p, q) == 0) continue;
      const double theta = (a(q, q) - a(p, p)) / (2 * a(p, q));
      const double t = (theta >= 0 ? 1 : -1) / (std::abs(theta) + std::sqrt(theta * theta + 1));
      const double c = 1 / std::sqrt(t * t + 1);
      const double s = t * c;
      Inertia<3> j = Inertia<3>::Identity();
      j(p, p) = j(q, q) = c;
      j(p, q) = s;
      j(q, p) = -s;
      a = Inertia<3>(j.transpose() * a * j);
      v = Inertia<3>(v * j);
    }
  }
  const std::array<double, 3> inverse{1 / a(0, 0), 1 / a(1, 1), 1 / a(2, 2)};
  int odd = 0;  // the axis whose moment differs from the two most alike
  double least = std::abs(inverse[1] - inverse[2]);
  for (int k = 1; k < 3; ++k) {
    const auto i = static_cast<std::size_t>((k + 1) % 3);
    const auto j = static_cast<std::size_t>((k + 2) % 3);
    if (std::abs(inverse[i] - inverse[j]) < least) {
      least = std::abs(inverse[i] - inverse[j]);
      odd = k;
    }
  }
  const int one = (odd + 1) % 3;
  const int two = (odd + 2) % 3;
  Inertia<3> ordered;
  ordered.col(0) = v.col(one);
  ordered.col(1) = v.col(two);
  ordered.col(2) = v.col(odd);
  if (cross(Vec<3>(ordered.col(0)), Vec<3>(ordered.col(1))).dot(ordered.col(2)) < 0)
    ordered.col(0) = -ordered.col(0);
  return {rotation_of(ordered), {a(one, one), a(two, two), a(odd, odd)}};
}

Rotation<3> turned_freely(const Rotation<3>& rotation, const Vec<3>& momentum,
                          const PrincipalAxes& principal, double seconds) {
  Rotation<3> q = rotation * principal.axes;
  const double across = 1 / principal.moments[1];
  const double along = 1 / principal.moments[2] - across;
  const double odd = 1 / principal.moments[0] - across;
  const double turn = std::abs(momentum.norm() * odd * seconds);
  const double needed = std::ceil(turn / kMostTurn);
  const int parts = needed <= kMostParts ? std::max(1, static_cast<int>(needed)) : kMostParts;
  const double h = seconds / parts;
  const auto about = [&](int axis, double rate, double time) {
    const double l = momentum.dot(q.axis(axis));
    q = q * Rotation<3>::from_spin(Vec<3>(Vec<3>::Unit(axis) * (l * rate * time)));
  };
  for (int part = 0; part < parts; ++part) {
    if (odd != 0) about(0, odd, h / 2);
    q = Rotation<3>::from_spin(Vec<3>(momentum * (across * h))) * q;
    about(2, along, h);
    if (odd != 0) about(0, odd, h / 2);
  }
  q.normalize();
  return q * principal.axes.inverse();
}

}  // namespace colvik::dynamics
