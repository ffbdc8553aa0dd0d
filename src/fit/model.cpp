#include "fit/model.h"

#include <fmt/format.h>
#include <meshoptimizer.h>

#include <algorithm>
#include <map>
#include <numeric>
#include <tuple>

#include "fit/fitting.h"

namespace colvik {
namespace fitting {
namespace {

// Where the line along z at (x, y) passes the triangle; +1 going in, -1 going out, 0 not at all.
// A line through an edge between two triangles passes one of them.
int passes(const Vec<3>& a, const Vec<3>& b, const Vec<3>& c, double x, double y, double& z) {
  const auto turn = [](const Vec<3>& p, const Vec<3>& q, double px, double py) {
    // The same bits for an edge from either of its triangles.
    const bool swap = std::tie(q.x(), q.y()) < std::tie(p.x(), p.y());
    const Vec<3>& from = swap ? q : p;
    const Vec<3>& to = swap ? p : q;
    const double t = (to.x() - from.x()) * (py - from.y()) - (to.y() - from.y()) * (px - from.x());
    return std::pair(swap ? -t : t, swap);
  };
  const auto [ab, s0] = turn(a, b, x, y);
  const auto [bc, s1] = turn(b, c, x, y);
  const auto [ca, s2] = turn(c, a, x, y);
  const auto left = [](double t, bool swapped) { return t > 0 || (t == 0 && !swapped); };
  const bool l0 = left(ab, s0);
  const bool l1 = left(bc, s1);
  const bool l2 = left(ca, s2);
  if (l0 != l1 || l1 != l2) return 0;
  const double all = ab + bc + ca;
  if (all == 0) return 0;
  z = (bc * a.z() + ca * b.z() + ab * c.z()) / all;
  return l0 ? -1 : 1;  // counterclockwise from above: its outside is above, the line goes out
}

std::vector<double> spans_in(std::vector<std::pair<double, int>>& passed) {
  std::sort(passed.begin(), passed.end());
  std::vector<double> spans;
  int depth = 0;
  for (const auto& [z, way] : passed) {
    if (depth == 0 && way > 0) spans.push_back(z);
    depth += way;
    if (depth == 0 && way < 0 && spans.size() % 2 == 1) spans.push_back(z);
    depth = std::max(depth, 0);
  }
  if (spans.size() % 2 == 1) spans.pop_back();
  return spans;
}

}  // namespace

Columns::Columns(const std::vector<Vec<3>>& points, const Triangles& triangles,
                 const Bounds<3>& box, int along) {
  const Vec<2> size = box.size().head<2>();
  const double side = std::max(size.maxCoeff() / along, 1e-300);
  width_ = std::max(1, static_cast<int>(std::ceil(size.x() / side - 1e-9)));
  height_ = std::max(1, static_cast<int>(std::ceil(size.y() / side - 1e-9)));
  corner_ = box.lo.head<2>();
  cell_ = Vec<2>(size.x() / width_, size.y() / height_);
  std::vector<std::vector<std::pair<double, int>>> passed(static_cast<std::size_t>(width_) *
                                                          static_cast<std::size_t>(height_));
  for (const auto& t : triangles) {
    const Vec<3>& a = points[t[0]];
    const Vec<3>& b = points[t[1]];
    const Vec<3>& c = points[t[2]];
    const Bounds<3> all = Bounds<3>{a, a}.merged(b).merged(c);
    const auto first = [](double lo, double corner, double cell, double aside) {
      return std::max(0, static_cast<int>(std::floor((lo - corner) / cell - aside)));
    };
    const int x0 = first(all.lo.x(), corner_.x(), cell_.x(), kAside);
    const int y0 = first(all.lo.y(), corner_.y(), cell_.y(), kAsideY);
    for (int y = y0; y < height_ && at(0, y).y() <= all.hi.y(); ++y)
      for (int x = x0; x < width_; ++x) {
        const Vec<2> p = at(x, y);
        if (p.x() > all.hi.x()) break;
        double z = 0;
        if (const int way = passes(a, b, c, p.x(), p.y(), z); way != 0)
          passed[static_cast<std::size_t>(y) * static_cast<std::size_t>(width_) +
                 static_cast<std::size_t>(x)]
              .emplace_back(z, way);
      }
  }
  for (auto& p : passed) spans_.push_back(spans_in(p));
}

Inside::Inside(const std::vector<Vec<3>>& points, const Triangles& triangles)
    : points_(points), triangles_(triangles) {
  for (const Vec<3>& p : points) box_ = box_.merged(p);
  along_ = std::clamp(static_cast<int>(std::sqrt(static_cast<double>(triangles.size()))), 1, 128);
  bins_.resize(static_cast<std::size_t>(along_) * static_cast<std::size_t>(along_));
  for (std::uint32_t i = 0; i < triangles.size(); ++i) {
    Bounds<3> all;
    for (const std::uint32_t c : triangles[i]) all = all.merged(points[c]);
    for (int y = bin(all.lo, 1); y <= bin(all.hi, 1); ++y)
      for (int x = bin(all.lo, 0); x <= bin(all.hi, 0); ++x) bins_[cell(x, y)].push_back(i);
  }
}

int Inside::bin(const Vec<3>& p, int axis) const {
  const double size = box_.size()[axis];
  if (!(size > 0)) return 0;
  return std::clamp(static_cast<int>((p[axis] - box_.lo[axis]) / size * along_), 0, along_ - 1);
}

std::size_t Inside::cell(int x, int y) const {
  return static_cast<std::size_t>(y) * static_cast<std::size_t>(along_) +
         static_cast<std::size_t>(x);
}

bool Inside::operator()(const Vec<3>& p) const {
  if (!box_.contains(p)) return false;
  int depth = 0;
  for (const std::uint32_t i : bins_[cell(bin(p, 0), bin(p, 1))]) {
    const auto& t = triangles_[i];
    double z = 0;
    const int way = passes(points_[t[0]], points_[t[1]], points_[t[2]], p.x(), p.y(), z);
    if (way != 0 && z < p.z()) depth += way;
  }
  return depth > 0;
}

Result<Offer<3>> fit_light_mesh(const Art<3>& art, const Settled<3>& s,
                                const Measuring<3>& measure) {
  if (s.options.margin > 0)
    return Error{"light_mesh", "a margin says nothing about a surface", "shrink, or another fit"};
  std::vector<float> positions;
  const Bounds<3> box = bounds_of(art);
  for (const Vec<3>& p : art.points)
    for (int k = 0; k < 3; ++k)
      positions.push_back(static_cast<float>((p[k] - box.centre()[k]) / s.size));
  std::vector<unsigned> indices;
  for (const auto& t : art.triangles) indices.insert(indices.end(), t.begin(), t.end());
  double error = s.options.tolerance / s.size;
  Offer<3> offer;
  offer.as = Fit::light_mesh;
  for (int attempt = 0; attempt < 8; ++attempt, error /= 2) {
    s.report(attempt / 8.0);
    std::vector<unsigned> fewer(indices.size());
    fewer.resize(meshopt_simplify(fewer.data(), indices.data(), indices.size(), positions.data(),
                                  art.points.size(), 3 * sizeof(float), 0,
                                  static_cast<float>(error), 0, nullptr));
    offer.loops.assign(1, {});
    offer.triangles.clear();
    std::map<unsigned, std::uint32_t> name;
    for (std::size_t i = 0; i + 2 < fewer.size(); i += 3) {
      std::array<std::uint32_t, 3> t{};
      for (std::size_t k = 0; k < 3; ++k) {
        const auto [at, fresh] =
            name.try_emplace(fewer[i + k], static_cast<std::uint32_t>(offer.loops[0].size()));
        if (fresh)
          offer.loops[0].push_back(box.centre() + (1 - s.options.shrink) *
                                                      (art.points[fewer[i + k]] - box.centre()));
        t[k] = at->second;
      }
      offer.triangles.push_back(t);
    }
    const Result<Shape<3>> shape = mesh(offer.loops[0], offer.triangles);
    if (!shape) continue;
    offer.collider.shape = shape.value();
    if (s.options.shrink > 0) return offer;
    const Fitness<3> f = measure().of(offer);
    if (std::max(f.outward, f.inward) <= s.options.tolerance) return offer;
  }
  return Error{"light_mesh", "no fewer triangles stay within the tolerance", "mesh"};
}

}  // namespace fitting

namespace {

// For each point the first of those at its place, or nearly: exporters write a seam's points twice,
// a bit apart.
std::vector<std::uint32_t> names_of(const std::vector<Vec<3>>& points) {
  Bounds<3> box;
  for (const Vec<3>& p : points) box = box.merged(p);
  const double near = points.empty() ? 0 : 1e-7 * box.size().maxCoeff();
  std::vector<std::uint32_t> order(points.size());
  std::iota(order.begin(), order.end(), 0U);
  const auto place = [&](std::uint32_t i) {
    return std::tuple(points[i].x(), points[i].y(), points[i].z());
  };
  std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
    return std::pair(place(a), a) < std::pair(place(b), b);
  });
  std::vector<std::uint32_t> name(points.size());
  std::map<std::array<std::int64_t, 3>, std::vector<std::uint32_t>> cells;
  for (const std::uint32_t i : order) {
    name[i] = i;
    std::array<std::int64_t, 3> cell{};
    for (int k = 0; k < 3; ++k)
      cell[static_cast<std::size_t>(k)] =
          near > 0 ? static_cast<std::int64_t>(std::floor((points[i][k] - box.lo[k]) / (4 * near)))
                   : 0;
    const auto search = [&](const std::array<std::int64_t, 3>& at) {
      const auto found = cells.find(at);
      if (found == cells.end()) return false;
      for (const std::uint32_t other : found->second)
        if ((points[other] - points[i]).norm() <= near) {
          name[i] = other;
          return true;
        }
      return false;
    };
    // Only beside the cell where it is near that side.
    bool joined = false;
    for (int n = 0; n < 27 && !joined; ++n) {
      std::array<std::int64_t, 3> at = cell;
      bool reachable = true;
      for (int k = 0, rest = n; k < 3; ++k, rest /= 3) {
        const int by = std::array{0, -1, 1}[static_cast<std::size_t>(rest % 3)];
        const double inside = points[i][k] - box.lo[k] -
                              4 * near * static_cast<double>(cell[static_cast<std::size_t>(k)]);
        reachable = reachable && (by == 0 || (by < 0 ? inside <= near : inside >= 3 * near));
        at[static_cast<std::size_t>(k)] += by;
      }
      joined = reachable && search(at);
    }
    if (!joined) cells[cell].push_back(i);
  }
  return name;
}

}  // namespace

