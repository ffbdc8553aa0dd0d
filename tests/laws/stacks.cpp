// What stands, and what falls asleep.
#include "laws.hpp"

namespace colvik::laws {
namespace {

template <int D>
std::vector<ObjectId> stack(World<D>& world, int n) {
  std::vector<ObjectId> boxes;
  for (int i = 0; i < n; ++i)
    boxes.push_back(put<D>(world, fmt::format("box{}", i), BodyKind::dynamic, up<D>(0.5 + i),
                           solid(cube<D>(1))));
  return boxes;
}

template <int D>
void stacks() {
  for (const int n : {10, 30, 100}) {
    World<D> world(awake<D>());
    floor_under<D>(world, 0.5, 0, 60);
    const std::vector<ObjectId> boxes = stack(world, n);
    run(world, full() || n < 100 ? 60 : 20);
    const Object<D>& top = world.object(boxes.back());
    const std::string name = fmt::format("stack of {} boxes, {} s", n, full() || n < 100 ? 60 : 20);
    // Each contact sinks by less than a millimetre.
    record(name + ": height", D, n - 0.5, top.pose.position[1], 0.001 * n, Against::absolute);
    Vec<D> aside = top.pose.position;
    aside[1] = 0;
    record(name + ": the top's displacement aside", D, 0, aside.norm(), 0.25, Against::absolute);
    World<D> sleepy(earth<D>());
    floor_under<D>(sleepy, 0.5, 0, 60);
    stack(sleepy, n);
    while (sleepy.time() < 10 && sleepy.awake_count() > 0) sleepy.step();
    record(fmt::format("stack of {} boxes sleeps: seconds", n), D, 0, sleepy.time(), 3,
           Against::absolute);
  }
}
COLVIK_LAW("stacks", stacks);

template <int D>
void heavy_on_light() {
  World<D> world(awake<D>());
  floor_under<D>(world, 0.5, 0, 60);
  for (int i = 0; i < 10; ++i) {
    ObjectDef<D> def =
        thing<D>(fmt::format("light{}", i), BodyKind::dynamic, up<D>(0.5 + i), {solid(cube<D>(1))});
    def.mass = 1;
    world.add(def).value();
  }
  ObjectDef<D> def = thing<D>("heavy", BodyKind::dynamic, up<D>(10.5), {solid(cube<D>(1))});
  def.mass = 1000;
  const ObjectId id = world.add(def).value();
  run(world, 60);
  record("1000 kg on ten boxes of 1 kg, 60 s: height", D, 10.5, world.object(id).pose.position[1],
         0.02);
}
COLVIK_LAW("stacks", heavy_on_light);

// Slates lean against each other in three pairs, with a slate across two of them.
template <int D>
void slates() {
  World<D> world(awake<D>());
  floor_under<D>(world, 0.6, 0, 60);
  const double length = 2;
  const double thick = 0.1;
  const double lean = radians(20);
  std::vector<std::pair<ObjectId, Vec<D>>> all;
  const auto add = [&](const std::string& name, const Vec<D>& at, double angle) {
    Shape<D> s = cube<D>(1);
    s.core[0] = thick / 2;
    s.core[1] = length / 2;
    ObjectDef<D> def = thing<D>(name, BodyKind::dynamic, at, {rough<D>(s, 0.6)});
    if constexpr (D == 2) def.turned = Rotation<2>(angle);
    else def.turned = Rotation<3>(Vec<3>::Unit(2), angle);
    all.emplace_back(world.add(def).value(), at);
  };
  const double high = length * std::cos(lean) + thick * std::sin(lean);
  const double half = (length * std::sin(lean) + thick * std::cos(lean)) / 2;
  for (int i = 0; i < 3; ++i) {
    const double x = 2 * i * half * 2;
    add(fmt::format("left{}", i), along_x<D>(x) + up<D>(high / 2), -lean);
    add(fmt::format("right{}", i), along_x<D>(x + 2 * half) + up<D>(high / 2), lean);
  }
  // Across the two ridges.
  add("lintel", along_x<D>(3 * half) + up<D>(high + thick / 2), kPi / 2);
  run(world, 60);
  double worst = 0;
  for (const auto& [id, at] : all)
    worst = std::max(worst, (world.object(id).pose.position - at).norm());
  record("slates that lean in pairs with one across, 60 s: displacement", D, 0, worst, 0.05,
         Against::absolute);
}
COLVIK_LAW("stacks", slates);

// Nine wedges make half a ring between two abutments; only friction and shape hold it.
template <int D>
void bridge() {
  World<D> world(awake<D>());
  floor_under<D>(world, 0.7, 0, 60);
  const int n = 9;
  const double inner = 3;
  const double outer = 4;
  std::vector<std::pair<ObjectId, Vec<D>>> all;
  for (int i = 0; i < n; ++i) {
    const double from = kPi * i / n;
    const double to = kPi * (i + 1) / n;
    const double middle = (from + to) / 2;
    const Vec<2> centre = 0.5 * (inner + outer) * Vec<2>(std::cos(middle), std::sin(middle));
    std::vector<Vec<D>> corners;
    for (const double z : {-0.5, 0.5})
      for (const auto& [r, a] : {std::pair(inner, from), std::pair(outer, from),
                                 std::pair(outer, to), std::pair(inner, to)}) {
        Vec<D> p = kZero;
        p[0] = r * std::cos(a) - centre.x();
        p[1] = r * std::sin(a) - centre.y();
        if constexpr (D == 3) p[2] = z;
        if (D == 3 || z < 0) corners.push_back(p);
      }
    Shape<D> stone;
    if constexpr (D == 2) stone = polygon(corners).value();
    else stone = hull(corners).value();
    Vec<D> at = kZero;
    at[0] = centre.x();
    at[1] = centre.y();
    all.emplace_back(
        put<D>(world, fmt::format("stone{}", i), BodyKind::dynamic, at, rough<D>(stone, 0.7)), at);
  }
  run(world, 60);
  double worst = 0;
  for (const auto& [id, at] : all)
    worst = std::max(worst, (world.object(id).pose.position - at).norm());
  record("dry-stone bridge of nine, 60 s: displacement", D, 0, worst, 0.05, Against::absolute);
}
COLVIK_LAW("stacks", bridge);

// Two kinematic jaws close on a box to half its width.
template <int D>
void squeezed() {
  World<D> world(awake<D>());
  floor_under<D>(world, 0.5, 0, 60);
  const ObjectId id = put<D>(world, "box", BodyKind::dynamic, up<D>(0.5), solid(cube<D>(1)));
  for (const double side : {-1.0, 1.0}) {
    ObjectDef<D> jaw = thing<D>(side < 0 ? "left" : "right", BodyKind::kinematic,
                                along_x<D>(side * 2) + up<D>(1), {solid(cube<D>(2))});
    jaw.motion = Path<D>{
        {{0, along_x<D>(side * 2) + up<D>(1), {}}, {2, along_x<D>(side * 1.25) + up<D>(1), {}}},
        false};
    world.add(jaw).value();
  }
  const TagQuery any;
  world.ask_during(any, any);
  double fastest = 0;
  bool reported = false;
  for (int i = 0; i < 600; ++i) {
    world.step();
    fastest = std::max(fastest, world.object(id).velocity.norm());
    for (const Event<D>& e : world.events()) reported = reported || e.squeezed;
  }
  record("a box squeezed to half its width: greatest speed", D, 0, fastest, 5, Against::absolute);
  record("a box squeezed to half its width is reported as squeezed", D, 1, reported ? 1 : 0, 0);
}
COLVIK_LAW("stacks", squeezed);

}  // namespace
}  // namespace colvik::laws
