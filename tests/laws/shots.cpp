// What is fast: shots at thin walls and through thin zones.
#include "laws.hpp"

namespace colvik::laws {
namespace {

template <int D>
Shape<D> bullet(Random& random, int i) {
  const double size = 0.1;
  switch (i % 4) {
    case 0: return ball<D>(size);
    case 1: return cube<D>(size);
    case 2: return capsule<D>(0.6 * size, 1.6 * size);
    default: {
      std::vector<Vec<D>> corners;
      if constexpr (D == 2) {
        for (int k = 0; k < 5; ++k)
          corners.push_back(0.5 * size *
                            (Rotation<2>(2 * kPi * k / 5 + random.range(0, 0.5)) * Vec<2>(1, 0)));
        return polygon(corners).value();
      } else {
        for (int k = 0; k < 12; ++k) corners.push_back(0.5 * size * random.direction<3>());
        return hull(corners).value();
      }
    }
  }
}

// Many shots at once, each at a wall of 1 cm of its own.
template <int D>
void shots() {
  const int n = full() ? 1000000 : 10000;
  const int at_once = 500;
  Random random(21);
  int passed = 0;
  std::size_t held = 0;
  for (int done = 0; done < n; done += at_once) {
    World<D> world(earth<D>());
    std::vector<std::pair<ObjectId, double>> all;  // and where its wall stands
    for (int i = 0; i < at_once; ++i) {
      Shape<D> wall = cube<D>(4);
      wall.core[0] = 0.005;
      const double distance = random.range(0.3, 12);
      const Vec<D> lane = up<D>(20.0 * i);
      put<D>(world, fmt::format("wall{}", i), BodyKind::fixed, Vec<D>(lane + along_x<D>(distance)),
             solid(wall));
      ObjectDef<D> def = thing<D>(fmt::format("shot{}", i), BodyKind::dynamic, lane,
                                  {rough<D>(bullet<D>(random, i), 0.5, i % 3 == 0 ? 0.5 : 0.0)});
      Vec<D> aim = random.vec<D>(0.1);
      aim[0] = 1;
      def.velocity = aim.normalized() * std::exp(random.range(std::log(5.0), std::log(1000.0)));
      if (random.coin())
        for (int k = 0; k < kTurnAxes<D>; ++k) def.spin[k] = random.range(-300, 300);
      def.turned = random.rotation<D>();
      all.emplace_back(world.add(def).value(), distance);
    }
    // Who has left by the end of its wall may come round it: hit by another shot, or sent back by
    // another wall.
    std::vector<bool> bad(all.size());
    std::vector<bool> round(all.size());
    std::vector<Vec<D>> before(all.size(), kZero);
    for (int step = 0; step < 20; ++step) {
      world.step();
      for (std::size_t i = 0; i < all.size(); ++i) {
        const Object<D>& shot = world.object(all[i].first);
        const Vec<D> at =
            Vec<D>(shot.pose * shot.mass_centre) - up<D>(20.0 * static_cast<double>(i));
        const Vec<D> from = std::exchange(before[i], at);
        const auto clear = [](Vec<D> v) {  // of the wall's ends
          v[0] = 0;
          return v.cwiseAbs().maxCoeff() >= 1.9;
        };
        if (round[i]) continue;
        const double beyond = at[0] - all[i].second;
        if (beyond <= 0) round[i] = clear(at);
        else if (clear(Vec<D>(at + (from - at) * (beyond / (at[0] - from[0]))))) round[i] = true;
        else bad[i] = true;
      }
    }
    passed += static_cast<int>(std::count(bad.begin(), bad.end(), true));
    held += world.held_back();
  }
  record(fmt::format("{} shots at walls of 1 cm: passed", n), D, 0, passed, 0, Against::absolute);
  record(fmt::format("{} shots at walls of 1 cm: held back by the last defence, part", n), D, 0,
         static_cast<double>(held) / n, 0.01, Against::absolute);
}
COLVIK_LAW("shots", shots);

// Both move, and neither passes the other: plates that fly at each other face to face.
template <int D>
void against_each_other() {
  const int n = full() ? 20000 : 1000;
  const int at_once = 200;
  Random random(22);
  int passed = 0;
  for (int done = 0; done < n; done += at_once) {
    World<D> world;
    std::vector<std::pair<ObjectId, ObjectId>> all;
    for (int i = 0; i < at_once; ++i) {
      Shape<D> plate = cube<D>(1);
      plate.core[0] = 0.01;
      const Vec<D> lane = up<D>(20.0 * i);
      all.emplace_back(put<D>(world, fmt::format("a{}", i), BodyKind::dynamic, lane, solid(plate),
                              along_x<D>(random.range(5, 500))),
                       put<D>(world, fmt::format("b{}", i), BodyKind::dynamic,
                              Vec<D>(lane + along_x<D>(random.range(0.5, 9))), solid(plate),
                              along_x<D>(-random.range(5, 500))));
    }
    run(world, 0.2);
    for (const auto& [a, b] : all)
      if (world.object(a).pose.position[0] > world.object(b).pose.position[0]) ++passed;
  }
  record(fmt::format("{} plates flying at each other: passed", n), D, 0, passed, 0,
         Against::absolute);
}
COLVIK_LAW("shots", against_each_other);

// A fast elastic ball between two walls keeps its speed, and its time.
template <int D>
void many_impacts() {
  World<D> world;
  for (const double x : {0.0, 1.1})
    put<D>(world, fmt::format("wall{}", x), BodyKind::fixed, along_x<D>(x < 1 ? -0.5 : 1.6),
           rough<D>(cube<D>(1), 0, 1));
  const ObjectId id = put<D>(world, "ball", BodyKind::dynamic, along_x<D>(0.55),
                             rough<D>(ball<D>(0.1), 0, 1), along_x<D>(170));
  run(world, 1);
  // From wall to wall it has 1 m: after 1 s it has made 170 ways.
  const Object<D>& o = world.object(id);
  record("a ball of 170 m/s between walls 1 m apart: speed", D, 170, std::abs(o.velocity[0]), 1e-6);
  record("a ball of 170 m/s between walls 1 m apart: place after 1 s", D, 0.55, o.pose.position[0],
         0.01, Against::absolute);
}
COLVIK_LAW("shots", many_impacts);

template <int D>
void thin_zones() {
  const int n = full() ? 10000 : 2000;
  const int at_once = 200;
  Random random(23);
  int wrong = 0;
  double worst = 0;
  for (int done = 0; done < n; done += at_once) {
    World<D> world;
    std::vector<double> begins(at_once, -1);
    std::vector<double> ends(at_once, -1);
    std::vector<double> enters;
    std::vector<double> leaves;
    std::vector<int> counts(at_once, 0);
    for (int i = 0; i < at_once; ++i) {
      Shape<D> sheet = cube<D>(4);
      const double thick = std::exp(random.range(std::log(0.001), std::log(0.1)));
      sheet.core[0] = thick / 2;
      const double distance = random.range(1, 8);
      const double speed = std::exp(random.range(std::log(20.0), std::log(1000.0)));
      const Vec<D> lane = up<D>(20.0 * i);
      const ObjectId a = put<D>(world, fmt::format("z{}", i), BodyKind::fixed,
                                Vec<D>(lane + along_x<D>(distance)), zone(sheet));
      ObjectDef<D> def =
          thing<D>(fmt::format("s{}", i), BodyKind::dynamic, lane, {solid(ball<D>(0.2))});
      def.velocity = along_x<D>(speed);
      def.user = static_cast<std::uint64_t>(i);
      world.add(def).value();
      (void)a;
      enters.push_back((distance - thick / 2 - 0.1) / speed);
      leaves.push_back((distance + thick / 2 + 0.1) / speed);
    }
    for (int step = 0; step < 40; ++step) {
      world.step();
      for (const Event<D>& e : world.events()) {
        const auto i = static_cast<std::size_t>(world.object(e.other).user);
        ++counts[i];
        (e.phase == Phase::begin ? begins : ends)[i] = e.time;
      }
    }
    for (std::size_t i = 0; i < counts.size(); ++i) {
      if (counts[i] != 2 || begins[i] < 0 || ends[i] < 0) {
        ++wrong;
        continue;
      }
      worst = std::max({worst, std::abs(begins[i] - enters[i]), std::abs(ends[i] - leaves[i])});
    }
  }
  record(fmt::format("{} thin zones crossed: not begun and ended once", n), D, 0, wrong, 0,
         Against::absolute);
  record(fmt::format("{} thin zones crossed: worst error of a time, seconds", n), D, 0, worst, 1e-4,
         Against::absolute);
}
COLVIK_LAW("shots", thin_zones);

// The same scene 1,000 km away, and in units of another size. All start at places that can be
// reported to the last bit from there, too: else it would not be the same scene.
constexpr double kAway = 1e6;
template <int D>
struct Sample {
  std::vector<Vec<D>> places;
  std::vector<std::string> events;
};
template <int D>
Sample<D> sample(int scene, double offset, double unit) {
  WorldSettings<D> s = awake<D>();
  s.gravity *= unit;
  s.metre = unit;
  if (scene == 1) s.gravity = unit * tilted<D>(0.3).gravity;
  World<D> world(s);
  const Vec<D> away = Vec<D>::Constant(offset);
  std::vector<ObjectId> ids;
  const auto add = [&](const std::string& name, BodyKind body, const Vec<D>& at, ColliderDef<D> c,
                       const Vec<D>& velocity) {
    c.shape = scaled(c.shape, unit);
    c.density = 1 / std::pow(unit, D);
    const Vec<D> common = Vec<D>(at + Vec<D>::Constant(kAway)) - Vec<D>::Constant(kAway);
    ids.push_back(
        put<D>(world, name, body, Vec<D>(common * unit + away), c, Vec<D>(velocity * unit)));
  };
  add("floor", BodyKind::fixed, up<D>(-0.5), rough<D>(slab<D>(400, 1), 0.6, scene == 2 ? 0.75 : 0),
      kZero);
  switch (scene) {
    case 0:
      for (int i = 0; i < 8; ++i)
        add(fmt::format("box{}", i), BodyKind::dynamic, up<D>(0.5 + i), solid(cube<D>(1)), kZero);
      break;
    case 1:
      add("ball", BodyKind::dynamic, up<D>(0.5), rough<D>(ball<D>(1), 0.6), kZero);
      add("block", BodyKind::dynamic, along_x<D>(-6) + up<D>(0.25), rough<D>(slab<D>(1, 0.5), 0.1),
          kZero);
      break;
    case 2:
      for (int i = 0; i < 3; ++i)
        add(fmt::format("ball{}", i), BodyKind::dynamic, along_x<D>(2.0 * i) + up<D>(2.0 + i),
            rough<D>(ball<D>(1), 0, 0.75), along_x<D>(1));
      break;
    default: {
      Random random(4);
      for (int i = 0; i < 30; ++i)
        add(fmt::format("thing{}", i), BodyKind::dynamic,
            Vec<D>(random.vec<D>(1.5) + up<D>(1.0 + 0.9 * i)),
            solid(i % 2 == 0 ? ball<D>(0.75) : cube<D>(0.75)), kZero);
    }
  }
  Sample<D> out;
  for (int i = 0; i < 600; ++i) {
    world.step();
    for (const Event<D>& e : world.events())
      if (out.events.size() < 100)
        out.events.push_back(fmt::format("{} {} {} {}", e.step, name_of(e.phase),
                                         world.object(e.self).name, world.object(e.other).name));
  }
  for (const ObjectId id : ids)
    out.places.push_back((world.object(id).pose.position - away) / unit);
  return out;
}
template <int D>
void elsewhere() {
  const char* names[] = {"a stack", "an incline", "bouncing balls", "a pile"};
  for (int scene = 0; scene < 4; ++scene) {
    const Sample<D> here = sample<D>(scene, 0, 1);
    const Sample<D> far = sample<D>(scene, kAway, 1);
    double worst = 0;
    for (std::size_t i = 0; i < here.places.size(); ++i)
      worst = std::max(worst, (here.places[i] - far.places[i]).norm());
    record(fmt::format("1,000 km away: {}, greatest difference after 10 s", names[scene]), D, 0,
           worst, 0.001, Against::absolute);
    double same = 0;
    while (same < static_cast<double>(std::min(here.events.size(), far.events.size())) &&
           here.events[static_cast<std::size_t>(same)] ==
               far.events[static_cast<std::size_t>(same)])
      ++same;
    record(fmt::format("1,000 km away: {}, the same first events", names[scene]), D,
           static_cast<double>(here.events.size()), same, 0);
    for (const double unit : {0.0625, 1024.0}) {
      const Sample<D> scaled = sample<D>(scene, 0, unit);
      worst = 0;
      for (std::size_t i = 0; i < here.places.size(); ++i)
        worst = std::max(worst, (here.places[i] - scaled.places[i]).norm());
      record(fmt::format("in units {} times as large: {}, places and events differ", 1 / unit,
                         names[scene]),
             D, 0, worst + (scaled.events == here.events ? 0 : 1), 1e-9, Against::absolute);
    }
  }
}
COLVIK_LAW("elsewhere", elsewhere);

}  // namespace
}  // namespace colvik::laws