Result<Art<3>> checked_art(Art<3> art) {
  if (art.triangles.empty()) return Error{"model", "has no triangles", "at least one"};
  if (art.triangles.size() > kMostModelTriangles)
    return Error{"model", fmt::format("has {} triangles", art.triangles.size()),
                 fmt::format("at most {}", kMostModelTriangles)};
  for (std::size_t i = 0; i < art.points.size(); ++i)
    if (!art.points[i].allFinite() || art.points[i].cwiseAbs().maxCoeff() > kLargestSize)
      return Error{fmt::format("model point {}", i + 1), "is not finite or too far away",
                   fmt::format("numbers up to {:g}", kLargestSize)};
  const std::vector<std::uint32_t> name = names_of(art.points);
  Art<3> out;
  out.notes = std::move(art.notes);
  std::vector<std::uint32_t> fresh(art.points.size(), 0xffffffff);
  std::size_t flat = 0;
  double size = 0;
  for (std::size_t i = 0; i < art.triangles.size(); ++i)
    for (const std::uint32_t c : art.triangles[i]) {
      if (c >= art.points.size())
        return Error{fmt::format("model triangle {}", i + 1), fmt::format("has corner {}", c),
                     fmt::format("0 to {}", art.points.size() - 1)};
      size = std::max(size, (art.points[c] - art.points[art.triangles[0][0]]).norm());
    }
  for (const auto& t : art.triangles) {
    const Vec<3>& a = art.points[t[0]];
    const Vec<3> u = art.points[t[1]] - a;
    const Vec<3> w = art.points[t[2]] - a;
    const double longest = std::max({u.norm(), w.norm(), (w - u).norm()});
    if (!(cross(u, w).norm() > 1e-9 * longest * longest) || !(longest > 1e-12 * size)) {
      ++flat;
      continue;
    }
    std::array<std::uint32_t, 3> kept{};
    for (std::size_t k = 0; k < 3; ++k) {
      const std::uint32_t n = name[t[k]];
      if (fresh[n] == 0xffffffff) {
        fresh[n] = static_cast<std::uint32_t>(out.points.size());
        out.points.push_back(art.points[n]);
      }
      kept[k] = fresh[n];
    }
    out.triangles.push_back(kept);
  }
  if (out.triangles.empty())
    return Error{"model", "no triangle has an area", "at least one that has"};
  if (flat > 0)
    out.notes.push_back(fmt::format("{} triangles without an area were left out", flat));
  const std::size_t open = open_edges(out);
  if (open > 0)
    out.notes.push_back(
        fmt::format("open at {} edges: without an inside, volumes and masses are not "
                    "measured and parts are refused",
                    open));
  if (open == 0 && mass_of(out).volume < 0) {
    for (auto& t : out.triangles) std::swap(t[1], t[2]);
    out.notes.emplace_back("all triangles faced inward and were turned round");
  }
  return out;
}

