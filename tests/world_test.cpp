// Objects, filters and what a world refuses.
#include <cmath>

#include "pairs/patch.h"
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

TEST_CASE_TEMPLATE("the one door says who meets whom and which rule decided", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  for (const char* tag : {"courier", "parcel", "glue"}) world.tags().declare(tag).value();
  ColliderDef<D> picky = zone(cube<D>(1));
  ColliderDef<D> off = solid(cube<D>(1));
  ColliderDef<D> sticky = solid(cube<D>(1));
  picky.meets = "courier & !glue";
  off.on = false;
  sticky.tags = {"glue"};
  const ObjectId parcel =
      world.add(thing<D>("parcel", BodyKind::kinematic, kZero, {picky, off}, {"parcel"})).value();
  const ObjectId robot = world
                             .add(thing<D>("robot", BodyKind::kinematic, kZero,
                                           {solid(cube<D>(1)), sticky}, {"courier"}))
                             .value();
  const ObjectId wall =
      world.add(thing<D>("wall", BodyKind::fixed, kZero, {solid(cube<D>(1))})).value();
  const ObjectId post =
      world.add(thing<D>("post", BodyKind::fixed, kZero, {solid(cube<D>(1))})).value();

  CHECK(world.decide(parcel, 0, robot, 0).by == DecidedBy::both_accept);
  CHECK(world.decide(parcel, 0, robot, 0).channel == Channel::zone);
  CHECK(world.decide(robot, 0, wall, 0).channel == Channel::solid);
  // A collider's own tag counts.
  CHECK(world.decide(parcel, 0, robot, 1).by == DecidedBy::first_refuses);
  CHECK(world.decide(wall, 0, parcel, 0).by == DecidedBy::second_refuses);
  CHECK(world.decide(parcel, 1, robot, 0).by == DecidedBy::switched_off);
  CHECK(world.decide(wall, 0, post, 0).by == DecidedBy::both_static);
  CHECK(world.decide(robot, 0, robot, 1).by == DecidedBy::same_object);
  world.set_shown(wall, false);
  CHECK(world.decide(robot, 0, wall, 0).by == DecidedBy::inactive);
  world.remove(post);
  CHECK(world.decide(robot, 0, post, 0).by == DecidedBy::inactive);

  const Party a = world.party(parcel, 0);
  const Party b = world.party(robot, 1);
  CHECK(explain(decide(a, b), a, "parcel", b, "robot", world.tags()) ==
        "parcel meets only 'courier & !glue', and robot has the tags courier, glue");
  // The step asks the same door.
  world.step();
  CHECK(logged(world) == Lines{"begin zone parcel robot"});
}

TEST_CASE_TEMPLATE("a collider's own tag outlives a change of the object's tags", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  const Tag glue = world.tags().declare("glue").value();
  ColliderDef<D> sticky = solid(cube<D>(1));
  sticky.tags = {"glue"};
  const ObjectId id =
      world.add(thing<D>("pad", BodyKind::kinematic, kZero, {sticky, solid(cube<D>(1))})).value();
  world.give_tag(id, glue);
  CHECK(world.object(id).colliders[1].tags.contains(glue));
  world.take_tag(id, glue);
  CHECK(world.object(id).colliders[0].tags.contains(glue));
  CHECK_FALSE(world.object(id).colliders[1].tags.contains(glue));
}

