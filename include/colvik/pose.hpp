#pragma once
/// Rotations and poses. A pose maps local points to the parent frame.

#include <colvik/export.hpp>
#include <colvik/vector.hpp>

#include <concepts>

namespace colvik {

inline constexpr double kPi = 3.14159265358979323846;

/// Radians from degrees; scene files speak of degrees, C++ of radians.
constexpr double radians(double degrees) { return degrees * (kPi / 180.0); }
constexpr double degrees(double radians) { return radians * (180.0 / kPi); }

/// Sine and cosine of `angle` (radians, finite, |angle| < 1e9) built from + - * and floor alone, so
/// that every compiler and C library gives the same bits. Absolute error below 1e-15.
/// Source: Taylor series after reduction to [-pi/4, pi/4] in two parts (Cody and Waite, Software
/// Manual for the Elementary Functions, 1980).
COLVIK_EXPORT void sine_cosine(double angle, double& sine, double& cosine);

/// Angle of the point (x, y) in (-pi, pi], likewise the same bits everywhere; (0, 0) gives 0.
/// Absolute error below 1e-14.
COLVIK_EXPORT double angle_of(double y, double x);

/// What makes a direction with this square of its length a unit one. Of nearly unit ones without a
/// root.
inline double to_unit(double square) {
  const double off = square - 1;
  return std::abs(off) < 1e-8 ? 1 - 0.5 * off : 1 / std::sqrt(square);
}

template <int D>
class Rotation;

/// Turn in the plane, counterclockwise from +x to +y.
template <>
class Rotation<2> {
 public:
  Rotation() = default;
  /// From an angle in radians.
  explicit Rotation(double angle) { sine_cosine(angle, s_, c_); }
  /// Whole numbers are degrees more often than radians, and do not compile: radians(90), or 2.0.
  template <std::integral T>
  explicit Rotation(T) = delete;
  /// From an angular velocity held for one unit of time.
  static Rotation from_spin(const Spin<2>& turn) { return Rotation(turn[0]); }

  [[nodiscard]] double angle() const { return angle_of(s_, c_); }
  /// The shortest turn that makes this rotation, in radians.
  [[nodiscard]] Spin<2> to_spin() const { return Spin<2>(angle()); }
  [[nodiscard]] Vec<2> operator*(const Vec<2>& v) const {
    return {c_ * v.x() - s_ * v.y(), s_ * v.x() + c_ * v.y()};
  }
  [[nodiscard]] Rotation operator*(const Rotation& o) const {
    return Rotation(c_ * o.c_ - s_ * o.s_, s_ * o.c_ + c_ * o.s_);
  }
  [[nodiscard]] Rotation inverse() const { return Rotation(c_, -s_); }
  /// Back to unit length; a long product of rotations drifts.
  void normalize() {
    const double by = to_unit(c_ * c_ + s_ * s_);
    c_ *= by;
    s_ *= by;
  }
  [[nodiscard]] double cosine() const { return c_; }
  [[nodiscard]] double sine() const { return s_; }
  /// Column i of the rotation matrix: where local axis i points.
  [[nodiscard]] Vec<2> axis(int i) const { return i == 0 ? Vec<2>(c_, s_) : Vec<2>(-s_, c_); }

 private:
  Rotation(double c, double s) : c_(c), s_(s) {}
  double c_ = 1;
  double s_ = 0;
};

/// Turn in space, a unit quaternion.
template <>
class COLVIK_EXPORT Rotation<3> {
 public:
  Rotation() = default;
  /// By `angle` radians about `axis` (any length but zero), right-handed.
  Rotation(const Vec<3>& axis, double angle);
  /// From an angular velocity held for one unit of time (the exponential map).
  static Rotation from_spin(const Spin<3>& turn);
  /// Of the unit quaternion nearest to these parts; unturned if all are 0.
  static Rotation from_quaternion(double w, double x, double y, double z) {
    const double length = std::sqrt(w * w + x * x + y * y + z * z);
    return length > 0 ? Rotation(w / length, x / length, y / length, z / length) : Rotation();
  }

