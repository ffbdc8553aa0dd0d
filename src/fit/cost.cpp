// What a collider costs in a little world of its own.
#include <colvik/world.hpp>

#include "fit/fitting.h"

namespace colvik {
namespace {

struct Measured {
  double contacts = 0;
  double time = 0;
};

// 24 copies in a bin, or on a ground of that shape.
template <int D>
Measured drop(const Shape<D>& shape, double (*seconds)()) {
  const bool ground = is_scenery(shape.kind);
  WorldSettings<D> settings;
  settings.gravity = -10 * Vec<D>::Unit(1);
  settings.sleep = false;
  World<D> world(settings);
  const auto add_fixed = [&](const Shape<D>& s, const Vec<D>& at) {
    ObjectDef<D> def;
    def.at = at;
    def.colliders.push_back({.shape = s});
    (void)world.add(def);
  };
  const Bounds<D> own = bounds(shape, Pose<D>{});
  const double wanted = ground ? 8 : 1;
  const double by = wanted / own.size().maxCoeff();
  Shape<D> ball;
  ball.radius = 0.25;
  if (ground) {
    const Vec<D> middle = own.centre() * by;
    add_fixed(scaled(shape, by), Vec<D>(-middle));
  } else {
    add_fixed(half_space<D>(), kZero);
    for (int axis = 0; axis < D; ++axis)
      for (const double side : {-4.0, 4.0}) {
        if (axis == 1) continue;
        Shape<D> wall;
        wall.kind = ShapeKind::box;
        wall.core = Vec<D>::Constant(8.0);
        wall.core[axis] = 0.5;
        add_fixed(wall, Vec<D>(side * Vec<D>::Unit(axis)));
      }
  }
  const Shape<D> falling = ground ? ball : scaled(shape, by);
  const Bounds<D> box = bounds(falling, Pose<D>{});
  constexpr int kColumns = 6;
  for (int i = 0; i < 24; ++i) {
    ObjectDef<D> def;
    def.body = BodyKind::dynamic;
    def.at = -box.centre();
    const int row = i / kColumns;
    def.at[0] += (i % kColumns - 2.5) * 1.1;
    def.at[1] += (ground ? 0.5 * by * own.size()[1] + 0.5 : 0.6) + row * 1.15;
    if constexpr (D == 3) def.at[2] += (i % 5 - 2) * 0.05;
    def.colliders.push_back({.shape = falling});
    (void)world.add(def);
  }
  Measured m;
  constexpr int kSteps = 120;
  const double start = seconds != nullptr ? seconds() : 0;
  for (int i = 0; i < kSteps; ++i) {
    world.step();
    m.contacts += static_cast<double>(world.contact_count()) / kSteps;
  }
  if (seconds != nullptr) m.time = (seconds() - start) / kSteps;
  return m;
}

}  // namespace

template <int D>
FitCost cost_of(const Shape<D>& shape, double (*seconds)()) {
  if (shape.kind == ShapeKind::half_space || !check_shape(shape, 1)) return {};
  Shape<D> ball;
  ball.radius = 0.5;
  const Measured round = drop(ball, seconds);
  const Measured own = drop(shape, seconds);
  return {own.contacts / round.contacts, round.time > 0 ? own.time / round.time : 0};
}
template FitCost cost_of(const Shape<2>&, double (*)());
template FitCost cost_of(const Shape<3>&, double (*)());

}  // namespace colvik
