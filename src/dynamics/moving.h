#pragma once
// Bodies and contacts while a step is being solved.
#include <algorithm>

#include "dynamics/body.h"

namespace colvik::dynamics {

/// How overlap is removed: at `rate` times the overlap beyond `slop` per second, not faster than `fastest`.
struct Removal {
  double step = 0;  // seconds
  double rate = 0, slop = 0, fastest = 0;
  double strike = 0;                              // what closes faster hits, and does not rest
  [[nodiscard]] double speed(double gap) const {  // at which the gap should close (above 0) or open
    if (gap > 0) return gap / step;
    return std::max(rate * std::min(gap + slop, 0.0), -fastest);
  }
};

/// What passes over contacts read of a body besides its velocity. It says how much an impulse does and by how little
/// the body has moved, which single precision tells well enough: an impulse is the same for both of its bodies.
template <int D>
struct Narrow {
  static constexpr int kTurns = kTurnAxes<D>, kCount = 2 * D + kTurns + kTurns * (kTurns + 1) / 2;
  std::array<float, D> inverse_mass;
  std::array<float, D> offset;                                 // `moved` with `shift`
  std::array<float, kTurns> angle;                             // `turned` with `turn_shift`
  std::array<float, kTurns*(kTurns + 1) / 2> inverse_inertia;  // of the symmetric matrix, row by row from its diagonal
};

/// A body while it is being solved.
template <int D>
struct alignas(64) Moving {
  // What passes over contacts read, side by side in this order (see Wide): a line of memory in 2D, two in 3D.
  Vec<D> velocity;
  Spin<D> spin;
  Narrow<D> narrow;

  Vec<D> inverse_mass;
  Inertia<D> inverse_inertia;  // in the world's frame

  Vec<D> moved;        // since the step began
  Vec<D> way;          // in the last substep
  Spin<D> turned;      // likewise, small turns added up
  double turning = 0;  // likewise, their sizes added up
  Vec<D> gain;         // of velocity in this substep from gravity, forces and drag
  Vec<D> shift;        // due to hits within this substep, which act from their time on
  Spin<D> turn_shift;
  double speed = 0, spinning = 0;  // squares of velocity and spin before contacts act in this substep
  bool pushed = false;             // by a contact, in this substep
  bool hit = false;                // at a time of its own, in this substep

  void narrow_mass() {
    for (int i = 0; i < D; ++i) narrow.inverse_mass[i] = static_cast<float>(inverse_mass[i]);
    for (int i = 0, at = 0; i < kTurnAxes<D>; ++i)
      for (int k = i; k < kTurnAxes<D>; ++k) narrow.inverse_inertia[at++] = static_cast<float>(inverse_inertia(i, k));
  }
  void narrow_way() {
    for (int i = 0; i < D; ++i) narrow.offset[i] = static_cast<float>(moved[i] + shift[i]);
    for (int i = 0; i < kTurnAxes<D>; ++i) narrow.angle[i] = static_cast<float>(turned[i] + turn_shift[i]);
  }
};

template <int D>
bool movable(const Moving<D>& m) {
  return !m.inverse_mass.isZero(0) || !m.inverse_inertia.isZero(0);
}

/// What of a point stays the same through the step.
template <int D>
struct Row {
  double mass = 0;         // along the normal
  double across = 0;       // along the tangent in which it is least
  Spin<D> turn_a, turn_b;  // torque of a push of one on each
};
template <int D>
struct Rows {
  std::array<Row<D>, contact::kMostPoints<D>> points;
  Inertia<D> turning;    // effective inertia of the pair
  bool at_once = false;  // solved together with others, see AtOnce
  bool wide = false;     // its impulses are kept by Wide
};

inline std::array<Vec<2>, 1> tangents(const Vec<2>& n) { return {Vec<2>(-n.y(), n.x())}; }
inline std::array<Vec<3>, 2> tangents(const Vec<3>& n) {
  // Crossing with the axis least along n is never degenerate.
  int least = 0;
  n.cwiseAbs().minCoeff(&least);
  const Vec<3> u = cross(n, Vec<3>::Unit(least)).normalized();
  return {u, cross(n, u)};
}

template <int D>
std::span<SolverPoint<D>> points(Contact<D>& c) {
  return {c.points.data(), static_cast<std::size_t>(c.count)};
}

/// The gap of a point of a contact between two bodies, from where what was hit in this substep would have started.
template <int D>
double gap_within(const Contact<D>& c, const SolverPoint<D>& p, const Row<D>& row, const Moving<D>& a,
                  const Moving<D>& b) {
  return p.gap + c.normal.dot(b.moved + b.shift - a.moved - a.shift) + row.turn_b.dot(b.turned + b.turn_shift) -
         row.turn_a.dot(a.turned + a.turn_shift);
}

/// Along the normal, of b against a.
template <int D>
double normal_speed(const Contact<D>& c, const Row<D>& row, const Moving<D>& a, const Moving<D>& b) {
  return c.normal.dot(b.velocity - a.velocity) + row.turn_b.dot(b.spin) - row.turn_a.dot(a.spin);
}

/// An impulse on b at a point, and its reverse on a.
template <int D>
void apply(const SolverPoint<D>& p, const Vec<D>& impulse, Moving<D>& a, Moving<D>& b) {
  a.velocity -= a.inverse_mass.cwiseProduct(impulse);
  a.spin -= a.inverse_inertia * torque(p.arm_a, impulse);
  b.velocity += b.inverse_mass.cwiseProduct(impulse);
  b.spin += b.inverse_inertia * torque(p.arm_b, impulse);
}

}  // namespace colvik::dynamics