  /// That turns the axes x and y into these two of length one, at right angles to each other.
  /// Source: Shepperd, "Quaternion from Rotation Matrix", 1978.
  static Rotation from_axes(const Vec<3>& x, const Vec<3>& y);

  /// The shortest turn that makes this rotation: axis times angle in radians.
  [[nodiscard]] Spin<3> to_spin() const;
  // Always inlined: a vector passed through memory is slow to
  // read back right after the write.
  [[nodiscard, gnu::always_inline]] Vec<3> operator*(const Vec<3>& v) const {
    const Vec<3> u(x_, y_, z_);
    const Vec<3> t = 2.0 * cross(u, v);
    return v + w_ * t + cross(u, t);
  }
  [[nodiscard]] Rotation operator*(const Rotation& o) const {
    return Rotation(w_ * o.w_ - x_ * o.x_ - y_ * o.y_ - z_ * o.z_,
                    w_ * o.x_ + x_ * o.w_ + y_ * o.z_ - z_ * o.y_,
                    w_ * o.y_ - x_ * o.z_ + y_ * o.w_ + z_ * o.x_,
                    w_ * o.z_ + x_ * o.y_ - y_ * o.x_ + z_ * o.w_);
  }
  [[nodiscard]] Rotation inverse() const { return Rotation(w_, -x_, -y_, -z_); }
  void normalize() {
    const double by = to_unit(w_ * w_ + x_ * x_ + y_ * y_ + z_ * z_);
    w_ *= by;
    x_ *= by;
    y_ *= by;
    z_ *= by;
  }
  [[nodiscard]] double w() const { return w_; }
  [[nodiscard]] double x() const { return x_; }
  [[nodiscard]] double y() const { return y_; }
  [[nodiscard]] double z() const { return z_; }
  /// Column i of the rotation matrix: where local axis i points.
  [[nodiscard]] Vec<3> axis(int i) const {
    if (i == 0)
      return {1 - 2 * (y_ * y_ + z_ * z_), 2 * (x_ * y_ + w_ * z_), 2 * (x_ * z_ - w_ * y_)};
    if (i == 1)
      return {2 * (x_ * y_ - w_ * z_), 1 - 2 * (x_ * x_ + z_ * z_), 2 * (y_ * z_ + w_ * x_)};
    return {2 * (x_ * z_ + w_ * y_), 2 * (y_ * z_ - w_ * x_), 1 - 2 * (x_ * x_ + y_ * y_)};
  }

 private:
  Rotation(double w, double x, double y, double z) : w_(w), x_(x), y_(y), z_(z) {}
  double w_ = 1;
  double x_ = 0;
  double y_ = 0;
  double z_ = 0;
};

/// No turn, as a member's default (see kZero).
struct NoTurn {
  template <int D>
  operator Rotation<D>() const {  // NOLINT: meant to convert
    return Rotation<D>();
  }
};
inline constexpr NoTurn kUnturned{};

/// The rotation at fraction `t` (0 to 1) of the shortest arc from `a` to `b`.
template <int D>
[[nodiscard]] Rotation<D> interpolate(const Rotation<D>& a, const Rotation<D>& b, double t) {
  return a * Rotation<D>::from_spin(t * (a.inverse() * b).to_spin());
}

/// Where something is and how it is turned.
template <int D>
struct Pose {
  Vec<D> position = kZero;  ///< user's units
  Rotation<D> rotation;

  [[nodiscard]] Vec<D> operator*(const Vec<D>& local) const { return position + rotation * local; }
  /// A world position, in this pose's frame.
  [[nodiscard]] Vec<D> to_local(const Vec<D>& place) const {
    return rotation.inverse() * Vec<D>(place - position);
  }
  [[nodiscard]] Pose operator*(const Pose& local) const {
    return {*this * local.position, rotation * local.rotation};
  }
  /// `other` in this pose's frame. The positions are subtracted before anything else, so that
  /// two things near each other but far from the origin lose nothing.
  [[nodiscard]] Pose relative(const Pose& other) const {
    const Rotation<D> back = rotation.inverse();
    return {back * Vec<D>(other.position - position), back * other.rotation};
  }
};

}  // namespace colvik
