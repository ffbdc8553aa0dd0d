// Convex hulls in space: quickhull, then coplanar triangles joined to faces.
#include <algorithm>
#include <map>

#include "shapes/polytope.h"

namespace colvik::shapes {
namespace {

using Index = std::uint32_t;
constexpr Index kNone = 0xffffffff;

struct Facet {
  std::array<Index, 3> corner{};
  std::array<Index, 3> beside{};  // across the edge from corner i to corner i + 1
  Vec<3> normal = kZero;
  double offset = 0;
  std::vector<Index> outside;  // points above its plane
  Index furthest = kNone;
  double height = 0;  // of `furthest`
  bool alive = true;
};

class Quickhull {
 public:
  Quickhull(std::span<const Vec<3>> points, double tolerance)
      : points_(points), tolerance_(tolerance) {}

  bool start();  // false for a flat cloud
  void grow(std::size_t budget);
  [[nodiscard]] Polytope<3> finish() const;

 private:
  Index add(Index a, Index b, Index c) {
    Facet t;
    t.corner = {a, b, c};
    const Vec<3> n = cross(Vec<3>(points_[b] - points_[a]), Vec<3>(points_[c] - points_[a]));
    const double length = n.norm();
    t.normal = length > 0 ? Vec<3>(n / length) : Vec<3>(Vec<3>::Zero());
    t.offset = t.normal.dot(points_[a]);
    triangles_.push_back(std::move(t));
    return static_cast<Index>(triangles_.size() - 1);
  }
  [[nodiscard]] double above(const Facet& t, Index p) const {
    return t.normal.dot(points_[p]) - t.offset;
  }
  void give(Index point, std::span<const Index> to);  // to the triangle it is furthest above
  void add_corner(Index seed);