TEST_CASE_TEMPLATE("bad objects are refused whole, naming object, value and what would do", T, Two,
                   Three) {
  constexpr int D = T::D;
  const double nan = std::nan("");
  using Spoil = std::function<void(ObjectDef<D>&)>;
  const std::pair<const char*, Spoil> rows[] = {
      {"object 'crate' position", [&](ObjectDef<D>& d) { d.at[0] = nan; }},
      {"object 'crate' velocity", [&](ObjectDef<D>& d) { d.velocity[1] = HUGE_VAL; }},
      {"object 'crate' spin", [&](ObjectDef<D>& d) { d.spin[0] = nan; }},
      {"object 'crate' box width: 0 is not a usable size",
       [&](ObjectDef<D>& d) { d.colliders[0].shape.core[0] = 0; }},
      {"object 'crate' collider friction: -1 is not usable; a number from 0 up",
       [&](ObjectDef<D>& d) { d.colliders[0].friction = -1; }},
      {"object 'crate' collider restitution",
       [&](ObjectDef<D>& d) { d.colliders[0].restitution = 1.5; }},
      {"object 'crate' collider density (2 of 2)",
       [&](ObjectDef<D>& d) {
         d.colliders.push_back(d.colliders[0]);
         d.colliders[1].density = 0;
       }},
      {"object 'crate' mass: 0 is not usable; 1e-20 to 1e+30 units of mass",
       [&](ObjectDef<D>& d) { d.mass = 0; }},
      {"object 'crate' mass: is given to an object that is not dynamic",
       [&](ObjectDef<D>& d) {
         d.mass = 1;
         d.body = BodyKind::fixed;
       }},
      {"object 'crate' body: is dynamic and has zones alone",
       [&](ObjectDef<D>& d) { d.colliders[0].zone = true; }},
      {"object 'crate' velocity: is given to a static object",
       [&](ObjectDef<D>& d) {
         d.body = BodyKind::fixed;
         d.velocity = along_x<D>(1);
       }},
      {"object 'crate' motion: is given to a dynamic object; body = kinematic",
       [&](ObjectDef<D>& d) {
         d.motion = Path<D>{{{0, kZero, {}}}, false};
       }},
      {"object 'crate' path: time 1 does not come after 1",
       [&](ObjectDef<D>& d) {
         d.body = BodyKind::kinematic;
         d.motion = Path<D>{{{1, kZero, {}}, {1, kZero, {}}}, false};
       }},
      {"object 'crate' path: is a loop that does not come back",
       [&](ObjectDef<D>& d) {
         d.body = BodyKind::kinematic;
         d.motion = Path<D>{{{0, kZero, {}}, {1, along_x<D>(1), {}}}, true};
       }},
      {"object 'crate' number points: inf is out of range",
       [&](ObjectDef<D>& d) {
         d.numbers = {{"points", HUGE_VAL}};
       }},
      {"object 'crate' tags: 'parsel' is not a declared tag; did you mean 'parcel'?",
       [&](ObjectDef<D>& d) { d.tags = {"parsel"}; }},
      {"object 'crate' meets: 'Parcel' is not a declared tag; did you mean 'parcel'?",
       [&](ObjectDef<D>& d) { d.colliders[0].meets = "Parcel"; }},
      {"object 'taken' name: is taken by another object",
       [&](ObjectDef<D>& d) { d.name = "taken"; }},
      {"object 'two words' name: is not a name", [&](ObjectDef<D>& d) { d.name = "two words"; }},
  };
  World<D> world;
  world.tags().declare("parcel").value();
  world.add(thing<D>("taken", BodyKind::fixed, kZero, {})).value();
  for (const auto& [wanted, spoil] : rows) {
    const std::string about = wanted;
    CAPTURE(about);
    ObjectDef<D> def = thing<D>("crate", BodyKind::dynamic, kZero, {solid(cube<D>(1))});
    spoil(def);
    const Result<ObjectId> added = world.add(def);
    REQUIRE_FALSE(added);
    CHECK_MESSAGE(added.error().message().starts_with(wanted), added.error().message());
    CHECK(world.count() == 1);
  }
  CHECK_THROWS_AS(world.add(thing<D>("two words", BodyKind::fixed, kZero, {})).value(),
                  UncheckedError);
}

TEST_CASE_TEMPLATE("bad changes are refused and change nothing", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  const ObjectId wall =
      world.add(thing<D>("wall", BodyKind::fixed, kZero, {solid(cube<D>(1))})).value();
  const std::uint64_t before = world.hash();
  Pose<D> bad;
  bad.position[0] = std::nan("");
  CHECK_FALSE(world.place(wall, bad));
  CHECK_FALSE(world.move_to(wall, {}));
  CHECK_FALSE(world.set_velocity(wall, along_x<D>(1), Spin<D>(Spin<D>::Zero())));
  CHECK_FALSE(world.set_motion(wall, Path<D>{{{0, kZero, {}}}, false}));
  CHECK_FALSE(world.switch_collider(wall, 1, false));
  CHECK_FALSE(world.set_filter(wall, 1, TagQuery()));
  CHECK_FALSE(world.add_to_number({}, "nothing", 1));
  CHECK_FALSE(world.set_number({}, "points", std::nan("")));
  CHECK_FALSE(world.set_number({ObjectId{}}, "points", 1));
  CHECK_FALSE(world.remove(ObjectId{}));
  CHECK(world.hash() == before);
  for (const double rate : {0.0, -60.0, 1e9, std::nan("")}) {
    WorldSettings<D> settings;
    settings.rate = rate;
    CHECK_THROWS_AS(World<D>{settings}, UncheckedError);
  }
}

