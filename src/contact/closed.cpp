#include "contact/closed.h"

#include <algorithm>

namespace colvik::contact {
namespace {

template <int D>
int long_axis(const Core<D>& segment) {
  int axis = 0;
  while (axis < D - 1 && !(segment.half[axis] > 0)) ++axis;
  return axis;
}

// The point of a box nearest to another, which may be the same.
template <int D>
Vec<D> clamped(const Core<D>& box, const Vec<D>& to) {
  const Vec<D> way = to - box.centre;
  Vec<D> p = box.centre;
  for (int i = 0; i < D; ++i) p += box.axis(i) * std::clamp(way.dot(box.axis(i)), -box.half[i], box.half[i]);
  return p;
}

// Where along each the two are nearest.
struct Along {
  double a = 0, b = 0;
};
template <int D>
Along of_segments(const Core<D>& a, const Core<D>& b) {
  const int axis_a = long_axis(a), axis_b = long_axis(b);
  const Vec<D>&u = a.axis(axis_a), &w = b.axis(axis_b);
  const double half_a = a.half[axis_a], half_b = b.half[axis_b];
  const Vec<D> way = a.centre - b.centre;
  const double turn = u.dot(w), c = u.dot(way), f = w.dot(way), square = 1 - turn * turn;
  const auto on_a = [&](double s) { return std::clamp(s, -half_a, half_a); };
  const auto on_b = [&](double t) { return std::clamp(t, -half_b, half_b); };
  double s = 0;
  if (square > 1e-12) {
    s = on_a((turn * f - c) / square);
  } else {
    const double low = std::max(-half_a, -c - half_b), high = std::min(half_a, -c + half_b);
    s = on_a((low + high) / 2);
  }
  const double t = on_b(turn * s + f);
  return {on_a(turn * t - c), t};
}

// Where along a segment it is nearest to a box.
template <int D>
double beside_box(const Core<D>& box, const Core<D>& segment) {
  const int axis = long_axis(segment);
  const Vec<D> middle = box.turned_back(segment.centre - box.centre), along = box.turned_back(segment.axis(axis));
  // Half of the slope of the square of the distance.
  const auto slope = [&](double t) {
    double sum = 0;
    for (int i = 0; i < D; ++i) {
      const double at = middle[i] + along[i] * t;
      sum += along[i] * (at - std::clamp(at, -box.half[i], box.half[i]));
    }
    return sum;
  };
  double low = -segment.half[axis], high = segment.half[axis];
  double at_low = slope(low), at_high = slope(high);
  if (at_low > 0) return low;
  if (at_high < 0) return high;
  double level_from = high, level_to = low;  // where all of it is as near
  const auto narrow = [&](double t, double here) {
    if (here < 0) low = t, at_low = here;
    else if (here > 0) high = t, at_high = here;
    else level_from = std::min(level_from, t), level_to = std::max(level_to, t);
  };
  narrow(low, at_low), narrow(high, at_high);
  for (int i = 0; i < D; ++i) {
    if (along[i] == 0) continue;
    const double inverse = 1 / along[i];
    for (const double face : {-box.half[i], box.half[i]})
      if (const double t = (face - middle[i]) * inverse; t > low && t < high) narrow(t, slope(t));
  }
  if (level_from <= level_to) return (level_from + level_to) / 2;
  return low - at_low * ((high - low) / (at_high - at_low));
}

}  // namespace

template <int D>
bool nearest_in_closed_form(const Core<D>& a, const Core<D>& b, Separation<D>& out) {
  if (!a.boxlike() || !b.boxlike()) return false;
  const int of_a = a.dimensions(), of_b = b.dimensions();
  if (of_a > 1 && of_b > 1) return false;
  const auto on = [](const Core<D>& segment, double at) -> Vec<D> {
    return segment.centre + segment.axis(long_axis(segment)) * at;
  };
  if (of_a == 0) {
    out.on_a = a.centre, out.on_b = clamped(b, a.centre);
  } else if (of_b == 0) {
    out.on_a = clamped(a, b.centre), out.on_b = b.centre;
  } else if (of_a == 1 && of_b == 1) {
    const Along at = of_segments(a, b);
    out.on_a = on(a, at.a), out.on_b = on(b, at.b);
  } else if (of_a == 1) {
    out.on_a = on(a, beside_box(b, a));
    out.on_b = clamped(b, out.on_a);
  } else {
    out.on_b = on(b, beside_box(a, b));
    out.on_a = clamped(a, out.on_b);
  }
  const Vec<D> way = out.on_b - out.on_a;
  const double gap = way.norm();
  if (!(gap > 1e-6 * span_of(a, b))) return false;
  out.gap = gap;
  out.normal = way / gap;
  return true;
}

template bool nearest_in_closed_form(const Core<2>&, const Core<2>&, Separation<2>&);
template bool nearest_in_closed_form(const Core<3>&, const Core<3>&, Separation<3>&);

}  // namespace colvik::contact
