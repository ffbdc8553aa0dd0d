// A polygon with holes into triangles, and those into few convex parts.
#include <algorithm>
#include <map>
#include <set>

#include "shapes/assembly.h"
#include "shapes/polytope.h"

namespace colvik::shapes {
namespace {

using Index = std::uint32_t;
using Loop = std::vector<Index>;
using Triangle = std::array<Index, 3>;

class Splitter {
 public:
  explicit Splitter(const std::vector<Vec<2>>& points) : points_(points) {
    Bounds<2> box;
    for (const Vec<2>& p : points) box = box.merged(p);
    flat_ = 1e-12 * box.size().squaredNorm();
  }
  Loop bridged(const std::vector<Loop>& loops) const;
  std::vector<Triangle> triangles(Loop loop) const;
  void flip(std::vector<Triangle>& all, const std::set<std::pair<Index, Index>>& fixed) const;
  std::vector<Loop> merged(const std::vector<Triangle>& all,
                           const std::set<std::pair<Index, Index>>& fixed) const;

 private:
  [[nodiscard]] double turn(Index a, Index b, Index c) const {
    return torque(Vec<2>(points_[b] - points_[a]), Vec<2>(points_[c] - points_[b]))[0];
  }
  // The smallest sine of the three angles, about.
  [[nodiscard]] double fatness(Index a, Index b, Index c) const {
    const double ab = (points_[b] - points_[a]).norm();
    const double bc = (points_[c] - points_[b]).norm();
    const double ca = (points_[a] - points_[c]).norm();
    const double longest = std::max({ab, bc, ca});
    return turn(a, b, c) * longest / std::max(ab * bc * ca, 1e-300) * std::min({ab, bc, ca}) /
           longest;
  }
  [[nodiscard]] bool crosses(Index a, Index b, const Loop& loop) const;

