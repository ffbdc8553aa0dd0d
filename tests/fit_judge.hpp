#pragma once
// Judges of fits that share no code with them, and the art that tests fit.
#include <colvik/fit.hpp>

#pragma GCC diagnostic push
#ifndef __clang__
#pragma GCC diagnostic ignored "-Wmaybe-uninitialized"
#endif
#include <boost/geometry/algorithms/area.hpp>
#include <boost/geometry/algorithms/convex_hull.hpp>
#include <boost/geometry/geometries/multi_point.hpp>
#include <boost/geometry/geometries/point_xy.hpp>
#include <boost/geometry/geometries/polygon.hpp>
#include <boost/geometry/strategies/strategies.hpp>
#pragma GCC diagnostic pop

#include <algorithm>

#include "random.hpp"
#include "support.hpp"

namespace colvik::fit_judge {

using test::Random;

inline constexpr double kNoNumber = std::numeric_limits<double>::quiet_NaN();
using Loop = std::vector<Vec<2>>;

// The convex hull of points by Boost.Geometry, and its area.
inline std::pair<Loop, double> hull_of(const Loop& points) {
  namespace bg = boost::geometry;
  using Point = bg::model::d2::point_xy<double>;
  bg::model::multi_point<Point> cloud;
  for (const Vec<2>& p : points) cloud.push_back(Point(p.x(), p.y()));
  bg::model::polygon<Point> hull;
  bg::convex_hull(cloud, hull);
  Loop loop;
  for (const Point& p : hull.outer()) loop.emplace_back(p.x(), p.y());
  return {loop, static_cast<double>(bg::area(hull))};
}

inline bool in_loop(const Loop& loop, const Vec<2>& p) {
  bool in = false;
  for (std::size_t i = 0, k = loop.size() - 1; i < loop.size(); k = i++)
    if ((loop[i].y() > p.y()) != (loop[k].y() > p.y()) &&
        p.x() < loop[i].x() + (p.y() - loop[i].y()) * (loop[k].x() - loop[i].x()) /
                                  (loop[k].y() - loop[i].y()))
      in = !in;
  return in;
}
inline double to_loop(const Loop& loop, const Vec<2>& p) {
  double least = 1e300;
  for (std::size_t i = 0, k = loop.size() - 1; i < loop.size(); k = i++) {
    const Vec<2> along = loop[i] - loop[k];
    const double square = along.squaredNorm();
    const double t = square > 0 ? std::clamp((p - loop[k]).dot(along) / square, 0.0, 1.0) : 0.0;
    least = std::min(least, (loop[k] + t * along - p).norm());
  }
  return least;
}

// The judge's own picture of art (what an odd number of loops goes around) and of a collider (what
// any loop does).
struct Area {
  std::vector<Loop> loops;
  bool odd = false;
  [[nodiscard]] bool has(const Vec<2>& p) const {
    int count = 0;
    for (const Loop& loop : loops) count += in_loop(loop, p) ? 1 : 0;
    return odd ? count % 2 == 1 : count > 0;
  }
  [[nodiscard]] Bounds<2> box() const {
    Bounds<2> b;
    for (const Loop& loop : loops)
      for (const Vec<2>& p : loop) b = b.merged(p);
    return b;
  }
};
inline Area area_of_art(const Art<2>& art) { return {art.loops, true}; }

// Round ends as many short chords.
inline Loop grown(const Loop& convex, double radius) {
  if (radius <= 0) return convex;
  Loop out;
  for (const Vec<2>& p : convex)
    for (int i = 0; i < 720; ++i) out.push_back(p + radius * Rotation<2>(kPi * i / 360).axis(0));
  return hull_of(out).first;
}
inline Loop core(const Shape<2>& s) {
  if (s.kind == ShapeKind::ball) return {Vec<2>(0.0, 0.0)};
  if (s.kind == ShapeKind::capsule) return {Vec<2>(0, s.core.y()), Vec<2>(0, -s.core.y())};
  Shape<2> sharp = s;
  sharp.radius = 0;
  return outlines(sharp).front();
}
inline Area area_of_collider(const Placed<2>& c) {
  Area out;
  const auto add = [&](const Loop& loop, double radius, const Pose<2>& at) {
    Loop placed;
    for (const Vec<2>& p : loop) placed.push_back(at * p);
    out.loops.push_back(grown(placed, radius));
  };
  const Pose<2> own{c.at, c.turned};
  if (is_convex(c.shape)) add(core(c.shape), c.shape.radius, own);
  else if (c.shape.kind == ShapeKind::compound)
    for (const Placed<2>& child : convex_children(c.shape))
      add(core(child.shape), child.shape.radius, own * Pose<2>{child.at, child.turned});
  else
    for (const Loop& loop : fills(c.shape)) add(loop, 0, own);
  return out;
}
inline double outside_of(const Area& area, const Vec<2>& p) {
  if (area.has(p)) return 0;
  double least = 1e300;
  for (const Loop& loop : area.loops) least = std::min(least, to_loop(loop, p));
  return least;
}
inline std::vector<Vec<2>> boundary(const Area& area) {
  std::vector<Vec<2>> out;
  double around = 0;
  const auto sides = [&](auto&& visit) {
    for (const Loop& loop : area.loops)
      for (std::size_t i = 0; i < loop.size(); ++i) visit(loop[i], loop[(i + 1) % loop.size()]);
  };
  sides([&](const Vec<2>& a, const Vec<2>& b) { around += (b - a).norm(); });
  sides([&](const Vec<2>& a, const Vec<2>& b) {
    const int parts = 1 + static_cast<int>((b - a).norm() / around * 600);
    for (int k = 0; k < parts; ++k) out.emplace_back(a + k * (b - a) / parts);
  });
  return out;
}
// Visits points of a grid over bounds.
template <class Visit>
void on_grid(const Bounds<2>& box, int along, Visit&& visit) {
  for (int y = 0; y < along; ++y)
    for (int x = 0; x < along; ++x)
      visit(Vec<2>(box.lo + Vec<2>((x + 0.5) / along, (y + 0.5) / along).cwiseProduct(box.size())));
}
// Of all points of an area, inside too.
inline double furthest(const Area& from, const Area& to) {
  double most = 0;
  for (const Vec<2>& p : boundary(from)) most = std::max(most, outside_of(to, p));
  on_grid(from.box(), 60, [&](const Vec<2>& p) {
    if (from.has(p)) most = std::max(most, outside_of(to, p));
  });
  return most;
}

// A star with random reaches, perhaps with a hole: concave, never crossing itself.
inline Art<2> star(Random& random, bool hole) {
  const int n = 5 + random.below(20);
  const double size = std::exp2(random.range(-3, 6));
  const Vec<2> at = random.vec<2>(20);
  Art<2> art;
  art.loops.emplace_back();
  for (int i = 0; i < n; ++i) {  // one after the other, the same with every compiler
    const double reach = size * random.range(0.5, 1);
    const double turn = 2 * kPi * (i + random.range(0, 0.6)) / n;
    art.loops[0].push_back(at + reach * Rotation<2>(turn).axis(0));
  }
  if (hole) {
    art.loops.emplace_back();
    for (int i = 0; i < 6; ++i)
      art.loops[1].push_back(at + size * random.range(0.1, 0.25) *
                                      Rotation<2>(-2 * kPi * i / 6).axis(0));
  }
  return art;
}

inline Pixels picture(int width, int height, const std::function<bool(int, int)>& in) {
  Pixels p{width, height, {}};
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x)
      for (const int c : {40, 80, 120, in(x, y) ? 255 : 0})
        p.bytes.push_back(static_cast<std::uint8_t>(c));
  return p;
}

