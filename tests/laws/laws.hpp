#pragma once
// Laws of mechanics, each measured in a world as it comes, and reported as one line of JSON.
#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <string>

#include "../things.hpp"

namespace colvik::laws {

using namespace colvik::test;

inline constexpr double kG = 9.81;

enum class Against { expected, absolute };  // what an error is a part of

// One row. `got` is held against `expected`; the error is relative to it unless stated otherwise.
void record(const std::string& law, int dimension, double expected, double got, double limit,
            Against against = Against::expected);

// Whether the run is the long one.
[[nodiscard]] bool full();

using Law = std::function<void()>;
void add_law(const std::string& group, Law law);

template <int D>
WorldSettings<D> awake() {  // what must stand is not allowed to sleep
  WorldSettings<D> s = earth<D>();
  s.sleep = false;
  return s;
}
// Gravity turned, so that a floor is an incline down along +x.
template <int D>
WorldSettings<D> tilted(double angle) {
  WorldSettings<D> s = awake<D>();
  s.gravity = -kG * (std::cos(angle) * Vec<D>::Unit(1) - std::sin(angle) * Vec<D>::Unit(0));
  return s;
}
template <int D>
ColliderDef<D> rough(const Shape<D>& shape, double friction, double restitution = 0) {
  ColliderDef<D> c = solid(shape);
  c.friction = friction;
  c.restitution = restitution;
  return c;
}
template <int D>
ObjectId put(World<D>& world, const std::string& name, BodyKind body, const Vec<D>& at,
             const ColliderDef<D>& c, const Vec<D>& velocity = kZero) {
  ObjectDef<D> def = thing<D>(name, body, at, {c});
  def.velocity = velocity;
  return world.add(def).value();
}
// A floor whose surface is at height 0.
template <int D>
ObjectId floor_under(World<D>& world, double friction, double restitution = 0, double width = 400) {
  return put<D>(world, "floor", BodyKind::fixed, up<D>(-0.5),
                rough<D>(slab<D>(width, 1), friction, restitution));
}
template <int D>
void run(World<D>& world, double seconds) {
  const auto steps = static_cast<int>(std::lround(seconds * world.settings().rate));
  for (int i = 0; i < steps; ++i) world.step();
}
template <int D>
double spin_about_z(const Object<D>& o) {
  return o.spin[kTurnAxes<D> - 1];
}
// Where a yes turns to a no between `yes` and `no`.
inline double turning_point(double yes, double no, const std::function<bool(double)>& holds) {
  for (int i = 0; i < 12; ++i) {
    const double middle = (yes + no) / 2;
    (holds(middle) ? yes : no) = middle;
  }
  return (yes + no) / 2;
}

}  // namespace colvik::laws

// Runs law<2>() and law<3>().
#define COLVIK_LAW(group, law)                                \
  const bool law##_added = (colvik::laws::add_law((group),    \
                                                  [] {        \
                                                    law<2>(); \
                                                    law<3>(); \
                                                  }),         \
                            true)
#define COLVIK_LAW_3D(group, law) \
  const bool law##_added = (colvik::laws::add_law((group), [] { law(); }), true)
