#include "shapes/assembly.h"

#include <algorithm>
#include <span>

#include "shapes/polytope.h"
#include "shapes/shapes.h"

namespace colvik::shapes {
namespace {

// How far a normal may lean over the side between two fronts, -1 where the surface bends inward;
// `own` and `next` are their normals.
template <int D>
double lean_over(const Vec<D>& own, const Vec<D>& next, const Vec<D>& outward) {
  const double lean = next.dot(outward);
  const bool same_plane = std::abs(lean) <= 1e-9 && own.dot(next) > 0;
  if (same_plane) return 0;
  return lean > 0 ? lean : -1;
}

}  // namespace

template <int D>
void Assembly<D>::finish() {
  std::vector<Bounds<D>> boxes;
  boxes.reserve(pieces.size());
  for (const Piece<D>& p : pieces) {
    Bounds<D> box;
    if (p.child >= 0) box = colvik::bounds(children[p.child].shape, children[p.child].pose);
    for (std::uint32_t k = 0; k < p.corners; ++k)
      box = box.merged(points[corner_list[p.first_corner + k]]);
    boxes.push_back(box);
  }
  tree = index::Tree<D>(boxes);
  bounds = {};  // not those that it had before it was scaled
  for (const Bounds<D>& box : boxes) bounds = bounds.merged(box);

  flats.clear();
  if (surface)
    for (const Front<D>& f : fronts) flats.push_back(flat(f));

  // The front across each side: in 2D it ends where this one starts or the reverse, in 3D it runs
  // along the same edge in the other direction.
  using Key = std::pair<std::uint32_t, std::uint32_t>;
  const auto side = [](const Front<D>& f, int k, bool seen_from_across) -> Key {
    if constexpr (D == 2) return {f.corner[k], (k == 0) == seen_from_across ? 1 : 0};
    const std::uint32_t from = f.corner[k];
    const std::uint32_t to = f.corner[(k + 1) % D];
    return seen_from_across ? Key{to, from} : Key{from, to};
  };
  // All sides by their first number, in the order of the fronts: from first_of[number] on.
  struct Side {
    std::uint32_t second;
    std::uint32_t front;
  };
  std::vector<std::uint32_t> first_of(points.size() + 2);
  std::vector<Side> sides(fronts.size() * D);
  const auto for_sides = [&](auto&& visit) {
    for (std::uint32_t i = 0; i < fronts.size(); ++i)
      for (int k = 0; k < D; ++k) visit(side(fronts[i], k, false), i);
  };
  for_sides([&](const Key& key, std::uint32_t) { ++first_of[key.first + 2]; });
  for (std::size_t i = 2; i < first_of.size(); ++i) first_of[i] += first_of[i - 1];
  for_sides([&](const Key& key, std::uint32_t i) {
    sides[first_of[key.first + 1]++] = {key.second, i};
  });
  const auto of_number = [&](std::uint32_t number) {
    return std::span(sides).subspan(first_of[number], first_of[number + 1] - first_of[number]);
  };
  const auto before = [](const Side& x, const Side& y) {
    return std::pair(x.second, x.front) < std::pair(y.second, y.front);
  };
  for (std::uint32_t i = 0; i < points.size(); ++i)  // many sides may share a corner
    std::sort(of_number(i).begin(), of_number(i).end(), before);
  const auto across = [&](const Front<D>& f, int k) {
    const Key key = side(f, k, true);
    const std::span<const Side> all = of_number(key.first);
    const auto found = std::lower_bound(all.begin(), all.end(), Side{key.second, 0}, before);
    return found == all.end() || found->second != key.second ? nullptr : &fronts[found->front];
  };
  for (Front<D>& f : fronts) {
    const Vec<D> n = normal(f);
    for (int k = 0; k < D; ++k) {
      const Front<D>* next = across(f, k);
      if (next == nullptr) {
        f.lean[k] = f.lean_behind[k] = 1;
        continue;
      }
      const Vec<D> m = normal(*next);
      const Vec<D> out = outward(f, n, k);
      f.lean[k] = lean_over<D>(n, m, out);
      f.lean_behind[k] = lean_over<D>(-n, -m, out);
    }
  }
}
template void Assembly<2>::finish();
template void Assembly<3>::finish();

template <int D>
Child<D> as_child(const Assembly<D>& all, const Piece<D>& piece) {
  if (piece.child >= 0) return all.children[piece.child];
  Polytope<D> corners;
  for (std::uint32_t k = 0; k < piece.corners; ++k)
    corners.points.push_back(all.points[all.corner_list[piece.first_corner + k]]);
  return {of_corners(ShapeKind::polygon, std::move(corners)), {}};
}
template Child<2> as_child(const Assembly<2>&, const Piece<2>&);
template Child<3> as_child(const Assembly<3>&, const Piece<3>&);

template <int D>
Shape<D> of_parts(ShapeKind kind, Assembly<D> assembly) {
  assembly.finish();
  Shape<D> s = within(kind, assembly.bounds);
  s.parts = std::make_shared<const Assembly<D>>(std::move(assembly));
  return s;
}
template Shape<2> of_parts(ShapeKind, Assembly<2>);
template Shape<3> of_parts(ShapeKind, Assembly<3>);

template <int D>
bool has_back(const Shape<D>& s) {
  return s.parts != nullptr && s.parts->surface && !s.parts->two_sided;
}
template bool has_back(const Shape<2>&);
template bool has_back(const Shape<3>&);

}  // namespace colvik::shapes
