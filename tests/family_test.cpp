// Parents and children, spots, kinds made at run time, and pairs that are excepted from meeting.
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

template <int D>
ObjectDef<D> child_of(const std::string& parent, const std::string& name, const Vec<D>& at,
                      const std::vector<ColliderDef<D>>& colliders,
                      BodyKind body = BodyKind::fixed) {
  ObjectDef<D> def = thing<D>(name, body, kZero, colliders);
  def.parent = parent;
  def.on_parent = Pose<D>{at, {}};
  return def;
}
template <int D>
Rotation<D> quarter() {
  if constexpr (D == 2) return Rotation<2>(kPi / 2);
  else return Rotation<3>(Vec<3>::Unit(2), kPi / 2);
}

}  // namespace

TEST_CASE_TEMPLATE(
    "a zone on a child moves and turns with its parent, and its events name the root", T, Two,
    Three) {
  constexpr int D = T::D;
  World<D> world;
  const ObjectId arm =
      world.add(thing<D>("arm", BodyKind::kinematic, kZero, {solid(cube<D>(0.5))})).value();
  const ObjectId hand =
      world.add(child_of<D>("arm", "hand", along_x<D>(2), {zone(ball<D>(0.5))})).value();
  const ObjectId tip = world.add(child_of<D>("hand", "tip", along_x<D>(1), {})).value();
  const ObjectId lamp =
      world.add(thing<D>("lamp", BodyKind::dynamic, up<D>(2), {solid(ball<D>(0.5))})).value();
  world.step();
  CHECK(logged(world).empty());
  world.move_to(arm, {kZero, quarter<D>()});
  world.step();
  REQUIRE(logged(world) == Lines{"begin zone hand lamp"});
  CHECK(world.events()[0].self_root == arm);
  CHECK(world.events()[0].other_root == lamp);
  CHECK((world.object(hand).pose.position - up<D>(2)).norm() < 1e-12);
  CHECK((world.object(tip).pose.position - up<D>(3)).norm() < 1e-12);
  CHECK((world.object(tip).on_parent.position - along_x<D>(1)).norm() == 0);
  CHECK(world.object(tip).root == arm);
  CHECK(world.children(arm) == std::vector{hand});

  // It crossed the lamp's place on the way, reported with its time within the step.
  world.remove(arm);
  world.step();
  CHECK(logged(world) == Lines{"end zone hand lamp (removed)"});
  CHECK(!world.alive(tip));
  CHECK(world.count() == 1);
}

TEST_CASE_TEMPLATE(
    "hiding a parent hides its children, and showing it shows those that were not hidden "
    "themselves",
    T, Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  const ObjectId post = world.add(thing<D>("post", BodyKind::kinematic, kZero, {})).value();
  const ObjectId lit =
      world.add(child_of<D>("post", "lit", along_x<D>(1), {zone(ball<D>(1))})).value();
  const ObjectId dark =
      world.add(child_of<D>("post", "dark", along_x<D>(-1), {zone(ball<D>(1))})).value();
  world.add(thing<D>("moth", BodyKind::dynamic, along_x<D>(1), {solid(ball<D>(0.5))})).value();
  world.set_shown(dark, false);
  world.step();
  CHECK(logged(world) == Lines{"begin zone lit moth"});
  world.set_shown(post, false);
  world.step();
  CHECK(logged(world) == Lines{"end zone lit moth (hidden)"});
  world.set_shown(post, true);
  world.step();
  CHECK(logged(world) == Lines{"begin zone lit moth"});
  CHECK(world.object(lit).active);
  CHECK(!world.object(dark).active);
}

TEST_CASE_TEMPLATE(
    "what is attached to a dynamic body is part of it, with its mass, until it is detached", T, Two,
    Three) {
  constexpr int D = T::D;
  World<D> world;  // no gravity
  ObjectDef<D> sledge = thing<D>("sledge", BodyKind::dynamic, kZero, {solid(cube<D>(1))});
  sledge.mass = 3;
  sledge.velocity = along_x<D>(2);
  ObjectDef<D> crate = thing<D>("crate", BodyKind::dynamic, up<D>(1), {solid(cube<D>(1))});
  crate.mass = 1;
  const ObjectId s = world.add(sledge).value();
  const ObjectId c = world.add(crate).value();
  REQUIRE(world.attach(c, s));
  CHECK(world.object(s).mass == doctest::Approx(4).epsilon(1e-12));
  CHECK(std::abs(world.object(s).velocity[0] - 1.5) < 1e-12);  // momentum is kept
  CHECK(!world.attach(s, c));
  // The centre of mass is a quarter up; both are one body about it.
  CHECK(std::abs(world.object(s).mass_centre[1] - 0.25) < 1e-12);
  for (int i = 0; i < 60; ++i) world.step();
  CHECK((world.object(c).pose.position - world.object(s).pose.position - up<D>(1)).norm() < 1e-9);
  CHECK(std::abs(world.object(s).pose.position[0] - 1.5) < 1e-9);
  CHECK(logged(world).empty());  // relatives do not meet

  // Something that hits the child stops the whole.
  ObjectDef<D> ram =
      thing<D>("ram", BodyKind::dynamic, along_x<D>(5) + up<D>(0.25), {solid(ball<D>(0.2))});
  ram.mass = 4;
  ram.velocity = along_x<D>(-1.5);
  const ObjectId r = world.add(ram).value();
  for (int i = 0; i < 120; ++i) world.step();
  CHECK(std::abs(world.object(s).velocity[0]) < 1e-6);
  CHECK(std::abs(world.object(r).velocity[0]) < 1e-6);

  REQUIRE(world.detach(c));
  CHECK(std::abs(world.object(s).mass - 3) < 1e-12);
  CHECK(!world.object(c).parent);
  world.set_velocity(c, up<D>(1), Spin<D>(Spin<D>::Zero()));
  for (int i = 0; i < 30; ++i) world.step();
  CHECK(world.object(c).pose.position[1] - world.object(s).pose.position[1] > 1.4);
}

