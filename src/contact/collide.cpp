#include "contact/collide.h"

#include <algorithm>

#include "contact/features.h"
#include "contact/pieces.h"
#include "math/fetch.h"

namespace colvik::contact {
namespace {

using shapes::Assembly;
using shapes::Front;
using shapes::Piece;

template <int D>
Separation<D> swapped(Separation<D> s) {
  s.normal = -s.normal;
  std::swap(s.on_a, s.on_b);
  return s;
}

// Points where a feature of a body lies over a plane, no further than `margin` from it.
template <int D>
Manifold<D> over_plane(const Feature<D>& f, const Vec<D>& normal, const Vec<D>& origin,
                       double radius, double margin) {
  Manifold<D> out;
  out.normal = normal;
  std::array<ContactPoint<D>, kMostCorners> found;
  std::size_t count = 0;
  for (std::size_t k = 0; k < f.count; ++k) {
    const double gap = normal.dot(f.corners[k].at - origin) - radius;
    if (gap <= margin)
      found[count++] = {f.corners[k].at - normal * (radius + gap / 2), gap, f.corners[k].id};
  }
  keep_best<D>(found, count, out);
  return out;
}

template <int D>
Manifold<D> on_half_space(const Pose<D>& half_space, const Core<D>& b, double margin, double flat) {
  const Vec<D> normal = half_space.rotation.axis(1);
  return over_plane<D>(facing<D>(b, -normal, flat), normal, half_space.position, b.radius, margin);
}

// Contact of a body with one front, along the front's own normal, where the body lies over it.
template <int D>
Manifold<D> on_front(const PlacedFront<D>& f, const Core<D>& body, double margin, double flat) {
  Feature<D> other = facing<D>(body, -f.normal, flat);
  for (int k = 0; k < D; ++k)
    clip<D>(other, f.outward[k], f.outward[k].dot(f.corner[k]) + 1e-9,
            static_cast<std::uint32_t>(k));
  return over_plane<D>(other, f.normal, f.corner[0], body.radius, margin);
}

template <int D>
double gap_over(const Vec<D>& normal, const Vec<D>& corner, const Core<D>& body) {
  return normal.dot(body.support(-normal) - corner) - body.radius;
}

// How a body sees a segment or triangle.
template <int D>
struct Seen {
  bool away = false;      // it cannot touch it
  bool behind = false;    // from the other side
  Vec<D> normal = kZero;  // towards it
};
template <int D>
Seen<D> seen_from(const Core<D>& body, const shapes::FlatCorners<D>& at, bool two_sided,
                  const Pose<D>& pose, double margin) {
  Seen<D> out;
  out.normal = pose.rotation * Assembly<D>::normal(at);
  const Vec<D> corner = pose * at[0];
  out.behind = out.normal.dot(body.middle - corner) < 0;
  if (out.behind) out.normal = -out.normal;
  out.away = (out.behind && !two_sided) || gap_over(out.normal, corner, body) > margin;
  return out;
}

// One piece of an assembly against a convex body, normals from the piece to the body.
template <int D>
Manifold<D> of_piece(const Assembly<D>& all, std::uint32_t number, const Pose<D>& pose,
                     const Core<D>& body, double margin, double flat) {
  // For most of a surface nothing else is tested.
  Seen<D> seen;
  if (all.surface) seen = seen_from<D>(body, all.flats[number], all.two_sided, pose, margin);
  if (seen.away) return {};
  const Piece<D>& piece = all.pieces[number];
  if (piece.fronts == 0 && piece.child < 0) return {};  // inside others on all sides
  if (!all.surface && is_surface(piece))
    seen = seen_from<D>(body, all.flat(all.fronts[piece.first_front]), false, pose, margin);
  if (seen.away) return {};
  Corners<D> keep;
  const Core<D> core = core_of(all, piece, pose, keep);
  Manifold<D> m = manifold(core, body, margin, flat);
  if (m.count == 0 || piece.fronts == 0) return m;
  if (seen.normal.dot(m.normal) > 1 - 4e-7) return m;  // nearer to its own than any front requires
  const auto front = [&](std::uint32_t k) {
    return PlacedFront<D>(all, all.fronts[piece.first_front + k], pose);
  };
  PlacedFront<D> f = front(0);
  if (seen.behind) f.turn_over(all.fronts[piece.first_front]);
  if (f.admits(m.normal)) return m;
  double most = gap_over(f.normal, f.corner[0], body);
  for (std::uint32_t k = 1; k < piece.fronts; ++k) {
    const PlacedFront<D> other = front(k);
    if (other.admits(m.normal)) return m;
    if (const double gap = gap_over(other.normal, other.corner[0], body); gap > most) {
      most = gap;
      f = other;
    }
  }
  Manifold<D> level = most <= margin ? on_front(f, body, margin, flat) : Manifold<D>{};
  if (level.count > 0) return level;
  if (f.leans_over_bends(m.normal)) return m;
  if (m.points[0].gap < 0 && f.leans_into_corner(m.normal)) {
    // Wedged into an inner corner, with the part that is deepest over the neighbour: up from this
    // side too, by the least that parts the two.
    m.normal = f.normal;
    m.count = 1;
    return m;
  }
  return {};
}

// Whether two manifolds belong to one surface: their normals are the same to half a degree, and
// neither is one-way.
template <int D>
bool one_surface(const Manifold<D>& x, const Manifold<D>& y) {
  return x.normal.dot(y.normal) >= 0.99996 && x.one_way == 0 && y.one_way == 0;
}

// Of what a ball meets from `first` on, one point for each normal, the deepest: at a seam it still
// has only one.
template <int D>
void keep_deepest(std::vector<Manifold<D>>& all, std::size_t first) {
  for (std::size_t i = first; i < all.size(); ++i)
    for (std::size_t j = i + 1; j < all.size();) {
      if (!one_surface(all[i], all[j])) {
        ++j;
        continue;
      }
      if (all[j].points[0].gap < all[i].points[0].gap) all[i] = all[j];
      all.erase(all.begin() + static_cast<std::ptrdiff_t>(j));
    }
}

// Joins manifolds with nearly the same normal into one with the best points of both;
// neighbours report their shared corners alike. `span` is a length to compare with.
template <int D>
void join(std::vector<Manifold<D>>& all, double span) {
  for (std::size_t i = 0; i < all.size(); ++i) {
    std::array<ContactPoint<D>, kMostCorners> found;
    auto count = static_cast<std::size_t>(all[i].count);
    std::copy_n(all[i].points.begin(), count, found.begin());
    for (std::size_t j = i + 1; j < all.size();) {
      if (!one_surface(all[i], all[j])) {
        ++j;
        continue;
      }
      for (int k = 0; k < all[j].count; ++k) {
        if (count == kMostCorners) {
          Manifold<D> m = all[i];
          keep_best<D>(found, count, m);
          count = static_cast<std::size_t>(m.count);
          std::copy_n(m.points.begin(), count, found.begin());
        }
        const ContactPoint<D>& p = all[j].points[static_cast<std::size_t>(k)];
        const auto last = found.begin() + static_cast<std::ptrdiff_t>(count);
        const bool known = std::any_of(found.begin(), last, [&](const ContactPoint<D>& q) {
          return (p.position - q.position).squaredNorm() <= 1e-12 * span * span;
        });
        if (!known) found[count++] = p;
      }
      all.erase(all.begin() + static_cast<std::ptrdiff_t>(j));
    }
    keep_best<D>(found, count, all[i]);
  }
}

// The pieces whose bounds overlap a box, in the order of the shape: what comes of them does not
// depend on how the tree was built.
template <int D>
class PiecesNear {
 public:
  PiecesNear(const Assembly<D>& all, const Bounds<D>& box) {
    all.tree.overlaps(box, [&](std::uint32_t i) {
      if (count_ < few_.size()) few_[count_] = i;
      else many_.push_back(i);
      ++count_;
    });
    if (!many_.empty()) many_.insert(many_.end(), few_.begin(), few_.end());
  }
  std::span<const std::uint32_t> in_order() {
    const std::span<std::uint32_t> all =
        many_.empty() ? std::span(few_).first(count_) : std::span(many_);
    std::sort(all.begin(), all.end());
    return all;
  }

