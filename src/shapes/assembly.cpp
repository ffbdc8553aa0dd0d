#include "shapes/assembly.h"

#include <algorithm>
#include <map>

#include "shapes/moments.h"

namespace colvik::shapes {
namespace {

// How far a normal may lean over the side between two fronts, -1 where the surface bends inward; `own` and
// `next` are their normals.
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
  for (const Piece<D>& p : pieces) {
    Bounds<D> box;
    if (p.child >= 0) box = colvik::bounds(children[p.child].shape, children[p.child].pose);
    for (std::uint32_t k = 0; k < p.corners; ++k) box = box.merged(points[corner_list[p.first_corner + k]]);
    boxes.push_back(box);
  }
  tree = index::StaticTree<D>(boxes);

  if constexpr (D == 2) {
    std::map<std::uint32_t, std::size_t> starting, ending;  // fronts by their corners
    for (std::size_t i = 0; i < fronts.size(); ++i) {
      starting.emplace(fronts[i].corner[0], i);
      ending.emplace(fronts[i].corner[1], i);
    }
    for (std::size_t i = 0; i < fronts.size(); ++i) {
      Front<2>& f = fronts[i];
      const Vec<2> n = normal(f);
      for (int k = 0; k < 2; ++k) {
        const auto& at = k == 0 ? ending : starting;
        const auto next = at.find(f.corner[k]);
        if (next == at.end()) {
          f.lean[k] = f.lean_behind[k] = 1;
          continue;
        }
        const Vec<2> m = normal(fronts[next->second]), out = outward(f, n, k);
        f.lean[k] = lean_over<2>(n, m, out);
        f.lean_behind[k] = lean_over<2>(-n, -m, out);
      }
    }
  } else {
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::size_t> side;  // directed edge -> front
    for (std::size_t i = 0; i < fronts.size(); ++i)
      for (int k = 0; k < 3; ++k) side.emplace(std::pair(fronts[i].corner[k], fronts[i].corner[(k + 1) % 3]), i);
    for (std::size_t i = 0; i < fronts.size(); ++i) {
      Front<3>& f = fronts[i];
      const Vec<3> n = normal(f);
      for (int k = 0; k < 3; ++k) {
        const auto next = side.find({f.corner[(k + 1) % 3], f.corner[k]});
        if (next == side.end()) {
          f.lean[k] = f.lean_behind[k] = 1;
          continue;
        }
        const Vec<3> m = normal(fronts[next->second]), out = outward(f, n, k);
        f.lean[k] = lean_over<3>(n, m, out);
        f.lean_behind[k] = lean_over<3>(-n, -m, out);
      }
    }
  }
}
template void Assembly<2>::finish();
template void Assembly<3>::finish();

template <int D>
Shape<D> of_parts(ShapeKind kind, Assembly<D> assembly) {
  assembly.finish();
  const Bounds<D> box = assembly.tree.bounds();
  Shape<D> s;
  s.kind = kind;
  s.core = box.size() / 2;
  s.middle = box.centre();
  s.parts = std::make_shared<const Assembly<D>>(std::move(assembly));
  return s;
}
template Shape<2> of_parts(ShapeKind, Assembly<2>);
template Shape<3> of_parts(ShapeKind, Assembly<3>);

}  // namespace colvik::shapes
