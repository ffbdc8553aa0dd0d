#pragma once
// What several tests need: both dimensions in one test, random numbers, small worlds.
#include <colvik/colvik.hpp>

#include <doctest/doctest.h>

#include <string>

#include "random.hpp"

namespace colvik::test {

// For TEST_CASE_TEMPLATE: the dimension as a type.
template <int N>
struct Dim {
  static constexpr int D = N;
};
using Two = Dim<2>;
using Three = Dim<3>;

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

// "begin zone a b", "end solid a b (left)": the events of the last step, in order.
template <int D>
std::vector<std::string> told(const World<D>& world) {
  std::vector<std::string> lines;
  for (const Event<D>& e : world.events()) {
    std::string line = std::string(name_of(e.phase)) + " " + std::string(name_of(e.channel)) + " " +
                       world.object(e.self).name + " " + world.object(e.other).name;
    if (e.phase == Phase::end) line += " (" + std::string(name_of(e.why)) + ")";
    lines.push_back(line);
  }
  return lines;
}
using Lines = std::vector<std::string>;

}  // namespace colvik::test

namespace doctest {
template <>
struct StringMaker<std::vector<std::string>> {
  static String convert(const std::vector<std::string>& lines) {
    std::string text = "[";
    for (const std::string& line : lines) text += (text.size() > 1 ? " | " : "") + line;
    return (text + "]").c_str();
  }
};
}  // namespace doctest

TYPE_TO_STRING(colvik::test::Two);
TYPE_TO_STRING(colvik::test::Three);
