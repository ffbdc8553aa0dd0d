#pragma once
// What several tests need: both dimensions in one test, random numbers with a seed, small worlds.
#include <colvik/colvik.hpp>

#include <doctest/doctest.h>

#include <cstdlib>
#include <string>

namespace colvik::test {

// For TEST_CASE_TEMPLATE: the dimension as a type.
template <int N>
struct Dim {
  static constexpr int D = N;
};
using Two = Dim<2>;
using Three = Dim<3>;

// Random programs run at full size when asked for, at a hundredth otherwise.
inline int scaled(int full) {
  const char* asked = std::getenv("COLVIK_LONG");
  return asked != nullptr && asked[0] == '1' ? full : full / 100;
}

// Reproducible on every machine, unlike the distributions of <random>.
class Random {
 public:
  explicit Random(std::uint64_t seed) : state_(seed * 0x9e3779b97f4a7c15ULL + 1) {}
  std::uint64_t bits() {
    state_ += 0x9e3779b97f4a7c15ULL;
    std::uint64_t z = state_;
    z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9ULL;
    z = (z ^ (z >> 27)) * 0x94d049bb133111ebULL;
    return z ^ (z >> 31);
  }
  double unit() { return static_cast<double>(bits() >> 11) * 0x1p-53; }
  double range(double lo, double hi) { return lo + (hi - lo) * unit(); }
  int below(int n) { return static_cast<int>(bits() % static_cast<std::uint64_t>(n)); }
  bool coin(double chance = 0.5) { return unit() < chance; }
  template <int D>
  Vec<D> vec(double most) {
    Vec<D> v;
    for (int i = 0; i < D; ++i) v[i] = range(-most, most);
    return v;
  }
  template <int D>
  Vec<D> direction() {
    for (;;) {
      const Vec<D> v = vec<D>(1);
      if (v.norm() > 0.1 && v.norm() <= 1) return v.normalized();
    }
  }
  template <int D>
  Rotation<D> rotation() {
    if constexpr (D == 2) return Rotation<2>(range(-kPi, kPi));
    else return Rotation<3>(direction<3>(), range(-kPi, kPi));
  }
  // A ball, box or capsule; sizes spread over three decades.
  template <int D>
  Shape<D> shape(double scale = 1) {
    const auto size = [&] { return scale * std::exp(range(-3, 3)); };
    Shape<D> s;
    switch (below(3)) {
      case 0: s.radius = size(); break;
      case 1:
        s.kind = ShapeKind::box;
        for (int i = 0; i < D; ++i) s.core[i] = size();
        break;
      default: {
        const double width = size();
        s = capsule<D>(width, width + size());
      }
    }
    return s;
  }

 private:
  std::uint64_t state_;
};

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
