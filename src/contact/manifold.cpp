#include "contact/manifold.h"

#include "contact/distance.h"

#include <algorithm>

namespace colvik::contact {
namespace {

constexpr std::size_t kMostOfFace = 12;  // corners of a face that take part; of more, some are passed over
constexpr std::size_t kMostCorners = 2 * kMostOfFace;  // a face clipped by as many sides

template <int D>
struct Corner {
  Vec<D> at;
  std::uint32_t id = 0;
};

// The corner, edge or face of a core that faces a direction.
template <int D>
struct Feature {
  std::size_t count = 0;
  std::array<Corner<D>, kMostCorners> corners;
  Vec<D> face_normal = Vec<D>::Zero();  // of a face in 3D

  void add(const Vec<D>& at, std::uint32_t id) {
    if (count < kMostCorners) corners[count++] = {at, id};
  }
};

// Corners within `flat` of the furthest along `direction`: an axis whose two ends differ by less is free.
template <int D>
Feature<D> facing_of_box(const Core<D>& core, const Vec<D>& direction, double flat) {
  std::array<bool, D> free{};
  int free_count = 0, steepest = 0;
  double most = -1;
  Vec<D> corner = core.centre;
  std::uint32_t signs = 0;
  for (int i = 0; i < D; ++i) {
    const double along = direction.dot(core.axis(i));
    const double rise = 2 * core.half[i] * std::abs(along);
    const bool is_free = core.half[i] > 0 && rise <= flat;
    free[i] = is_free;
    free_count += is_free ? 1 : 0;
    if (std::abs(along) > most) most = std::abs(along), steepest = i;
  }
  if (free_count == D) free[steepest] = false;  // smaller than `flat`
  std::array<int, D> spread{};
  int spread_count = 0;
  for (int i = 0; i < D; ++i) {
    if (free[i]) {
      spread[spread_count++] = i;
      continue;
    }
    const bool up = direction.dot(core.axis(i)) >= 0;
    corner += core.axis(i) * (up ? core.half[i] : -core.half[i]);
    if (up) signs |= 1U << i;
  }
  Feature<D> f;
  if (spread_count == 0) {
    f.add(corner, signs);
  } else if (spread_count == 1) {
    const int i = spread[0];
    f.add(corner - core.axis(i) * core.half[i], signs);
    f.add(corner + core.axis(i) * core.half[i], signs | 1U << i);
  } else {
    const int i = spread[0], j = spread[1];
    const Vec<D> u = core.axis(i) * core.half[i], w = core.axis(j) * core.half[j];
    f.add(corner - u - w, signs);
    f.add(corner + u - w, signs | 1U << i);
    f.add(corner + u + w, signs | 1U << i | 1U << j);
    f.add(corner - u + w, signs | 1U << j);
    if constexpr (D == 3) f.face_normal = core.axis(3 - i - j);
  }
  return f;
}

// Of a polygon, segment or triangle: two neighbours, all three, or one.
template <int D>
Feature<D> facing_of_corners(const Core<D>& core, const Vec<D>& direction, double flat) {
  const Vec<D> local = core.turned_back(direction);
  const std::size_t n = core.points.size(), top = core.furthest(local);
  const double most = local.dot(core.points[top]);
  const auto near = [&](std::size_t i) { return most - local.dot(core.points[i]) <= flat; };
  const auto add = [&](Feature<D>& f, std::size_t i) {
    f.add(core.placed(core.points[i]), static_cast<std::uint32_t>(i));
  };
  Feature<D> f;
  const std::size_t before = (top + n - 1) % n, after = (top + 1) % n;
  if (D == 3 && n == 3 && near(before) && near(after)) {
    for (std::size_t i = 0; i < 3; ++i) add(f, i);
    if constexpr (D == 3)
      f.face_normal = cross(Vec<3>(f.corners[1].at - f.corners[0].at), Vec<3>(f.corners[2].at - f.corners[0].at));
    return f;
  }
  const double down_before = most - local.dot(core.points[before]), down_after = most - local.dot(core.points[after]);
  // In the order of the points, so that ids do not depend on which is the furthest.
  if (near(after) && (!near(before) || down_after <= down_before)) add(f, top), add(f, after);
  else if (near(before)) add(f, before), add(f, top);
  else add(f, top);
  return f;
}

Feature<3> facing_of_hull(const Core<3>& core, const Vec<3>& direction, double flat) {
  const shapes::Polytope<3>& p = *core.polytope;
  const Vec<3> local = core.turned_back(direction);
  const std::size_t top = core.furthest(local);
  const double most = local.dot(p.points[top]);
  const auto down = [&](std::uint32_t i) { return most - local.dot(p.points[i]); };
  Feature<3> f;
  const shapes::HullFace* steepest = &p.faces[0];
  for (const shapes::HullFace& face : p.faces)
    if (local.dot(face.normal) > local.dot(steepest->normal)) steepest = &face;
  bool level = true;
  for (std::uint32_t k = 0; k < steepest->count && level; ++k) level = down(p.loops[steepest->first + k]) <= flat;
  if (level) {
    constexpr auto most_corners = static_cast<std::uint32_t>(kMostOfFace);
    const std::uint32_t every = (steepest->count + most_corners - 1) / most_corners;
    for (std::uint32_t k = 0; k < steepest->count; k += every) {
      const std::uint32_t i = p.loops[steepest->first + k];
      f.add(core.placed(p.points[i]), i);
    }
    f.face_normal = core.placed(steepest->normal) - core.centre;
    return f;
  }
  const shapes::HullEdge* best = nullptr;
  double least = flat;
  for (const shapes::HullEdge& e : p.edges)
    if (const double d = std::max(down(e.from), down(e.to)); d <= least) least = d, best = &e;
  if (best != nullptr) {
    f.add(core.placed(p.points[best->from]), best->from);
    f.add(core.placed(p.points[best->to]), best->to);
  } else {
    f.add(core.placed(p.points[top]), static_cast<std::uint32_t>(top));
  }
  return f;
}

// Of a cylinder or cone: a flat end, a line along its side, a point of the rim, or the tip.
Feature<3> facing_of_round(const Core<3>& core, const Vec<3>& direction, double flat) {
  const Vec<3> local = core.turned_back(direction);
  const double r = core.half.x(), h = core.half.y(), across = std::sqrt(local.x() * local.x() + local.z() * local.z());
  const bool cone = core.kind == CoreKind::cone;
  Feature<3> f;
  if (2 * r * across <= flat && across < 0.5 && !(cone && local.y() > 0)) {
    const double end = local.y() < 0 ? -h : h;
    for (std::uint32_t k = 0; k < 8; ++k) {
      double s = 0, c = 1;
      sine_cosine(k * kPi / 4, s, c);
      f.add(core.placed({r * c, end, r * s}), local.y() < 0 ? k : k + 8);
    }
    f.face_normal = core.axis(1);
    return f;
  }
  const double x = across > 0 ? r * local.x() / across : 0, z = across > 0 ? r * local.z() / across : 0;
  const Vec<3> foot(x, -h, z), head = cone ? Vec<3>(0, h, 0) : Vec<3>(x, h, z);
  const double low = local.dot(foot), high = local.dot(head);
  const bool line = std::abs(high - low) <= flat;
  if (line || low > high) f.add(core.placed(foot), 16);
  if (line || high >= low) f.add(core.placed(head), 17);
  return f;
}

template <int D>
Feature<D> facing(const Core<D>& core, const Vec<D>& direction, double flat) {
  if (core.kind == CoreKind::box) return facing_of_box(core, direction, flat);
  if constexpr (D == 3) {
    if (core.polytope != nullptr) return facing_of_hull(core, direction, flat);
    if (core.kind != CoreKind::points) return facing_of_round(core, direction, flat);
  }
  return facing_of_corners(core, direction, flat);
}

// A new id from two others; such ids are told from those of corners, which are small.
std::uint32_t mixed(std::uint32_t first, std::uint32_t second) {
  return ((first + 1) * 0x9e3779b1U ^ (second + 1) * 0x85ebca6bU) | 1U << 31;
}

// Cuts away what lies beyond the plane normal.x = offset. A cut corner is named after the edge cut
// (from inside to outside) and the plane that cut it.
template <int D>
void clip(Feature<D>& f, const Vec<D>& normal, double offset, std::uint32_t plane) {
  const Feature<D> in = f;
  f.count = 0;
  const auto height = [&](std::size_t k) { return normal.dot(in.corners[k].at) - offset; };
  const auto cut = [&](std::size_t i, std::size_t j) {
    const double hi = height(i), hj = height(j);
    const Vec<D> at = in.corners[i].at + (in.corners[j].at - in.corners[i].at) * (hi / (hi - hj));
    const std::size_t inner = hi <= 0 ? i : j, outer = hi <= 0 ? j : i;
    f.add(at, mixed(mixed(in.corners[inner].id, in.corners[outer].id), plane));
  };
  if (in.count == 1) {
    if (height(0) <= 0) f = in;
  } else if (in.count == 2) {
    for (std::size_t k = 0; k < 2; ++k) {
      if (height(k) <= 0) f.add(in.corners[k].at, in.corners[k].id);
      else if (height(1 - k) <= 0) cut(k, 1 - k);
    }
  } else {
    for (std::size_t k = 0; k < in.count; ++k) {
      const std::size_t next = (k + 1) % in.count;
      if (height(k) <= 0) f.add(in.corners[k].at, in.corners[k].id);
      if ((height(k) <= 0) != (height(next) <= 0)) cut(k, next);
    }
  }
}

// The part of `v` that lies across the normal.
template <int D>
Vec<D> across(const Vec<D>& v, const Vec<D>& normal) {
  return v - normal * normal.dot(v);
}

// Keeps of `other` what faces `reference` along the normal: inside its sides, or between its two ends.
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

// Four of many points: the deepest, the one furthest from it, and the two that add most area.
void keep_four(std::array<ContactPoint<3>, kMostCorners>& points, std::size_t& count, const Vec<3>& normal) {
  if (count <= 4) return;
  std::array<ContactPoint<3>, 4> kept;
  std::array<bool, kMostCorners> used{};
  const auto pick = [&](std::size_t slot, auto&& score) {
    std::size_t best = count;
    double most = std::numeric_limits<double>::lowest();
    for (std::size_t i = 0; i < count; ++i) {
      if (used[i]) continue;
      const double s = score(points[i]);
      if (s > most) most = s, best = i;
    }
    used[best] = true;
    kept[slot] = points[best];
  };
  const auto area = [&](const ContactPoint<3>& p) {  // signed, of the triangle kept[0], kept[1], p
    return normal.dot(cross(Vec<3>(kept[1].position - kept[0].position), Vec<3>(p.position - kept[0].position)));
  };
  pick(0, [](const ContactPoint<3>& p) { return -p.gap; });
  pick(1, [&](const ContactPoint<3>& p) { return (p.position - kept[0].position).squaredNorm(); });
  pick(2, area);
  pick(3, [&](const ContactPoint<3>& p) { return -area(p); });
  std::copy(kept.begin(), kept.end(), points.begin());
  count = 4;
}

}  // namespace

template <int D>
Manifold<D> manifold(const Core<D>& a, const Core<D>& b, double margin, double flat) {
  Manifold<D> out;
  const Separation<D> nearest = separation(a, b);
  if (nearest.gap > margin) return out;
  const Vec<D>& n = out.normal = nearest.normal;
  const double rounding = a.radius + b.radius;

  Feature<D> fa = facing<D>(a, n, flat);
  Feature<D> fb = facing<D>(b, -n, flat);
  const bool a_is_reference = fa.count >= fb.count;
  const Feature<D>& reference = a_is_reference ? fa : fb;
  Feature<D> other = a_is_reference ? fb : fa;

  // A corner has one nearest point, and so have two edges that cross; all else is clipped.
  // A face of a sliver may be level and yet look sideways; then too the nearest points do better.
  const bool sideways =
      reference.count > 2 && std::abs(reference.face_normal.dot(n)) < 0.5 * reference.face_normal.norm();
  const bool one_point =
      other.count == 1 || sideways || (D == 3 && reference.count == 2 && !parallel(reference, other));

  std::array<ContactPoint<D>, kMostCorners> found;
  std::size_t count = 0;
  if (!one_point) {
    clip_to(reference, other, n);
    for (std::size_t k = 0; k < other.count; ++k) {
      const Vec<D>& p = other.corners[k].at;
      const Vec<D> q = opposite(reference, p, n);
      const Vec<D> on_a = a_is_reference ? q : p, on_b = a_is_reference ? p : q;
      const double apart = n.dot(on_b - on_a), gap = apart - rounding;
      if (gap > margin) continue;
      // Edges that are not quite parallel drift apart sideways.
      if (reference.count == 2 && (on_b - on_a - n * apart).norm() > flat) continue;
      const Vec<D> middle = 0.5 * (on_a + on_b + n * (a.radius - b.radius));
      found[count++] = {middle, gap, a_is_reference ? other.corners[k].id : other.corners[k].id ^ 1U << 30};
    }
  }
  if (count == 0) {
    // The surfaces meet at one place.
    const Vec<D> middle = 0.5 * (nearest.on_a + nearest.on_b);
    found[count++] = {middle, nearest.gap, 1U << 29};
  }
  if constexpr (D == 3) keep_four(found, count, n);
  out.count = static_cast<int>(std::min<std::size_t>(count, kMostPoints<D>));
  std::copy_n(found.begin(), out.count, out.points.begin());
  return out;
}

template Manifold<2> manifold(const Core<2>&, const Core<2>&, double, double);
template Manifold<3> manifold(const Core<3>&, const Core<3>&, double, double);

}  // namespace colvik::contact
