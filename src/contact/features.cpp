#include "contact/features.h"

#include <algorithm>

namespace colvik::contact {
namespace {

// Corners within `flat` of the furthest along `direction`: an axis whose two ends differ by less is
// free.
template <int D>
Feature<D> facing_of_box(const Core<D>& core, const Vec<D>& direction, double flat) {
  std::array<bool, D> free{};
  int free_count = 0;
  int steepest = 0;
  double most = -1;
  Vec<D> corner = core.centre;
  std::uint32_t signs = 0;
  for (int i = 0; i < D; ++i) {
    const double along = direction.dot(core.axis(i));
    const double rise = 2 * core.half[i] * std::abs(along);
    const bool is_free = core.half[i] > 0 && rise <= flat;
    free[i] = is_free;
    free_count += is_free ? 1 : 0;
    if (std::abs(along) > most) {
      most = std::abs(along);
      steepest = i;
    }
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
    const int i = spread[0];
    const int j = spread[1];
    const Vec<D> u = core.axis(i) * core.half[i];
    const Vec<D> w = core.axis(j) * core.half[j];
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
  const std::size_t n = core.points.size();
  const std::size_t top = core.furthest(local);
  const double most = local.dot(core.points[top]);
  const auto near = [&](std::size_t i) { return most - local.dot(core.points[i]) <= flat; };
  const auto add = [&](Feature<D>& f, std::size_t i) {
    f.add(core.placed(core.points[i]), static_cast<std::uint32_t>(i));
  };
  Feature<D> f;
  const std::size_t before = (top + n - 1) % n;
  const std::size_t after = (top + 1) % n;
  if (D == 3 && n == 3 && near(before) && near(after)) {
    for (std::size_t i = 0; i < 3; ++i) add(f, i);
    if constexpr (D == 3)
      f.face_normal = cross(Vec<3>(f.corners[1].at - f.corners[0].at),
                            Vec<3>(f.corners[2].at - f.corners[0].at));
    return f;
  }
  const double down_before = most - local.dot(core.points[before]);
  const double down_after = most - local.dot(core.points[after]);
  // In the order of the points, so that ids do not depend on which is the furthest.
  if (near(after) && (!near(before) || down_after <= down_before)) {
    add(f, top);
    add(f, after);
  } else if (near(before)) {
    add(f, before);
    add(f, top);
  } else add(f, top);
  return f;
}

Feature<3> facing_of_hull(const Core<3>& core, const Vec<3>& direction, double flat) {
  const shapes::Polytope<3>& p = *core.polytope;
  const Vec<3> local = core.turned_back(direction);
  const auto top = static_cast<std::uint32_t>(core.furthest(local));
  const double most = local.dot(core.point(top));
  const auto down = [&](std::uint32_t i) { return most - local.dot(core.point(i)); };
  const auto add = [&](Feature<3>& f, std::uint32_t i) { f.add(core.placed(core.point(i)), i); };
  Feature<3> f;
  const shapes::Laid& laid = p.laid;
  const std::size_t steepest = shapes::furthest(laid.normals(), p.faces.size(), local);
  const std::span loop = laid.loop(laid.ring(steepest));
  if (std::all_of(loop.begin(), loop.end(), [&](std::uint32_t i) { return down(i) <= flat; })) {
    const std::size_t every = (loop.size() + kMostOfFace - 1) / kMostOfFace;
    for (std::size_t k = 0; k < loop.size(); k += every) add(f, loop[k]);
    f.face_normal = core.placed(p.faces[steepest].normal) - core.centre;
    return f;
  }
  const shapes::Spoke* best = nullptr;
  double least = flat;
  for (const shapes::Spoke& s : laid.spokes(top))
    if (const double d = down(s.other); d <= least) {
      least = d;
      best = &s;
    }
  if (best == nullptr) add(f, top);
  else if (best->outward) {
    add(f, top);
    add(f, best->other);
  } else {
    add(f, best->other);
    add(f, top);
  }
  return f;
}

// Of a cylinder or cone: a flat end, a line along its side, a point of the rim, or the tip.
Feature<3> facing_of_round(const Core<3>& core, const Vec<3>& direction, double flat) {
  const Vec<3> local = core.turned_back(direction);
  const double r = core.half.x();
  const double h = core.half.y();
  const double across = std::sqrt(local.x() * local.x() + local.z() * local.z());
  const bool cone = core.kind == CoreKind::cone;
  Feature<3> f;
  if (2 * r * across <= flat && across < 0.5 && !(cone && local.y() > 0)) {
    const double end = local.y() < 0 ? -h : h;
    for (std::uint32_t k = 0; k < 8; ++k) {
      double s = 0;
      double c = 1;
      sine_cosine(k * kPi / 4, s, c);
      f.add(core.placed({r * c, end, r * s}), local.y() < 0 ? k : k + 8);
    }
    f.face_normal = core.axis(1);
    return f;
  }
  const double x = across > 0 ? r * local.x() / across : 0;
  const double z = across > 0 ? r * local.z() / across : 0;
  const Vec<3> foot(x, -h, z);
  const Vec<3> head = cone ? Vec<3>(0, h, 0) : Vec<3>(x, h, z);
  const double low = local.dot(foot);
  const double high = local.dot(head);
  const bool line = std::abs(high - low) <= flat;
  if (line || low > high) f.add(core.placed(foot), 16);
  if (line || high >= low) f.add(core.placed(head), 17);
  return f;
}

template <int D>
void thin_out(std::array<ContactPoint<D>, kMostCorners>& points, std::size_t& count,
              const Vec<D>& normal) {
  constexpr std::size_t kKept = D == 2 ? 2 : 4;
  if (count <= kKept) return;
  std::array<ContactPoint<D>, kKept> kept;
  std::array<bool, kMostCorners> used{};
  const auto pick = [&](std::size_t slot, auto&& score) {
    std::size_t best = count;
    double most = std::numeric_limits<double>::lowest();
    for (std::size_t i = 0; i < count; ++i) {
      if (used[i]) continue;
      const double s = score(points[i]);
      if (s > most) {
        most = s;
        best = i;
      }
    }
    used[best] = true;
    kept[slot] = points[best];
  };
  Vec<D> mean = Vec<D>::Zero();
  for (std::size_t i = 0; i < count; ++i) mean += points[i].position / static_cast<double>(count);
  pick(0, [&](const ContactPoint<D>& p) { return (p.position - mean).squaredNorm(); });
  pick(1, [&](const ContactPoint<D>& p) { return (p.position - kept[0].position).squaredNorm(); });
  if constexpr (D == 3) {
    const auto area =
        [&](const ContactPoint<3>& p) {  // signed, of the triangle kept[0], kept[1], p
          return normal.dot(cross(Vec<3>(kept[1].position - kept[0].position),
                                  Vec<3>(p.position - kept[0].position)));
        };
    pick(2, area);
    pick(3, [&](const ContactPoint<3>& p) { return -area(p); });
  }
  // The outermost hold best, but the deepest must be among them if it is the deepest by far.
  const auto deeper = [](const ContactPoint<D>& x, const ContactPoint<D>& y) {
    return x.gap < y.gap;
  };
  const ContactPoint<D> deepest = *std::min_element(
      points.begin(), points.begin() + static_cast<std::ptrdiff_t>(count), deeper);
  const double span = (kept[1].position - kept[0].position).norm();
  if (deepest.gap < std::min_element(kept.begin(), kept.end(), deeper)->gap - 1e-3 * span)
    *std::min_element(kept.begin(), kept.end(),
                      [&](const ContactPoint<D>& x, const ContactPoint<D>& y) {
                        return (x.position - deepest.position).squaredNorm() <
                               (y.position - deepest.position).squaredNorm();
                      }) = deepest;
  std::copy(kept.begin(), kept.end(), points.begin());
  count = kKept;
}

}  // namespace

template <int D>
Feature<D> facing(const Core<D>& core, const Vec<D>& direction, double flat) {
  if (core.kind == CoreKind::box) return facing_of_box(core, direction, flat);
  if constexpr (D == 3) {
    if (core.polytope != nullptr) return facing_of_hull(core, direction, flat);
    if (core.kind != CoreKind::points) return facing_of_round(core, direction, flat);
  }
  return facing_of_corners(core, direction, flat);
}

std::uint32_t mixed(std::uint32_t first, std::uint32_t second) {
  return ((first + 1) * 0x9e3779b1U ^ (second + 1) * 0x85ebca6bU) | 1U << 31;
}

template <int D>
void clip(Feature<D>& f, const Vec<D>& normal, double offset, std::uint32_t plane) {
  std::array<double, kMostCorners> height;
  bool some_beyond = false;
  for (std::size_t k = 0; k < f.count; ++k) {
    height[k] = normal.dot(f.corners[k].at) - offset;
    some_beyond |= height[k] > 0;
  }
  if (!some_beyond) return;
  const Feature<D> in = f;
  f.count = 0;
  const auto cut = [&](std::size_t i, std::size_t j) {
    const double hi = height[i];
    const double hj = height[j];
    const Vec<D> at = in.corners[i].at + (in.corners[j].at - in.corners[i].at) * (hi / (hi - hj));
    const std::size_t inner = hi <= 0 ? i : j;
    const std::size_t outer = hi <= 0 ? j : i;
    f.add(at, mixed(mixed(in.corners[inner].id, in.corners[outer].id), plane));
  };
  if (in.count == 2) {
    for (std::size_t k = 0; k < 2; ++k) {
      if (height[k] <= 0) f.add(in.corners[k].at, in.corners[k].id);
      else if (height[1 - k] <= 0) cut(k, 1 - k);
    }
  } else if (in.count > 2) {
    for (std::size_t k = 0; k < in.count; ++k) {
      const std::size_t next = k + 1 < in.count ? k + 1 : 0;
      if (height[k] <= 0) f.add(in.corners[k].at, in.corners[k].id);
      if ((height[k] <= 0) != (height[next] <= 0)) cut(k, next);
    }
  }
}

template <int D>
void keep_best(std::array<ContactPoint<D>, kMostCorners>& points, std::size_t count,
               Manifold<D>& out) {
  thin_out<D>(points, count, out.normal);
  out.count = static_cast<int>(count);
  std::copy_n(points.begin(), count, out.points.begin());
}

template Feature<2> facing(const Core<2>&, const Vec<2>&, double);
template Feature<3> facing(const Core<3>&, const Vec<3>&, double);
template void clip(Feature<2>&, const Vec<2>&, double, std::uint32_t);
template void clip(Feature<3>&, const Vec<3>&, double, std::uint32_t);
template void keep_best(std::array<ContactPoint<2>, kMostCorners>&, std::size_t, Manifold<2>&);
template void keep_best(std::array<ContactPoint<3>, kMostCorners>&, std::size_t, Manifold<3>&);

}  // namespace colvik::contact
