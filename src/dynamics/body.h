#pragma once
// A body and a contact as the solver sees them.
#include <colvik/pose.hpp>

#include <array>
#include <cstdint>

#include "contact/manifold.h"

namespace colvik::dynamics {

/// The pose is that of the centre of mass. What every substep reads comes first.
template <int D>
struct alignas(64) Body {
  Vec<D> centre = Vec<D>::Zero();
  Vec<D> rest = Vec<D>::Zero();  // what the centre leaves out, see math::Place
  Rotation<D> rotation;
  Inertia<D> inverse_inertia = Inertia<D>::Zero();  // in the body's frame
  Inertia<D> inertia = Inertia<D>::Zero();          // likewise
  Vec<D> velocity = Vec<D>::Zero();
  Spin<D> spin = Spin<D>::Zero();
  Vec<D> inverse_mass = Vec<D>::Zero();  // along each axis; 0: moved by its owner, locked, or never
  std::array<bool, kTurnAxes<D>> locked_turns{};  // axes of the world
  Vec<D> acceleration = Vec<D>::Zero();           // from gravity and forces
  Spin<D> torque = Spin<D>::Zero();
  double drag = 0;
  double spin_drag = 0;
};

/// Set by Contact::add.
template <int D>
struct SolverPoint {
  Vec<D> arm_a;
  Vec<D> arm_b;       // from the centres of mass at the start of the step
  double gap;         // there, at the start of the step
  double push;        // impulse along the normal, kept for the next step
  Vec<D> drag;        // friction impulse on b, likewise
  double total_push;  // over the whole step
  // Speed at which the two approach at the point, as if at the step's start: what forces add until
  // the point first pushes is left out.
  double approach;
  double when;  // seconds into the step of its first impulse; below 0: none
  std::uint32_t id;
  std::uint8_t struck;  // 1: its push stopped something within a substep, and does not last
};

/// Contact between bodies `a` and `b` (indices into the bodies).
template <int D>
struct Contact {
  std::uint32_t a = 0;
  std::uint32_t b = 0;
  Vec<D> normal = Vec<D>::Zero();  // from a to b
  double friction = 0;
  double restitution = 0;
  double rolling = 0;               // greatest torque against turning for a push of one
  Vec<D> surface = Vec<D>::Zero();  // velocity of b's surface on b, less that of a's on a
  Spin<D> roll = Spin<D>::Zero();   // rolling friction's impulse on b, kept for the next step
  bool guard = false;               // counts only once one of the two was hit by something else
  // Steps, with this one, in which its points are worked on evenly (see orders.h): those after it
  // began, until it has impulses to start from that favour no point. Set by the solver as it
  // begins, kept for the next step.
  std::uint8_t even = 0;
  int count = 0;
  std::array<SolverPoint<D>, contact::kMostPoints<D>> points;

  Contact() {
  }  // NOLINT: by default, points that are not used, most of a long list, would be written to
  /// Room is for kMostPoints.
  SolverPoint<D>& add(const Vec<D>& arm_a, const Vec<D>& arm_b, double gap, std::uint32_t id) {
    SolverPoint<D>& p = points[static_cast<std::size_t>(count++)];
    p = {arm_a, arm_b, gap, 0, Vec<D>::Zero(), 0, 0, -1, id, 0};
    return p;
  }
};

}  // namespace colvik::dynamics
