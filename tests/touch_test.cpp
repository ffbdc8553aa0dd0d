// Touches: when they begin, go on and end, and why.
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

// A still zone at the origin and a kinematic visitor that starts inside it.
template <int D>
struct Visit {
  World<D> world;
  ObjectId gate;
  ObjectId visitor;
  explicit Visit(bool during = false) {
    for (const char* tag : {"robot", "ghost"}) world.tags().declare(tag).value();
    ColliderDef<D> c = zone(cube<D>(2));
    c.meets = "!ghost";
    gate = world.add(thing<D>("gate", BodyKind::fixed, kZero, {c})).value();
    visitor =
        world.add(thing<D>("visitor", BodyKind::kinematic, kZero, {solid(ball<D>(1))}, {"robot"}))
            .value();
    if (during) world.ask_during(TagQuery(), TagQuery());
    world.step();
    REQUIRE(logged(world) == Lines{"begin zone gate visitor"});
    world.step();
  }
  [[nodiscard]] Tag tag(const char* name) { return world.tags().find(name).value(); }
};

}  // namespace

TEST_CASE_TEMPLATE("a touch begins once, goes on for those who ask, and ends when they part", T,
                   Two, Three) {
  constexpr int D = T::D;
  Visit<D> quiet;
  CHECK(logged(quiet.world).empty());
  Visit<D> requested(true);
  CHECK(logged(requested.world) == Lines{"during zone gate visitor"});
  requested.world.set_velocity(requested.visitor, along_x<D>(120), Spin<D>(Spin<D>::Zero()));
  requested.world.step();
  CHECK(logged(requested.world) == Lines{"end zone gate visitor (left)"});
  requested.world.step();
  CHECK(logged(requested.world).empty());
}

TEST_CASE_TEMPLATE("every end says its cause", T, Two, Three) {
  constexpr int D = T::D;
  using Act = std::function<void(Visit<D>&)>;
  const std::pair<const char*, Act> rows[] = {
      {"left",
       [](Visit<D>& v) {
         v.world.move_to(v.visitor, {along_x<D>(9), {}});
       }},
      {"teleported",
       [](Visit<D>& v) {
         v.world.place(v.visitor, {along_x<D>(9), {}});
       }},
      {"removed", [](Visit<D>& v) { v.world.remove(v.visitor); }},
      {"hidden", [](Visit<D>& v) { v.world.set_shown(v.gate, false); }},
      {"switched", [](Visit<D>& v) { v.world.switch_collider(v.gate, 0, false); }},
      {"filtered",
       [](Visit<D>& v) {
         v.world.set_filter(v.visitor, 0, TagQuery::parse("none", v.world.tags()).value());
       }},
      {"re-tagged", [](Visit<D>& v) { v.world.give_tag(v.visitor, v.tag("ghost")); }},
  };
  for (const auto& [why, act] : rows) {
    const std::string cause = why;
    CAPTURE(cause);
    Visit<D> v;
    act(v);
    v.world.step();
    CHECK(logged(v.world) == Lines{std::string("end zone gate visitor (") + why + ")"});
    v.world.step();
    CHECK(logged(v.world).empty());
  }
  Visit<D> v;
  v.world.finish();
  CHECK(logged(v.world) == Lines{"end zone gate visitor (run over)"});
}

TEST_CASE_TEMPLATE("what ended a touch can be undone and it begins again", T, Two, Three) {
  constexpr int D = T::D;
  Visit<D> v;
  v.world.set_shown(v.gate, false);
  v.world.step();
  v.world.set_shown(v.gate, true);
  v.world.step();
  CHECK(logged(v.world) == Lines{"begin zone gate visitor"});
  v.world.give_tag(v.visitor, v.tag("ghost"));
  v.world.step();
  v.world.take_tag(v.visitor, v.tag("ghost"));
  v.world.step();
  CHECK(logged(v.world) == Lines{"begin zone gate visitor"});
  v.world.switch_collider(v.visitor, 0, false);
  v.world.switch_collider(v.visitor, 0, true);
  v.world.step();
  CHECK(logged(v.world).empty());  // off and on again between two steps: nobody saw it
}

