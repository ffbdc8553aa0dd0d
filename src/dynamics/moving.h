#pragma once
// Bodies and contacts while a step is being solved.
#include <algorithm>

#include "dynamics/body.h"

namespace colvik::dynamics {

/// How overlap is removed: at `rate` times the overlap beyond `slop` per second, not faster than
/// `fastest`.
struct Removal {
  double step = 0;  // seconds
  double rate = 0;
  double slop = 0;
  double fastest = 0;
  double strike = 0;                              // what closes faster hits, and does not rest
  [[nodiscard]] double speed(double gap) const {  // at which the gap should close (above 0) or open
    if (gap > 0) return gap / step;
    return std::max(rate * std::min(gap + slop, 0.0), -fastest);
  }
};

/// What passes over contacts read of a body besides its velocity. It says how much an impulse does
/// and by how little the body has moved, for which single precision suffices: an impulse is
/// the same for both of its bodies.
template <int D>
struct Narrow {
  static constexpr int kTurns = kTurnAxes<D>;
  static constexpr int kCount = 2 * D + kTurns + kTurns * (kTurns + 1) / 2;
  std::array<float, D> inverse_mass;
  std::array<float, D> offset;      // `moved` with `shift`
  std::array<float, kTurns> angle;  // `turned` with `turn_shift`
  std::array<float, kTurns*(kTurns + 1) / 2>
      inverse_inertia;  // of the symmetric matrix, row by row from its diagonal
};

/// How a body's inertia follows its turning.
enum class Turns : std::uint8_t {
  evenly,    // it is the same in every direction, or there is none
  unevenly,  // it turns along, and the body nutates
  locked,    // about some of the world's axes it cannot turn
};

/// A body while it is being solved. In parts by who reads them how often, each on lines of
/// memory of its own.
template <int D>
struct alignas(64) Moving {
  // What passes over contacts read, adjacent in this order (see SimdContacts), and what every
  // substep reads of every body: a cache line in 2D, two in 3D.
  Vec<D> velocity;
  Spin<D> spin;
  Narrow<D> narrow;
  bool pushed = false;   // by a contact, in this substep
  bool hit = false;      // at a time of its own, in this substep
  bool fixed = true;     // no push moves its centre,
  bool movable = false;  // or it turns
  bool steady = true;    // nothing but `gain` changes its velocity between contacts
  Turns turns = Turns::evenly;
  float speed = 0;
  float spinning = 0;  // squares of velocity and spin before contacts act in this substep

  // Of each substep.
  alignas(64) Vec<D> moved;  // since the step began
  Spin<D> turned;            // likewise, small turns added up
  Vec<D> gain;               // of velocity in this substep from gravity, forces and drag
  double turning = 0;        // since the step began, sizes of turns added up
  Vec<D> displacement;       // in the last substep

  // Of bodies that are hit, and of contacts that are solved one by one.
  alignas(64) Vec<D> inverse_mass;
  Inertia<D> inverse_inertia;  // in the world's frame
  Vec<D> shift;                // due to hits within this substep, which act from their time on
  Spin<D> turn_shift;

  void narrow_mass() {
    for (int i = 0; i < D; ++i) narrow.inverse_mass[i] = static_cast<float>(inverse_mass[i]);
    for (int i = 0, at = 0; i < kTurnAxes<D>; ++i)
      for (int k = i; k < kTurnAxes<D>; ++k)
        narrow.inverse_inertia[at++] = static_cast<float>(inverse_inertia(i, k));
  }
  void narrow_displacement() {
    const Vec<D> offset = hit ? Vec<D>(moved + shift) : moved;
    const Spin<D> angle = hit ? Spin<D>(turned + turn_shift) : turned;
    for (int i = 0; i < D; ++i) narrow.offset[i] = static_cast<float>(offset[i]);
    for (int i = 0; i < kTurnAxes<D>; ++i) narrow.angle[i] = static_cast<float>(angle[i]);
  }
};

/// How a contact is worked on.
enum class Worked : std::uint8_t {
  alone,     // after others
  directly,  // likewise, and together with others before, see DirectSolver
  simd,      // in a SIMD batch, which has its impulses
};

/// The fields of a contact that decide how, close together for all.
struct Listed {
  std::uint32_t a = 0;
  std::uint32_t b = 0;
  std::uint8_t count = 0;
  bool guard = false;
  bool plain = false;  // it neither bounces nor rolls
  Worked worked = Worked::alone;
};
template <int D>
Listed listed(const Contact<D>& c) {
  return {c.a, c.b, static_cast<std::uint8_t>(c.count), c.guard,
          c.restitution == 0 && c.rolling == 0};
}

/// The constants of a point, over one step, of a contact that is solved one by one.
template <int D>
struct Row {
  double mass = 0;    // along the normal
  double across = 0;  // along the tangent in which it is least
  Spin<D> turn_a;
  Spin<D> turn_b;  // torque of a push of one on each
};
template <int D>
struct Rows {
  std::array<Row<D>, contact::kMostPoints<D>> points;
  Inertia<D> turning;  // effective inertia of the pair
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

/// The gap of a point of a contact between two bodies, from where what was hit in this substep
/// would have started.
template <int D>
double gap_within(const Contact<D>& c, const SolverPoint<D>& p, const Row<D>& row,
                  const Moving<D>& a, const Moving<D>& b) {
  return p.gap + c.normal.dot(b.moved + b.shift - a.moved - a.shift) +
         row.turn_b.dot(b.turned + b.turn_shift) - row.turn_a.dot(a.turned + a.turn_shift);
}

/// Along the normal, of b against a.
template <int D>
double normal_speed(const Contact<D>& c, const Row<D>& row, const Moving<D>& a,
                    const Moving<D>& b) {
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
