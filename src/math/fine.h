#pragma once
// Positions to twice the digits of a double, so that what is far from the origin moves as exactly
// as what is near it.
#include <colvik/pose.hpp>

namespace colvik::math {

/// a + b, and in `error` exactly what its rounding leaves out (Knuth, The Art of Computer
/// Programming, volume 2, 1997, section 4.2.2).
template <int D>
Vec<D> sum(const Vec<D>& a, const Vec<D>& b, Vec<D>& error) {
  Vec<D> s = a + b;
  const Vec<D> of_b = s - a;
  error = (a - (s - of_b)) + (b - of_b);
  return s;
}

/// A pose, and what its position leaves out: less than its last place. A pose alone is one that
/// leaves out nothing.
template <int D>
struct Place : Pose<D> {
  Vec<D> rest = kZero;

  Place(const Pose<D>& pose) : Pose<D>(pose) {}  // NOLINT: meant to convert
  Place(const Pose<D>& pose, const Vec<D>& left_out) : Pose<D>(pose), rest(left_out) {}

  /// Moved in the parent frame.
  [[nodiscard]] Place moved(const Vec<D>& by) const {
    Vec<D> error;
    const Vec<D> to = sum<D>(this->position, by, error);
    const Vec<D> left_out = error + rest;
    const Vec<D> whole = to + left_out;
    return {Pose<D>{whole, this->rotation}, left_out - (whole - to)};
  }
  [[nodiscard]] Place operator*(const Pose<D>& local) const {
    Place there = moved(this->rotation * local.position);
    there.rotation = this->rotation * local.rotation;
    return there;
  }
  using Pose<D>::operator*;
  /// From here to there, in the parent frame of the two.
  [[nodiscard]] Vec<D> offset_to(const Place& there) const {
    Vec<D> error;
    const Vec<D> offset = sum<D>(there.position, -this->position, error);
    return offset + (error + (there.rest - rest));
  }
  /// `other` in this one's frame.
  [[nodiscard]] Pose<D> relative(const Place& other) const {
    const Rotation<D> back = this->rotation.inverse();
    return {back * offset_to(other), back * other.rotation};
  }
};

}  // namespace colvik::math