  std::span<const Vec<3>> points_;
  double tolerance_;
  std::vector<Facet> triangles_;
};

void Quickhull::give(Index point, std::span<const Index> to) {
  Index best = kNone;
  double most = tolerance_;
  for (const Index i : to)
    if (const double h = above(triangles_[i], point); h > most) {
      most = h;
      best = i;
    }
  if (best == kNone) return;
  Facet& t = triangles_[best];
  t.outside.push_back(point);
  if (most > t.height) {
    t.height = most;
    t.furthest = point;
  }
}

bool Quickhull::start() {
  const auto furthest = [&](auto&& height) {
    Index best = 0;
    double most = -1;
    for (Index i = 0; i < points_.size(); ++i)
      if (const double h = height(points_[i]); h > most) {
        most = h;
        best = i;
      }
    return std::pair(best, most);
  };
  const Index a = furthest([&](const Vec<3>& p) { return (p - points_[0]).norm(); }).first;
  const auto [b, length] = furthest([&](const Vec<3>& p) { return (p - points_[a]).norm(); });
  if (length <= tolerance_) return false;
  const Vec<3> along = (points_[b] - points_[a]) / length;
  const auto [c, width] =
      furthest([&](const Vec<3>& p) { return cross(along, Vec<3>(p - points_[a])).norm(); });
  if (width <= tolerance_) return false;
  const Vec<3> normal = cross(along, Vec<3>(points_[c] - points_[a])).normalized();
  const auto [d, depth] =
      furthest([&](const Vec<3>& p) { return std::abs(normal.dot(p - points_[a])); });
  if (depth <= tolerance_) return false;

  Index second = b;
  Index third = c;  // so that d lies below the triangle a, second, third
  if (normal.dot(points_[d] - points_[a]) > 0) std::swap(second, third);
  const Index base = add(a, second, third);
  const std::array<Index, 3> sides{add(second, a, d), add(third, second, d), add(a, third, d)};
  for (Index i = 0; i < 3; ++i) {
    triangles_[base].beside[i] = sides[i];
    // Side i runs back along edge i of the base; its other edges meet the sides before and after.
    triangles_[sides[i]].beside = {base, sides[(i + 2) % 3], sides[(i + 1) % 3]};
  }
  const std::array<Index, 4> all{base, sides[0], sides[1], sides[2]};
  for (Index i = 0; i < points_.size(); ++i) give(i, all);
  return true;
}

void Quickhull::grow(std::size_t budget) {
  for (std::size_t corners = 4; corners < budget; ++corners) {
    Index best = kNone;
    for (Index i = 0; i < triangles_.size(); ++i)
      if (const Facet& t = triangles_[i]; t.alive && t.furthest != kNone)
        if (best == kNone || t.height > triangles_[best].height) best = i;
    if (best == kNone) return;
    add_corner(best);
  }
}

// Replaces what the furthest point of `seed` sees by a fan of triangles from the rim of it to the
// point.
void Quickhull::add_corner(Index seed) {
  const Index apex = triangles_[seed].furthest;
  std::vector<Index> seen{seed};
  triangles_[seed].alive = false;
  struct Rim {
    Index from;
    Index to;
    Index beyond;
  };
  std::vector<Rim> rim;
  for (std::size_t k = 0; k < seen.size(); ++k) {
    for (Index e = 0; e < 3; ++e) {
      const Index beside = triangles_[seen[k]].beside[e];
      Facet& t = triangles_[beside];
      if (!t.alive) continue;
      if (above(t, apex) > tolerance_) {
        t.alive = false;
        seen.push_back(beside);
      }
    }
  }
  for (const Index s : seen)
    for (Index e = 0; e < 3; ++e) {
      const Facet& t = triangles_[s];
      if (triangles_[t.beside[e]].alive)
        rim.push_back({t.corner[e], t.corner[(e + 1) % 3], t.beside[e]});
    }
  std::map<Index, Index> starting;
  std::map<Index, Index> ending;  // new triangles by the rim corner they start and end at
  std::vector<Index> fresh;
  for (const Rim& r : rim) {
    const Index t = add(r.from, r.to, apex);
    fresh.push_back(t);
    starting[r.from] = t;
    ending[r.to] = t;
    triangles_[t].beside[0] = r.beyond;
    Facet& beyond = triangles_[r.beyond];
    for (Index e = 0; e < 3; ++e)
      if (beyond.corner[e] == r.to && beyond.corner[(e + 1) % 3] == r.from) beyond.beside[e] = t;
  }
  for (std::size_t k = 0; k < rim.size(); ++k) {
    triangles_[fresh[k]].beside[1] = starting[rim[k].to];
    triangles_[fresh[k]].beside[2] = ending[rim[k].from];
  }
  for (const Index s : seen) {
    const std::vector<Index> orphans = std::move(triangles_[s].outside);
    triangles_[s].outside.clear();
    for (const Index p : orphans)
      if (p != apex) give(p, fresh);
  }
}

Polytope<3> Quickhull::finish() const {
  // Triangles in the plane of a large one join it.
  std::vector<Index> by_area;
  const auto area = [&](Index i) {
    const auto& c = triangles_[i].corner;
    return cross(Vec<3>(points_[c[1]] - points_[c[0]]), Vec<3>(points_[c[2]] - points_[c[0]]))
        .norm();
  };
  for (Index i = 0; i < triangles_.size(); ++i)
    if (triangles_[i].alive) by_area.push_back(i);
  std::stable_sort(by_area.begin(), by_area.end(),
                   [&](Index x, Index y) { return area(x) > area(y); });
  std::vector<Index> group(triangles_.size(), kNone);
  std::vector<std::vector<Index>> members;
  for (const Index seed : by_area) {
    if (group[seed] != kNone) continue;
    const auto g = static_cast<Index>(members.size());
    members.push_back({seed});
    group[seed] = g;
    for (std::size_t k = 0; k < members[g].size(); ++k)
      for (const Index beside : triangles_[members[g][k]].beside) {
        if (group[beside] != kNone) continue;
        const auto& corners = triangles_[beside].corner;
        const bool flat = std::all_of(corners.begin(), corners.end(), [&](Index c) {
          return std::abs(above(triangles_[seed], c)) <= 100 * tolerance_;
        });
        if (!flat || triangles_[beside].normal.dot(triangles_[seed].normal) < 0) continue;
        group[beside] = g;
        members[g].push_back(beside);
      }
  }

  Polytope<3> out;
  std::vector<Index> renamed(points_.size(), kNone);
  const auto name = [&](Index p) {
    if (renamed[p] == kNone) {
      renamed[p] = static_cast<Index>(out.points.size());
      out.points.push_back(points_[p]);
    }
    return renamed[p];
  };
  std::map<std::pair<Index, Index>, Index> side;  // directed edge -> face on its left
  for (Index g = 0; g < members.size(); ++g) {
    std::map<Index, Index> next;
    for (const Index t : members[g])
      for (Index e = 0; e < 3; ++e)
        if (group[triangles_[t].beside[e]] != g)
          next[triangles_[t].corner[e]] = triangles_[t].corner[(e + 1) % 3];
    HullFace face;
    face.normal = triangles_[members[g][0]].normal;
    face.offset = triangles_[members[g][0]].offset;
    face.first = static_cast<Index>(out.loops.size());
    const auto f = static_cast<Index>(out.faces.size());
    const Index begin = next.begin()->first;
    for (Index at = begin; face.count <= next.size();) {
      out.loops.push_back(name(at));
      ++face.count;
      const Index to = next.at(at);
      side[{name(at), name(to)}] = f;
      if (to == begin) break;
      at = to;
    }
    out.faces.push_back(face);
  }
  for (const auto& [edge, face] : side) {
    const auto back = side.find({edge.second, edge.first});
    if (edge.first < edge.second && back != side.end())
      out.edges.push_back({edge.first, edge.second, face, back->second});
  }
  return out;
}

}  // namespace

std::optional<Polytope<3>> convex_hull(std::span<const Vec<3>> points, std::size_t budget,
                                       double tolerance) {
  Quickhull hull(points, tolerance);
  if (points.size() < 4 || !hull.start()) return std::nullopt;
  hull.grow(budget);
  return hull.finish();
}

Polytope<3> box_polytope(const Vec<3>& half) {
  std::vector<Vec<3>> corners;
  corners.reserve(8);
  for (int i = 0; i < 8; ++i)
    corners.emplace_back((i & 1) != 0 ? half.x() : -half.x(), (i & 2) != 0 ? half.y() : -half.y(),
                         (i & 4) != 0 ? half.z() : -half.z());
  return *convex_hull(corners, 8, 1e-9 * half.minCoeff());
}

}  // namespace colvik::shapes
