#include "contact/depth.h"

#include <optional>

#include "contact/expanding.h"
#include "math/hash.h"

namespace colvik::contact {
namespace {

// The gap along a unit normal from a to b.
template <int D>
double gap_along(const Core<D>& a, const Core<D>& b, const Vec<D>& normal) {
  return normal.dot(b.support(-normal) - a.support(normal));
}

template <int D>
void consider(const Vec<D>& normal, double gap, Axis<D>& best) {
  if (gap > best.gap) best.normal = normal, best.gap = gap, best.exact = false;
}

// ---- 2D ---------------------------------------------------------------------------------------

std::size_t count_corners(const Core<2>& c) {
  if (c.kind == CoreKind::points) return c.points.size();
  return 1U << c.dimensions();
}

Vec<2> corner_of(const Core<2>& c, std::size_t i) {  // counterclockwise
  if (c.kind == CoreKind::points) return c.placed(c.point(i));
  const Vec<2> u = c.axis(0) * c.half.x(), w = c.axis(1) * c.half.y();
  const bool right = i == 1 || i == 2, up = i >= (count_corners(c) == 4 ? 2U : 1U);
  return c.centre + (right ? u : Vec<2>(-u)) + (up ? w : Vec<2>(-w));
}

// Outward, of the side from corner i to the next; zero for a side without length.
template <class Side>
Vec<2> normal_of(const Core<2>& c, std::size_t i, Side&& side_of) {
  if (c.normals != nullptr) {
    const double* n = c.normals + 2 * i;
    return c.axis(0) * n[0] + c.axis(1) * n[1];
  }
  const Vec<2> side = side_of();
  const double length = side.norm();
  return length > 0 ? Vec<2>(side.y() / length, -side.x() / length) : kZero;
}

// Over the side itself no corner is nearer than its plane.
inline bool is_over(const Vec<2>& side, const Vec<2>& from_its_start) {
  const double along = side.dot(from_its_start);
  return along >= 0 && along <= side.squaredNorm();
}

struct Outline {
  const Core<2>* core = nullptr;
  std::size_t count = 0;
  std::array<Vec<2>, shapes::kMostCornersOfPolygon> at;  // placed

  [[nodiscard]] Vec<2> side(std::size_t i) const { return at[i + 1 < count ? i + 1 : 0] - at[i]; }
};

void outline_of(const Core<2>& c, Outline& out) {  // as corner_of(), all at once
  out.core = &c;
  out.count = count_corners(c);
  if (c.kind == CoreKind::points) {
    for (std::size_t i = 0; i < out.count; ++i) out.at[i] = c.placed(c.points[i]);
    return;
  }
  const Vec<2> u = c.axis(0) * c.half.x(), w = c.axis(1) * c.half.y();
  out.at[0] = c.centre - u - w;
  if (out.count == 4) out.at[1] = c.centre + u - w, out.at[2] = c.centre + u + w, out.at[3] = c.centre - u + w;
  if (out.count == 2) out.at[1] = c.centre + u + w;
}

// The best sides seen so far, for the next time; of the others how good they are at most.
class Ranking {
 public:
  void see(double gap, std::size_t side) {
    if (gap <= second_.gap) {
      third_ = std::max(third_, gap);
      return;
    }
    third_ = second_.gap;
    second_ = {gap, static_cast<std::uint8_t>(side)};
    if (gap > first_.gap) std::swap(first_, second_);
  }
  void tell(BestSides& out) const {
    out.first = first_.side, out.second = second_.side;
    out.behind = first_.gap - second_.gap, out.lead = first_.gap - third_;
  }

