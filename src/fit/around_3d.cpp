// Turned boxes and round solids around points in space.
#include <colvik/chance.hpp>

#include "fit/around.h"

namespace colvik::fitting {

Planes planes_of(const Shape<3>& hull) {
  Planes out;
  const auto add_plane = [&](const Vec<3>& normal, const Vec<3>& on) {
    const double offset = normal.dot(on);
    for (const auto& [n, o] : out.planes)
      if (n.dot(normal) > 1 - 1e-12 && std::abs(o - offset) < 1e-9 * (1 + std::abs(o))) return;
    out.planes.emplace_back(normal, offset);
  };
  for (const Edge3& e : edges(hull)) {
    out.corners.push_back(e.from);
    out.corners.push_back(e.to);
    add_plane(e.side_a, e.from);
    add_plane(e.side_b, e.from);
  }
  std::sort(out.corners.begin(), out.corners.end(), [](const Vec<3>& a, const Vec<3>& b) {
    return std::tuple(a.x(), a.y(), a.z()) < std::tuple(b.x(), b.y(), b.z());
  });
  out.corners.erase(std::unique(out.corners.begin(), out.corners.end()), out.corners.end());
  return out;
}

namespace {

// Two directions across one of length one.
std::pair<Vec<3>, Vec<3>> across(const Vec<3>& axis) {
  int least = 0;
  for (int k = 1; k < 3; ++k)
    if (std::abs(axis[k]) < std::abs(axis[least])) least = k;
  const Vec<3> u = cross(axis, Vec<3>(Vec<3>::Unit(least))).normalized();
  return {u, cross(axis, u)};
}

Bounds<3> extents(std::span<const Vec<3>> points, const Rotation<3>& turned) {
  const Rotation<3> back = turned.inverse();
  Bounds<3> b;
  for (const Vec<3>& p : points) b = b.merged(Vec<3>(back * p));
  return b;
}

// The same box with its axes named so that the turn is the smallest.
Rotation<3> least_turn(const Rotation<3>& turned) {
  Rotation<3> best = turned;
  for (int i = 0; i < 3; ++i)
    for (int k = 0; k < 3; ++k)
      for (int signs = 0; signs < 4; ++signs) {
        if (i == k) continue;
        const Vec<3> x = ((signs & 1) != 0 ? -1 : 1) * turned.axis(i);
        const Vec<3> y = ((signs & 2) != 0 ? -1 : 1) * turned.axis(k);
        const Rotation<3> named = Rotation<3>::from_axes(x, y);
        if (std::abs(named.w()) > std::abs(best.w()) + 1e-9) best = named;
      }
  return best;
}

}  // namespace

Around<3> turned_box_around(std::span<const Vec<3>> points, const Shape<3>& hull) {
  const Planes p = planes_of(hull);
  Rotation<3> best;
  double volume = extents(p.corners, best).size().prod();
  for (const auto& [normal, offset] : p.planes) {
    const auto [u, w] = across(normal);
    Loop flat;
    double lo = 1e300;
    double hi = -1e300;
    for (const Vec<3>& c : p.corners) {
      flat.emplace_back(u.dot(c), w.dot(c));
      lo = std::min(lo, normal.dot(c));
      hi = std::max(hi, normal.dot(c));
    }
    const Around<2> base = turned_box_around(hull_of(std::move(flat)));
    if (base.volume * (hi - lo) >= volume * (1 - 1e-9)) continue;
    volume = base.volume * (hi - lo);
    const Vec<2> x = base.collider.turned.axis(0);
    const Vec<3> first = u * x.x() + w * x.y();
    best = Rotation<3>::from_axes(first, cross(normal, first));
  }
  // A box with no face on one of the hull's may be smaller still.
  constexpr int kHalvings = 18;  // from 0.2 radians to a millionth
  double step = 0.2;
  for (int halving = 0; halving < kHalvings; ++halving) {
    for (int axis = 0; axis < 3; ++axis)
      for (const double way : {step, -step}) {
        Rotation<3> turned = best * Rotation<3>(Vec<3>(Vec<3>::Unit(axis)), way);
        turned.normalize();
        const double v = extents(p.corners, turned).size().prod();
        if (v >= volume * (1 - 1e-9)) continue;
        volume = v;
        best = turned;
      }
    step /= 2;
  }
  best = least_turn(best);
  Bounds<3> b = extents(points, best);
  if (const Bounds<3> upright = extents(points, {});
      b.size().prod() > kWorth * upright.size().prod()) {
    best = {};
    b = upright;
  }
  return {{box(b.size().x(), b.size().y(), b.size().z()), best * b.centre(), best},
          b.size().prod()};
}

namespace {

struct Axis {
  Vec<3> along = Vec<3>::Unit(1);
  Vec<3> through = kZero;
};

std::vector<Off> off_axis(std::span<const Vec<3>> points, const Axis& axis) {
  std::vector<Off> off;
  off.reserve(points.size());
  for (const Vec<3>& p : points) {
    const Vec<3> d = p - axis.through;
    const double along = d.dot(axis.along);
    off.push_back({along, std::sqrt(std::max(0.0, d.squaredNorm() - along * along))});
  }
  return off;
}

// The axis along a direction through the middle of what is seen along it.
Axis middle_axis(std::span<const Vec<3>> points, const Vec<3>& along) {
  const auto [u, w] = across(along);
  Loop flat;
  for (const Vec<3>& p : points) flat.emplace_back(u.dot(p), w.dot(p));
  const Ball<2> ball = ball_around<2>(hull_of(std::move(flat)));
  return {along, u * ball.centre.x() + w * ball.centre.y()};
}

// The axis with the least volume: some directions, the best one refined.
template <class Volume>
Axis best_axis(std::span<const Vec<3>> points, const Shape<3>& hull, bool both_ways,
               Volume&& volume_of) {
  const Planes p = planes_of(hull);
  const Around<3> around = turned_box_around(p.corners, hull);
  std::vector<Vec<3>> ways{Vec<3>::Unit(1), Vec<3>::Unit(0), Vec<3>::Unit(2)};
  for (int k = 0; k < 3; ++k) ways.push_back(around.collider.turned.axis(k));
  const std::size_t every = 1 + p.planes.size() / 48;
  for (std::size_t i = 0; i < p.planes.size(); i += every) ways.push_back(p.planes[i].first);
  if (both_ways)
    for (std::size_t i = 0, n = ways.size(); i < n; ++i) ways.emplace_back(-ways[i]);
  Axis best;
  double least = 1e300;
  const auto attempt = [&](const Axis& axis) {
    const double v = volume_of(off_axis(p.corners, axis));
    if (!(v < least * (1 - 1e-9))) return false;
    least = v;
    best = axis;
    return true;
  };
  Axis upright;
  for (std::size_t i = 0; i < ways.size(); ++i) {
    (void)attempt(middle_axis(p.corners, ways[i]));
    if (i == 2) upright = middle_axis(points, best.along);
  }
  const double size = around.collider.shape.core.maxCoeff();
  for (double step = 0.2; step > 1e-5;) {
    const auto [u, w] = across(best.along);
    bool better = false;
    for (const Vec<3>& aside : {u, Vec<3>(-u), w, Vec<3>(-w)}) {
      const Vec<3> tilted = (best.along + step * aside).normalized();
      better = attempt(middle_axis(p.corners, tilted)) || better;
      better = attempt({best.along, best.through + step * size * aside}) || better;
    }
    if (!better) step /= 2;
  }
  const auto whole = [&](const Axis& axis) { return volume_of(off_axis(points, axis)); };
  return whole(best) > kWorth * whole(upright) ? upright : best;
}

Placed<3> placed_along(const Shape<3>& shape, const Axis& axis, double middle) {
  const Vec<3> up = Vec<3>::Unit(1);
  const Vec<3> about = cross(up, axis.along);
  Rotation<3> turned;
  if (about.norm() > 1e-12) turned = Rotation<3>(about, angle_of(about.norm(), up.dot(axis.along)));
  else if (axis.along.y() < 0) turned = Rotation<3>(Vec<3>(Vec<3>::Unit(0)), kPi);
  return {shape, axis.through + middle * axis.along, turned};
}

// Upright rather than upside down.
Axis upward(Axis axis) {
  for (const int k : {1, 0, 2}) {
    if (std::abs(axis.along[k]) < 1e-9) continue;
    if (axis.along[k] < 0) axis.along = -axis.along;
    break;
  }
  return axis;
}

struct Drum {
  double radius = 0;
  double from = 1e300;
  double to = -1e300;
};
Drum drum_around(const std::vector<Off>& points) {
  Drum d;
  for (const Off& p : points) {
    d.radius = std::max(d.radius, p.away);
    d.from = std::min(d.from, p.along);
    d.to = std::max(d.to, p.along);
  }
  return d;
}

struct Tip {
  double radius = 0;
  double from = 0;
  double height = 0;
  [[nodiscard]] double volume() const { return kPi / 3 * radius * radius * height; }
};
Tip tip_around(const std::vector<Off>& points) {
  double from = 1e300;
  for (const Off& p : points) from = std::min(from, p.along);
  const auto of = [&](double slope) {
    Tip t{0, from, 0};
    for (const Off& p : points) t.radius = std::max(t.radius, p.away + slope * (p.along - from));
    t.height = t.radius / slope;
    return t;
  };
  double best = 0.02;
  const auto attempt = [&](double slope) {
    if (of(slope).volume() < of(best).volume()) best = slope;
  };
  double slope = best;
  while (slope < 50) attempt(slope *= 1.1);
  double by = 0.05;
  while (by > 1e-7) {
    const double middle = best;
    attempt(middle * (1 + by));
    attempt(middle / (1 + by));
    by /= 2;
  }
  return of(best);
}

double pill_volume(double radius, double length) {
  return kPi * radius * radius * (length + 4.0 / 3 * radius);
}

}  // namespace

Around<3> capsule_around(std::span<const Vec<3>> points, const Shape<3>& hull) {
  const Axis axis = upward(best_axis(points, hull, false, [](const std::vector<Off>& off) {
    const Pill pill = pill_around(off, pill_volume);
    return pill_volume(pill.radius, pill.to - pill.from);
  }));
  const Pill pill = pill_around(off_axis(points, axis), pill_volume);
  const double length = pill.to - pill.from;
  return {placed_along(capsule<3>(2 * pill.radius, length + 2 * pill.radius), axis,
                       0.5 * (pill.from + pill.to)),
          pill_volume(pill.radius, length)};
}

Around<3> cylinder_around(std::span<const Vec<3>> points, const Shape<3>& hull) {
  const auto volume = [](const Drum& d) { return kPi * d.radius * d.radius * (d.to - d.from); };
  const Axis axis = upward(best_axis(
      points, hull, false, [&](const std::vector<Off>& off) { return volume(drum_around(off)); }));
  const Drum d = drum_around(off_axis(points, axis));
  return {placed_along(cylinder(2 * d.radius, d.to - d.from), axis, 0.5 * (d.from + d.to)),
          volume(d)};
}

Around<3> cone_around(std::span<const Vec<3>> points, const Shape<3>& hull) {
  const Axis axis = best_axis(points, hull, true,
                              [](const std::vector<Off>& off) { return tip_around(off).volume(); });
  const Tip t = tip_around(off_axis(points, axis));
  return {placed_along(cone(2 * t.radius, t.height), axis, t.from + 0.5 * t.height), t.volume()};
}

}  // namespace colvik::fitting
