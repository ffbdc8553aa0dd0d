// Segments and convex polygons.
#include <fmt/format.h>

#include <algorithm>

#include "shapes/polytope.h"
#include "shapes/shapes.h"

namespace colvik {
namespace shapes {

template <int D>
Shape<D> of_corners(ShapeKind kind, Polytope<D> polytope) {
  Bounds<D> box;
  for (const Vec<D>& p : polytope.points) box = box.merged(p);
  Shape<D> s = within(kind, box);
  polytope.laid.lay(polytope);
  s.corners = std::make_shared<const Polytope<D>>(std::move(polytope));
  return s;
}
template Shape<2> of_corners(ShapeKind, Polytope<2>);
template Shape<3> of_corners(ShapeKind, Polytope<3>);

template <int D>
Result<Bounds<D>> checked_points(std::string_view what, std::string_view point,
                                 std::span<const Vec<D>> points) {
  Bounds<D> box;
  for (std::size_t i = 0; i < points.size(); ++i) {
    if (!points[i].allFinite())
      return Error{fmt::format("{} {} {}", what, point, i + 1),
                   D == 2 ? fmt::format("({}, {}) is not finite", points[i][0], points[i][1])
                          : fmt::format("({}, {}, {}) is not finite", points[i][0], points[i][1],
                                        points[i][D - 1]),
                   "finite coordinates"};
    box = box.merged(points[i]);
  }
  return box;
}
template Result<Bounds<2>> checked_points(std::string_view, std::string_view,
                                          std::span<const Vec<2>>);
template Result<Bounds<3>> checked_points(std::string_view, std::string_view,
                                          std::span<const Vec<3>>);

std::vector<Vec<2>> convex_corners(std::vector<Vec<2>> points, double tolerance) {
  std::sort(points.begin(), points.end(), [](const Vec<2>& a, const Vec<2>& b) {
    return std::pair(a.x(), a.y()) < std::pair(b.x(), b.y());
  });
  points.erase(
      std::unique(points.begin(), points.end(),
                  [&](const Vec<2>& a, const Vec<2>& b) { return (a - b).norm() <= tolerance; }),
      points.end());
  if (points.size() < 3) return points;
  std::vector<Vec<2>> hull;
  const auto chain = [&](auto first, auto last) {
    const std::size_t base = hull.size();
    for (auto it = first; it != last; ++it) {
      const auto bends_left = [&] {
        const Vec<2>& a = hull[hull.size() - 2];
        const Vec<2> along = *it - a;
        return torque(Vec<2>(hull.back() - a), along)[0] > tolerance * along.norm();
      };
      while (hull.size() >= base + 2 && !bends_left()) hull.pop_back();
      hull.push_back(*it);
    }
    hull.pop_back();  // the first of the other chain
  };
  chain(points.begin(), points.end());
  chain(points.rbegin(), points.rend());
  return hull;
}

}  // namespace shapes

template <int D>
Result<Shape<D>> segment(const Vec<D>& from, const Vec<D>& to) {
  const std::array<Vec<D>, 2> ends{from, to};
  if (const auto box = shapes::checked_points<D>("segment", "end", ends); !box) return box.error();
  if (from == to) return Error{"segment", "both ends are the same point", "two different points"};
  shapes::Polytope<D> p;
  p.points = {from, to};
  return shapes::of_corners(ShapeKind::segment, std::move(p));
}
template Result<Shape<2>> segment(const Vec<2>&, const Vec<2>&);
template Result<Shape<3>> segment(const Vec<3>&, const Vec<3>&);

Result<Shape<2>> polygon(std::span<const Vec<2>> corners, Mended* mended) {
  const auto box = shapes::checked_points<2>("polygon", "corner", corners);
  if (!box) return box.error();
  const auto report = [&](std::string_view text) {
    if (mended != nullptr) mended->emplace_back(text);
  };
  const auto place = [&](std::size_t i) { return fmt::format("polygon corner {}", i + 1); };
  if (corners.size() < 3)
    return Error{"polygon", fmt::format("has {} corners", corners.size()),
                 fmt::format("3 to {} corners", shapes::kMostCornersOfPolygon)};
  const double size = box.value().size().norm();
  const double tolerance = 1e-9 * size;

  std::vector<std::size_t> kept;
  for (std::size_t i = 0; i < corners.size(); ++i) {
    const bool first = kept.empty();
    const bool closing = i + 1 == corners.size() && !first;
    if (!first && (corners[i] - corners[kept.back()]).norm() <= tolerance)
      report(fmt::format("corner {} repeats corner {} and was left out", i + 1, kept.back() + 1));
    else if (closing && (corners[i] - corners[kept.front()]).norm() <= tolerance)
      report(fmt::format("corner {} repeats corner {} and was left out", i + 1, kept.front() + 1));
    else kept.push_back(i);
  }
  double area = 0;
  for (std::size_t k = 0; k < kept.size(); ++k)
    area += 0.5 * torque(Vec<2>(corners[kept[k]] - corners[0]),
                         Vec<2>(corners[kept[(k + 1) % kept.size()]] - corners[0]))[0];
  if (kept.size() < 3 || std::abs(area) <= tolerance * size)
    return Error{"polygon", "all corners lie on a line", "corners around an area"};
  if (area < 0) {
    report("the corners ran clockwise and were turned round");
    std::reverse(kept.begin(), kept.end());
  }
  // Each corner must bend left, or not at all; and all of them together once around.
  const auto at = [&](std::size_t k) -> const Vec<2>& { return corners[kept[k % kept.size()]]; };
  std::vector<Vec<2>> used;
  double turned = 0;
  for (std::size_t k = 0; k < kept.size(); ++k) {
    const Vec<2> in = at(k) - at(k + kept.size() - 1);
    const Vec<2> out = at(k + 1) - at(k);
    const double bend = torque(in, out)[0];
    const double height = bend / (in + out).norm();
    turned += angle_of(bend, in.dot(out));
    if (height < -tolerance || (std::abs(height) <= tolerance && in.dot(out) < 0))
      return Error{place(kept[k]), "bends inward", "a convex polygon; 'outline' takes any shape"};
    if (height <= tolerance)
      report(fmt::format("corner {} lies on a side and was left out", kept[k] + 1));
    else used.push_back(at(k));
  }
  if (turned > 3 * kPi)
    return Error{"polygon", "its sides cross each other", "corners in order, once around"};
  if (used.size() > shapes::kMostCornersOfPolygon)
    return Error{"polygon", fmt::format("has {} corners", used.size()),
                 fmt::format("3 to {} corners", shapes::kMostCornersOfPolygon)};
  shapes::Polytope<2> p;
  p.points = std::move(used);
  return shapes::of_corners(ShapeKind::polygon, std::move(p));
}

Result<Shape<3>> hull(std::span<const Vec<3>> cloud, std::size_t budget) {
  const auto box = shapes::checked_points<3>("hull", "point", cloud);
  if (!box) return box.error();
  if (budget < 4 || budget > shapes::kMostCornersOfHull)
    return Error{"hull", fmt::format("a budget of {} corners", budget),
                 fmt::format("4 to {}", shapes::kMostCornersOfHull)};
  if (cloud.size() < 4)
    return Error{"hull", fmt::format("has {} points", cloud.size()), "at least 4 points"};
  auto p = shapes::convex_hull(cloud, budget, 1e-9 * box.value().size().norm());
  if (!p) return Error{"hull", "all points lie in a plane", "points around a volume"};
  return shapes::of_corners(ShapeKind::hull, std::move(*p));
}

Result<Shape<3>> slabs(std::span<const Vec<3>> cloud, int directions) {
  if (directions != 3 && directions != 7 && directions != 13)
    return Error{"slabs", fmt::format("{} directions", directions), "3, 7 or 13"};
  const auto box = shapes::checked_points<3>("slabs", "point", cloud);
  if (!box) return box.error();
  if (cloud.empty()) return Error{"slabs", "has no points", "at least 4 points"};
  std::vector<Vec<3>> normals;
  normals.reserve(13);
  for (int i = 0; i < 3; ++i) normals.emplace_back(Vec<3>::Unit(i));
  if (directions >= 7)
    for (const double y : {1.0, -1.0})
      for (const double z : {1.0, -1.0}) normals.emplace_back(Vec<3>(1, y, z).normalized());
  if (directions == 13)
    for (const double s : {1.0, -1.0}) {
      normals.emplace_back(Vec<3>(1, s, 0).normalized());
      normals.emplace_back(Vec<3>(1, 0, s).normalized());
      normals.emplace_back(Vec<3>(0, 1, s).normalized());
    }
  // The planes, seen from the middle, as the points of the dual body; each triangle of that body's
  // hull is the meeting point of three planes.
  Vec<3> middle = Vec<3>::Zero();  // inside the cloud's hull, unlike the centre of its bounds
  for (const Vec<3>& p : cloud) middle += p / static_cast<double>(cloud.size());
  std::vector<Vec<3>> dual;
  for (const Vec<3>& n : normals)
    for (const double sign : {1.0, -1.0}) {
      double reach = 0;
      for (const Vec<3>& p : cloud) reach = std::max(reach, sign * n.dot(p - middle));
      if (!(reach > 1e-9 * box.value().size().norm()))
        return Error{"slabs", "all points lie in a plane", "points around a volume"};
      dual.emplace_back(n * (sign / reach));
    }
  double largest = 0;
  for (const Vec<3>& p : dual) largest = std::max(largest, p.norm());
  const auto body = shapes::convex_hull(dual, dual.size(), 1e-9 * largest);
  if (!body) return Error{"slabs", "all points lie in a plane", "points around a volume"};
  std::vector<Vec<3>> corners;
  for (const shapes::HullFace& f : body->faces) corners.emplace_back(middle + f.normal / f.offset);
  auto p =
      shapes::convex_hull(corners, shapes::kMostCornersOfHull, 1e-9 * box.value().size().norm());
  if (!p) return Error{"slabs", "all points lie in a plane", "points around a volume"};
  return shapes::of_corners(ShapeKind::hull, std::move(*p));
}

}  // namespace colvik