 private:
  struct Seen {
    double gap = std::numeric_limits<double>::lowest();
    std::uint8_t side = BestSides::kNone;
  };
  Seen first_, second_;
  double third_ = std::numeric_limits<double>::lowest();
};

// From the side on that looks most towards the other, as it is probably the one: then of most others one
// corner tells that the two lie too deep along them to matter. Goes round with that corner. The ranking is told of
// them, the first as that `number`.
template <bool kRanks>
void try_sides(const Outline& own, const Outline& other, const Vec<2>& towards, double sign, double enough,
               Axis<2>& best, Ranking& ranking, std::size_t number) {
  std::size_t near = 0, first = 0;
  double most = std::numeric_limits<double>::lowest();
  for (std::size_t i = 0; own.count > 2 && i < own.count; ++i) {
    const Vec<2> side = own.side(i);
    const double along = side.y() * towards.x() - side.x() * towards.y();
    first = along > most ? i : first;
    most = std::max(most, along);
  }
  for (std::size_t k = 0, i = first; own.count > 1 && k < own.count && best.gap <= enough; ++k, ++i) {
    if (i == own.count) i = 0;
    const Vec<2>& from = own.at[i];
    const Vec<2> n = normal_of(*own.core, i, [&] { return own.side(i); });
    double least = n.dot(other.at[near] - from);
    if (!kRanks && least <= best.gap) continue;
    if (n.isZero(0)) continue;
    if (least > best.gap)
      for (std::size_t j = 0; j < other.count; ++j) {
        const double along = n.dot(other.at[j] - from);
        near = along < least ? j : near;
        least = std::min(along, least);
      }
    if constexpr (kRanks) ranking.see(least, number + i);
    if (least <= best.gap) continue;
    best.normal = sign * n, best.gap = least;
    best.exact = is_over(own.side(i), other.at[near] - from);
  }
}

// One side alone; those of b have the numbers behind those of a.
Axis<2> along_side(const Core<2>& a, const Core<2>& b, std::size_t number) {
  const std::size_t of_a = count_corners(a);
  const bool is_a = number < of_a;
  const Core<2>&own = is_a ? a : b, &other = is_a ? b : a;
  const std::size_t i = is_a ? number : number - of_a, count = is_a ? of_a : count_corners(b);
  const Vec<2> from = corner_of(own, i), side = corner_of(own, i + 1 < count ? i + 1 : 0) - from;
  const Vec<2> n = normal_of(own, i, [&] { return side; }), near = other.support(-n) - from;
  Axis<2> axis;
  axis.normal = is_a ? n : Vec<2>(-n), axis.gap = n.dot(near);
  axis.exact = is_over(side, near);
  return axis;
}

bool can_be_known(const Core<2>& c) { return c.kind == CoreKind::box || c.normals != nullptr; }

std::uint64_t hash_of(const Core<2>& a, const Core<2>& b) {
  math::Hasher hash;
  for (const Core<2>* c : {&a, &b}) {
    if (c->normals != nullptr) hash.add(shapes::Laid::hash(c->normals, c->points.size()));
    else hash.add(c->half);
  }
  return hash.value();
}

// How b lies, seen from a.
struct Lie {
  Vec<2> middle, axis;
  Lie(const Core<2>& a, const Core<2>& b)
      : middle(a.turned_back(b.middle - a.middle)), axis(a.turned_back(b.axis(0))) {}
};

// The best side, if it is among those that were best: an apart pair's is any that shows it.
std::optional<Axis<2>> still_best(const Core<2>& a, const Core<2>& b, const BestSides& known, double enough) {
  const std::size_t sides = count_corners(a) + count_corners(b);
  if (known.first >= sides) return {};
  const Axis<2> first = along_side(a, b, known.first);
  if (first.gap > enough) return first;
  // Seen from either of the two, no point of the other moved further: no gap changed by more.
  const Lie now(a, b);
  const double moved = (now.middle - known.middle).norm() +
                       (now.axis - known.axis).norm() * std::max(b.half.norm(), a.half.norm() + known.middle.norm());
  if (2 * moved < known.behind) return first;
  if (!(2 * moved < known.lead) || known.second >= sides) return {};
  const Axis<2> second = along_side(a, b, known.second);
  return second.gap > first.gap ? second : first;
}

// ---- 3D ---------------------------------------------------------------------------------------

// Directions in which a box is not flat.
int generators(const Core<3>& core, std::array<Vec<3>, 3>& out) {
  int count = 0;
  for (int i = 0; i < 3; ++i)
    if (core.half[i] > 0) out[count++] = core.axis(i);
  return count;
}

void try_axis_of_boxes(const Core<3>& a, const Core<3>& b, Vec<3> normal, Axis<3>& best) {
  const double length = normal.norm();
  if (length < 1e-6) return;
  normal /= length;
  const double along = normal.dot(b.centre - a.centre);
  if (along < 0) normal = -normal;
  consider<3>(normal, std::abs(along) - a.reach(normal) - b.reach(normal), best);
}

// Of an edge pair and a face that are nearly as good as each other the face gives the steadier contact.
Axis<3> steadier(const Axis<3>& face, const Axis<3>& edge, const Core<3>& a, const Core<3>& b) {
  const double size = std::min(a.half.norm(), b.half.norm());
  return face.gap >= edge.gap - 0.005 * std::abs(edge.gap) - 1e-8 * size ? face : edge;
}

// Two that are flat in no direction, in the frame of the first (Gottschalk, Lin and Manocha, "OBBTree",
// 1996).
Axis<3> axis_of_full_boxes(const Core<3>& a, const Core<3>& b, double enough) {
  double turn[3][3], size[3][3], at[3];  // b's axes in a's frame, and without their signs
  const Vec<3> offset = b.centre - a.centre;
  for (int i = 0; i < 3; ++i) {
    at[i] = offset.dot(a.axis(i));
    for (int j = 0; j < 3; ++j) turn[i][j] = a.axis(i).dot(b.axis(j)), size[i][j] = std::abs(turn[i][j]);
  }
  Axis<3> face;
  int which = 0;  // a's axes, then b's
  for (int i = 0; i < 3; ++i) {
    const double reach = a.half[i] + b.half[0] * size[i][0] + b.half[1] * size[i][1] + b.half[2] * size[i][2];
    if (std::abs(at[i]) - reach > face.gap) face.gap = std::abs(at[i]) - reach, which = i;
  }
  double across[3];
  for (int j = 0; j < 3; ++j) {
    across[j] = offset.dot(b.axis(j));
    const double reach = b.half[j] + a.half[0] * size[0][j] + a.half[1] * size[1][j] + a.half[2] * size[2][j];
    if (std::abs(across[j]) - reach > face.gap) face.gap = std::abs(across[j]) - reach, which = 3 + j;
  }
  const double side = which < 3 ? at[which] : across[which - 3];
  face.normal = which < 3 ? a.axis(which) : b.axis(which - 3);
  if (side < 0) face.normal = -face.normal;
  if (face.gap > enough) return face;
  if (face.gap > 0) {  // over the face itself no corner is nearer than its plane
    const Core<3>&own = which < 3 ? a : b, &other = which < 3 ? b : a;
    const Vec<3> p = own.turned_back(other.support(which < 3 ? Vec<3>(-face.normal) : face.normal) - own.centre);
    face.exact = true;
    for (int k = 0; k < 3; ++k) face.exact &= k == which % 3 || std::abs(p[k]) <= own.half[k];
    if (face.exact) return face;
  }
  Axis<3> edge;
  int first = -1, second = 0;
  for (int i = 0; i < 3; ++i)
    for (int j = 0; j < 3; ++j) {
      const int k = (i + 1) % 3, l = (i + 2) % 3, m = (j + 1) % 3, n = (j + 2) % 3;
      const double square = 1 - turn[i][j] * turn[i][j];
      if (square < 1e-12) continue;
      const double reach =
          a.half[k] * size[l][j] + a.half[l] * size[k][j] + b.half[m] * size[i][n] + b.half[n] * size[i][m];
      const double apart = std::abs(at[l] * turn[k][j] - at[k] * turn[l][j]) - reach;
      // A gap is longer along the unit normal, a depth too.
      if (const double gap = apart / std::sqrt(square); gap > edge.gap) edge.gap = gap, first = i, second = j;
    }
  if (first >= 0) {
    edge.normal = cross(a.axis(first), b.axis(second)).normalized();
    if (edge.normal.dot(offset) < 0) edge.normal = -edge.normal;
  }
  return steadier(face, edge, a, b);
}

Axis<3> axis_of_boxes(const Core<3>& a, const Core<3>& b, double enough) {
  if (a.half.minCoeff() > 0 && b.half.minCoeff() > 0) return axis_of_full_boxes(a, b, enough);
  Axis<3> best;
  std::array<Vec<3>, 3> ga, gb;
  const int na = generators(a, ga), nb = generators(b, gb);
  const auto pairs = [&](const std::array<Vec<3>, 3>& g, int n) {
    for (int i = 0; i < n; ++i)
      for (int j = i + 1; j < n; ++j) try_axis_of_boxes(a, b, cross(g[i], g[j]), best);
  };
  pairs(ga, na);
  if (best.gap <= enough) pairs(gb, nb);
  if (best.gap > enough) return best;
  Axis<3> edge;
  for (int i = 0; i < na; ++i)
    for (int j = 0; j < nb; ++j) try_axis_of_boxes(a, b, cross(ga[i], gb[j]), edge);
  best = steadier(best, edge, a, b);
  if (best.gap != std::numeric_limits<double>::lowest()) return best;
  // Points and parallel segments: any direction across them parts them at no depth.
  const Vec<3> along = na > 0 ? ga[0] : nb > 0 ? gb[0] : Vec<3>(Vec<3>::Zero());
  const Vec<3> offset = b.centre - a.centre;
  try_axis_of_boxes(a, b, offset - along * along.dot(offset), best);
  for (int i = 0; i < 3 && best.gap == std::numeric_limits<double>::lowest(); ++i)
    try_axis_of_boxes(a, b, na + nb == 0 ? Vec<3>(Vec<3>::Unit(i)) : cross(along, Vec<3>::Unit(i)), best);
  return best;
}

// The faces and edges of a box, segment, point or triangle; `flat`: it has one face, seen from both sides.
struct Sides {
  int edges = 0, faces = 0;
  std::array<Vec<3>, 3> edge, face;
  bool flat = false;
};

Sides sides_of(const Core<3>& c) {
  Sides s;
  if (c.kind == CoreKind::box) {
    s.edges = generators(c, s.edge);
    for (int i = 0; i < s.edges; ++i)
      for (int j = i + 1; j < s.edges; ++j) s.face[s.faces++] = cross(s.edge[i], s.edge[j]);
    s.flat = s.edges == 2;
    return s;
  }
  const std::size_t n = c.points.size();
  for (std::size_t i = 0; i < (n == 2 ? 1 : n); ++i)
    s.edge[s.edges++] = c.placed(c.points[(i + 1) % n]) - c.placed(c.points[i]);
  if (n == 3) s.face[s.faces++] = cross(s.edge[0], s.edge[1]).normalized();
  s.flat = n == 3;
  return s;
}

// Triangles and segments against each other and against boxes: all axes both ways.
Axis<3> axis_of_flat(const Core<3>& a, const Core<3>& b, double enough) {
  Axis<3> best;
  const Sides sa = sides_of(a), sb = sides_of(b);
  const auto attempt = [&](const Vec<3>& direction, Axis<3>& axis) {
    const double length = direction.norm();
    if (!(length > 0)) return;
    const Vec<3> n = direction / length;
    consider<3>(n, gap_along<3>(a, b, n), axis);
    consider<3>(Vec<3>(-n), gap_along<3>(a, b, Vec<3>(-n)), axis);
  };
  for (const Sides* s : {&sa, &sb})
    for (int i = 0; i < s->faces; ++i) attempt(s->face[i], best);
  if (best.gap > enough) return best;
  Axis<3> edge;
  for (const Sides* s : {&sa, &sb})
    for (int i = 0; s->flat && i < s->edges; ++i) attempt(cross(s->edge[i], s->face[0]), edge);
  for (int i = 0; i < sa.edges; ++i)
    for (int j = 0; j < sb.edges; ++j) {
      const Vec<3> n = cross(sa.edge[i], sb.edge[j]);
      if (n.norm() > 1e-6 * sa.edge[i].norm() * sb.edge[j].norm()) attempt(n, edge);
    }
  best = steadier(best, edge, a, b);
  if (best.gap != std::numeric_limits<double>::lowest()) return best;
  const Vec<3> along = sa.edges > 0 ? sa.edge[0] : sb.edges > 0 ? sb.edge[0] : Vec<3>(Vec<3>::Unit(1));
  int flattest = 0;
  along.cwiseAbs().minCoeff(&flattest);
  attempt(cross(along, Vec<3>(Vec<3>::Unit(flattest))), best);
  return best;
}

bool has_volume(const Core<3>& c) { return !c.flat_sided() || c.polytope != nullptr; }

}  // namespace

Axis<2> deepest_axis(const Core<2>& a, const Core<2>& b, double enough, const Tetrahedron<2>*, Start<2>* start) {
  BestSides* known = start != nullptr && can_be_known(a) && can_be_known(b) ? &start->sides : nullptr;
  const std::uint64_t shapes = known != nullptr ? hash_of(a, b) : 0;
  if (known != nullptr && known->shapes == shapes)
    if (const std::optional<Axis<2>> axis = still_best(a, b, *known, enough)) return *axis;
  Axis<2> best;
  Outline ca, cb;
  outline_of(a, ca), outline_of(b, cb);
  const Vec<2> towards = b.middle - a.middle;
  Ranking ranking;
  const auto all_sides = [&]<bool kRanks>() {
    try_sides<kRanks>(ca, cb, towards, 1, enough, best, ranking, 0);
    try_sides<kRanks>(cb, ca, -towards, -1, enough, best, ranking, ca.count);
  };
  if (known == nullptr) all_sides.operator()<false>();
  else all_sides.operator()<true>();
  if (known != nullptr) {
    const Lie now(a, b);
    ranking.tell(*known);
    known->shapes = shapes, known->middle = now.middle, known->axis = now.axis;
    if (best.gap > enough) known->behind = known->lead = 0;  // not all were looked at
  }
  if (best.gap == std::numeric_limits<double>::lowest()) {  // two points
    const Vec<2> offset = cb.at[0] - ca.at[0];
    const Vec<2> n = offset.norm() > 0 ? Vec<2>(offset.normalized()) : Vec<2>(Vec<2>::Unit(0));
    consider<2>(n, n.dot(offset), best);
  }
  return best;
}

Axis<3> deepest_axis(const Core<3>& a, const Core<3>& b, double enough, const Tetrahedron<3>* held, Start<3>* start) {
  if (a.boxlike() && b.boxlike()) return axis_of_boxes(a, b, enough);
  if (has_volume(a) || has_volume(b))
    if (const auto found = expand(a, b, held, start)) return *found;
  return axis_of_flat(a, b, enough);
}

}  // namespace colvik::contact
