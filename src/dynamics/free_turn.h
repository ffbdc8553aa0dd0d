#pragma once
// Free rotation of a body whose moments of inertia differ.
#include <colvik/pose.hpp>

namespace colvik::dynamics {

/// Principal axes of an inertia tensor: the columns of `axes`, in the body's frame, with their
/// moments. The first two moments are the most alike in 1 / moment.
struct PrincipalAxes {
  Rotation<3> axes;
  Vec<3> moments;
};

/// Jacobi's method (Golub and Van Loan, "Matrix computations", 2013, section 8.5).
[[nodiscard]] PrincipalAxes principal_axes(const Inertia<3>& inertia);

/// Where a body with the rotation `rotation` and the angular momentum `momentum` (world) is turned
/// after `seconds` without torque. Exact where two moments are equal; else the energy is bounded
/// near its first value, at any spin: the motion is that of a symmetric body, composed
/// with turns about one axis (Strang splitting; Touma and Wisdom, "Lie-Poisson integrators for
/// rigid body dynamics in the solar system", 1994), in as many parts as the difference of the
/// moments needs, at most 64. The angular momentum is constant.
[[nodiscard]] Rotation<3> turned_freely(const Rotation<3>& rotation, const Vec<3>& momentum,
                                        const PrincipalAxes& principal, double seconds);

}  // namespace colvik::dynamics