TEST_CASE_TEMPLATE("families sleep and wake as one, and running on from a snapshot gives the same",
                   T, Two, Three) {
  constexpr int D = T::D;
  World<D> world(earth<D>());
  world.add(thing<D>("floor", BodyKind::fixed, up<D>(-0.5), {solid(slab<D>(40, 1))})).value();
  const ObjectId cart =
      world.add(thing<D>("cart", BodyKind::dynamic, up<D>(0.5), {solid(cube<D>(1))})).value();
  const ObjectId flag =
      world
          .add(child_of<D>("cart", "flag", up<D>(1), {solid(cube<D>(0.4)), zone(ball<D>(1))},
                           BodyKind::dynamic))
          .value();
  for (int i = 0; i < 120; ++i) world.step();
  CHECK(world.awake_count() == 0);
  CHECK(world.object(flag).asleep);
  const std::vector<std::byte> saved = world.save();
  World<D> again;
  REQUIRE(again.load(saved));
  for (World<D>* w : {&world, &again}) {
    w->apply_impulse(flag, along_x<D>(0.8));
    CHECK(!w->object(cart).asleep);
    for (int i = 0; i < 100; ++i) w->step();
  }
  CHECK(world.hash() == again.hash());
  CHECK(world.object(cart).pose.position[0] > 0.01);
}

TEST_CASE_TEMPLATE("excepted pairs do not meet: for a time, until they are apart, or for good", T,
                   Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  const ObjectId gate =
      world.add(thing<D>("gate", BodyKind::fixed, kZero, {zone(cube<D>(2))})).value();
  const ObjectId robot =
      world.add(thing<D>("robot", BodyKind::kinematic, kZero, {solid(ball<D>(1))})).value();
  world.step();
  CHECK(logged(world) == Lines{"begin zone gate robot"});
  CHECK(world.except(robot, gate, {.seconds = 2.0 / 60}));
  world.step();
  CHECK(logged(world) == Lines{"end zone gate robot (filtered)"});
  world.step();
  CHECK(logged(world).empty());
  world.step();
  CHECK(logged(world) == Lines{"begin zone gate robot"});
  CHECK(world.except(gate, robot, {.until_apart = true}));
  world.step();
  CHECK(logged(world) == Lines{"end zone gate robot (filtered)"});
  for (const double x : {0.5, 1.4, 3.0, 1.0}) {
    world.move_to(robot, {along_x<D>(x), {}});
    world.step();
    const bool back = x == 1.0;  // it was away and returns
    CHECK(logged(world) == (back ? Lines{"begin zone gate robot"} : Lines{}));
  }
  CHECK(world.except(gate, robot));
  for (int i = 0; i < 3; ++i) world.step();
  CHECK(logged(world).empty());
  CHECK(!world.except(gate, gate));
}

TEST_CASE_TEMPLATE("kinds are copied while the world runs, and spots are places on an object", T,
                   Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  world.tags().declare("parcel").value();
  ObjectDef<D> parcel = thing<D>("", BodyKind::dynamic, kZero, {solid(cube<D>(0.4))}, {"parcel"});
  parcel.kind = "parcel";
  parcel.spots = {{"label", {up<D>(0.2), {}}}};
  REQUIRE(world.declare_kind(parcel));
  CHECK(!world.declare_kind(parcel));
  CHECK(!world.spawn("parcell", {}));
  world.add_listener([](World<D>& w, std::span<const Event<D>>) {
    if (w.steps() == 1) CHECK(w.spawn("parcel", {along_x<D>(3), quarter<D>()}, up<D>(6)));
  });
  world.step();
  REQUIRE(world.count() == 1);
  const ObjectId id = world.objects()[0];
  CHECK(world.object(id).kind == "parcel");
  CHECK((world.spot(id, "label").value().position - along_x<D>(2.8)).norm() < 1e-12);
  CHECK(!world.spot(id, "lable"));
  world.step();
  CHECK(std::abs(world.object(id).pose.position[1] - 0.1) < 1e-12);
  world.clear();
  CHECK(world.count() == 0);
}
