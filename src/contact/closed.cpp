#include "contact/closed.h"

#include <algorithm>
#include <optional>

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
  const Vec<D> offset = to - box.centre;
  Vec<D> p = box.centre;
  for (int i = 0; i < D; ++i)
    p += box.axis(i) * std::clamp(offset.dot(box.axis(i)), -box.half[i], box.half[i]);
  return p;
}

// The point of a triangle nearest to another (Ericson, "Real-time collision detection", 2005,
// section 5.1.5); none of a sliver, of whose edges and corners rounding hides which is nearest.
std::optional<Vec<3>> on_triangle(const std::array<Vec<3>, 3>& corner, const Vec<3>& to) {
  const Vec<3>& a = corner[0];
  const Vec<3>& b = corner[1];
  const Vec<3>& c = corner[2];
  const Vec<3> ab = b - a;
  const Vec<3> ac = c - a;
  const Vec<3> n = cross(ab, ac);
  const Vec<3> from_a = to - a;
  const Vec<3> from_b = to - b;
  const Vec<3> from_c = to - c;
  const double square = n.squaredNorm();
  if (!(square > 1e-6 * ab.squaredNorm() * ac.squaredNorm())) return {};
  const double a_b = ab.dot(from_a);
  const double a_c = ac.dot(from_a);
  if (a_b <= 0 && a_c <= 0) return a;
  const double b_b = ab.dot(from_b);
  const double b_c = ac.dot(from_b);
  if (b_b >= 0 && b_c <= b_b) return b;
  if (a_b >= 0 && b_b <= 0 && a_b * b_c <= b_b * a_c) return Vec<3>(a + ab * (a_b / (a_b - b_b)));
  const double c_b = ab.dot(from_c);
  const double c_c = ac.dot(from_c);
  if (c_c >= 0 && c_b <= c_c) return c;
  if (a_c >= 0 && c_c <= 0 && c_b * a_c <= a_b * c_c) return Vec<3>(a + ac * (a_c / (a_c - c_c)));
  const double past_b = b_c - b_b;
  const double past_c = c_b - c_c;
  if (past_b >= 0 && past_c >= 0 && b_b * c_c <= c_b * b_c)
    return Vec<3>(b + (c - b) * (past_b / (past_b + past_c)));
  return Vec<3>(to - n * (n.dot(from_a) / square));
}

// A segment by its middle.
template <int D>
struct Line {
  Vec<D> middle;
  Vec<D> along;
  double half = 0;

  explicit Line(const Core<D>& segment)
      : middle(segment.centre),
        along(segment.axis(long_axis(segment))),
        half(segment.half[long_axis(segment)]) {}
  Line(const Vec<D>& from, const Vec<D>& to)
      : middle(0.5 * (from + to)), along(to - from), half(along.norm() / 2) {
    along /= 2 * half;
  }
  [[nodiscard]] Vec<D> at(double t) const { return middle + along * t; }
};

// Where along each the two are nearest.
struct Along {
  double a = 0;
  double b = 0;
};
template <int D>
Along of_segments(const Line<D>& a, const Line<D>& b) {
  const Vec<D> offset = a.middle - b.middle;
  const double turn = a.along.dot(b.along);
  const double c = a.along.dot(offset);
  const double f = b.along.dot(offset);
  const double square = 1 - turn * turn;
  const auto on_a = [&](double s) { return std::clamp(s, -a.half, a.half); };
  const auto on_b = [&](double t) { return std::clamp(t, -b.half, b.half); };
  double s = 0;
  if (square > 1e-12) {
    s = on_a((turn * f - c) / square);
  } else {
    const double low = std::max(-a.half, -c - b.half);
    const double high = std::min(a.half, -c + b.half);
    s = on_a((low + high) / 2);
  }
  const double t = on_b(turn * s + f);
  return {on_a(turn * t - c), t};
}

// Where a triangle and a segment are nearest that do not cross: at an end of the segment, or
// between it and an edge.
bool beside_triangle(const std::array<Vec<3>, 3>& corner, const Line<3>& segment, Vec<3>& on_flat,
                     Vec<3>& on_segment) {
  const Vec<3> ab = corner[1] - corner[0];
  const Vec<3> ac = corner[2] - corner[0];
  const Vec<3> n = cross(ab, ac);
  const std::array<Vec<3>, 2> end{segment.at(-segment.half), segment.at(segment.half)};
  const double from = n.dot(end[0] - corner[0]);
  const double to = n.dot(end[1] - corner[0]);
  if ((from <= 0) != (to <= 0)) {
    const Vec<3> at = end[0] + (end[1] - end[0]) * (from / (from - to));
    bool inside = true;
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec<3> edge = corner[(k + 1) % 3] - corner[k];
      inside &= cross(n, edge).dot(at - corner[k]) >= 0;
    }
    if (inside) return false;
  }
  double least = std::numeric_limits<double>::max();
  const auto take = [&](const Vec<3>& on_it, const Vec<3>& on_other) {
    const double square = (on_it - on_other).squaredNorm();
    if (square < least) {
      least = square;
      on_flat = on_it;
      on_segment = on_other;
    }
  };
  for (const Vec<3>& p : end) {
    const std::optional<Vec<3>> at = on_triangle(corner, p);
    if (!at) return false;
    take(*at, p);
  }
  for (std::size_t k = 0; k < 3; ++k) {
    const Line<3> edge(corner[k], corner[(k + 1) % 3]);
    const Along at = of_segments(edge, segment);
    take(edge.at(at.a), segment.at(at.b));
  }
  return true;
}

