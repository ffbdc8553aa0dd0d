#pragma once
// Eight bounds as structure of arrays, in single precision.
#include <colvik/vector.hpp>

#include <algorithm>
#include <cmath>

namespace colvik::index {

inline constexpr int kWidth = 8;

/// Bounds in single precision, in the frame of a tree (its origin taken off).
template <int D>
struct FloatBox {
  float lo[D];
  float hi[D];
};

/// Larger numbers are taken for this one: rounding keeps the order of numbers, so bounds that
/// overlap still do, and no sum becomes infinite.
inline constexpr double kFarthest = 1e18;
inline float to_float(double x) { return static_cast<float>(std::clamp(x, -kFarthest, kFarthest)); }

/// The largest coordinate whose rounding matters to a query that reaches no further out than `own`,
/// in a tree that reaches as far as `all`: sides more than twice as far out are beyond it however
/// they are rounded. So half-spaces do not make every question about all.
inline float farthest(float own, float all) { return std::max(own, std::min(all, 2 * own)); }

template <int D>
FloatBox<D> to_float(const Bounds<D>& b, const Vec<D>& origin) {
  FloatBox<D> out;
  for (int i = 0; i < D; ++i) {
    out.lo[i] = to_float(b.lo[i] - origin[i]);
    out.hi[i] = to_float(b.hi[i] - origin[i]);
  }
  return out;
}

template <int D>
FloatBox<D> merged(FloatBox<D> a, const FloatBox<D>& b) {
  for (int i = 0; i < D; ++i) {
    a.lo[i] = std::min(a.lo[i], b.lo[i]);
    a.hi[i] = std::max(a.hi[i], b.hi[i]);
  }
  return a;
}

/// Half the surface (3D) or half the circumference (2D): the chance that a query meets the bounds.
inline float cost(const FloatBox<2>& b) { return b.hi[0] - b.lo[0] + (b.hi[1] - b.lo[1]); }
inline float cost(const FloatBox<3>& b) {
  const float x = b.hi[0] - b.lo[0];
  const float y = b.hi[1] - b.lo[1];
  const float z = b.hi[2] - b.lo[2];
  return x * y + y * z + z * x;
}

/// The bounds of eight slots, coordinate by coordinate. Those not in use are turned inside out.
template <int D>
struct Slots {
  alignas(32) float lo[D][kWidth];
  alignas(32) float hi[D][kWidth];

  [[nodiscard]] FloatBox<D> get(int slot) const {
    FloatBox<D> b;
    for (int i = 0; i < D; ++i) {
      b.lo[i] = lo[i][slot];
      b.hi[i] = hi[i][slot];
    }
    return b;
  }
  void set(int slot, const FloatBox<D>& b) {
    for (int i = 0; i < D; ++i) {
      lo[i][slot] = b.lo[i];
      hi[i][slot] = b.hi[i];
    }
  }
  void clear(int slot) {
    constexpr float kBeyond = 3e38F;
    for (int i = 0; i < D; ++i) {
      lo[i][slot] = kBeyond;
      hi[i][slot] = -kBeyond;
    }
  }
};

/// What the slots in use cover together.
template <int D>
inline FloatBox<D> around(const Slots<D>& s) {
  using Eight = Eigen::Map<const Eigen::Array<float, kWidth, 1>, Eigen::Aligned32>;
  FloatBox<D> out;
  for (int i = 0; i < D; ++i) {
    out.lo[i] = Eight(s.lo[i]).minCoeff();
    out.hi[i] = Eight(s.hi[i]).maxCoeff();
  }
  return out;
}

}  // namespace colvik::index
