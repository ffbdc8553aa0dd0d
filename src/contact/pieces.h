#pragma once
// The pieces of a shape as cores, and the fronts of its surface, placed.
#include "contact/distance.h"
#include "shapes/assembly.h"

namespace colvik::contact {

template <int D>
using Corners = std::array<Vec<D>, shapes::kMostCornersOfPolygon>;

// The placed core of a piece; its corners are gathered in `keep`, if they do not lie side by side.
template <int D>
Core<D> core_of(const shapes::Assembly<D>& all, const shapes::Piece<D>& piece, const Pose<D>& pose,
                Corners<D>& keep) {
  if (piece.child >= 0) {
    const shapes::Child<D>& c = all.children[piece.child];
    return Core<D>(c.shape, pose * c.pose);
  }
  if (all.surface) return Core<D>(std::span<const Vec<D>>(all.flats[piece.first_front]), pose);
  for (std::uint32_t k = 0; k < piece.corners; ++k)
    keep[k] = all.points[all.corner_list[piece.first_corner + k]];
  return Core<D>(std::span<const Vec<D>>(keep.data(), piece.corners), pose);
}

// A half-space, which is everything below its own x-z plane, and a core.
template <int D>
Separation<D> from_half_space(const Pose<D>& half_space, const Core<D>& b) {
  Separation<D> out;
  out.normal = half_space.rotation.axis(1);
  out.on_b = b.support(-out.normal) - out.normal * b.radius;
  out.gap = out.normal.dot(out.on_b - half_space.position);
  out.on_a = out.on_b - out.normal * out.gap;
  return out;
}

// A front in the frame where shapes are compared.
template <int D>
struct PlacedFront {
  Vec<D> normal;
  std::array<Vec<D>, D> corner;
  std::array<Vec<D>, D> outward;
  std::array<double, D> lean;

  PlacedFront(const shapes::Assembly<D>& all, const shapes::Front<D>& f, const Pose<D>& pose) {
    const Vec<D> n = all.normal(f);
    normal = pose.rotation * n;
    for (int k = 0; k < D; ++k) {
      corner[k] = pose * all.points[f.corner[k]];
      outward[k] = pose.rotation * all.outward(f, n, k);
      lean[k] = f.lean[k];
    }
  }
  // Makes it the other side of a surface that is solid from both.
  void turn_over(const shapes::Front<D>& of) {
    normal = -normal;
    lean = of.lean_behind;
    std::swap(corner[0], corner[1]);
    // The sides follow the corners: in 2D the ends, in 3D the edges from corners 1 and 2 on.
    std::swap(outward[D - 2], outward[D - 1]);
    std::swap(lean[D - 2], lean[D - 1]);
  }
  [[nodiscard]] bool admits(const Vec<D>& direction) const {
    if (normal.dot(direction) <= -1e-9) return false;
    for (int k = 0; k < D; ++k)
      if (outward[k].dot(direction) > std::max(0.0, lean[k]) + 1e-3) return false;
    return true;
  }
  // Whether a direction leans over bent sides alone, if it leans too far: then no flat seam
  // misleads it.
  [[nodiscard]] bool leans_over_bends(const Vec<D>& direction) const {
    for (int k = 0; k < D; ++k)
      if (lean[k] <= 0 && outward[k].dot(direction) > 1e-3) return false;
    return normal.dot(direction) > 0;
  }
  // Whether it leans over a side where the surface bends inward.
  [[nodiscard]] bool leans_into_corner(const Vec<D>& direction) const {
    for (int k = 0; k < D; ++k)
      if (lean[k] < 0 && outward[k].dot(direction) > 1e-3) return true;
    return false;
  }
  [[nodiscard]] bool before(const Vec<D>& point) const {
    return normal.dot(point - corner[0]) >= 0;
  }
};

// A segment or triangle, which has no inside.
template <int D>
bool is_surface(const shapes::Piece<D>& piece) {
  return piece.corners == D;
}

}  // namespace colvik::contact
