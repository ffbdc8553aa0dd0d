// Triangle meshes and height fields.
#include <fmt/format.h>

#include <algorithm>
#include <numeric>
#include <tuple>

#include "shapes/assembly.h"
#include "shapes/shapes.h"

namespace colvik {
namespace {

constexpr std::size_t kMostTriangles = 8'000'000;

Shape<3> of_triangles(ShapeKind kind, std::vector<Vec<3>> points,
                      const std::vector<std::array<std::uint32_t, 3>>& triangles, bool two_sided) {
  shapes::Assembly<3> all;
  all.points = std::move(points);
  all.surface = true;
  all.two_sided = two_sided;
  for (const auto& t : triangles) {
    shapes::Piece<3> piece;
    piece.first_corner = static_cast<std::uint32_t>(all.corner_list.size());
    piece.corners = 3;
    piece.first_front = static_cast<std::uint32_t>(all.fronts.size());
    piece.fronts = 1;
    all.corner_list.insert(all.corner_list.end(), t.begin(), t.end());
    all.fronts.push_back({t, {}});
    all.pieces.push_back(piece);
  }
  return shapes::of_parts(kind, std::move(all));
}

}  // namespace

Result<Shape<3>> mesh(std::span<const Vec<3>> points,
                      std::span<const std::array<std::uint32_t, 3>> triangles, bool two_sided,
                      Mended* mended) {
  const auto box = shapes::checked_points<3>("mesh", "point", points);
  if (!box) return box.error();
  if (triangles.empty()) return Error{"mesh", "has no triangles", "at least one"};
  if (triangles.size() > kMostTriangles)
    return Error{"mesh", fmt::format("has {} triangles", triangles.size()),
                 fmt::format("at most {}", kMostTriangles)};
  const double size = box.value().size().norm();
  // Points at the same place are one, so that the triangles around them know each other.
  std::vector<std::uint32_t> in_place(points.size());
  std::vector<std::uint32_t> name(points.size());
  std::iota(in_place.begin(), in_place.end(), 0U);
  const auto place = [&](std::uint32_t i) {
    return std::tuple(points[i].x(), points[i].y(), points[i].z());
  };
  std::sort(in_place.begin(), in_place.end(), [&](std::uint32_t i, std::uint32_t k) {
    return std::pair(place(i), i) < std::pair(place(k), k);
  });
  for (std::size_t k = 0; k < in_place.size(); ++k)  // the first of those in one place
    name[in_place[k]] =
        k > 0 && place(in_place[k - 1]) == place(in_place[k]) ? name[in_place[k - 1]] : in_place[k];
  std::vector<Vec<3>> used;
  for (std::uint32_t i = 0; i < points.size(); ++i) {
    const bool first = name[i] == i;
    name[i] = first ? static_cast<std::uint32_t>(used.size()) : name[name[i]];
    if (first) used.push_back(points[i]);
  }
  if (mended != nullptr && used.size() < points.size())
    mended->emplace_back(fmt::format("{} points lie where others do and were joined with them",
                                     points.size() - used.size()));
  std::vector<std::array<std::uint32_t, 3>> kept;
  for (std::size_t i = 0; i < triangles.size(); ++i) {
    std::array<std::uint32_t, 3> t{};
    for (std::size_t k = 0; k < 3; ++k) {
      if (triangles[i][k] >= points.size())
        return Error{fmt::format("mesh triangle {}", i + 1),
                     fmt::format("has corner {}", triangles[i][k]),
                     fmt::format("0 to {}", points.size() - 1)};
      t[k] = name[triangles[i][k]];
    }
    const Vec<3> u = used[t[1]] - used[t[0]];
    const Vec<3> w = used[t[2]] - used[t[0]];
    const double longest = std::max({u.norm(), w.norm(), (w - u).norm()});
    if (cross(u, w).norm() > 1e-9 * longest * longest && longest > 1e-12 * size) kept.push_back(t);
    else if (mended != nullptr)
      mended->emplace_back(fmt::format("triangle {} has no area and was left out", i + 1));
  }
  if (kept.empty()) return Error{"mesh", "no triangle has an area", "at least one that has"};
  return of_triangles(ShapeKind::mesh, std::move(used), kept, two_sided);
}

Result<Shape<3>> heights(int columns, int rows, const Vec<2>& cell,
                         std::span<const double> heights) {
  if (columns < 2 || rows < 2)
    return Error{"heights", fmt::format("{} columns and {} rows", columns, rows),
                 "at least 2 of each"};
  const auto wide = static_cast<std::size_t>(columns);
  const auto deep = static_cast<std::size_t>(rows);
  if (heights.size() != wide * deep)
    return Error{
        "heights",
        fmt::format("{} heights for {} columns and {} rows", heights.size(), columns, rows),
        fmt::format("{} heights", wide * deep)};
  if (wide * deep * 2 > kMostTriangles)
    return Error{"heights", fmt::format("has {} heights", wide * deep),
                 fmt::format("at most {}", kMostTriangles / 2)};
  if (!(cell.minCoeff() > 0 && cell.allFinite()))
    return Error{"heights cell", fmt::format("({}, {}) is not a usable size", cell.x(), cell.y()),
                 "two numbers above 0"};
  std::vector<Vec<3>> points;
  for (std::size_t i = 0; i < heights.size(); ++i) {
    if (!std::isfinite(heights[i]))
      return Error{fmt::format("heights column {} row {}", i % wide + 1, i / wide + 1),
                   fmt::format("{} is not finite", heights[i]), "a number"};
    const std::size_t row = i / wide;
    points.emplace_back(static_cast<double>(i % wide) * cell.x(), heights[i],
                        static_cast<double>(row) * cell.y());
  }
  std::vector<std::array<std::uint32_t, 3>> triangles;
  for (std::uint32_t r = 0; r + 1 < deep; ++r)
    for (std::uint32_t c = 0; c + 1 < wide; ++c) {
      const auto n = static_cast<std::uint32_t>(wide);
      const auto a = r * n + c;
      triangles.push_back({a, a + n, a + 1});
      triangles.push_back({a + 1, a + n, a + n + 1});
    }
  return of_triangles(ShapeKind::heights, std::move(points), triangles, false);
}

}  // namespace colvik