TEST_CASE_TEMPLATE("kinematic objects follow paths and timed velocities exactly", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  ObjectDef<D> def = thing<D>("lift", BodyKind::kinematic, kZero, {});
  Rotation<D> quarter;
  if constexpr (D == 2) quarter = Rotation<2>(radians(90));
  else quarter = Rotation<3>({0, 0, 1}, radians(90));
  def.motion =
      Path<D>{{{0, kZero, {}}, {1, along_x<D>(4), quarter}, {2, kZero, Rotation<D>()}}, true};
  const ObjectId lift = world.add(def).value();
  def.name = "cart";
  def.motion = std::vector<VelocityFrom<D>>{{0, along_x<D>(1), Spin<D>(Spin<D>::Zero())},
                                            {1, along_x<D>(-2), Spin<D>(Spin<D>::Zero())}};
  const ObjectId cart = world.add(def).value();
  for (int i = 0; i < 90; ++i) world.step();
  CHECK((world.object(lift).pose.position - along_x<D>(2)).norm() <= 1e-12);
  CHECK((world.object(lift).pose.rotation.axis(0) - (along_x<D>(1) + up<D>(1)) / std::sqrt(2.0))
            .norm() <= 1e-9);
  CHECK((world.object(lift).velocity - along_x<D>(-4)).norm() <= 1e-9);
  CHECK((world.object(cart).pose.position - along_x<D>(0)).norm() <= 1e-9);
  for (int i = 0; i < 60; ++i) world.step();  // 2.5 s: the loop is in its second round
  CHECK((world.object(lift).pose.position - along_x<D>(2)).norm() <= 1e-12);
  world.stop(lift);
  world.step();
  CHECK((world.object(lift).pose.position - along_x<D>(2)).norm() <= 1e-12);
}

TEST_CASE_TEMPLATE("numbers belong to the world or an object and keep within bounds", T, Two,
                   Three) {
  constexpr int D = T::D;
  World<D> world;
  ObjectDef<D> def = thing<D>("robot", BodyKind::kinematic, kZero, {});
  def.numbers = {{"charge", 5}};
  const ObjectId id = world.add(def).value();
  world.set_number({}, "parcels", 1).value();
  CHECK(world.add_to_number({id}, "charge", -7, 0));
  CHECK(*world.number({id}, "charge") == 0);
  CHECK(world.add_to_number({}, "parcels", 1e300));
  CHECK(*world.number({}, "parcels") == 1e15);
  CHECK_FALSE(world.number({id}, "parcels"));
  CHECK(world.find("robot") == id);
  CHECK_FALSE(world.find("Robot"));
  CHECK(world.objects() == std::vector<ObjectId>{id});
}

TEST_CASE_TEMPLATE("copies get names from their kind and inactive objects do nothing", T, Two,
                   Three) {
  constexpr int D = T::D;
  World<D> world(earth<D>());
  ObjectDef<D> def = thing<D>("", BodyKind::dynamic, kZero, {solid(cube<D>(1))});
  def.kind = "crate";
  def.active = false;
  def.user = 42;
  const ObjectId id = world.add(def).value();
  CHECK(world.object(id).name == "crate-1");
  CHECK(world.object(id).user == 42);
  for (int i = 0; i < 30; ++i) world.step();
  CHECK(world.object(id).pose.position.isZero(0));
  world.set_shown(id, true);
  world.step();
  CHECK(world.object(id).pose.position[1] < 0);
}

TEST_CASE_TEMPLATE("a still object can be put elsewhere: touches follow, and it is counted", T, Two,
                   Three) {
  constexpr int D = T::D;
  World<D> world;
  const ObjectId shelf =
      world.add(thing<D>("shelf", BodyKind::fixed, kZero, {solid(cube<D>(1))})).value();
  const ObjectId hand =
      world.add(thing<D>("hand", BodyKind::kinematic, Vec<D>::Unit(0) * 5, {solid(cube<D>(1))}))
          .value();
  world.step();
  CHECK(world.events().empty());
  CHECK(world.still_moved() == 0);
  CHECK(world.place(shelf, {Vec<D>::Unit(0) * 4.5, {}}));
  world.step();
  REQUIRE(world.events().size() == 1);
  CHECK(world.events()[0].phase == Phase::begin);
  CHECK(world.still_moved() == 1);
  CHECK(world.place(hand, {Vec<D>::Unit(0) * 9, {}}));
  for (int i = 0; i < 3; ++i) world.step();
  CHECK(world.still_moved() == 1);  // of what is meant to move nothing is counted
}

TEST_CASE("a long list is patched as if each were taken out and put in on its own") {
  Random random(11);
  for (int run = 0; run < scaled(20000); ++run) {
    std::vector<std::string> list;
    std::vector<std::string> wanted;
    std::vector<std::string> fresh;
    std::vector<std::uint32_t> gone;
    std::vector<std::uint32_t> before;
    std::vector<world::Staying> spans;
    const int n = random.below(random.coin() ? 12 : 80);
    const double goes = random.range(0, 1);
    const double comes = random.range(0, 0.7);
    for (std::uint32_t i = 0; i <= static_cast<std::uint32_t>(n); ++i) {
      while (random.coin(comes)) {
        before.push_back(i);
        fresh.push_back("fresh " + std::to_string(fresh.size()));
        wanted.push_back(fresh.back());
      }
      if (i == static_cast<std::uint32_t>(n)) break;
      list.push_back("old " + std::to_string(i));
      if (random.coin(goes)) gone.push_back(i);
      else wanted.push_back(list.back());
    }
    world::patch(list, gone, before, fresh, spans);
    REQUIRE(list == wanted);
    REQUIRE(fresh.empty());
  }
}