// A segment or triangle, given by its corners, and a point or a segment.
template <int D>
bool beside_flat(const Core<D>& flat, const Core<D>& other, Vec<D>& on_flat, Vec<D>& on_other) {
  if (!other.boxlike() || other.dimensions() > 1) return false;
  if (flat.points.size() == 2) {
    const Line<D> line(flat.placed(flat.points[0]), flat.placed(flat.points[1]));
    if (!(line.half > 0)) return false;
    Along at;
    if (other.is_point())
      at.a = std::clamp(line.along.dot(other.centre - line.middle), -line.half, line.half);
    else at = of_segments(line, Line<D>(other));
    on_flat = line.at(at.a);
    on_other = other.is_point() ? other.centre : Line<D>(other).at(at.b);
    return true;
  }
  if constexpr (D == 3) {
    if (flat.points.size() != 3) return false;
    const std::array<Vec<3>, 3> corner{flat.placed(flat.points[0]), flat.placed(flat.points[1]),
                                       flat.placed(flat.points[2])};
    if (!other.is_point()) return beside_triangle(corner, Line<3>(other), on_flat, on_other);
    const std::optional<Vec<3>> at = on_triangle(corner, other.centre);
    if (at) {
      on_flat = *at;
      on_other = other.centre;
    }
    return at.has_value();
  }
  return false;
}

// Where along a segment it is nearest to a box.
template <int D>
double beside_box(const Core<D>& box, const Core<D>& segment) {
  const int axis = long_axis(segment);
  const Vec<D> middle = box.turned_back(segment.centre - box.centre);
  const Vec<D> along = box.turned_back(segment.axis(axis));
  // Half of the slope of the square of the distance.
  const auto slope = [&](double t) {
    double sum = 0;
    for (int i = 0; i < D; ++i) {
      const double at = middle[i] + along[i] * t;
      sum += along[i] * (at - std::clamp(at, -box.half[i], box.half[i]));
    }
    return sum;
  };
  double low = -segment.half[axis];
  double high = segment.half[axis];
  double at_low = slope(low);
  double at_high = slope(high);
  if (at_low > 0) return low;
  if (at_high < 0) return high;
  double level_from = high;
  double level_to = low;  // where all of it is as near
  const auto narrow = [&](double t, double here) {
    if (here < 0) {
      low = t;
      at_low = here;
    } else if (here > 0) {
      high = t;
      at_high = here;
    } else {
      level_from = std::min(level_from, t);
      level_to = std::max(level_to, t);
    }
  };
  narrow(low, at_low);
  narrow(high, at_high);
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
  if (!a.flat_sided() || !b.flat_sided()) return false;
  if (!a.boxlike() || !b.boxlike()) {
    if (!beside_flat(a, b, out.on_a, out.on_b) && !beside_flat(b, a, out.on_b, out.on_a))
      return false;
  } else if (const int of_a = a.dimensions(), of_b = b.dimensions(); of_a > 1 && of_b > 1) {
    return false;
  } else if (of_a == 0) {
    out.on_a = a.centre;
    out.on_b = clamped(b, a.centre);
  } else if (of_b == 0) {
    out.on_a = clamped(a, b.centre);
    out.on_b = b.centre;
  } else if (of_a == 1 && of_b == 1) {
    const Line<D> first(a);
    const Line<D> second(b);
    const Along at = of_segments(first, second);
    out.on_a = first.at(at.a);
    out.on_b = second.at(at.b);
  } else if (of_a == 1) {
    out.on_a = Line<D>(a).at(beside_box(b, a));
    out.on_b = clamped(b, out.on_a);
  } else {
    out.on_b = Line<D>(b).at(beside_box(a, b));
    out.on_a = clamped(a, out.on_b);
  }
  const Vec<D> offset = out.on_b - out.on_a;
  const double gap = offset.norm();
  if (!(gap > 1e-6 * span_of(a, b))) return false;
  out.gap = gap;
  out.normal = offset / gap;
  return true;
}

template bool nearest_in_closed_form(const Core<2>&, const Core<2>&, Separation<2>&);
template bool nearest_in_closed_form(const Core<3>&, const Core<3>&, Separation<3>&);

}  // namespace colvik::contact
