#include "contact/cast.h"

#include "contact/distance.h"
#include "contact/pieces.h"
#include "contact/ray.h"
#include "math/fault.h"

namespace colvik::contact {
namespace {

constexpr int kMostStrides = 1000;

// The furthest point of a shape from its origin.
template <int D>
double arm_of(const Shape<D>& s) {
  return s.middle.norm() + s.core.norm() + s.radius;
}

// How far on b may go, as part of its course, before any of it is nearer to a by `gap`. All of b
// lies within the rounded box of its core, and a point of the box is above a's plane as its corners
// are, mixed: at any time, as turning is linear. A corner comes down no faster than it now does and
// than turning bends its path. 0 where the box reaches too far.
template <int D>
double safe_turn(const Core<D>& b, const Separation<D>& s, const Course<D>& course,
                 const Vec<D>& origin, double gap) {
  double least = std::numeric_limits<double>::infinity();
  for (unsigned corner = 0; corner < 1U << D; ++corner) {
    Vec<D> at = b.middle;
    for (int i = 0; i < D; ++i)
      at += b.axis(i) * ((corner >> i & 1U) != 0 ? b.half[i] : -b.half[i]);
    const Vec<D> arm = at - origin;
    const double room = gap + s.normal.dot(at - s.on_b) - b.radius;
    if (!(room > 0)) return 0;
    const double closing = -s.normal.dot(course.move + cross(course.turn, arm));
    const double bend = course.turn.squaredNorm() * arm.norm();
    const double root = std::sqrt(closing * closing + 2 * bend * room);
    if (closing + root > 0) least = std::min(least, 2 * room / (closing + root));
  }
  return least;
}

// Strides of safe length until the two are nearly touching, or t is beyond `limit`; `separate(core
// of b)` returns their distance.
template <int D, class Separate>
std::optional<Impact<D>> advance(const Shape<D>& b, const Course<D>& course, double size,
                                 double limit, Separate&& separate) {
  const double arm = arm_of(b);
  double turning = course.turn.norm() * arm;
  const bool turns = turning > 0;
  const double near = 1e-7 * std::max(course.move.norm() + turning, std::min(size, arm));
  double t = 0;
  for (int strides = 0;; ++strides) {
    const Pose<D> now = course.at(t);
    const Core<D> moved(b, now);
    const Separation<D> s = separate(moved);
    // What turns about an axis along the normal comes no nearer by it.
    if constexpr (D == 3) turning = cross(course.turn, s.normal).norm() * arm;
    const double closing = turning - s.normal.dot(course.move);
    if (s.gap <= near || strides == kMostStrides) {
      Impact<D> hit;
      hit.t = t;
      hit.normal = s.normal;
      hit.point = 0.5 * (s.on_a + s.on_b);
      hit.gap = s.gap;
      hit.inside = t == 0 && s.gap < -near;
      hit.capped = strides == kMostStrides;
      // Touching, and not getting any nearer.
      if (t == 0 && !hit.inside && s.normal.dot(course.move) >= -1e-9 * course.move.norm() &&
          !turns)
        return std::nullopt;
      return hit;
    }
    if (closing <= 0) return std::nullopt;
    // To a little within `near`, so that the last stride arrives.
    double stride = (s.gap - 0.5 * near) / closing;
    if (turns)
      stride = std::max(stride, safe_turn(moved, s, course, now.position, s.gap - 0.5 * near));
    t += stride;
    if (t > limit) return std::nullopt;
  }
}

// Whether it is a point that moves straight: first touches need no search, mostly.
template <int D>
bool is_line(const Shape<D>& b, const Course<D>& course) {
  return b.kind == ShapeKind::ball && b.radius == 0 && course.turn.isZero() &&
         !course.move.isZero();
}

// A moving convex b against the pieces of a, one after the other.
template <int D>
struct Search {
  const Shape<D>& a;
  const Shape<D>& b;
  const Course<D>& course;
  double limit;  // of t: of the nearest hit, once there is one
  bool line = is_line(b, course);
  bool straight = course.turn.isZero();
  std::optional<Impact<D>> best{};

