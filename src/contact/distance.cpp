#include "contact/distance.h"

#include <vector>

namespace colvik::contact {
namespace {

constexpr int kMostRounds = 40;

// Up to D+1 points of the difference a - b, with the points of a and b they come from.
template <int D>
struct Simplex {
  int size = 0;
  std::array<Vec<D>, D + 1> point, from_a, from_b;
  std::array<double, D + 1> weight{};

  Vec<D> mix(const std::array<Vec<D>, D + 1>& of) const {
    Vec<D> sum = Vec<D>::Zero();
    for (int i = 0; i < size; ++i) sum += weight[i] * of[i];
    return sum;
  }
};

// Weights of the point nearest the origin in the plane through the chosen points; false if the points
// are degenerate or that point lies outside them.
template <int D>
bool nearest_inside(const Simplex<D>& s, const std::array<int, D + 1>& chosen, int count,
                    std::array<double, D + 1>& weight) {
  const auto at = [&](int k) -> const Vec<D>& { return s.point[chosen[k]]; };
  const int n = count - 1;
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

// Reduces the simplex to the face that holds its point nearest the origin.
template <int D>
void reduce(Simplex<D>& s) {
  Simplex<D> best;
  double best_length = std::numeric_limits<double>::max();
  for (unsigned mask = 1; mask < 1U << s.size; ++mask) {
    std::array<int, D + 1> chosen{};
    int count = 0;
    for (int i = 0; i < s.size; ++i)
      if ((mask >> i & 1U) != 0) chosen[count++] = i;
    Simplex<D> face;
    if (!nearest_inside<D>(s, chosen, count, face.weight)) continue;
    face.size = count;
    for (std::size_t k = 0; k < static_cast<std::size_t>(count); ++k) {
      const auto i = static_cast<std::size_t>(chosen[k]);
      face.point[k] = s.point[i], face.from_a[k] = s.from_a[i], face.from_b[k] = s.from_b[i];
    }
    const double length = count == D + 1 ? 0 : face.mix(face.point).squaredNorm();
    if (length < best_length) best_length = length, best = face;
  }
  s = best;
}

// Nearest points of two cores; false when they touch or overlap.
template <int D>
bool cores_apart(const Core<D>& a, const Core<D>& b, Separation<D>& out) {
  const double size = a.half.norm() + b.half.norm() + (b.centre - a.centre).norm();
  Simplex<D> s;
  Vec<D> v = a.centre - b.centre;
  if (v.squaredNorm() == 0) v = Vec<D>::Unit(0);
  for (int round = 0; round < kMostRounds; ++round) {
    const Vec<D> pa = a.support(-v), pb = b.support(v), p = pa - pb;
    if (s.size > 0) {
      // No point of the difference is nearer along v: v is the answer.
      if (v.squaredNorm() - v.dot(p) <= 1e-12 * v.squaredNorm()) break;
      bool seen = false;
      for (int i = 0; i < s.size; ++i) seen = seen || s.point[i] == p;
      if (seen) break;
    }
    const auto last = static_cast<std::size_t>(s.size++);
    s.point[last] = p, s.from_a[last] = pa, s.from_b[last] = pb;
    reduce(s);
    if (s.size == D + 1) return false;
    v = s.mix(s.point);
    if (v.norm() <= 1e-10 * size) return false;
  }
  const double distance = v.norm();
  out.gap = distance;
  out.normal = v / -distance;
  out.on_a = s.mix(s.from_a);
  out.on_b = s.mix(s.from_b);
  return true;
}

template <int D>
struct Axis {
  Vec<D> normal = Vec<D>::Unit(0);  // from a to b
  double gap = std::numeric_limits<double>::lowest();
};

template <int D>
void try_axis(const Core<D>& a, const Core<D>& b, Vec<D> normal, double advantage, Axis<D>& best) {
  const double length = normal.norm();
  if (length < 1e-6) return;
  normal /= length;
  const double along = normal.dot(b.centre - a.centre);
  if (along < 0) normal = -normal;
  const double gap = std::abs(along) - a.reach(normal) - b.reach(normal);
  if (gap > best.gap + advantage) best = {normal, gap};
}

// Directions in which a core is not flat.
template <int D, std::size_t N>
int generators(const Core<D>& core, std::array<Vec<D>, N>& out) {
  int count = 0;
  for (int i = 0; i < D; ++i)
    if (core.half[i] > 0) out[count++] = core.axis(i);
  return count;
}

// The axis along which overlapping cores are parted soonest.
Axis<2> deepest_axis(const Core<2>& a, const Core<2>& b) {
  Axis<2> best;
  for (const Core<2>* core : {&a, &b}) {
    std::array<Vec<2>, 2> g;
    const int count = generators(*core, g);
    for (int i = 0; i < count; ++i) {
      const Vec<2>& u = g[i];
      try_axis<2>(a, b, {-u.y(), u.x()}, 0, best);
    }
  }
  if (best.gap == std::numeric_limits<double>::lowest()) try_axis<2>(a, b, Vec<2>::Unit(0), 0, best);
  return best;
}

Axis<3> deepest_axis(const Core<3>& a, const Core<3>& b) {
  Axis<3> best;
  std::array<Vec<3>, 3> ga, gb;
  const int na = generators(a, ga), nb = generators(b, gb);
  const auto pairs = [&](const std::array<Vec<3>, 3>& g, int n) {
    for (int i = 0; i < n; ++i)
      for (int j = i + 1; j < n; ++j) try_axis<3>(a, b, cross(g[i], g[j]), 0, best);
  };
  pairs(ga, na);
  pairs(gb, nb);
  // Of an edge pair and a face that are as good as each other the face gives the steadier contact.
  const double advantage = 1e-4 * std::min(a.half.norm(), b.half.norm());
  const double faces = best.gap == std::numeric_limits<double>::lowest() ? 0 : advantage;
  for (int i = 0; i < na; ++i)
    for (int j = 0; j < nb; ++j) try_axis<3>(a, b, cross(ga[i], gb[j]), faces, best);
  if (best.gap != std::numeric_limits<double>::lowest()) return best;
  // Points and parallel segments: any direction across them parts them at no depth.
  const Vec<3> along = na > 0 ? ga[0] : nb > 0 ? gb[0] : Vec<3>(Vec<3>::Zero());
  const Vec<3> offset = b.centre - a.centre;
  try_axis<3>(a, b, offset - along * along.dot(offset), 0, best);
  for (int i = 0; i < 3 && best.gap == std::numeric_limits<double>::lowest(); ++i)
    try_axis<3>(a, b, na + nb == 0 ? Vec<3>(Vec<3>::Unit(i)) : cross(along, Vec<3>::Unit(i)), 0, best);
  return best;
}

}  // namespace

template <int D>
Separation<D> separation(const Shape<D>& a, const Shape<D>& b, const Pose<D>& b_in_a) {
  const Core<D> core_a(a, {}), core_b(b, b_in_a);
  Separation<D> out;
  if (!cores_apart(core_a, core_b, out)) {
    const Axis<D> axis = deepest_axis(core_a, core_b);
    out.gap = axis.gap;
    out.normal = axis.normal;
    // A corner of the one that pokes into the other, and its image on the other's surface.
    const Vec<D> far_a = core_a.support(axis.normal), far_b = core_b.support(-axis.normal);
    const bool b_is_tip = b.core.norm() <= a.core.norm();
    out.on_b = b_is_tip ? far_b : Vec<D>(far_a + axis.normal * axis.gap);
    out.on_a = b_is_tip ? Vec<D>(far_b - axis.normal * axis.gap) : far_a;
  }
  out.gap -= a.radius + b.radius;
  out.on_a += out.normal * a.radius;
  out.on_b -= out.normal * b.radius;
  return out;
}

template Separation<2> separation(const Shape<2>&, const Shape<2>&, const Pose<2>&);
template Separation<3> separation(const Shape<3>&, const Shape<3>&, const Pose<3>&);

}  // namespace colvik::contact
