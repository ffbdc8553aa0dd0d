#pragma once
// From the world to the paper: 2D as it is, 3D orthographically, as an eye sees it.
#include <colvik/picture.hpp>

#include <array>
#include <cmath>

namespace colvik::picture {

// Where a thing along y stands when it is to reach from one point to another.
[[nodiscard]] inline Pose<3> along(const Vec<3>& from, const Vec<3>& to) {
  const Vec<3> way = to - from;
  const Vec<3> axis = cross(Vec<3>(Vec<3>::Unit(1)), way);
  const Rotation<3> turned =
      axis.isZero() ? Rotation<3>() : Rotation<3>(axis, std::atan2(axis.norm(), way.y()));
  return {(from + to) / 2, turned};
}

template <int D>
class Projection {
 public:
  // Fits `view` into the frame. Up on paper is against gravity; y where there is none.
  Projection(const Bounds<D>& view, const Vec<D>& gravity, const Eye& eye,
             const Vec<2>& frame_corner, const Vec<2>& frame_size) {
    set_axes(gravity, eye);
    Bounds<2> flat;
    for (unsigned corner = 0; corner < 1U << D; ++corner) {
      Vec<D> p = view.lo;
      for (int i = 0; i < D; ++i)
        if ((corner >> i & 1U) != 0) p[i] = view.hi[i];
      flat = flat.merged(Vec<2>(right_.dot(p), up_.dot(p)));
    }
    scale_ = 0.97 * std::min(frame_size.x() / flat.size().x(), frame_size.y() / flat.size().y());
    origin_ =
        frame_corner + frame_size / 2 - scale_ * Vec<2>(flat.centre().x(), -flat.centre().y());
  }

  [[nodiscard]] Vec<2> operator()(const Vec<D>& p) const {
    return origin_ + scale_ * Vec<2>(right_.dot(p), -up_.dot(p));
  }
  [[nodiscard]] double scale() const { return scale_; }                         // pixels a unit
  [[nodiscard]] double depth(const Vec<D>& p) const { return toward_.dot(p); }  // larger: nearer
  [[nodiscard]] const Vec<D>& toward() const { return toward_; }
  [[nodiscard]] const Vec<D>& up() const { return up_; }
  [[nodiscard]] bool faces_us(const Vec<D>& direction) const {
    return toward_.dot(direction) > 1e-9;
  }

 private:
  void set_axes(const Vec<D>& gravity, const Eye& eye) {
    if constexpr (D == 2) {
      right_ = Vec<2>(1, 0);
      up_ = Vec<2>(0, gravity.y() > 0 ? -1 : 1);
      toward_ = kZero;
    } else {
      const Vec<3> up = gravity.norm() > 0 ? Vec<3>(-gravity.normalized()) : Vec<3>(0, 1, 0);
      Vec<3> side = std::abs(up.x()) < 0.9 ? Vec<3>(1, 0, 0) : Vec<3>(0, 1, 0);
      side = (side - up * up.dot(side)).normalized();
      const Vec<3> front = cross(side, up);
      double s = 0;
      double c = 0;
      double sin_up = 0;
      double cos_up = 0;
      sine_cosine(radians(eye.round), s, c);
      sine_cosine(radians(eye.above), sin_up, cos_up);
      toward_ = cos_up * (s * side + c * front) + sin_up * up;
      right_ = c * side - s * front;
      up_ = cross(toward_, right_);
    }
  }
  Vec<D> right_ = kZero;
  Vec<D> up_ = kZero;
  Vec<D> toward_ = kZero;
  double scale_ = 1;
  Vec<2> origin_ = kZero;
};

}  // namespace colvik::picture
