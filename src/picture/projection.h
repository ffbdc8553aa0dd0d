#pragma once
// From the world to the paper: 2D as it is, 3D orthographically from above at an angle.
#include <colvik/pose.hpp>

#include <array>

namespace colvik::picture {

template <int D>
class Projection {
 public:
  // Fits `view` into the frame. Up on paper is against gravity; y where there is none.
  Projection(const Bounds<D>& view, const Vec<D>& gravity, const Vec<2>& frame_corner,
             const Vec<2>& frame_size) {
    set_axes(gravity);
    Bounds<2> flat;
    for (unsigned corner = 0; corner < 1U << D; ++corner) {
      Vec<D> p = view.lo;
      for (int i = 0; i < D; ++i)
        if ((corner >> i & 1U) != 0) p[i] = view.hi[i];
      flat = flat.merged(Vec<2>(right_.dot(p), up_.dot(p)));
    }
    scale_ = 0.94 * std::min(frame_size.x() / flat.size().x(), frame_size.y() / flat.size().y());
    origin_ =
        frame_corner + frame_size / 2 - scale_ * Vec<2>(flat.centre().x(), -flat.centre().y());
  }

  [[nodiscard]] Vec<2> operator()(const Vec<D>& p) const {
    return origin_ + scale_ * Vec<2>(right_.dot(p), -up_.dot(p));
  }
  [[nodiscard]] double scale() const { return scale_; }                         // pixels a unit
  [[nodiscard]] double depth(const Vec<D>& p) const { return toward_.dot(p); }  // larger: nearer
  [[nodiscard]] bool faces_us(const Vec<D>& direction) const {
    return toward_.dot(direction) > 1e-9;
  }

 private:
  void set_axes(const Vec<D>& gravity) {
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
      sine_cosine(radians(28), s, c);            // round the upright axis
      sine_cosine(radians(32), sin_up, cos_up);  // above the horizon
      toward_ = cos_up * (s * side + c * front) + sin_up * up;
      right_ = cross(up, toward_).normalized();
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