// A closed box with a box-shaped notch in its top: concave, its volume known.
inline Art<3> notched(const Vec<3>& size, double notch) {
  const double w = size.x() / 2;
  const double h = size.y();
  const Loop outline{{-w, 0.0},           {w, 0.0},    {w, h}, {w / 2, h}, {w / 2, h - notch},
                     {-w / 2, h - notch}, {-w / 2, h}, {-w, h}};
  const std::vector<std::array<std::uint32_t, 3>> ears{{0, 5, 7}, {7, 5, 6}, {0, 1, 4},
                                                       {0, 4, 5}, {1, 2, 4}, {2, 3, 4}};
  Art<3> art;
  for (const double z : {-size.z() / 2, size.z() / 2})
    for (const Vec<2>& p : outline) art.points.emplace_back(p.x(), p.y(), z);
  for (const auto& [a, b, c] : ears) {
    art.triangles.push_back({a, c, b});
    art.triangles.push_back({a + 8, b + 8, c + 8});
  }
  for (std::uint32_t i = 0; i < 8; ++i) {
    const std::uint32_t k = (i + 1) % 8;
    art.triangles.push_back({i, k, k + 8});
    art.triangles.push_back({i, k + 8, i + 8});
  }
  return art;
}
inline Art<3> moved(Art<3> art, const Pose<3>& pose, double scale) {
  for (Vec<3>& p : art.points) p = pose * Vec<3>(scale * p);
  return art;
}
inline Shape<3> point3() { return Shape<3>{}; }
inline double outside_of(const Placed<3>& c, const Vec<3>& p) {
  return gap_between(point3(), {p, {}}, c.shape, Pose<3>{c.at, c.turned}, 1e9);
}

}  // namespace colvik::fit_judge