std::size_t open_edges(const Art<3>& art) {
  std::vector<std::pair<std::uint32_t, std::uint32_t>> edges;
  edges.reserve(3 * art.triangles.size());
  for (const auto& t : art.triangles)
    for (std::size_t k = 0; k < 3; ++k) edges.emplace_back(t[k], t[(k + 1) % 3]);
  std::sort(edges.begin(), edges.end());
  std::size_t open = 0;
  const auto count = [&](std::uint32_t a, std::uint32_t b) {
    const auto [first, last] = std::equal_range(edges.begin(), edges.end(), std::pair(a, b));
    return last - first;
  };
  for (std::size_t i = 0; i < edges.size(); ++i) {
    if (i > 0 && edges[i] == edges[i - 1]) continue;
    const auto there = count(edges[i].first, edges[i].second);
    const auto back = count(edges[i].second, edges[i].first);
    if (there != back && (there > back || back == 0)) ++open;
  }
  return open;
}

Bounds<3> bounds_of(const Art<3>& art) {
  Bounds<3> box;
  for (const auto& t : art.triangles)
    for (const std::uint32_t c : t) box = box.merged(art.points[c]);
  return box;
}

MassProperties<3> mass_of(const Art<3>& art) {
  MassProperties<3> mass;
  const Bounds<3> box = bounds_of(art);
  if (box.empty()) return mass;
  const Vec<3> origin = box.centre();
  Vec<3> first = kZero;
  Eigen::Matrix3d second = Eigen::Matrix3d::Zero();
  for (const auto& t : art.triangles) {
    const Vec<3> a = art.points[t[0]] - origin;
    const Vec<3> b = art.points[t[1]] - origin;
    const Vec<3> c = art.points[t[2]] - origin;
    const double six = a.dot(cross(b, c));
    const Vec<3> sum = a + b + c;
    mass.volume += six / 6;
    first += six / 24 * sum;
    second += six / 120 *
              (a * a.transpose() + b * b.transpose() + c * c.transpose() + sum * sum.transpose());
  }
  if (mass.volume == 0) return mass;
  mass.centre = first / mass.volume;
  second -= mass.volume * mass.centre * mass.centre.transpose();
  mass.inertia = second.trace() * Eigen::Matrix3d::Identity() - second;
  mass.centre += origin;
  return mass;
}

}  // namespace colvik
