#include "contact/manifold.h"

#include "contact/distance.h"
#include "contact/features.h"
#include "math/fault.h"

namespace colvik::contact {
namespace {

constexpr std::uint32_t kOnePlace = 1U << 29;  // id of the only point of two that meet at one place

// The part of `v` that lies across the normal.
template <int D>
Vec<D> across(const Vec<D>& v, const Vec<D>& normal) {
  return v - normal * normal.dot(v);
}

// Keeps of `other` what faces `reference` along the normal: inside its sides, or between its two
// ends.
template <int D>
void clip_to(const Feature<D>& reference, Feature<D>& other, const Vec<D>& normal) {
  if (reference.count == 2) {
    const Vec<D> along = across(Vec<D>(reference.corners[1].at - reference.corners[0].at), normal);
    clip<D>(other, along, along.dot(reference.corners[1].at), 0);
    clip<D>(other, -along, -along.dot(reference.corners[0].at), 1);
    return;
  }
  if constexpr (D == 3) {
    Vec<3> middle = Vec<3>::Zero();
    for (std::size_t k = 0; k < reference.count; ++k)
      middle += reference.corners[k].at / static_cast<double>(reference.count);
    for (std::size_t k = 0; k < reference.count; ++k) {
      const Vec<3>& from = reference.corners[k].at;
      const Vec<3>& to = reference.corners[(k + 1) % reference.count].at;
      Vec<3> outward = cross(Vec<3>(to - from), normal);
      if (outward.dot(middle - from) > 0) outward = -outward;
      clip<3>(other, outward, outward.dot(from), static_cast<std::uint32_t>(k));
    }
  }
}

// The point of the reference opposite to `p`, along the normal.
template <int D>
Vec<D> opposite(const Feature<D>& reference, const Vec<D>& p, const Vec<D>& normal) {
  const Vec<D>& origin = reference.corners[0].at;
  if (reference.count == 2) {
    const Vec<D> edge = reference.corners[1].at - origin;
    const Vec<D> along = across(edge, normal);
    return origin + edge * (along.dot(p - origin) / along.dot(edge));
  }
  const Vec<D>& face = reference.face_normal;
  return p - normal * (face.dot(p - origin) / face.dot(normal));
}

template <int D>
bool parallel(const Feature<D>& first, const Feature<D>& second) {  // to 3.6 degrees
  const Vec<D> u = (first.corners[1].at - first.corners[0].at).normalized();
  const Vec<D> w = (second.corners[1].at - second.corners[0].at).normalized();
  return std::abs(u.dot(w)) >= 0.998;
}

// Whether `other` is a corner and lies over the face, or the side, seen along the normal.
template <int D>
bool over(const Feature<D>& face, Feature<D> other, const Vec<D>& normal) {
  if (other.count != 1) return false;
  clip_to(face, other, normal);
  return other.count == 1;
}

// Where surfaces meet that meet at one place: halfway between them.
template <int D>
Vec<D> one_place(const Core<D>& a, const Core<D>& b, const Separation<D>& nearest,
                 const Feature<D>& fa, const Feature<D>& fb, bool sideways) {
  if (nearest.has_points) return 0.5 * (nearest.on_a + nearest.on_b);
  const Vec<D>& n = nearest.normal;
  const bool exact = a.flat_sided() && b.flat_sided() && !sideways;  // the corners are
  if (exact && fa.count >= D && over(fa, fb, n))
    return fb.corners[0].at - n * (b.radius + 0.5 * nearest.gap);
  if (exact && fb.count >= D && over(fb, fa, n))
    return fa.corners[0].at + n * (a.radius + 0.5 * nearest.gap);
  if constexpr (D == 3) {
    // Two edges that cross, seen along the normal.
    if (exact && fa.count == 2 && fb.count == 2) {
      const Vec<3> u = fa.corners[1].at - fa.corners[0].at;
      const Vec<3> w = fb.corners[1].at - fb.corners[0].at;
      const Vec<3> side = cross(w, n);
      const double slope = side.dot(u);
      if (std::abs(slope) > 1e-3 * u.norm() * w.norm()) {
        const Vec<3> from = fb.corners[0].at - fa.corners[0].at;
        const double t = side.dot(from) / slope;
        const double s = cross(u, n).dot(from) / slope;
        if (t >= 0 && t <= 1 && s >= 0 && s <= 1)
          return fa.corners[0].at + t * u + n * (a.radius + 0.5 * nearest.gap);
      }
    }
  }
  const Separation<D> found = separation(a, b);
  return 0.5 * (found.on_a + found.on_b);
}

}  // namespace

template <int D>
Manifold<D> manifold(const Core<D>& a, const Core<D>& b, double margin, double flat,
                     Start<D>* start, Separation<D>* found) {
  Manifold<D> out;
  const Separation<D> nearest = separation_within(a, b, margin, start);
  if (found != nullptr) *found = nearest;
  if (nearest.gap > margin) return out;
  const Vec<D>& n = out.normal = nearest.normal;
  if (nearest.has_points && (a.is_point() || b.is_point())) {
    out.count = 1;
    out.points[0] = {0.5 * (nearest.on_a + nearest.on_b), nearest.gap, kOnePlace};
    return out;
  }
  const double rounding = a.radius + b.radius;

  Feature<D> fa = facing<D>(a, n, flat);
  Feature<D> fb = facing<D>(b, -n, flat);
  const bool a_is_reference = fa.count >= fb.count;
  const Feature<D>& reference = a_is_reference ? fa : fb;
  Feature<D> other = a_is_reference ? fb : fa;

  // A corner has one nearest point, and so have two edges that cross; all else is clipped.
  // A face of a sliver may be level and yet have a sideways normal; then the nearest points are
  // better.
  const bool sideways = reference.count > 2 &&
                        std::abs(reference.face_normal.dot(n)) < 0.5 * reference.face_normal.norm();
  const bool one_point = other.count == 1 || sideways ||
                         (D == 3 && reference.count == 2 && !parallel(reference, other));

  std::array<ContactPoint<D>, kMostCorners> clipped;
  std::size_t count = 0;
  if (!one_point) {
    clip_to(reference, other, n);
    for (std::size_t k = 0; k < other.count; ++k) {
      const Vec<D>& p = other.corners[k].at;
      const Vec<D> q = opposite(reference, p, n);
      const Vec<D> on_a = a_is_reference ? q : p;
      const Vec<D> on_b = a_is_reference ? p : q;
      const double apart = n.dot(on_b - on_a);
      const double gap = apart - rounding;
      if (gap > margin) continue;
      // Edges that are not quite parallel drift apart sideways.
      if (reference.count == 2 && (on_b - on_a - n * apart).norm() > flat) continue;
      const Vec<D> middle = 0.5 * (on_a + on_b + n * (a.radius - b.radius));
      clipped[count++] = {middle, gap,
                          a_is_reference ? other.corners[k].id : other.corners[k].id ^ 1U << 30};
    }
  }
  if (count == 0) {
    clipped[count++] = {one_place(a, b, nearest, fa, fb, sideways), nearest.gap, kOnePlace};
  }
  keep_best<D>(clipped, count, out);
  if (COLVIK_FAULT(1)) out.normal = -out.normal;
  if (COLVIK_FAULT(2)) out.points[0].position[0] = std::numeric_limits<double>::quiet_NaN();
  return out;
}

template Manifold<2> manifold(const Core<2>&, const Core<2>&, double, double, Start<2>*,
                              Separation<2>*);
template Manifold<3> manifold(const Core<3>&, const Core<3>&, double, double, Start<3>*,
                              Separation<3>*);

}  // namespace colvik::contact
