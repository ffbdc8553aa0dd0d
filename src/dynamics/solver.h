#pragma once
// Moves bodies through one step under gravity and contacts.
#include <colvik/pose.hpp>

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "contact/manifold.h"

namespace colvik::dynamics {

/// A body as the solver sees it. The pose is that of the centre of mass.
template <int D>
struct Body {
  Vec<D> centre = Vec<D>::Zero();
  Rotation<D> rotation;
  Vec<D> velocity = Vec<D>::Zero();
  Spin<D> spin = Spin<D>::Zero();
  double inverse_mass = 0;                          // 0: moved by its owner, or never
  Inertia<D> inverse_inertia = Inertia<D>::Zero();  // in the body's frame
  Vec<D> acceleration = Vec<D>::Zero();             // from gravity
};

template <int D>
struct SolverPoint {
  Vec<D> arm_a, arm_b;  // from the centres of mass at the start of the step
  double gap = 0;
  std::uint32_t id = 0;
  double push = 0;  // impulse along the normal, kept for the next step
  Eigen::Matrix<double, D - 1, 1, Eigen::DontAlign> drag =
      Eigen::Matrix<double, D - 1, 1, Eigen::DontAlign>::Zero();  // friction impulse along the tangents
  double gap_after = 0;                                           // at the end of the step
  double total_push = 0;                                          // over the whole step
  double approach = 0;  // speed at which the two came together at the start of the step
};

/// Contact between bodies `a` and `b` (indices into the span of bodies).
template <int D>
struct Contact {
  std::uint32_t a = 0, b = 0;
  Vec<D> normal = Vec<D>::Zero();  // from a to b
  double friction = 0, restitution = 0;
  int count = 0;
  std::array<SolverPoint<D>, contact::kMostPoints<D>> points;
};

struct SolverSettings {
  double step = 1.0 / 60;  // seconds
  int substeps = 8;
  double metre = 1;  // user's units in a metre; every tolerance follows from it
};

/// Advances `bodies` by one step. `contacts` are worked on in their order and come back with the
/// impulses that acted. Contact is made of many small steps with warm-started impulses (Macklin and
/// others, "Small steps in physics simulation", 2019), overlap is removed by a damped spring whose
/// velocity is taken out again before the positions are used further, and Coulomb friction acts in
/// the tangent plane. A body without contacts follows its parabola exactly.
/// Deterministic: depends on nothing but its input.
template <int D>
void solve(std::span<Body<D>> bodies, std::span<Contact<D>> contacts, const SolverSettings& settings);

}  // namespace colvik::dynamics
