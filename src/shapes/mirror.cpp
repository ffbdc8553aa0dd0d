// Shapes as a mirror across the y axis (3D: the plane of y and z) shows them.
#include <algorithm>

#include "shapes/assembly.h"
#include "shapes/polytope.h"

namespace colvik {
namespace {

template <int D>
Vec<D> across(Vec<D> v) {
  v[0] = -v[0];
  return v;
}

// Flat shapes of many pieces: each loop runs in the other direction then.
Shape<2> mirrored_parts(const Shape<2>& shape) {
  shapes::Assembly<2> all = *shape.parts;
  for (Vec<2>& p : all.points) p = across<2>(p);
  for (const shapes::Piece<2>& piece : all.pieces) {
    const auto first = all.corner_list.begin() + piece.first_corner;
    if (piece.child < 0) std::reverse(first, first + piece.corners);
  }
  for (shapes::Front<2>& f : all.fronts) {
    std::swap(f.corner[0], f.corner[1]);
    f.lean = f.lean_behind = {};
  }
  for (auto& line : all.lines) {
    for (Vec<2>& p : line) p = across<2>(p);
    std::reverse(line.begin(), line.end());
  }
  all.tree = {};
  all.finish();
  all.mass.centre = across<2>(all.mass.centre);
  return shapes::of_parts(shape.kind, std::move(all));
}

}  // namespace

Rotation<2> mirrored(const Rotation<2>& turned) { return turned.inverse(); }
Rotation<3> mirrored(const Rotation<3>& turned) {
  const Spin<3> turn = turned.to_spin();  // an axis is mirrored, and the turn about it reverses
  return Rotation<3>::from_spin(Spin<3>(turn.x(), -turn.y(), -turn.z()));
}

template <int D>
Result<Shape<D>> mirrored(const Shape<D>& shape) {
  switch (shape.kind) {
    case ShapeKind::ball:
    case ShapeKind::box:
    case ShapeKind::capsule:
    case ShapeKind::cylinder:
    case ShapeKind::cone:
    case ShapeKind::half_space: return shape;
    case ShapeKind::tiles:
    case ShapeKind::mesh:
    case ShapeKind::heights:
      return Error{std::string(shape_name<D>(shape.kind)), "cannot be mirrored",
                   "a shape with an inside"};
    case ShapeKind::compound: {
      std::vector<Placed<D>> children = convex_children(shape);
      for (Placed<D>& c : children) {
        Result<Shape<D>> good = mirrored(c.shape);
        if (!good) return good.error();
        c = {good.value(), across<D>(c.at), mirrored(c.turned)};
      }
      return compound<D>(children);
    }
    default: break;
  }
  if (shape.parts != nullptr) {
    if constexpr (D == 2) return mirrored_parts(shape);
  }
  std::vector<Vec<D>> corners;
  for (const Vec<D>& p : shape.corners->points) corners.push_back(across<D>(p));
  Result<Shape<D>> out = shape;
  if (shape.kind == ShapeKind::segment) {
    out = segment<D>(corners[0], corners[1]);
  } else {
    if constexpr (D == 2) out = polygon(corners);
    else out = hull(corners, shapes::kMostCornersOfHull);
  }
  if (out) return rounded(std::move(out).value(), shape.radius);
  return out;
}
template Result<Shape<2>> mirrored(const Shape<2>&);
template Result<Shape<3>> mirrored(const Shape<3>&);

}  // namespace colvik
