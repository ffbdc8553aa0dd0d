#include "fit/cuts_2d.h"

#include <algorithm>

#include "fit/around.h"

namespace colvik::fitting {

namespace {

constexpr std::size_t kMostSlices = 64;

// Pieces between the lines along y through all corners.
std::vector<Group> slices_of(const Loops& loops, double near) {
  std::vector<double> lines;
  for (const Loop& loop : loops)
    for (const Vec<2>& p : loop) lines.push_back(p.y());
  std::sort(lines.begin(), lines.end());
  lines.erase(
      std::unique(lines.begin(), lines.end(), [&](double a, double b) { return b - a <= near; }),
      lines.end());
  std::vector<Group> pieces;
  for (std::size_t k = 0; k + 1 < lines.size(); ++k) {
    const double low = lines[k];
    const double high = lines[k + 1];
    const double middle = 0.5 * (low + high);
    std::vector<std::array<double, 3>> sides;  // x in the middle, at the lower line, at the upper
    for (const Loop& loop : loops)
      for (std::size_t i = 0; i < loop.size(); ++i) {
        const Vec<2>& a = loop[i];
        const Vec<2>& b = loop[(i + 1) % loop.size()];
        if ((a.y() > middle) == (b.y() > middle)) continue;
        const auto x = [&](double y) {
          const double t = std::clamp((y - a.y()) / (b.y() - a.y()), 0.0, 1.0);
          return a.x() + t * (b.x() - a.x());
        };
        sides.push_back({x(middle), x(low), x(high)});
      }
    std::sort(sides.begin(), sides.end());
    for (std::size_t i = 0; i + 1 < sides.size(); i += 2) {
      Loop corners;
      for (const Vec<2>& p : {Vec<2>(sides[i][1], low), Vec<2>(sides[i + 1][1], low),
                              Vec<2>(sides[i + 1][2], high), Vec<2>(sides[i][2], high)})
        if (corners.empty() ||
            ((p - corners.back()).norm() > near && (p - corners.front()).norm() > near))
          corners.push_back(p);
      Group g{hull_of(std::move(corners)), 0};
      if (g.hull.size() < 3) continue;
      g.area = area_of(g.hull);
      pieces.push_back(std::move(g));
    }
    if (pieces.size() > kMostSlices) break;
  }
  return pieces;
}

}  // namespace

Group joined(const Group& a, const Group& b) {
  Loop points = a.hull;
  points.insert(points.end(), b.hull.begin(), b.hull.end());
  return {hull_of(std::move(points)), a.area + b.area};
}

std::array<std::vector<Group>, 3> cuts_of(const Shape<2>& outline, const Loops& loops) {
  std::array<std::vector<Group>, 3> cuts;
  for (Loop part : fills(outline)) {
    part = hull_of(std::move(part));
    if (part.size() < 3) continue;
    const double area = area_of(part);
    cuts[0].push_back({std::move(part), area});
  }
  const double near = 1e-6 * bounds_of_loops(loops).size().maxCoeff();
  const Rotation<2> upright = turned_box_around(hull_of(all_points(loops))).collider.turned;
  for (std::size_t way = 1; way < cuts.size(); ++way) {
    const Rotation<2> turned = way == 1 ? upright : upright * Rotation<2>(kPi / 2);
    Loops own = loops;
    for (Loop& loop : own)
      for (Vec<2>& p : loop) p = turned.inverse() * p;
    std::vector<Group> slices = slices_of(own, near);
    if (slices.size() > kMostSlices) continue;
    for (Group& g : slices)
      for (Vec<2>& p : g.hull) p = turned * p;
    cuts[way] = std::move(slices);
  }
  return cuts;
}

}  // namespace colvik::fitting
