#include "fit/loops.h"

#include <algorithm>
#include <numeric>

namespace colvik::fitting {

double area_of(const Loop& loop) {
  double twice = 0;
  for (std::size_t i = 0; i < loop.size(); ++i)
    twice += turn_of(loop[i] - loop[0], loop[(i + 1) % loop.size()] - loop[0]);
  return twice / 2;
}

Bounds<2> bounds_of_points(const Loop& points) {
  Bounds<2> box;
  for (const Vec<2>& p : points) box = box.merged(p);
  return box;
}

Bounds<2> bounds_of_loops(const Loops& loops) {
  Bounds<2> box;
  for (const Loop& loop : loops) box = box.merged(bounds_of_points(loop));
  return box;
}

Loop all_points(const Loops& loops) {
  Loop all;
  for (const Loop& loop : loops) all.insert(all.end(), loop.begin(), loop.end());
  return all;
}

Loop hull_of(Loop points) {
  std::sort(points.begin(), points.end(), [](const Vec<2>& a, const Vec<2>& b) {
    return a.x() != b.x() ? a.x() < b.x() : a.y() < b.y();
  });
  points.erase(std::unique(points.begin(), points.end()), points.end());
  if (points.size() < 3) return points;
  Loop hull;
  for (int pass = 0; pass < 2; ++pass) {
    const std::size_t base = hull.size();
    for (const Vec<2>& p : points) {
      while (hull.size() >= base + 2 &&
             turn_of(hull.back() - hull[hull.size() - 2], p - hull.back()) <= 0)
        hull.pop_back();
      hull.push_back(p);
    }
    hull.pop_back();
    std::reverse(points.begin(), points.end());
  }
  return hull;
}

bool is_inside(const Loops& loops, const Vec<2>& point) {
  bool inside = false;
  for (const Loop& loop : loops)
    for (std::size_t i = 0, k = loop.size() - 1; i < loop.size(); k = i++) {
      const Vec<2>& a = loop[i];
      const Vec<2>& b = loop[k];
      if ((a.y() > point.y()) == (b.y() > point.y())) continue;
      if (point.x() < a.x() + (point.y() - a.y()) * (b.x() - a.x()) / (b.y() - a.y()))
        inside = !inside;
    }
  return inside;
}

bool cross_each_other(const Loops& loops) {
  struct Side {
    Vec<2> from;
    Vec<2> to;
    std::size_t loop;
    std::size_t number;
  };
  std::vector<Side> sides;
  for (std::size_t l = 0; l < loops.size(); ++l)
    for (std::size_t i = 0; i < loops[l].size(); ++i)
      sides.push_back({loops[l][i], loops[l][(i + 1) % loops[l].size()], l, i});
  const auto low = [](const Side& s) { return std::min(s.from.y(), s.to.y()); };
  std::stable_sort(sides.begin(), sides.end(),
                   [&](const Side& a, const Side& b) { return low(a) < low(b); });
  const auto side_of = [](const Vec<2>& a, const Vec<2>& b, const Vec<2>& p) {
    const double turn = turn_of(b - a, p - a);
    return (turn > 0) - (turn < 0);
  };
  const auto between = [](const Vec<2>& a, const Vec<2>& b, const Vec<2>& p) {
    return Bounds<2>{a.cwiseMin(b), a.cwiseMax(b)}.contains(p);
  };
  for (std::size_t i = 0; i < sides.size(); ++i) {
    const Side& s = sides[i];
    const double top = std::max(s.from.y(), s.to.y());
    const auto [left, right] = std::minmax({s.from.x(), s.to.x()});
    for (std::size_t j = i + 1; j < sides.size() && low(sides[j]) <= top; ++j) {
      const Side& t = sides[j];
      if (std::max(t.from.x(), t.to.x()) < left || std::min(t.from.x(), t.to.x()) > right) continue;
      const std::size_t n = loops[s.loop].size();
      const bool neighbours =
          s.loop == t.loop && ((s.number + 1) % n == t.number || (t.number + 1) % n == s.number);
      const int a = side_of(s.from, s.to, t.from);
      const int b = side_of(s.from, s.to, t.to);
      const int c = side_of(t.from, t.to, s.from);
      const int d = side_of(t.from, t.to, s.to);
      if (neighbours) {  // they must not run back over each other
        const bool next = (s.number + 1) % n == t.number;
        const Vec<2> in = next ? Vec<2>(s.to - s.from) : Vec<2>(t.to - t.from);
        const Vec<2> out = next ? Vec<2>(t.to - t.from) : Vec<2>(s.to - s.from);
        if (turn_of(in, out) == 0 && in.dot(out) < 0) return true;
        continue;
      }
      if (a * b < 0 && c * d < 0) return true;
      if ((a == 0 && between(s.from, s.to, t.from)) || (b == 0 && between(s.from, s.to, t.to)) ||
          (c == 0 && between(t.from, t.to, s.from)) || (d == 0 && between(t.from, t.to, s.to)))
        return true;
    }
  }
  return false;
}

Loop fewer_corners(const Loop& loop, double tolerance) {
  const std::size_t n = loop.size();
  if (n <= 3) return loop;
  const auto before = [&](std::size_t a, std::size_t b) {
    return loop[a].x() != loop[b].x() ? loop[a].x() < loop[b].x() : loop[a].y() < loop[b].y();
  };
  std::size_t first = 0;
  for (std::size_t i = 1; i < n; ++i)
    if (before(i, first)) first = i;
  std::size_t second = first;
  for (std::size_t i = 0; i < n; ++i)
    if ((loop[i] - loop[first]).squaredNorm() > (loop[second] - loop[first]).squaredNorm())
      second = i;
  std::vector<char> kept(n, 0);
  kept[first] = kept[second] = 1;
  std::vector<std::pair<std::size_t, std::size_t>> open{
      {first, (second + n - first) % n + first}, {second, (first + n - second) % n + second}};
  while (!open.empty()) {
    const auto [from, to] = open.back();
    open.pop_back();
    const Vec<2>& a = loop[from % n];
    const Vec<2> along = loop[to % n] - a;
    const double square = along.squaredNorm();
    double most = tolerance;
    std::size_t worst = from;
    for (std::size_t i = from + 1; i < to; ++i) {
      const Vec<2> off = loop[i % n] - a;
      const double t = square > 0 ? std::clamp(off.dot(along) / square, 0.0, 1.0) : 0.0;
      const double away = (off - t * along).norm();
      if (away > most) {
        most = away;
        worst = i;
      }
    }
    if (worst == from) continue;
    kept[worst % n] = 1;
    open.emplace_back(from, worst);
    open.emplace_back(worst, to);
  }
  Loop out;
  for (std::size_t i = 0; i < n; ++i)
    if (kept[i] != 0) out.push_back(loop[i]);
  return out;
}

Loops fewer_corners_each(const Loops& loops, double tolerance) {
  for (int attempt = 0; attempt < 12; ++attempt, tolerance /= 2) {
    Loops fewer;
    for (const Loop& loop : loops)
      if (Loop l = fewer_corners(loop, tolerance); l.size() >= 3 && area_of(l) != 0)
        fewer.push_back(std::move(l));
    const bool all_there = fewer.size() == loops.size();
    const bool same_way = all_there && std::equal(fewer.begin(), fewer.end(), loops.begin(),
                                                  [](const Loop& a, const Loop& b) {
                                                    return (area_of(a) > 0) == (area_of(b) > 0);
                                                  });
    if (same_way && !cross_each_other(fewer)) return fewer;
  }
  return loops;
}

Rows rows_of(const Loops& loops, double first, double step, int count) {
  Rows rows{first, step, {}};
  rows.spans.resize(static_cast<std::size_t>(count));
  for (const Loop& loop : loops)
    for (std::size_t i = 0; i < loop.size(); ++i) {
      Vec<2> a = loop[i];
      Vec<2> b = loop[(i + 1) % loop.size()];
      if (a.y() > b.y()) std::swap(a, b);
      if (a.y() == b.y()) continue;
      const double from = std::ceil((a.y() - first) / step - 0.5);
      for (int r = static_cast<int>(std::clamp<double>(from, 0, count)); r < count; ++r) {
        const double y = first + (r + 0.5) * step;
        if (y >= b.y()) break;
        if (y < a.y()) continue;
        rows.spans[static_cast<std::size_t>(r)].push_back(a.x() + (y - a.y()) / (b.y() - a.y()) *
                                                                      (b.x() - a.x()));
      }
    }
  for (std::vector<double>& row : rows.spans) std::sort(row.begin(), row.end());
  return rows;
}

Loops inside_by(const Loops& loops, double margin) {
  Vec<2> corner = kZero;
  double cell = 0;
  const Cells cells = cells_of(loops, 1000, corner, cell);
  Loops out = loops_around(inside_by(cells, margin / cell), 4).loops;
  for (Loop& loop : out)
    for (Vec<2>& p : loop) p = corner + cell * p;
  return out;
}

Loop convex_inside_by(const Loop& convex, double margin) {
  Loop left = convex;
  const std::size_t n = convex.size();
  for (std::size_t i = 0; i < n && !left.empty(); ++i) {
    const Vec<2> along = convex[(i + 1) % n] - convex[i];
    const Vec<2> inward = Vec<2>(-along.y(), along.x()) / along.norm();
    const double least = inward.dot(convex[i]) + margin;
    Loop cut;
    for (std::size_t k = 0; k < left.size(); ++k) {
      const Vec<2>& a = left[k];
      const Vec<2>& b = left[(k + 1) % left.size()];
      const double da = inward.dot(a) - least;
      const double db = inward.dot(b) - least;
      if (da >= 0) cut.push_back(a);
      if ((da > 0 && db < 0) || (da < 0 && db > 0)) cut.push_back(a + da / (da - db) * (b - a));
    }
    left = std::move(cut);
  }
  left = hull_of(std::move(left));
  return left.size() < 3 ? Loop{} : left;
}

std::vector<Island> islands_of(const Loops& loops) {
  std::vector<Island> islands;
  for (const Loop& loop : loops)
    if (area_of(loop) > 0) islands.push_back({loop, {}});
  for (const Loop& loop : loops) {
    if (area_of(loop) > 0) continue;
    // In the smallest island around it.
    Island* in = nullptr;
    for (Island& island : islands)
      if (is_inside({island.around}, loop[0]) &&
          (in == nullptr || area_of(island.around) < area_of(in->around)))
        in = &island;
    if (in != nullptr) in->holes.push_back(loop);
  }
  return islands;
}

}  // namespace colvik::fitting