  const std::vector<Vec<2>>& points_;
  double flat_;
};

// Whether the stretch from a to b crosses a side of the loop, other than at its own ends.
bool Splitter::crosses(Index a, Index b, const Loop& loop) const {
  for (std::size_t i = 0; i < loop.size(); ++i) {
    const Index c = loop[i];
    const Index d = loop[(i + 1) % loop.size()];
    const auto same = [&](Index x, Index y) { return x == y || points_[x] == points_[y]; };
    if (same(a, c) || same(a, d) || same(b, c) || same(b, d)) continue;
    const double c_side = turn(a, b, c);
    const double d_side = turn(a, b, d);
    const double a_side = turn(c, d, a);
    const double b_side = turn(c, d, b);
    if (((c_side >= 0) != (d_side >= 0) || c_side == 0 || d_side == 0) &&
        ((a_side >= 0) != (b_side >= 0) || a_side == 0 || b_side == 0))
      return true;
  }
  return false;
}

// One loop, with the holes let in along the shortest bridges that cross nothing.
Loop Splitter::bridged(const std::vector<Loop>& loops) const {
  Loop out = loops[0];
  std::vector<Loop> holes(loops.begin() + 1, loops.end());
  while (!holes.empty()) {
    double shortest = std::numeric_limits<double>::max();
    std::size_t best_hole = 0;
    std::size_t best_own = 0;
    std::size_t best_other = 0;
    for (std::size_t h = 0; h < holes.size(); ++h)
      for (std::size_t i = 0; i < out.size(); ++i)
        for (std::size_t j = 0; j < holes[h].size(); ++j) {
          const double length = (points_[out[i]] - points_[holes[h][j]]).norm();
          if (length >= shortest || crosses(out[i], holes[h][j], out)) continue;
          const bool free = std::none_of(holes.begin(), holes.end(), [&](const Loop& hole) {
            return crosses(out[i], holes[h][j], hole);
          });
          if (free) {
            shortest = length;
            best_hole = h;
            best_own = i;
            best_other = j;
          }
        }
    const Loop hole = holes[best_hole];
    holes.erase(holes.begin() + static_cast<std::ptrdiff_t>(best_hole));
    Loop detour;
    for (std::size_t k = 0; k <= hole.size(); ++k)
      detour.push_back(hole[(best_other + k) % hole.size()]);
    detour.push_back(out[best_own]);
    out.insert(out.begin() + static_cast<std::ptrdiff_t>(best_own) + 1, detour.begin(),
               detour.end());
  }
  return out;
}

std::vector<Triangle> Splitter::triangles(Loop loop) const {
  std::vector<Triangle> out;
  const auto ear = [&](std::size_t i) {
    const std::size_t n = loop.size();
    const Index a = loop[(i + n - 1) % n];
    const Index b = loop[i];
    const Index c = loop[(i + 1) % n];
    if (turn(a, b, c) <= flat_) return -1.0;
    for (const Index p : loop) {
      if (points_[p] == points_[a] || points_[p] == points_[b] || points_[p] == points_[c])
        continue;
      if (turn(a, b, p) >= 0 && turn(b, c, p) >= 0 && turn(c, a, p) >= 0) return -1.0;
    }
    return fatness(a, b, c);
  };
  std::vector<double> value(loop.size());
  for (std::size_t i = 0; i < loop.size(); ++i) value[i] = ear(i);
  while (loop.size() > 3) {
    const auto best =
        static_cast<std::size_t>(std::max_element(value.begin(), value.end()) - value.begin());
    const std::size_t n = loop.size();
    if (value[best] > 0)
      out.push_back({loop[(best + n - 1) % n], loop[best], loop[(best + 1) % n]});
    // Without an ear what is left is flat; its corner is dropped.
    loop.erase(loop.begin() + static_cast<std::ptrdiff_t>(best));
    value.erase(value.begin() + static_cast<std::ptrdiff_t>(best));
    const std::size_t after = best % loop.size();
    const std::size_t before = (best + loop.size() - 1) % loop.size();
    value[after] = ear(after);
    value[before] = ear(before);
    if (*std::max_element(value.begin(), value.end()) <= 0)  // cut off may have freed others
      for (std::size_t i = 0; i < loop.size(); ++i) value[i] = ear(i);
  }
  if (loop.size() == 3 && turn(loop[0], loop[1], loop[2]) > flat_)
    out.push_back({loop[0], loop[1], loop[2]});
  return out;
}

using EdgeMap =
    std::map<std::pair<Index, Index>, std::size_t>;  // directed edge -> the part on its left

void Splitter::flip(std::vector<Triangle>& all,
                    const std::set<std::pair<Index, Index>>& fixed) const {
  for (int round = 0; round < 20; ++round) {
    EdgeMap owner;
    for (std::size_t t = 0; t < all.size(); ++t)
      for (std::size_t e = 0; e < 3; ++e) owner[{all[t][e], all[t][(e + 1) % 3]}] = t;
    std::vector<bool> touched(all.size(), false);
    bool any = false;
    for (const auto& [edge, t] : owner) {
      const Index a = edge.first;
      const Index b = edge.second;
      if (a > b || fixed.contains(edge) || fixed.contains({b, a})) continue;
      const auto other = owner.find({b, a});
      if (other == owner.end() || touched[t] || touched[other->second]) continue;
      const std::size_t u = other->second;
      const auto apex = [&](const Triangle& tri) {
        return *std::find_if(tri.begin(), tri.end(), [&](Index x) { return x != a && x != b; });
      };
      const Index c = apex(all[t]);
      const Index d = apex(all[u]);
      const double now = std::min(fatness(a, b, c), fatness(b, a, d));
      const double then = std::min(fatness(a, d, c), fatness(d, b, c));
      if (then <= now + 1e-9) continue;
      all[t] = {a, d, c};
      all[u] = {d, b, c};
      touched[t] = touched[u] = any = true;
    }
    if (!any) return;
  }
}

std::vector<Loop> Splitter::merged(const std::vector<Triangle>& all,
                                   const std::set<std::pair<Index, Index>>& fixed) const {
  std::vector<Loop> parts;
  std::vector<std::pair<double, std::pair<Index, Index>>> inner;
  EdgeMap owner;
  for (const Triangle& t : all) {
    for (std::size_t e = 0; e < 3; ++e) owner[{t[e], t[(e + 1) % 3]}] = parts.size();
    parts.push_back({t[0], t[1], t[2]});
  }
  for (const auto& [edge, t] : owner)
    if (edge.first < edge.second && !fixed.contains(edge) &&
        !fixed.contains({edge.second, edge.first}) && owner.contains({edge.second, edge.first}))
      inner.push_back({-(points_[edge.first] - points_[edge.second]).norm(), edge});
  std::sort(inner.begin(), inner.end());  // the longest inner edge is left out first
  for (const auto& [length, edge] : inner) {
    const std::size_t p = owner[edge];
    const std::size_t q = owner[{edge.second, edge.first}];
    if (p == q) continue;
    Loop& own = parts[p];
    Loop& other = parts[q];
    // From the edge's end round to its start, then on round the other.
    Loop joined;
    const auto append = [&](const Loop& loop, Index from) {
      const auto at =
          static_cast<std::size_t>(std::find(loop.begin(), loop.end(), from) - loop.begin());
      for (std::size_t k = 0; k + 1 < loop.size(); ++k)
        joined.push_back(loop[(at + k) % loop.size()]);
    };
    append(own, edge.second);
    append(other, edge.first);
    bool convex = joined.size() <= kMostCornersOfPolygon;
    for (std::size_t k = 0; convex && k < joined.size(); ++k)
      convex = turn(joined[k], joined[(k + 1) % joined.size()], joined[(k + 2) % joined.size()]) >=
               -flat_;
    if (!convex) continue;
    for (std::size_t k = 0; k < other.size(); ++k)
      owner[{other[k], other[(k + 1) % other.size()]}] = p;
    own = joined;
    other.clear();
  }
  std::erase_if(parts, [](const Loop& l) { return l.empty(); });
  return parts;
}

}  // namespace

std::vector<std::vector<std::uint32_t>> convex_parts(
    const std::vector<Vec<2>>& points, const std::vector<std::vector<std::uint32_t>>& loops) {
  const Splitter split(points);
  std::set<std::pair<Index, Index>> sides;
  for (const Loop& loop : loops)
    for (std::size_t i = 0; i < loop.size(); ++i)
      sides.insert({loop[i], loop[(i + 1) % loop.size()]});
  std::vector<Triangle> all = split.triangles(split.bridged(loops));
  split.flip(all, sides);
  return split.merged(all, sides);
}

}  // namespace colvik::shapes
