#pragma once
// A level with a walker in it.
#include "support.hpp"

namespace colvik::test {

template <int D>
Rotation<D> about_z(double angle) {
  if constexpr (D == 2) return Rotation<2>(angle);
  else return Rotation<3>(Vec<3>(0, 0, 1), angle);
}

template <int D>
struct Level {
  explicit Level(double rate = 60, const Vec<D>& gravity = up<D>(-9.81))
      : world(settings(rate, gravity)) {}
  World<D> world;

  static WorldSettings<D> settings(double rate, const Vec<D>& gravity) {
    WorldSettings<D> s;
    s.rate = rate;
    s.gravity = gravity;
    return s;
  }
  // `width` along x (and z), centred.
  static ObjectDef<D> box_def(const std::string& name, const Vec<D>& at, double width,
                              double height, const Rotation<D>& turned = {}) {
    ObjectDef<D> def = thing<D>(name, BodyKind::fixed, at, {solid(slab<D>(width, height))});
    def.turned = turned;
    return def;
  }
  ObjectId box(const std::string& name, const Vec<D>& at, double width, double height,
               const Rotation<D>& turned = {}) {
    return world.add(box_def(name, at, width, height, turned)).value();
  }
  static ObjectDef<D> one_way_def(const std::string& name, const Vec<D>& at, double width,
                                  double height, const Rotation<D>& turned = {}) {
    ObjectDef<D> def = box_def(name, at, width, height, turned);
    def.colliders[0].one_way = up<D>(1);
    return def;
  }
  ObjectId one_way(const std::string& name, const Vec<D>& at, double width, double height,
                   const Rotation<D>& turned = {}) {
    return world.add(one_way_def(name, at, width, height, turned)).value();
  }
  static ObjectDef<D> walker_def(const Walker<D>& can, const Vec<D>& at, const Shape<D>& shape) {
    ObjectDef<D> def = thing<D>("walker", BodyKind::kinematic, at, {solid(shape)});
    def.walker = can;
    return def;
  }
  ObjectId walker(const Walker<D>& can, const Vec<D>& at,
                  const Shape<D>& shape = capsule<D>(0.6, 1.2)) {
    return world.add(walker_def(can, at, shape)).value();
  }
  void wish(ObjectId id, const Wish<D>& wish) { REQUIRE(world.wish(id, wish)); }
  void run(double seconds) {
    const int steps = static_cast<int>(std::llround(seconds * world.settings().rate));
    for (int i = 0; i < steps; ++i) world.step();
  }
  // What it stands on; "" in the air.
  [[nodiscard]] std::string on(ObjectId id) const {
    const Walking<D>& w = *world.walking(id);
    return w.standing ? world.object(w.on).name : "";
  }
};

}  // namespace colvik::test