  // Returns whether that settles it.
  bool shoot(const shapes::FlatCorners<D>& corner) {
    const Crossing crossing =
        cross_flat<D>(corner, a.parts->two_sided, course.start.position, course.move, limit);
    if (crossing.t < limit || (crossing.t == limit && !best)) {
      limit = crossing.t;
      Impact<D>& hit = best.emplace();
      hit.t = crossing.t;
      hit.normal = shapes::Assembly<D>::normal(corner);
      hit.point = course.start.position + crossing.t * course.move;
      if (hit.normal.dot(course.move) > 0) hit.normal = -hit.normal;  // from behind
    }
    return crossing.settled;
  }

  void test(std::uint32_t i) {
    const shapes::Assembly<D>& all = *a.parts;
    if (line && all.surface && shoot(all.flats[i])) return;
    const shapes::Piece<D>& piece = all.pieces[i];
    const bool surface = is_surface(piece);
    const shapes::Front<D>* front = surface ? &all.fronts[piece.first_front] : nullptr;
    const bool one_way = surface && a.kind == ShapeKind::tiles;
    if (one_way && course.through_one_way) return;
    if (line && surface && !all.surface && shoot(all.flat(*front))) return;
    if (surface && !all.two_sided && straight && all.normal(*front).dot(course.move) >= 0)
      return;  // from behind, or along it
    Corners<D> keep;
    const Core<D> core = core_of(all, piece, Pose<D>{}, keep);
    if (surface && !all.two_sided &&
        !PlacedFront<D>(all, *front, {}).before(course.start * b.middle))
      return;
    std::optional<Impact<D>> hit =
        advance<D>(b, course, core.half.norm(), limit,
                   [&](const Core<D>& moved) { return separation(core, moved); });
    if (!hit || (best && limit <= hit->t)) return;
    if (one_way && hit->inside) return;  // it was not clear of it
    // A seam's own normal is no normal of the surface.
    if (piece.fronts > 0 && !hit->inside) {
      Vec<D> front_normal = hit->normal;
      double most = std::numeric_limits<double>::lowest();
      bool admitted = false;
      for (std::uint32_t k = 0; k < piece.fronts && !admitted; ++k) {
        const shapes::Front<D>& of = all.fronts[piece.first_front + k];
        PlacedFront<D> f(all, of, {});
        if (surface && all.two_sided && f.normal.dot(hit->normal) < 0) f.turn_over(of);
        admitted = f.admits(hit->normal);
        const double facing = -f.normal.dot(course.move);
        const bool touched =
            std::abs(f.normal.dot(hit->point - f.corner[0])) <= 1e-5 * core.half.norm();
        if (touched && facing > most) {
          most = facing;
          front_normal = f.normal;
        }
      }
      if (!admitted) hit->normal = front_normal;
    }
    best = hit;
    limit = hit->t;
  }
};

// What a search reads, prefetched.
template <int D>
index::Ahead prefetched(const shapes::Assembly<D>& all) {
  return all.surface ? index::Ahead{all.flats.data(), sizeof(shapes::FlatCorners<D>)}
                     : index::Ahead{all.pieces.data(), sizeof(shapes::Piece<D>)};
}

// A convex b against any a.
template <int D>
std::optional<Impact<D>> of_convex(const Shape<D>& a, const Shape<D>& b, const Course<D>& course,
                                   double limit) {
  if (a.kind == ShapeKind::half_space)
    return advance<D>(b, course, arm_of(b), limit,
                      [](const Core<D>& moved) { return from_half_space<D>({}, moved); });
  if (a.parts == nullptr) {
    if (is_line(b, course) && (a.kind == ShapeKind::box || a.kind == ShapeKind::ball)) {
      const Vec<D>& from = course.start.position;
      const Shot<D> shot = a.kind == ShapeKind::ball ? shoot_ball(a.radius, from, course.move)
                           : a.radius == 0           ? shoot_box(a.core, from, course.move)
                                                     : Shot<D>{};
      if (shot.settled) return shot.hit;
    }
    const Core<D> still(a, {});
    return advance<D>(b, course, arm_of(a), limit,
                      [&](const Core<D>& moved) { return separation(still, moved); });
  }
  Search<D> search{a, b, course, limit};
  const Bounds<D> box = bounds_on_course(b, course);
  a.parts->tree.along(
      box.centre(), course.move, box.size() / 2, limit,
      [&](std::uint32_t i) {
        search.test(i);
        return search.limit;
      },
      prefetched(*a.parts));
  return search.best;
}

}  // namespace

template <int D>
Bounds<D> bounds_on_course(const Shape<D>& b, const Course<D>& c) {
  if (c.turn.isZero()) return bounds(b, c.start);
  const Vec<D> arm = Vec<D>::Constant(arm_of(b));
  return {c.start.position - arm, c.start.position + arm};
}
template Bounds<2> bounds_on_course(const Shape<2>&, const Course<2>&);
template Bounds<3> bounds_on_course(const Shape<3>&, const Course<3>&);

template <int D>
std::optional<Impact<D>> first_touch(const Shape<D>& a, const Shape<D>& b, const Course<D>& course,
                                     double limit) {
  if (b.kind == ShapeKind::half_space)
    return std::nullopt;  // it is unbounded, so that it cannot be swept
  std::optional<Impact<D>> best;
  if (b.parts == nullptr) {
    best = of_convex(a, b, course, limit);
    if (best && COLVIK_FAULT(5)) best->t *= 1.001;
    if (best && COLVIK_FAULT(6)) best->normal = -best->normal;
    return best;
  }
  const auto take = [&](const Shape<D>& piece, const Pose<D>& place) {
    // The piece swings about b's origin, not its own: bounded by making it part of a turn about its
    // own and of a move on an arc, which short strides follow.
    constexpr int kArcs = 32;
    const int arcs = course.turn.isZero() || place.position.isZero() ? 1 : kArcs;
    for (int k = 0; k < arcs; ++k) {
      const double t0 = static_cast<double>(k) / arcs;
      const double t1 = static_cast<double>(k + 1) / arcs;
      if (t0 > limit || (best && t0 > best->t)) break;
      const Pose<D> from = course.at(t0) * place;
      const Pose<D> to = course.at(t1) * place;
      std::optional<Impact<D>> hit = of_convex(
          a, piece,
          Course<D>{from, to.position - from.position, course.turn / arcs, course.through_one_way},
          1.0);
      if (!hit) continue;
      hit->t = t0 + hit->t / arcs;
      hit->inside = hit->inside && k == 0;
      if (!best || hit->t < best->t) best = hit;
      break;
    }
  };
  for (const shapes::Piece<D>& p : b.parts->pieces) {
    const shapes::Child<D> c = shapes::as_child(*b.parts, p);
    take(c.shape, c.pose);
  }
  return best;
}

template <int D>
std::vector<std::optional<Impact<D>>> first_touches(const Shape<D>& a,
                                                    std::span<const Course<D>> lines) {
  const Shape<D> point{};
  std::vector<std::optional<Impact<D>>> out;
  out.reserve(lines.size());
  if (a.parts == nullptr) {
    for (const Course<D>& line : lines) out.push_back(of_convex(a, point, line, 1.0));
    return out;
  }
  // Some at a time, so that what is known of them stays in near caches.
  constexpr std::size_t kTogether = 128;
  std::vector<Search<D>> searches;
  std::vector<index::Sweep<D>> sweeps;
  searches.reserve(kTogether);
  sweeps.reserve(kTogether);
  for (std::size_t first = 0; first < lines.size(); first += kTogether) {
    searches.clear();
    sweeps.clear();
    for (const Course<D>& line : lines.subspan(first, std::min(kTogether, lines.size() - first))) {
      searches.push_back({a, point, line, 1.0});
      sweeps.push_back({line.start.position, line.move});
    }
    a.parts->tree.along(
        std::span<const index::Sweep<D>>(sweeps), Vec<D>::Zero(),
        [&](std::uint32_t which, std::uint32_t i) {
          searches[which].test(i);
          return searches[which].limit;
        },
        prefetched(*a.parts));
    for (Search<D>& search : searches) out.push_back(std::move(search.best));
  }
  return out;
}

template std::optional<Impact<2>> first_touch(const Shape<2>&, const Shape<2>&, const Course<2>&,
                                              double);
template std::optional<Impact<3>> first_touch(const Shape<3>&, const Shape<3>&, const Course<3>&,
                                              double);
template std::vector<std::optional<Impact<2>>> first_touches(const Shape<2>&,
                                                             std::span<const Course<2>>);
template std::vector<std::optional<Impact<3>>> first_touches(const Shape<3>&,
                                                             std::span<const Course<3>>);

}  // namespace colvik::contact
