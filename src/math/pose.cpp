#include <colvik/pose.hpp>

namespace colvik {
namespace {

// Series on [-pi/4, pi/4]; the first left-out term is below 1e-17 there.
constexpr double over_factorial(int n) {
  double product = 1;  // exact up to 22!
  for (int i = 2; i <= n; ++i) product *= i;
  return 1 / product;
}
template <int First, int Terms = 8>
double series(double q) {
  double sum = 0;
  for (int n = First + 2 * (Terms - 1); n >= First; n -= 2) sum = over_factorial(n) - q * sum;
  return sum;
}
double sine_series(double x) {
  const double q = x * x;
  return x - x * q * series<3>(q);
}
double cosine_series(double x) {
  const double q = x * x;
  return 1 - q * series<2>(q);
}

// Of small angles, as bodies turn by in a substep, half of the terms do: those left out are below
// 3e-17.
constexpr double kSmall = 0.125;
double small_sine_part(double q) { return 1 - q * series<3, 4>(q); }  // sin x / x, of x squared
double small_cosine(double q) { return 1 - q * series<2, 5>(q); }

// arctan on [0, 1]: halve the angle three times (t -> t / (1 + sqrt(1 + t^2))), then the series.
double arctangent(double t) {
  for (int i = 0; i < 3; ++i) t = t / (1 + std::sqrt(1 + t * t));
  const double q = t * t;
  double sum = 0;
  for (int n = 23; n >= 1; n -= 2) sum = 1.0 / n - q * sum;
  return 8 * t * sum;
}

}  // namespace

void sine_cosine(double angle, double& sine, double& cosine) {
  if (std::abs(angle) <= kSmall) {
    const double q = angle * angle;
    sine = angle * small_sine_part(q);
    cosine = small_cosine(q);
    return;
  }
  // pi/2 in two parts: the first has 33 significant bits, so that k times it is exact.
  constexpr double kHigh = 1.57079632673412561417;
  constexpr double kLow = 6.07710050650619224932e-11;
  const double k = std::floor(angle * (2 / kPi) + 0.5);
  const double x = (angle - k * kHigh) - k * kLow;
  const double s = sine_series(x);
  const double c = cosine_series(x);
  switch (static_cast<long long>(k) & 3) {
    case 0:
      sine = s;
      cosine = c;
      break;
    case 1:
      sine = c;
      cosine = -s;
      break;
    case 2:
      sine = -s;
      cosine = -c;
      break;
    default:
      sine = -c;
      cosine = s;
      break;
  }
}

double angle_of(double y, double x) {
  const double ax = std::abs(x);
  const double ay = std::abs(y);
  if (ax == 0 && ay == 0) return 0;
  double angle = ay <= ax ? arctangent(ay / ax) : kPi / 2 - arctangent(ax / ay);
  if (x < 0) angle = kPi - angle;
  return y < 0 ? -angle : angle;
}

Rotation<3>::Rotation(const Vec<3>& axis, double angle) {
  double s = 0;
  double c = 1;
  sine_cosine(angle / 2, s, c);
  const Vec<3> u = axis / axis.norm();
  w_ = c;
  x_ = s * u.x();
  y_ = s * u.y();
  z_ = s * u.z();
}

Rotation<3> Rotation<3>::from_axes(const Vec<3>& x, const Vec<3>& y) {
  const Vec<3> z = cross(x, y);
  const double trace = x.x() + y.y() + z.z();
  // By the largest part of the quaternion.
  if (trace > x.x() && trace > y.y() && trace > z.z())
    return from_quaternion(1 + trace, y.z() - z.y(), z.x() - x.z(), x.y() - y.x());
  if (x.x() >= y.y() && x.x() >= z.z())
    return from_quaternion(y.z() - z.y(), 1 + 2 * x.x() - trace, x.y() + y.x(), z.x() + x.z());
  if (y.y() >= z.z())
    return from_quaternion(z.x() - x.z(), x.y() + y.x(), 1 + 2 * y.y() - trace, y.z() + z.y());
  return from_quaternion(x.y() - y.x(), z.x() + x.z(), y.z() + z.y(), 1 + 2 * z.z() - trace);
}

Rotation<3> Rotation<3>::from_spin(const Spin<3>& turn) {
  if (const double q = turn.squaredNorm() / 4; q <= kSmall * kSmall) {
    const Vec<3> v = turn * (0.5 * small_sine_part(q));
    return {small_cosine(q), v.x(), v.y(), v.z()};
  }
  const double angle = turn.norm();
  return angle > 0 ? Rotation(turn, angle) : Rotation();
}

Spin<3> Rotation<3>::to_spin() const {
  // Q and -q are the same turn; the one with w >= 0 is shorter.
  const double sign = w_ < 0 ? -1 : 1;
  const Vec<3> v(sign * x_, sign * y_, sign * z_);
  const double s = v.norm();
  if (s == 0) return Spin<3>::Zero();
  return v * (2 * angle_of(s, sign * w_) / s);
}

}  // namespace colvik
