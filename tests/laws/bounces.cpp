// What bounces.
#include "laws.hpp"

namespace colvik::laws {
namespace {

template <int D>
void rebound() {
  for (const double e : {0.0, 0.3, 0.5, 0.8, 1.0}) {
    World<D> world(awake<D>());
    floor_under<D>(world, 0.5, e);
    const ObjectId id =
        put<D>(world, "ball", BodyKind::dynamic, up<D>(5.5), rough<D>(ball<D>(1), 0.5, e));
    double highest = 0;
    bool hit = false;
    for (int i = 0; i < 170; ++i) {
      world.step();
      const Object<D>& o = world.object(id);
      if (!world.events().empty() && hit && world.events()[0].phase == Phase::begin) break;
      hit = hit || !world.events().empty();
      // Where it would rise to from here.
      if (hit && o.velocity[1] > 0.01)
        highest =
            std::max(highest, o.pose.position[1] - 0.5 + o.velocity[1] * o.velocity[1] / (2 * kG));
    }
    record(fmt::format("rebound from 5 m at restitution {}", e), D, 5 * e * e, highest,
           e == 0 ? 0.05 : 0.01, e == 0 ? Against::absolute : Against::expected);
  }
}
COLVIK_LAW("bounces", rebound);

template <int D>
void five_bounces() {
  World<D> world(awake<D>());
  floor_under<D>(world, 0.5, 0.8);
  put<D>(world, "ball", BodyKind::dynamic, up<D>(2.5), rough<D>(ball<D>(1), 0.5, 0.8));
  std::vector<double> hits;
  while (world.time() < 10 && hits.size() < 5) {
    world.step();
    for (const Event<D>& e : world.events())
      if (e.phase == Phase::begin) hits.push_back(e.time);
  }
  const double first = std::sqrt(2 * 2 / kG);
  const double e = 0.8;
  const double wanted = first * (1 + 2 * (e + e * e + e * e * e + e * e * e * e));
  record("time to the fifth bounce at restitution 0.8", D, wanted,
         hits.size() == 5 ? hits.back() : 0, 0.01);
}
COLVIK_LAW("bounces", five_bounces);

template <int D>
struct Pair {
  World<D> world{WorldSettings<D>{}};
  ObjectId a;
  ObjectId b;
  Pair(double mass_a, double mass_b, double e, double speed, double aside) {
    const auto make = [&](const std::string& name, double mass, const Vec<D>& at,
                          const Vec<D>& velocity) {
      ObjectDef<D> def = thing<D>(name, BodyKind::dynamic, at, {rough<D>(ball<D>(1), 0, e)});
      def.mass = mass;
      def.velocity = velocity;
      return world.add(def).value();
    };
    a = make("a", mass_a, along_x<D>(-3.3) + up<D>(aside), along_x<D>(speed));
    b = make("b", mass_b, kZero, kZero);
    run(world, 2);
  }
  [[nodiscard]] Vec<D> velocity(ObjectId id) const { return world.object(id).velocity; }
};

template <int D>
void two_balls() {
  for (const double aside : {0.0, 0.5})
    for (const double e : {1.0, 0.0})
      for (const auto& [ma, mb] :
           {std::pair(1.0, 1.0), std::pair(1.0, 3.0), std::pair(10.0, 1.0)}) {
        const double speed = 6;
        const Pair<D> hit(ma, mb, e, speed, aside);
        const Vec<D> va = hit.velocity(hit.a);
        const Vec<D> vb = hit.velocity(hit.b);
        const std::string name = fmt::format("{} hit of {} on {} at restitution {}",
                                             aside == 0 ? "head-on" : "oblique", ma, mb, e);
        const Vec<D> off = ma * va + mb * vb - along_x<D>(ma * speed);
        record(name + ": momentum", D, ma * speed, ma * speed + off.norm(), 1e-5);
        // Along the line of centres at the hit only.
        const double sine = aside;
        const double cosine = std::sqrt(1 - sine * sine);
        const double reduced = ma * mb / (ma + mb);
        const double lost = (1 - e * e) * reduced * speed * speed * cosine * cosine / 2;
        const double wanted = ma * speed * speed / 2 - lost;
        record(name + ": energy", D, wanted, (ma * va.squaredNorm() + mb * vb.squaredNorm()) / 2,
               0.005);
        if (aside > 0) {
          const double push = (1 + e) * reduced * speed * cosine / mb;
          record(name + ": direction of the one hit", D, -std::asin(sine), std::atan2(vb[1], vb[0]),
                 0.01);
          record(name + ": its speed", D, push, vb.norm(), 0.01);
        }
      }
}
COLVIK_LAW("bounces", two_balls);

template <int D>
void row_of_balls() {
  World<D> world;
  std::vector<ObjectId> balls;
  for (int i = 0; i < 6; ++i)
    balls.push_back(put<D>(world, fmt::format("b{}", i), BodyKind::dynamic,
                           along_x<D>(i == 0 ? -2.3 : i), rough<D>(ball<D>(1), 0, 1),
                           along_x<D>(i == 0 ? 3 : 0)));
  run(world, 1.5);
  record("hit handed on by five touching balls: speed of the last", D, 3,
         world.object(balls.back()).velocity[0], 0.02);
  double others = 0;
  for (int i = 0; i < 5; ++i)
    others = std::max(others, world.object(balls[static_cast<std::size_t>(i)]).velocity.norm());
  record("hit handed on by five touching balls: speed of the others", D, 0, others, 0.06,
         Against::absolute);
}
COLVIK_LAW("bounces", row_of_balls);

// Elastic balls in a closed box.
template <int D>
void gas() {
  const int n = full() ? 1000 : 200;
  const double seconds = full() ? 60 : 10;
  const double room = D == 2 ? 0.35 * n : 10;
  World<D> world;
  for (int axis = 0; axis < D; ++axis)
    for (const double side : {-1.0, 1.0}) {
      Shape<D> wall = cube<D>(room + 4);
      wall.core[axis] = 0.5;
      const double reach = D == 2 ? std::sqrt(room * 10) : room;
      for (int k = 0; k < D; ++k)
        if (k != axis) wall.core[k] = reach;
      put<D>(world, fmt::format("wall{}{}", axis, side > 0 ? "b" : "a"), BodyKind::fixed,
             Vec<D>(side * (reach / 2 + 0.5) * Vec<D>::Unit(axis)), rough<D>(wall, 0, 1));
    }
  Random random(11);
  const double reach = D == 2 ? std::sqrt(room * 10) : room;
  std::vector<ObjectId> balls;
  Vec<D> momentum = kZero;
  double energy = 0;
  for (int i = 0; i < n; ++i) {
    for (;;) {
      const Vec<D> at = random.vec<D>(reach / 2 - 0.3);
      bool free = true;
      for (const ObjectId other : balls)
        free = free && (world.object(other).pose.position - at).norm() > 0.45;
      if (!free) continue;
      ObjectDef<D> def =
          thing<D>(fmt::format("ball{}", i), BodyKind::dynamic, at, {rough<D>(ball<D>(0.4), 0, 1)});
      def.velocity = random.vec<D>(5);
      def.mass = 1;
      momentum += def.velocity;
      energy += def.velocity.squaredNorm() / 2;
      balls.push_back(world.add(def).value());
      break;
    }
  }
  Vec<D> from_walls = kZero;
  const TagQuery any;
  world.ask_during(any, any);
  for (int i = 0; i < static_cast<int>(seconds * 60); ++i) {
    world.step();
    for (const Event<D>& e : world.events()) {
      const bool first = world.object(e.self).body == BodyKind::fixed;
      if (first || world.object(e.other).body == BodyKind::fixed)
        from_walls += (first ? -1 : 1) * e.impulse * e.normal;
    }
  }
  Vec<D> now = kZero;
  double left = 0;
  double size = 0;
  for (const ObjectId id : balls) {
    const Vec<D> v = world.object(id).velocity;
    now += v;
    left += v.squaredNorm() / 2;
    size += v.norm();
  }
  const std::string name = fmt::format("{} elastic balls in a box", n);
  record(name + ": energy", D, energy, left, 0.01);
  record(name + ": momentum, with the walls' impulses, of the sum of all", D, size,
         size + (now - momentum - from_walls).norm(), 1e-5);
}
COLVIK_LAW("bounces", gas);

}  // namespace
}  // namespace colvik::laws