TEST_CASE_TEMPLATE("a removed side stays readable until the step's events were read", T, Two,
                   Three) {
  constexpr int D = T::D;
  Visit<D> v;
  v.world.remove(v.visitor);
  CHECK_FALSE(v.world.alive(v.visitor));
  CHECK_FALSE(v.world.remove(v.visitor));
  v.world.step();
  REQUIRE(v.world.events().size() == 1);
  CHECK(v.world.object(v.world.events()[0].other).name == "visitor");
  v.world.step();
  // Its place is taken by another; the old handle is not mistaken for it.
  const ObjectId next =
      v.world.add(thing<D>("next", BodyKind::kinematic, kZero, {solid(ball<D>(1))})).value();
  CHECK(next.slot == v.visitor.slot);
  CHECK_FALSE(v.world.alive(v.visitor));
  CHECK_FALSE(v.world.place(v.visitor, {}));
  CHECK(v.world.object(next).name == "next");
}

TEST_CASE_TEMPLATE("a touch that continues reports the tags of what touches now", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  for (const char* tag : {"robot", "nose", "tail", "seen"}) world.tags().declare(tag).value();
  world.add(thing<D>("gate", BodyKind::fixed, kZero, {zone(cube<D>(8))})).value();
  ColliderDef<D> nose = solid(ball<D>(1));
  ColliderDef<D> tail = nose;
  nose.tags = {"nose"};
  tail.tags = {"tail"};
  tail.at = along_x<D>(3);
  const ObjectId visitor =
      world.add(thing<D>("visitor", BodyKind::kinematic, kZero, {nose, tail}, {"robot"})).value();
  world.ask_during(TagQuery(), TagQuery());
  const auto steps_tell = [&](const Lines& wanted) {
    for (int step = 0; step < 3; ++step) {
      world.step();
      REQUIRE(world.events().size() == 1);
      Lines tags;
      for (const Tag tag : world.events()[0].other_tags.list())
        tags.emplace_back(world.tags().name(tag));
      CHECK(tags == wanted);
    }
  };
  steps_tell({"robot", "nose", "tail"});
  world.move_to(visitor, {along_x<D>(3), {}});  // the tail leaves
  steps_tell({"robot", "nose"});
  world.give_tag(visitor, world.tags().find("seen").value());
  steps_tell({"robot", "nose", "seen"});
  world.take_tag(visitor, world.tags().find("robot").value());
  steps_tell({"nose", "seen"});
  world.move_to(visitor, {along_x<D>(-6), {}});  // the nose leaves, the tail comes back
  steps_tell({"tail", "seen"});
  world.move_to(visitor, {kZero, {}});
  steps_tell({"nose", "tail", "seen"});
}

TEST_CASE_TEMPLATE("one touch for each pair of objects and channel however many colliders", T, Two,
                   Three) {
  constexpr int D = T::D;
  World<D> world;
  world.tags().declare("arm").value();
  ColliderDef<D> feeler = zone(cube<D>(3));
  feeler.tags = {"arm"};
  world
      .add(thing<D>("rack", BodyKind::fixed, kZero,
                    {solid(cube<D>(1)), solid(cube<D>(1.2)), solid(slab<D>(2, 0.5))}))
      .value();
  const ObjectId robot = world
                             .add(thing<D>("robot", BodyKind::kinematic, along_x<D>(0.2),
                                           {solid(cube<D>(1)), feeler, zone(ball<D>(3))}))
                             .value();
  world.step();
  CHECK(logged(world) == Lines{"begin solid rack robot", "begin zone rack robot"});
  // The tags of all colliders that touch are seen together; seen from the other side the normal
  // turns.
  const Event<D>& zone_touch = world.events()[1];
  CHECK(world.tags().list(zone_touch.other_tags) == "arm");
  const Event<D> seen = zone_touch.seen_from(robot);
  CHECK(seen.self == robot);
  CHECK(seen.self_tags == zone_touch.other_tags);
  CHECK(seen.normal == Vec<D>(-zone_touch.normal));
}

