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
  s.kind = ShapeKind::box, s.core.setConstant(size / 2);
  return s;
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
                   const std::vector<ColliderDef<D>>& colliders, const std::vector<std::string>& tags = {}) {
  ObjectDef<D> def;
  def.name = name, def.body = body, def.at = at, def.colliders = colliders, def.tags = tags;
  return def;
}
template <int D>
WorldSettings<D> earth() {
  WorldSettings<D> s;
  s.gravity = up<D>(-9.81);
  return s;
}

}  // namespace colvik::test
