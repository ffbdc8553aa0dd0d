#pragma once
// Small things to make worlds of.
#include <colvik/colvik.hpp>

#include <string>

#include "random.hpp"

namespace colvik::test {

template <int D>
Vec<D> up(double height) {
  return height * Vec<D>::Unit(1);
}
template <int D>
Vec<D> along_x(double x) {
  return x * Vec<D>::Unit(0);
}
template <int D>
Shape<D> cube(double size) {
  Shape<D> s;
  s.kind = ShapeKind::box;
  s.core.setConstant(size / 2);
  return s;
}
// About 0.8 m: polygons; in 3D in turn hulls, cylinders and cones, whose contacts are searched for.
template <int D>
Shape<D> odd(int which) {
  if constexpr (D == 2) {
    const double lean = 0.1 * (which % 5);
    return polygon(std::vector<Vec<2>>{
                       {-0.4, -0.3}, {0.3, -0.4}, {0.4, 0.2}, {lean, 0.4}, {-0.35, 0.3}})
        .value();
  } else {
    if (which % 3 == 1) return cylinder(0.8, 0.6);
    if (which % 3 == 2) return cone(0.8, 0.8);
    std::vector<Vec<3>> corners;
    for (int k = 0; k < 10; ++k) {  // on a spiral from pole to pole
      const double height = 0.9 - 0.2 * k;
      const double angle = 2.4 * k + which;
      const double out = 0.4 * std::sqrt(1 - height * height);
      double s = 0;
      double c = 1;
      sine_cosine(angle, s, c);
      corners.emplace_back(out * c, 0.4 * height, out * s);
    }
    return hull(corners).value();
  }
}

template <int D>
Shape<D> slab(double width, double height) {
  Shape<D> s = cube<D>(width);
  s.core[1] = height / 2;
  return s;
}
template <int D>
Shape<D> ball(double diameter) {
  Shape<D> s;
  s.radius = diameter / 2;
  return s;
}
template <int D>
ColliderDef<D> solid(const Shape<D>& shape) {
  ColliderDef<D> c;
  c.shape = shape;
  return c;
}
template <int D>
ColliderDef<D> zone(const Shape<D>& shape) {
  ColliderDef<D> c = solid(shape);
  c.zone = true;
  return c;
}
template <int D>
ObjectDef<D> thing(const std::string& name, BodyKind body, const Vec<D>& at,
                   const std::vector<ColliderDef<D>>& colliders,
                   const std::vector<std::string>& tags = {}) {
  ObjectDef<D> def;
  def.name = name;
  def.body = body;
  def.at = at;
  def.colliders = colliders;
  def.tags = tags;
  return def;
}
template <int D>
WorldSettings<D> earth() {
  WorldSettings<D> s;
  s.gravity = up<D>(-9.81);
  return s;
}

}  // namespace colvik::test