 private:
  std::array<std::uint32_t, 64> few_;  // so that usually nothing is allocated
  std::vector<std::uint32_t> many_;
  std::size_t count_ = 0;
};

// Calls visit(core, number) for each piece of b near `box` (in the common frame); of a convex
// shape, itself.
template <int D, class Visit>
void for_convex(const Shape<D>& b, const Pose<D>& pose, const Bounds<D>& box, Visit&& visit) {
  if (b.parts == nullptr) {
    visit(Core<D>(b, pose), std::uint32_t{0});
    return;
  }
  // The box in b's own frame.
  Vec<D> half = Vec<D>::Zero();
  for (int i = 0; i < D; ++i)
    for (int k = 0; k < D; ++k) half[i] += std::abs(pose.rotation.axis(i)[k]) * box.size()[k] / 2;
  const Vec<D> middle = pose.rotation.inverse() * Vec<D>(box.centre() - pose.position);
  PiecesNear<D> pieces(*b.parts, {middle - half, middle + half});
  for (const std::uint32_t i : pieces.in_order()) {
    Corners<D> keep;
    visit(core_of(*b.parts, b.parts->pieces[i], pose, keep), i);
  }
}

// Half-spaces cannot be compared with each other.
template <int D>
bool comparable(const Shape<D>& a, const Shape<D>& b) {
  return a.kind != ShapeKind::half_space || b.kind != ShapeKind::half_space;
}

}  // namespace

template <int D>
Separation<D> nearest(const Shape<D>& a, const Shape<D>& b, const Pose<D>& b_in_a, double beyond) {
  Separation<D> best;
  best.gap = std::numeric_limits<double>::max();
  best.normal = Vec<D>::Unit(0);
  best.on_a = best.on_b = b_in_a.position;
  if (is_convex(a) && is_convex(b)) return separation(a, b, b_in_a);
  if (!comparable(a, b)) return best;
  const auto take = [&](const Separation<D>& s) {
    if (s.gap < best.gap) best = s;
  };
  if (a.kind == ShapeKind::half_space || b.kind == ShapeKind::half_space) {
    const bool first = a.kind == ShapeKind::half_space;
    const Pose<D> plane = first ? Pose<D>{} : b_in_a, other = first ? b_in_a : Pose<D>{};
    const Bounds<D> all{Vec<D>::Constant(-1e13), Vec<D>::Constant(1e13)};
    for_convex<D>(first ? b : a, other, all, [&](const Core<D>& c, std::uint32_t) {
      const Separation<D> s = from_half_space(plane, c);
      take(first ? s : swapped(s));
    });
    return best;
  }
  const double within = std::clamp(beyond, 0.0, 1e13) + 1e-9;
  if (a.parts == nullptr || b.parts == nullptr) {
    // From the nearest pieces on; of those as near the first.
    const bool first = a.parts != nullptr;
    const Assembly<D>& all = first ? *a.parts : *b.parts;
    const Core<D> other = first ? Core<D>(b, b_in_a) : Core<D>(a);
    const Pose<D> pose = first ? Pose<D>{} : b_in_a;
    const Bounds<D> box = first ? bounds(b, b_in_a) : bounds(a, b_in_a.relative(Pose<D>{}));
    std::uint32_t which = 0;
    all.tree.outward(box, within, [&](std::uint32_t i) {
      Corners<D> keep;
      const Core<D> piece = core_of(all, all.pieces[i], pose, keep);
      const Separation<D> s = first ? separation(piece, other) : separation(other, piece);
      if (s.gap < best.gap || (s.gap == best.gap && i < which)) {
        best = s;
        which = i;
      }
      return std::clamp(best.gap, 0.0, within);
    });
    return best;
  }
  const Bounds<D> near_b = bounds(b, b_in_a).grown(within);
  for_convex<D>(a, {}, near_b, [&](const Core<D>& piece_a, std::uint32_t) {
    Vec<D> reach = Vec<D>::Constant(piece_a.radius + within);
    for (int k = 0; k < D; ++k) reach += piece_a.axis(k).cwiseAbs() * piece_a.half[k];
    const Bounds<D> box{piece_a.middle - reach, piece_a.middle + reach};
    for_convex<D>(b, b_in_a, box, [&](const Core<D>& piece_b, std::uint32_t) {
      take(separation(piece_a, piece_b));
    });
  });
  return best;
}

template <int D>
void collide(const Shape<D>& a, const Shape<D>& b, const Pose<D>& b_in_a, double margin,
             double flat, std::vector<Manifold<D>>& out, Start<D>* start, Separation<D>* found) {
  out.clear();
  const auto keep = [&](Manifold<D> m, bool swap, std::uint32_t piece) {
    if (m.count == 0) return;
    if (swap) m.normal = -m.normal;
    for (int k = 0; k < m.count; ++k) {
      std::uint32_t& id = m.points[static_cast<std::size_t>(k)].id;
      id = mixed(id, piece + 1);
    }
    out.push_back(m);
  };
  if (is_convex(a) && is_convex(b)) {
    const Manifold<D> m = manifold(a, b, b_in_a, margin, flat, start, found);
    if (m.count > 0) out.push_back(m);
    return;
  }
  if (!comparable(a, b)) return;
  if (a.kind == ShapeKind::half_space || b.kind == ShapeKind::half_space) {
    const bool first = a.kind == ShapeKind::half_space;
    const Pose<D> plane = first ? Pose<D>{} : b_in_a, other = first ? b_in_a : Pose<D>{};
    const Bounds<D> all{Vec<D>::Constant(-1e13), Vec<D>::Constant(1e13)};
    for_convex<D>(first ? b : a, other, all, [&](const Core<D>& c, std::uint32_t i) {
      keep(on_half_space(plane, c, margin, flat), !first, i);
    });
    join(out, margin);
    return;
  }
  // One of the two is taken apart into pieces with smooth surfaces, the other into plain convex
  // ones.
  const bool a_is_surface =
      a.parts != nullptr && (b.parts == nullptr || is_scenery(a.kind) || !is_scenery(b.kind));
  const Shape<D>& whole = a_is_surface ? a : b;
  const Shape<D>& other = a_is_surface ? b : a;
  const Pose<D> whole_pose = a_is_surface ? Pose<D>{} : b_in_a,
                other_pose = a_is_surface ? b_in_a : Pose<D>{};
  const Assembly<D>& all = *whole.parts;
  const Bounds<D> everything = bounds(whole, whole_pose).grown(margin);
  for_convex<D>(other, other_pose, everything, [&](const Core<D>& body, std::uint32_t which) {
    // The body's bounds in the frame of the pieces.
    Vec<D> reach = Vec<D>::Constant(body.radius + margin);
    for (int i = 0; i < D; ++i)
      for (int k = 0; k < D; ++k)
        reach[i] += std::abs(whole_pose.rotation.axis(i).dot(body.axis(k))) * body.half[k];
    const Vec<D> middle = whole_pose.rotation.inverse() * Vec<D>(body.middle - whole_pose.position);
    PiecesNear<D> pieces(all, {middle - reach, middle + reach});
    const std::size_t first = out.size();
    const std::span<const std::uint32_t> near = pieces.in_order();
    for (std::size_t k = 0; k < near.size(); ++k) {
      constexpr std::size_t kAhead = 6;
      if (all.surface && k + kAhead < near.size())
        math::fetch(&all.flats[near[k + kAhead]], sizeof(shapes::FlatCorners<D>));
      const std::uint32_t i = near[k];
      Manifold<D> m = of_piece(all, i, whole_pose, body, margin, flat);
      if (whole.kind == ShapeKind::tiles && all.pieces[i].corners == 2) m.one_way = mixed(i, which);
      keep(m, !a_is_surface, mixed(i, which));
    }
    if (body.half.isZero(0)) keep_deepest(out, first);
  });
  join(out, margin);
}

template <int D>
bool is_behind(const Shape<D>& a, const Shape<D>& b, const Pose<D>& b_in_a, double margin) {
  const Assembly<D>& all = *a.parts;
  bool any = false;
  bool every = true;
  for_convex<D>(b, b_in_a, bounds(a, Pose<D>{}).grown(margin),
                [&](const Core<D>& body, std::uint32_t) {
                  Vec<D> reach = Vec<D>::Constant(body.radius + margin);
                  for (int k = 0; k < D; ++k) reach += body.axis(k).cwiseAbs() * body.half[k];
                  PiecesNear<D> pieces(all, {body.middle - reach, body.middle + reach});
                  for (const std::uint32_t i : pieces.in_order()) {
                    any = true;
                    every = every && seen_from<D>(body, all.flats[i], false, {}, margin).behind;
                  }
                });
  return any && every;
}

template <int D>
bool go_on(const Shape<D>& a, const Shape<D>& b) {
  const auto sought = [](const Shape<D>& s) {
    return s.kind == ShapeKind::hull || s.kind == ShapeKind::cylinder || s.kind == ShapeKind::cone;
  };
  return D == 3 && is_convex(a) && is_convex(b) && (sought(a) || sought(b));
}

template bool go_on(const Shape<2>&, const Shape<2>&);
template bool go_on(const Shape<3>&, const Shape<3>&);
template bool is_behind(const Shape<2>&, const Shape<2>&, const Pose<2>&, double);
template bool is_behind(const Shape<3>&, const Shape<3>&, const Pose<3>&, double);
template Separation<2> nearest(const Shape<2>&, const Shape<2>&, const Pose<2>&, double);
template Separation<3> nearest(const Shape<3>&, const Shape<3>&, const Pose<3>&, double);
template void collide(const Shape<2>&, const Shape<2>&, const Pose<2>&, double, double,
                      std::vector<Manifold<2>>&, Start<2>*, Separation<2>*);
template void collide(const Shape<3>&, const Shape<3>&, const Pose<3>&, double, double,
                      std::vector<Manifold<3>>&, Start<3>*, Separation<3>*);

}  // namespace colvik::contact

namespace colvik {

template <int D>
double gap_between(const Shape<D>& a, const Pose<D>& at_a, const Shape<D>& b, const Pose<D>& at_b,
                   double beyond) {
  return contact::nearest(a, b, at_a.relative(at_b), beyond).gap;
}
template double gap_between(const Shape<2>&, const Pose<2>&, const Shape<2>&, const Pose<2>&,
                            double);
template double gap_between(const Shape<3>&, const Pose<3>&, const Shape<3>&, const Pose<3>&,
                            double);

}  // namespace colvik
