#include "contact/depth.h"
#include "math/hash.h"

namespace colvik::contact {
namespace {

std::size_t count_corners(const Core<2>& c) {
  if (c.kind == CoreKind::points) return c.points.size();
  return 1U << c.dimensions();
}

Vec<2> corner_of(const Core<2>& c, std::size_t i) {  // counterclockwise
  if (c.kind == CoreKind::points) return c.placed(c.point(i));
  const Vec<2> u = c.axis(0) * c.half.x();
  const Vec<2> w = c.axis(1) * c.half.y();
  const bool right = i == 1 || i == 2;
  const bool up = i >= (count_corners(c) == 4 ? 2U : 1U);
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
  const Vec<2> u = c.axis(0) * c.half.x();
  const Vec<2> w = c.axis(1) * c.half.y();
  out.at[0] = c.centre - u - w;
  if (out.count == 4) {
    out.at[1] = c.centre + u - w;
    out.at[2] = c.centre + u + w;
    out.at[3] = c.centre - u + w;
  }
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
  void save(BestSides& out) const {
    out.first = first_.side;
    out.second = second_.side;
    out.behind = first_.gap - second_.gap;
    out.lead = first_.gap - third_;
  }

 private:
  struct Seen {
    double gap = std::numeric_limits<double>::lowest();
    std::uint8_t side = BestSides::kNone;
  };
  Seen first_;
  Seen second_;
  double third_ = std::numeric_limits<double>::lowest();
};

// From the side on that faces the other most, as it is probably the one: then for most
// others one corner shows that the two are too deep along them to matter. Goes round with that
// corner. Adds them to the ranking, the first as that `number`.
template <bool kRanks>
void try_sides(const Outline& own, const Outline& other, const Vec<2>& towards, double sign,
               double enough, Axis<2>& best, Ranking& ranking, std::size_t number) {
  std::size_t near = 0;
  std::size_t first = 0;
  double most = std::numeric_limits<double>::lowest();
  for (std::size_t i = 0; own.count > 2 && i < own.count; ++i) {
    const Vec<2> side = own.side(i);
    const double along = side.y() * towards.x() - side.x() * towards.y();
    first = along > most ? i : first;
    most = std::max(most, along);
  }
  for (std::size_t k = 0, i = first; own.count > 1 && k < own.count && best.gap <= enough;
       ++k, ++i) {
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
    best.normal = sign * n;
    best.gap = least;
    best.exact = is_over(own.side(i), other.at[near] - from);
  }
}

// One side alone; those of b have the numbers behind those of a.
Axis<2> along_side(const Core<2>& a, const Core<2>& b, std::size_t number) {
  const std::size_t of_a = count_corners(a);
  const bool is_a = number < of_a;
  const Core<2>& own = is_a ? a : b;
  const Core<2>& other = is_a ? b : a;
  const std::size_t i = is_a ? number : number - of_a;
  const std::size_t count = is_a ? of_a : count_corners(b);
  const Vec<2> from = corner_of(own, i);
  Vec<2> side = corner_of(own, i + 1 < count ? i + 1 : 0) - from;
  const Vec<2> n = normal_of(own, i, [&] { return side; });
  const Vec<2> near = other.support(-n) - from;
  Axis<2> axis;
  axis.normal = is_a ? n : Vec<2>(-n);
  axis.gap = n.dot(near);
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
  Vec<2> middle;
  Vec<2> axis;
  Lie(const Core<2>& a, const Core<2>& b)
      : middle(a.turned_back(b.middle - a.middle)), axis(a.turned_back(b.axis(0))) {}
};

// The best side, if it is among those that were best: an apart pair's is any that shows it.
std::optional<Axis<2>> still_best(const Core<2>& a, const Core<2>& b, const BestSides& known,
                                  double enough) {
  const std::size_t sides = count_corners(a) + count_corners(b);
  if (known.first >= sides) return {};
  const Axis<2> first = along_side(a, b, known.first);
  if (first.gap > enough) return first;
  // Seen from either of the two, no point of the other moved further: no gap changed by more.
  const Lie now(a, b);
  const double moved =
      (now.middle - known.middle).norm() +
      (now.axis - known.axis).norm() * std::max(b.half.norm(), a.half.norm() + known.middle.norm());
  if (2 * moved < known.behind) return first;
  if (!(2 * moved < known.lead) || known.second >= sides) return {};
  const Axis<2> second = along_side(a, b, known.second);
  return second.gap > first.gap ? second : first;
}

}  // namespace

Axis<2> deepest_axis(const Core<2>& a, const Core<2>& b, double enough, const Tetrahedron<2>*,
                     Start<2>* start) {
  BestSides* known =
      start != nullptr && can_be_known(a) && can_be_known(b) ? &start->sides : nullptr;
  const std::uint64_t shapes = known != nullptr ? hash_of(a, b) : 0;
  if (known != nullptr && known->shapes == shapes)
    if (const std::optional<Axis<2>> axis = still_best(a, b, *known, enough)) return *axis;
  Axis<2> best;
  Outline ca;
  Outline cb;
  outline_of(a, ca);
  outline_of(b, cb);
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
    ranking.save(*known);
    known->shapes = shapes;
    known->middle = now.middle;
    known->axis = now.axis;
    if (best.gap > enough) known->behind = known->lead = 0;  // not all were tested
  }
  if (best.gap == std::numeric_limits<double>::lowest()) {  // two points
    const Vec<2> offset = cb.at[0] - ca.at[0];
    const Vec<2> n = offset.norm() > 0 ? Vec<2>(offset.normalized()) : Vec<2>(Vec<2>::Unit(0));
    best.consider(n, n.dot(offset));
  }
  return best;
}

}  // namespace colvik::contact
