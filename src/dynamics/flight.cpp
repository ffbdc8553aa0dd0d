// How bodies move between contacts.
#include <Eigen/LU>

#include <algorithm>
#include <utility>

#include "dynamics/solver.h"
#include "math/decay.h"
#include "math/fetch.h"
#include "math/fine.h"

namespace colvik::dynamics {
namespace {

constexpr double kTurnedLittle = 1e-4;  // radians

// A frame's axes as the columns of a matrix.
template <int D>
Eigen::Matrix<double, D, D, Eigen::DontAlign> matrix(const Rotation<D>& r) {
  Eigen::Matrix<double, D, D, Eigen::DontAlign> m;
  for (int i = 0; i < D; ++i) m.col(i) = r.axis(i);
  return m;
}

// Whether a body's inertia differs by axis, so that it nutates.
bool uneven(const Inertia<3>& inertia) {
  const double size = inertia(0, 0) * 1e-9;
  return std::abs(inertia(1, 1) - inertia(0, 0)) > size ||
         std::abs(inertia(2, 2) - inertia(0, 0)) > size || std::abs(inertia(0, 1)) > size ||
         std::abs(inertia(0, 2)) > size || std::abs(inertia(1, 2)) > size;
}

}  // namespace

template <int D>
Turns Solver<D>::turns_of(const Body<D>& b) {
  const bool locked =
      std::any_of(b.locked_turns.begin(), b.locked_turns.end(), [](bool x) { return x; });
  if (b.inverse_inertia(0, 0) == 0) return Turns::evenly;
  if (locked) return Turns::locked;
  if constexpr (D == 3)
    if (uneven(b.inertia)) return Turns::unevenly;
  return Turns::evenly;
}

// The inverse inertia in the world's frame; axes about which it cannot turn give nothing.
template <int D>
Inertia<D> Solver<D>::inverse_inertia(const Body<D>& b, Turns turns) {
  if (turns == Turns::evenly) return b.inverse_inertia;
  if constexpr (D == 2) {
    return Inertia<2>(Inertia<2>::Zero());
  } else {
    const auto axes = matrix<3>(b.rotation);
    if (turns == Turns::unevenly) return axes * b.inverse_inertia * axes.transpose();
    // What turns freely is the inverse of the free part of the inertia.
    Inertia<3> inertia = axes * b.inertia * axes.transpose();
    for (int i = 0; i < 3; ++i)
      if (b.locked_turns[i]) {
        inertia.row(i).setZero();
        inertia.col(i).setZero();
        inertia(i, i) = 1;
      }
    Inertia<3> inverse = inertia.inverse();
    for (int i = 0; i < 3; ++i)
      if (b.locked_turns[i]) inverse(i, i) = 0;
    return inverse;
  }
}
template <int D>
void Solver<D>::set_inertia(std::size_t body) {
  Moving<D>& m = moving_[body];
  m.inverse_inertia = inverse_inertia(bodies_[body], m.turns);
  m.narrow_mass();
}

template <int D>
void Solver<D>::accelerate() {
  crew_.share(moving_.size(), kBodies,
              [&](std::size_t first, std::size_t last, std::size_t) { accelerate(first, last); });
}
template <int D>
void Solver<D>::accelerate(std::size_t first, std::size_t last) {
  for (std::size_t i = first; i < last; ++i) {
    Moving<D>& m = moving_[i];
    if (!m.steady) {
      const Body<D>& b = bodies_[i];
      if (b.drag > 0) {
        // Exact for constant forces: v' = a - drag v.
        const double left = math::decay(b.drag * h_);
        m.gain = m.velocity * (left - 1) + b.acceleration * ((1 - left) / b.drag);
      }
      if (!b.torque.isZero(0)) m.spin += m.inverse_inertia * b.torque * h_;
      if (b.spin_drag > 0) m.spin *= math::decay(b.spin_drag * h_);
    }
    m.velocity += m.gain;
    if (m.hit) m.narrow_displacement();
    m.speed = static_cast<float>(m.velocity.squaredNorm());
    m.spinning = static_cast<float>(m.spin.squaredNorm());
  }
}

template <int D>
void Solver<D>::carry(Body<D>& b, const Vec<D>& by) {
  const math::Place<D> to = math::Place<D>{Pose<D>{b.centre, {}}, b.rest}.moved(by);
  b.centre = to.position;
  b.rest = to.rest;
}

template <int D>
void Solver<D>::move() {
  crew_.share(moving_.size(), kBodies,
              [&](std::size_t first, std::size_t last, std::size_t) { move(first, last); });
}
template <int D>
void Solver<D>::move(std::size_t first, std::size_t last) {
  for (std::size_t i = first; i < last; ++i) {
    constexpr std::size_t kAhead = 4;
    if (i + kAhead < last) {
      math::fetch(&bodies_[i + kAhead], offsetof(Body<D>, inertia));
      math::fetch(&moving_[i + kAhead], offsetof(Moving<D>, inverse_mass));
    }
    Body<D>& b = bodies_[i];
    Moving<D>& m = moving_[i];
    Vec<D> by = m.velocity * h_;
    if (m.hit) by += m.shift;
    // Without contact the displacement is that of the mean velocity, which follows the parabola
    // exactly.
    if (!m.pushed) by -= m.gain * (0.5 * h_);
    m.moved += by;
    m.displacement = by;
    carry(b, by);
    if (!m.spin.isZero(0) || m.hit) turn(i);
    if (m.hit) {
      m.shift.setZero();
      m.turn_shift.setZero();
    }
    m.narrow_displacement();
  }
}

// Free turning keeps the angular momentum and, to rounding or to a small part, the energy.
template <int D>
void Solver<D>::turn(std::size_t body) {
  Body<D>& b = bodies_[body];
  Moving<D>& m = moving_[body];
  Spin<D> by = m.spin * h_;
  if constexpr (D == 3) {
    if (m.turns == Turns::unevenly && by.squaredNorm() > 1e-10) {
      const Vec<3> momentum = b.rotation * Vec<3>(b.inertia * (b.rotation.inverse() * m.spin));
      if (std::exchange(knows_principal_[body], std::uint8_t{1}) == 0)
        principal_[body] = principal_axes(b.inertia);
      const Rotation<3> to = turned_freely(b.rotation, momentum, principal_[body], h_);
      by = (to * b.rotation.inverse()).to_spin();
      m.spin = to * Vec<3>(b.inverse_inertia * (to.inverse() * momentum));
    }
  }
  if (m.hit) by += m.turn_shift;
  b.rotation = Rotation<D>::from_spin(by) * b.rotation;
  b.rotation.normalize();
  m.turned += by;
  m.turning += by.norm();
  // What hardly turned in this step is as easy to turn as when it began, to a ten-thousandth.
  if (m.turns != Turns::evenly && m.turning > kTurnedLittle) set_inertia(body);
}

template Turns Solver<2>::turns_of(const Body<2>& b);
template Turns Solver<3>::turns_of(const Body<3>& b);
template Inertia<2> Solver<2>::inverse_inertia(const Body<2>& b, Turns turns);
template Inertia<3> Solver<3>::inverse_inertia(const Body<3>& b, Turns turns);
template void Solver<2>::set_inertia(std::size_t body);
template void Solver<3>::set_inertia(std::size_t body);
template void Solver<2>::accelerate();
template void Solver<3>::accelerate();
template void Solver<2>::accelerate(std::size_t first, std::size_t last);
template void Solver<3>::accelerate(std::size_t first, std::size_t last);
template void Solver<2>::carry(Body<2>& b, const Vec<2>& by);
template void Solver<3>::carry(Body<3>& b, const Vec<3>& by);
template void Solver<2>::move();
template void Solver<3>::move();
template void Solver<2>::move(std::size_t first, std::size_t last);
template void Solver<3>::move(std::size_t first, std::size_t last);
template void Solver<2>::turn(std::size_t body);
template void Solver<3>::turn(std::size_t body);

}  // namespace colvik::dynamics