TEST_CASE_TEMPLATE("who gives events: all pairs but static with static, two zones included", T, Two,
                   Three) {
  constexpr int D = T::D;
  const BodyKind kinds[] = {BodyKind::fixed, BodyKind::kinematic, BodyKind::dynamic};
  for (const BodyKind first : kinds)
    for (const BodyKind second : kinds)
      for (const int zones : {0, 1, 2}) {
        CAPTURE(name_of(first));
        CAPTURE(name_of(second));
        CAPTURE(zones);
        World<D> world;
        ObjectDef<D> a =
            thing<D>("a", first, kZero, {zones > 0 ? zone(cube<D>(1)) : solid(cube<D>(1))});
        ObjectDef<D> b = thing<D>("b", second, along_x<D>(0.9),
                                  {zones > 1 ? zone(ball<D>(1)) : solid(ball<D>(1))});
        if (first == BodyKind::dynamic) a.mass = 1;
        if (second == BodyKind::dynamic) b.mass = 1;
        world.add(a).value();
        world.add(b).value();
        world.step();
        const bool requested = first != BodyKind::fixed || second != BodyKind::fixed;
        CHECK(logged(world) ==
              (requested ? Lines{zones > 0 ? "begin zone a b" : "begin solid a b"} : Lines{}));
      }
}

TEST_CASE_TEMPLATE("events report how fast, where, and which way", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  const ObjectId wall =
      world.add(thing<D>("wall", BodyKind::fixed, along_x<D>(3), {solid(cube<D>(1))})).value();
  ObjectDef<D> def = thing<D>("ball", BodyKind::dynamic, kZero, {solid(ball<D>(1))});
  def.velocity = along_x<D>(6);
  def.mass = 2;
  const ObjectId id = world.add(def).value();
  while (world.events().empty() && world.steps() < 60) world.step();
  REQUIRE(world.events().size() == 1);
  const Event<D> e = world.events()[0].seen_from(id);
  CHECK(e.time == doctest::Approx(20.0 / 60).epsilon(0.06));
  CHECK(e.time <= static_cast<double>(e.step) / 60);
  CHECK(e.time > static_cast<double>(e.step - 1) / 60 - 1e-12);
  CHECK((e.normal + along_x<D>(1)).norm() <= 1e-9);  // points at self
  CHECK((e.point - along_x<D>(2.5)).norm() <= 0.02);
  CHECK(e.approach_speed == doctest::Approx(6).epsilon(1e-9));
  CHECK(e.impulse == doctest::Approx(12).epsilon(1e-3));
  CHECK(e.other == wall);
}

TEST_CASE_TEMPLATE("a resting body touches once and for all", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world(earth<D>());
  world.add(thing<D>("floor", BodyKind::fixed, up<D>(-0.5), {solid(slab<D>(20, 1))})).value();
  world.add(thing<D>("box", BodyKind::dynamic, up<D>(2), {solid(cube<D>(1))})).value();
  Lines all;
  for (int i = 0; i < 600; ++i) {
    world.step();
    for (const std::string& line : logged(world)) all.push_back(line);
  }
  CHECK(all == Lines{"begin solid floor box"});
}

TEST_CASE_TEMPLATE("a listener may ask for anything and it happens at the end of the step", T, Two,
                   Three) {
  constexpr int D = T::D;
  Visit<D> v;
  int calls = 0;
  v.world.set_number({}, "seen", 0).value();
  const std::size_t token =
      v.world.add_listener([&](World<D>& w, std::span<const Event<D>> events) {
        if (calls++ > 0) return;
        CHECK(events.empty());
        CHECK(w.remove(v.visitor));
        CHECK(w.remove(v.visitor));  // asking twice is harmless
        CHECK(w.alive(v.visitor));   // not yet
        CHECK(w.place(v.gate, {along_x<D>(1), {}}));
        CHECK(w.add_to_number({}, "seen", 2));
        CHECK(*w.number({}, "seen") == 0);
        w.add(thing<D>("spawned", BodyKind::kinematic, along_x<D>(1), {solid(ball<D>(1))})).value();
        for (const ObjectId id : w.objects()) w.set_shown(id, w.object(id).name != "nobody");
      });
  v.world.step();
  CHECK_FALSE(v.world.alive(v.visitor));
  CHECK(*v.world.number({}, "seen") == 2);
  v.world.step();
  CHECK(logged(v.world) == Lines{"end zone gate visitor (removed)", "begin zone gate spawned"});
  v.world.remove_listener(token);
  v.world.step();
  CHECK(calls == 2);
}

