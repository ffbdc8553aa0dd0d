#pragma once
/// Vectors, spins and bounds of a 2D or 3D world.
///
/// Everything is double. The types are Eigen's, without alignment, so that their layout
/// is the same whatever instruction set the including program is compiled for.

// Vec<3>{0, -9}, two integers, is then refused at compile time; not where Eigen was included
// before.
#if !defined(EIGEN_CORE_H) && !defined(EIGEN_MATRIX_PLUGIN)
// NOLINTNEXTLINE(bugprone-macro-parentheses): a file
#define EIGEN_MATRIX_PLUGIN <colvik/vector_plugin.inc>
#include <Eigen/Core>
#undef EIGEN_MATRIX_PLUGIN
#else
#include <Eigen/Core>
#endif

#include <cmath>
#include <limits>

namespace colvik {

/// Number of independent axes of turning: 1 in 2D, 3 in 3D.
template <int D>
inline constexpr int kTurnAxes = D == 2 ? 1 : 3;

/// Position, direction or velocity, in the user's units (per second).
template <int D>
using Vec = Eigen::Matrix<double, D, 1, Eigen::DontAlign>;

/// Angular velocity in radians per second, or an angular impulse: one number (counterclockwise,
/// from +x to +y) in 2D, a vector along the axis in 3D.
template <int D>
using Spin = Eigen::Matrix<double, kTurnAxes<D>, 1, Eigen::DontAlign>;

/// Moment of inertia, or its inverse: 1x1 in 2D, 3x3 in 3D.
template <int D>
using Inertia = Eigen::Matrix<double, kTurnAxes<D>, kTurnAxes<D>, Eigen::DontAlign>;

/// Zero of any length, as a member's default (g++ 12 cannot take Eigen's own expression there).
struct ZeroValue {
  template <int R>
  operator Eigen::Matrix<double, R, 1, Eigen::DontAlign>() const {  // NOLINT: meant to convert
    return Eigen::Matrix<double, R, 1, Eigen::DontAlign>::Zero();
  }
};
inline constexpr ZeroValue kZero{};

/// Velocity at offset `r` of something turning with `w`: w x r.
inline Vec<2> cross(const Spin<2>& w, const Vec<2>& r) { return {-w[0] * r.y(), w[0] * r.x()}; }
inline Vec<3> cross(const Spin<3>& w, const Vec<3>& r) {
  return {w.y() * r.z() - w.z() * r.y(), w.z() * r.x() - w.x() * r.z(),
          w.x() * r.y() - w.y() * r.x()};
}

/// Turning effect of `f` applied at offset `r`: r x f.
inline Spin<2> torque(const Vec<2>& r, const Vec<2>& f) {
  return Spin<2>(r.x() * f.y() - r.y() * f.x());
}
inline Spin<3> torque(const Vec<3>& r, const Vec<3>& f) { return cross(r, f); }

/// Axis-aligned bounds. Closed: bounds that share only a face overlap.
template <int D>
struct Bounds {
  Vec<D> lo = Vec<D>::Constant(std::numeric_limits<double>::max());
  Vec<D> hi = Vec<D>::Constant(std::numeric_limits<double>::lowest());

  /// The default value is empty: merging it with other bounds gives those.
  [[nodiscard]] bool empty() const { return (lo.array() > hi.array()).any(); }
  [[nodiscard]] Vec<D> size() const { return hi - lo; }
  [[nodiscard]] Vec<D> centre() const { return (lo + hi) * 0.5; }

  [[nodiscard]] bool overlaps(const Bounds& other) const {
    for (int i = 0; i < D; ++i)
      if (lo[i] > other.hi[i] || other.lo[i] > hi[i]) return false;
    return true;
  }
  [[nodiscard]] bool contains(const Bounds& other) const {
    for (int i = 0; i < D; ++i)
      if (lo[i] > other.lo[i] || hi[i] < other.hi[i]) return false;
    return true;
  }
  [[nodiscard]] bool contains(const Vec<D>& point) const {
    return (point.array() >= lo.array()).all() && (point.array() <= hi.array()).all();
  }
  [[nodiscard]] Bounds merged(const Bounds& other) const {
    return {lo.cwiseMin(other.lo), hi.cwiseMax(other.hi)};
  }
  [[nodiscard]] Bounds merged(const Vec<D>& point) const {
    return {lo.cwiseMin(point), hi.cwiseMax(point)};
  }
  [[nodiscard]] Bounds grown(double by) const {
    return {lo - Vec<D>::Constant(by), hi + Vec<D>::Constant(by)};
  }
  /// The bounds of these bounds moved along `by`.
  [[nodiscard]] Bounds swept(const Vec<D>& by) const {
    return {lo + by.cwiseMin(Vec<D>::Zero()), hi + by.cwiseMax(Vec<D>::Zero())};
  }
};

}  // namespace colvik
