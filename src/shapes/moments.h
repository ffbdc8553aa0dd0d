#pragma once
// Volume and its first and second moments, put together from pieces.
#include <colvik/shape.hpp>

namespace colvik::shapes {

template <int D>
struct Moments {
  using Matrix = Eigen::Matrix<double, D, D, Eigen::DontAlign>;
  double volume = 0;
  Vec<D> first = Vec<D>::Zero();   // integral of x
  Matrix second = Matrix::Zero();  // integral of x x^T

  // A piece whose own moments are about a point at `at`.
  void add(const Moments& piece, const Vec<D>& at) {
    volume += piece.volume;
    first += piece.first + piece.volume * at;
    second += piece.second + piece.first * at.transpose() + at * piece.first.transpose() +
              piece.volume * at * at.transpose();
  }
  void add(const Moments& piece) { add(piece, Vec<D>::Zero()); }

  // The simplex spanned by the origin and D points; its volume is negative if they turn the other
  // way.
  void add_simplex(const std::array<Vec<D>, D>& p) {
    double v = 0;
    if constexpr (D == 2) v = torque(p[0], p[1])[0] / 2;
    else v = p[0].dot(cross(p[1], p[2])) / 6;
    Vec<D> sum = Vec<D>::Zero();
    Matrix squares = Matrix::Zero();
    for (const Vec<D>& x : p) {
      sum += x;
      squares += x * x.transpose();
    }
    volume += v;
    first += v / (D + 1) * sum;
    // The origin, as the last corner, adds nothing to either sum.
    second += v / ((D + 1) * (D + 2)) * (squares + sum * sum.transpose());
  }

  [[nodiscard]] MassProperties<D> about_centre() const {
    MassProperties<D> out;
    out.volume = volume;
    if (!(volume > 0)) return out;
    out.centre = first / volume;
    const Matrix s = second - volume * out.centre * out.centre.transpose();
    if constexpr (D == 2) out.inertia = Inertia<2>(s.trace());
    else out.inertia = Matrix::Identity() * s.trace() - s;
    return out;
  }
};

}  // namespace colvik::shapes
