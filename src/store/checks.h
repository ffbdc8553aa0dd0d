#pragma once
// What a world accepts: every check names the object and the value, and says what would do.
#include <colvik/world.hpp>

#include <fmt/format.h>

namespace colvik::world {

inline constexpr double kMostClearance =
    0.0035;  // metres: a walker that stands must still touch its ground
inline constexpr double kFurthest = 1e9;  // metres from the origin
inline constexpr double kFastest = 1e6;   // metres (or radians) per second
// Their inverses are held in single precision: what is heavier than it can tell does not move.
inline constexpr double kLightest = 1e-20;
inline constexpr double kHeaviest = 1e30;
inline constexpr double kLeastInertia = 1e-30;
inline constexpr double kMostInertia = 1e40;
inline constexpr double kStrongest = 1e40;  // forces and impulses

template <int R>
bool within(const Eigen::Matrix<double, R, 1, Eigen::DontAlign>& v, double most) {
  for (int i = 0; i < R; ++i)
    if (!(std::abs(v[i]) <= most)) return false;  // false for NaN
  return true;
}

// A position within the world and a rotation of length one.
template <int D>
bool is_usable(const Pose<D>& pose, double metre) {
  bool good = within(pose.position, kFurthest * metre);
  for (int i = 0; i < D; ++i)
    good = good && std::abs(pose.rotation.axis(i).squaredNorm() - 1) <= 1e-6;
  return good;
}

template <int R>
std::string text(const Eigen::Matrix<double, R, 1, Eigen::DontAlign>& v) {
  std::string out = "[";
  for (int i = 0; i < R; ++i) out += fmt::format("{}{}", i == 0 ? "" : ", ", v[i]);
  return out + "]";
}

/// The first thing about `def` that cannot be used, if any; tags and names are the world's
/// business.
template <int D>
[[nodiscard]] Result<void> check_object(const ObjectDef<D>& def, const WorldSettings<D>& settings);
/// What colliders an object may have.
template <int D>
[[nodiscard]] Result<void> check_colliders(const std::vector<ColliderDef<D>>& colliders,
                                           BodyKind body, bool has_mass, double metre);

}  // namespace colvik::world
