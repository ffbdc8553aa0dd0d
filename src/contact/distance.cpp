#include "contact/distance.h"

#include <optional>

#include "contact/closed.h"
#include "contact/depth.h"
#include "contact/expanding.h"
#include "math/fault.h"

namespace colvik::contact {
namespace {

constexpr int kMostRounds = 128;
constexpr int kMostRestarts = 2;

// Up to D+1 points of the difference a - b, with the points of a and b they come from.
template <int D>
struct Simplex {
  int size = 0;
  std::array<Vec<D>, D + 1> point;
  std::array<Vec<D>, D + 1> from_a;
  std::array<Vec<D>, D + 1> from_b;
  std::array<CornerPair, D + 1> from;
  std::array<double, D + 1> weight;

  Vec<D> mix(const std::array<Vec<D>, D + 1>& of) const {
    Vec<D> sum = Vec<D>::Zero();
    for (int i = 0; i < size; ++i) sum += weight[i] * of[i];
    return sum;
  }
};

// Weights of the point nearest the origin in the plane through the chosen points; false if the
// points are degenerate or that point lies outside them.
template <int D>
bool nearest_inside(const Simplex<D>& s, const std::array<int, D + 1>& chosen, int count,
                    std::array<double, D + 1>& weight) {
  const auto at = [&](int k) -> const Vec<D>& { return s.point[chosen[k]]; };
  const int n = count - 1;
  if constexpr (D == 3) {
    if (count == 3) {  // by areas, which keep twice the digits that the normal equations do
      const Vec<3> u = at(1) - at(0);
      const Vec<3> w = at(2) - at(0);
      const Vec<3> normal = cross(u, w);
      const double area = normal.squaredNorm();
      if (!(area > 1e-28 * u.squaredNorm() * w.squaredNorm())) return false;
      weight[1] = normal.dot(cross(w, at(0))) / area;
      weight[2] = normal.dot(cross(at(0), u)) / area;
      weight[0] = 1 - weight[1] - weight[2];
      return weight[0] > 0 && weight[1] > 0 && weight[2] > 0;
    }
  }
  double gram[3][4];  // rows of the normal equations, right side last
  double scale = 0;
  for (int i = 0; i < n; ++i) {
    const Vec<D> edge = at(i + 1) - at(0);
    for (int j = 0; j < n; ++j) gram[i][j] = edge.dot(at(j + 1) - at(0));
    gram[i][n] = -edge.dot(at(0));
    scale = std::max(scale, gram[i][i]);
  }
  for (int i = 0; i < n; ++i) {  // elimination; the matrix is positive definite, so no pivoting
    if (!(gram[i][i] > 1e-14 * scale)) return false;
    for (int r = 0; r < n; ++r) {
      if (r == i) continue;
      const double f = gram[r][i] / gram[i][i];
      for (int c = i; c <= n; ++c) gram[r][c] -= f * gram[i][c];
    }
  }
  double first = 1;
  for (int i = 0; i < n; ++i) {
    const double w = gram[i][n] / gram[i][i];
    if (w <= 0) return false;
    weight[i + 1] = w;
    first -= w;
  }
  weight[0] = first;
  return first > 0;
}

// A triangle so thin that one of its edges may give the point nearest the origin more exactly.
bool is_sliver(const Simplex<3>& s, const std::array<int, 4>& chosen, int count) {
  if (count != 3) return false;
  const Vec<3>& from = s.point[chosen[0]];
  const Vec<3> u = s.point[chosen[1]] - from;
  const Vec<3> w = s.point[chosen[2]] - from;
  return cross(u, w).squaredNorm() < 1e-6 * u.squaredNorm() * w.squaredNorm();
}
bool is_sliver(const Simplex<2>&, const std::array<int, 3>&, int) { return false; }

// The face of the simplex that holds its point nearest the origin; all of it, only if it may hold
// the origin itself. `grown`: the newest point is beyond the plane through the nearest of the
// others, so that it has a part in the answer.
template <int D>
void reduce(const Simplex<D>& s, bool may_hold_origin, bool grown, Simplex<D>& out) {
  std::array<int, D + 1> best{};
  std::array<double, D + 1> best_weight{};
  int best_count = 0;
  double best_length = std::numeric_limits<double>::max();
  const unsigned newest = 1U << (s.size - 1), all = 2 * newest - 1, least = grown ? newest : 1;
  for (unsigned mask = all; mask >= least; --mask) {
    std::array<int, D + 1> chosen{};
    int count = 0;
    for (int i = 0; i < s.size; ++i)
      if ((mask >> i & 1U) != 0) chosen[count++] = i;
    if (count == D + 1 && !may_hold_origin) continue;
    std::array<double, D + 1> weight{};
    if (!nearest_inside<D>(s, chosen, count, weight)) continue;
    double length = 0;
    Vec<D> at = Vec<D>::Zero();
    if (count < D + 1) {
      for (int k = 0; k < count; ++k) at += weight[k] * s.point[chosen[k]];
      length = at.squaredNorm();
    }
    if (length < best_length) {
      best_length = length;
      best = chosen;
      best_weight = weight;
      best_count = count;
    }
    // No other part can be nearer when nothing of the simplex is nearer along `at`; rounding hides
    // that in slivers.
    bool nearest = !is_sliver(s, chosen, count);
    for (int i = 0; i < s.size && nearest; ++i)
      nearest = (mask >> i & 1U) != 0 || at.dot(s.point[i]) > length;
    if (nearest) break;
  }
  for (int k = 0; k < best_count; ++k) {
    const int i = best[k];
    out.point[k] = s.point[i];
    out.from_a[k] = s.from_a[i];
    out.from_b[k] = s.from_b[i];
    out.from[k] = s.from[i];
    out.weight[k] = best_weight[k];
  }
  out.size = best_count;
}

// The point of the simplex nearest the origin. Taken from directions across its edges and faces:
// mixing its corners by weight would leave few digits to a point much nearer the origin than they
// are.
Vec<2> nearest_point(const Simplex<2>& s) {
  if (s.size != 2) return s.mix(s.point);
  const Vec<2> edge = s.point[1] - s.point[0];
  const Vec<2> n = Vec<2>(-edge.y(), edge.x()).normalized();
  return n * n.dot(s.point[0]);
}
Vec<3> nearest_point(const Simplex<3>& s) {
  if (s.size == 2) {
    const Vec<3> u = s.point[1] - s.point[0];
    return cross(u, cross(s.point[0], u)) / u.squaredNorm();
  }
  if (s.size == 3) {
    const Vec<3> u = s.point[1] - s.point[0];
    const Vec<3> w = s.point[2] - s.point[0];
    const Vec<3> n = cross(u, w);
    if (n.norm() > 1e-9 * u.norm() * w.norm()) return n * (n.dot(s.point[0]) / n.squaredNorm());
  }
  return s.mix(s.point);
}

// Nearest points of two cores; false when they touch or overlap, or when `strict` and nearly
// touching and rounding hides which. `held`: the simplex that holds the origin, if there was one.
// `start`: the search begins from its normal and corners, and saves them when the cores are apart.
template <int D>
bool cores_apart(const Core<D>& a, const Core<D>& b, bool strict, double beyond, Separation<D>& out,
                 std::optional<Tetrahedron<D>>* held = nullptr, Start<D>* start = nullptr) {
  const double size = span_of(a, b);
  const bool curved = !a.flat_sided() || !b.flat_sided();
  // How much nearer another point may be and v still be the answer. Corners are met exactly.
  const double relative = curved ? 1e-10 : 1e-12;
  // Nearer than this the normal is found as for overlap.
  const double touching = (curved ? 3e-9 : 1e-9) * size;
  std::array<Simplex<D>, 2> two;  // the one there is, and the one it becomes
  Simplex<D>* s = &two[0];
  Simplex<D>* next_s = &two[1];
  Vec<D> v = a.middle - b.middle;
  if (start != nullptr) {
    for (int i = 0; i < start->corner_count; ++i) {
      const CornerPair& from = next_s->from[i] = start->corners[i];
      next_s->from_a[i] = a.corner(from.a);
      next_s->from_b[i] = b.corner(from.b);
      next_s->point[i] = next_s->from_a[i] - next_s->from_b[i];
    }
    next_s->size = start->corner_count;
    start->corner_count = 0;
    if (next_s->size > 0) reduce(*next_s, false, false, *s);
    if (s->size > 0) v = nearest_point(*s);
    else if (start->normal != Vec<D>::Zero()) v = -start->normal;
  }
  double length = v.norm();
  if (length <= touching) {
    v = Vec<D>::Unit(0);
    length = 1;
    s->size = 0;
  }
  // Where rounding stopped the search nearest to its end.
  Vec<D> best = v;
  Simplex<D> best_s;
  double best_open = kNever;
  int round = 0;
  int restarts = 0;
  for (; round < kMostRounds; ++round) {
    CornerPair from;
    const auto [pa, pb] = furthest(a, b, Vec<D>(-v), from);
    const Vec<D> p = pa - pb;
    const double reach = v.dot(p);
    const double square = v.squaredNorm();
    if (reach > beyond * length) {
      out.gap = reach / length;
      out.normal = v / -length;
      out.has_points = false;
      return true;
    }
    const int before = s->size;
    if (before > 0) {
      // No point of the difference is nearer along v: v is the answer.
      if (square - reach <= relative * square + 1e-15 * size * length) break;
      bool seen = false;
      for (int i = 0; i < before; ++i) seen = seen || s->point[i] == p;
      if (seen) break;
    }
    const auto last = static_cast<std::size_t>(s->size++);
    s->point[last] = p;
    s->from_a[last] = pa;
    s->from_b[last] = pb;
    s->from[last] = from;
    // A plane across v with all the points beyond it proves the cores apart, whatever rounding
    // says.
    reduce(*s, reach <= 1e-3 * touching * length, true, *next_s);
    if (next_s->size == D + 1) {
      if (held != nullptr) *held = {next_s->point, next_s->from};
      return false;
    }
    const Vec<D> next = nearest_point(*next_s);
    if (before > 0 && !(next.squaredNorm() < square)) {  // rounding has the upper hand
      s->size = before;
      // Slivers of curved surfaces can stop the search before a touch is reached; depth finds that.
      const double small = 2 * std::min(a.half.norm(), b.half.norm());
      const double open = length - reach / length;
      if (open < best_open) {
        best = v;
        best_s = *s;
        best_open = open;
      }
      if (open > 1e-6 * small &&
          restarts < kMostRestarts) {  // far from the answer: from here with new points
        ++restarts;
        s->size = 0;
        continue;
      }
      if (strict && curved && open > 1e-7 * small && length < 1e-2 * small) return false;
      v = best;
      *s = best_s;
      break;
    }
    std::swap(s, next_s);
    v = next;
    length = v.norm();
    if (length <= touching) return false;
  }
  out.capped = round == kMostRounds;
  if (out.capped && best_open < kNever) {
    v = best;
    *s = best_s;
  }
  out.gap = v.norm();
  out.normal = v / -out.gap;
  out.on_a = s->mix(s->from_a);
  out.on_b = s->mix(s->from_b);
  if (start != nullptr && !curved) {
    std::copy_n(s->from.begin(), s->size, start->corners.begin());
    start->corner_count = static_cast<std::uint8_t>(s->size);
  }
  return true;
}

// Where overlapping cores would touch last: drawn a little apart along the normal, the two have
// nearest points.
template <int D>
void touch_points(const Core<D>& a, const Core<D>& b, const Axis<D>& axis, Separation<D>& out) {
  const double step =
      std::max(1e-3 * std::min(a.half.norm(), b.half.norm()), 1e-6 * (a.half + b.half).norm());
  const Vec<D> away = axis.normal * (step - axis.gap);
  Core<D> moved = b;
  moved.centre += away;
  moved.middle += away;
  Separation<D> touch;
  if (step > 0 && cores_apart<D>(a, moved, false, kNever, touch)) {
    out.on_a = touch.on_a;
    out.on_b = touch.on_b - away;
  } else {  // two points
    out.on_a = a.support(axis.normal);
    out.on_b = b.support(-axis.normal);
  }
}

// From the cores to the surfaces around them.
template <int D>
void rounded(const Core<D>& a, const Core<D>& b, Separation<D>& out) {
  out.gap -= a.radius + b.radius;
  if (out.has_points) {
    out.on_a += out.normal * a.radius;
    out.on_b -= out.normal * b.radius;
  }
}

}  // namespace

template <int D>
Separation<D> separation(const Core<D>& a, const Core<D>& b) {
  Separation<D> out;
  std::optional<Tetrahedron<D>> held;
  if (!nearest_in_closed_form(a, b, out) && !cores_apart<D>(a, b, true, kNever, out, &held)) {
    const Axis<D> axis = deepest_axis(a, b, kNever, held ? &*held : nullptr);
    out.gap = axis.gap;
    out.normal = axis.normal;
    out.capped = axis.capped;
    touch_points(a, b, axis, out);
  }
  rounded(a, b, out);
  if (COLVIK_FAULT(3)) out.gap += 1e-4;
  if (COLVIK_FAULT(4)) out.normal = (out.normal + 1e-2 * Vec<D>::Unit(0)).normalized();
  return out;
}

template <int D>
Separation<D> separation_within(const Core<D>& a, const Core<D>& b, double beyond,
                                Start<D>* start) {
  Separation<D> out;
  if (nearest_in_closed_form(a, b, out)) {
    rounded(a, b, out);
    return out;
  }
  const auto by_axis = [&](const Axis<D>& axis) {
    out.gap = axis.gap;
    out.normal = axis.normal;
    out.capped = axis.capped;
    out.has_points = false;
  };
  beyond += a.radius + b.radius;
  bool done = false;
  std::optional<Start<D>> along;  // the best of few axes
  if (has_few_axes(a, b)) {
    const Axis<D> axis = deepest_axis(a, b, beyond, nullptr, start);
    done = axis.gap > beyond || axis.gap <= 0 || axis.exact;
    if (done) by_axis(axis);
    else along.emplace().normal = axis.normal;
    start = along ? &*along : nullptr;
  } else if constexpr (D == 3) {
    if (start != nullptr && !(a.flat_sided() && b.flat_sided()))
      start->corner_count = start->face_count = 0;
    if (start != nullptr && start->face_count > 0) {
      const std::optional<Axis<3>> axis = expand_on(a, b, *start);
      done = axis.has_value();
      if (done) by_axis(*axis);
      else start->corner_count = start->face_count = 0;
    }
  }
  std::optional<Tetrahedron<D>> held;
  if (!done && !cores_apart(a, b, true, beyond, out, &held, start))
    by_axis(deepest_axis(a, b, kNever, held ? &*held : nullptr, start));
  if (start != nullptr) start->normal = out.normal;
  rounded(a, b, out);
  return out;
}

template Separation<2> separation(const Core<2>&, const Core<2>&);
template Separation<3> separation(const Core<3>&, const Core<3>&);
template Separation<2> separation_within(const Core<2>&, const Core<2>&, double, Start<2>*);
template Separation<3> separation_within(const Core<3>&, const Core<3>&, double, Start<3>*);

}  // namespace colvik::contact