TEST_CASE_TEMPLATE("listeners may come and go while listeners are reported", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  int first = 0;
  int later = 0;
  std::size_t token = 0;
  token = world.add_listener([&](World<D>& w, std::span<const Event<D>>) {
    if (++first == 2) w.remove_listener(token);
    for (int i = 0; i < 20; ++i)
      w.add_listener([&later](World<D>&, std::span<const Event<D>>) { ++later; });
  });
  for (int i = 0; i < 3; ++i) world.step();
  CHECK(first == 2);
  CHECK(later == 20 + 40);
}

// Beside a box of the same outline, of which it is known how far its turning reaches.
TEST_CASE(
    "a zone of any shape that turns with its object meets what it sweeps over when a box does") {
  const std::vector<Vec<2>> ends{{-0.5, 0}, {0.5, 0}};
  const Shape<2> grid = tiles(std::vector<std::string>{"#"}, {1, 1}).value();
  const Shape<2> line = polyline(ends).value();
  for (const auto& [shape, twin] : {std::pair(grid, box(1, 1)), std::pair(line, box(1, 1e-5))}) {
    const int kind = static_cast<int>(shape.kind);
    CAPTURE(kind);
    std::vector<std::pair<std::uint64_t, Phase>> seen[2];
    for (const int which : {0, 1}) {
      World<2> world;
      ColliderDef<2> beam = zone(which == 0 ? shape : twin);
      beam.at = {5, 0};
      if (which == 0 && shape.kind == ShapeKind::tiles) beam.at = {4.5, -0.5};
      ObjectDef<2> lamp = thing<2>("lamp", BodyKind::kinematic, kZero, {beam});
      lamp.spin[0] = kPi;  // a turn in two seconds
      world.add(lamp).value();
      ObjectDef<2> crate = thing<2>("crate", BodyKind::kinematic, {0, 4.9}, {solid(box(0.4, 0.4))});
      crate.velocity = {0, 0.05};
      world.add(crate).value();
      for (int i = 0; i < 360; ++i) {
        world.step();
        for (const Event<2>& e : world.events()) seen[which].emplace_back(e.step, e.phase);
      }
    }
    CHECK(seen[0].size() == 6);
    CHECK(seen[0] == seen[1]);
  }
}

// On the curve between where a step begins and where it ends, the ball would not come so far.
TEST_CASE_TEMPLATE(
    "a zone that a ball reaches and leaves within the step in which it bounces is reported with "
    "times",
    T, Two, Three) {
  constexpr int D = T::D;
  WorldSettings<D> s;
  s.gravity.setZero();
  World<D> world(s);
  ColliderDef<D> wall = solid(cube<D>(2));
  wall.restitution = 1;
  wall.friction = 0;
  world.add(thing<D>("wall", BodyKind::fixed, along_x<D>(1), {wall})).value();
  Shape<D> thin = cube<D>(2);
  thin.core[0] = 0.05;
  world.add(thing<D>("beam", BodyKind::fixed, along_x<D>(-0.15), {zone(thin)})).value();
  ColliderDef<D> round = solid(ball<D>(0.2));
  round.restitution = 1;
  round.friction = 0;
  ObjectDef<D> shot = thing<D>("shot", BodyKind::dynamic, along_x<D>(-0.6), {round});
  shot.velocity = along_x<D>(60);
  world.add(shot).value();
  world.step();
  std::vector<double> times;
  for (const Event<D>& e : world.events())
    if (e.channel == Channel::zone) times.push_back(e.time);
  REQUIRE(times.size() == 2);  // of 0.5 m to the wall and back, 0.3 m are before the beam
  CHECK(std::abs(times[0] - 0.3 / 60) <= 1e-4);
  CHECK(std::abs(times[1] - 0.7 / 60) <= 1e-4);
}
