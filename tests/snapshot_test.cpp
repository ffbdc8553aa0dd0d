#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

// A tumbling pile with carriers, zones, things that fall asleep and things that are taken away.
template <int D>
void build(World<D>& world) {
  world.tags().declare("crate", "").value();
  world.add(thing<D>("floor", BodyKind::fixed, up<D>(-0.5), {solid(slab<D>(40, 1))})).value();
  world.add(thing<D>("watch", BodyKind::fixed, up<D>(2), {zone(cube<D>(3))})).value();
  ObjectDef<D> lift =
      thing<D>("lift", BodyKind::kinematic, along_x<D>(6), {solid(slab<D>(2, 0.4))});
  lift.motion = Path<D>{
      {{0, along_x<D>(6), {}}, {2, along_x<D>(6) + up<D>(2), {}}, {4, along_x<D>(6), {}}}, true};
  world.add(lift).value();
  Random random(8);
  for (int i = 0; i < 24; ++i) {
    ObjectDef<D> def =
        thing<D>("crate" + std::to_string(i), BodyKind::dynamic,
                 Vec<D>(random.vec<D>(2) + up<D>(3.0 + i) + along_x<D>(i % 4 == 0 ? 6 : 0)),
                 {solid(i % 4 == 0   ? ball<D>(0.8)
                        : i % 4 == 1 ? cube<D>(0.7)
                        : i % 4 == 2 ? odd<D>(i / 4)
                                     : capsule<D>(0.4, 1))},
                 {"crate"});
    def.pushes = {{.from = 2, .until = 2.5, .force = along_x<D>(i % 5 == 0 ? 8.0 : 0.0)}};
    world.add(def).value();
  }
}

template <int D>
void work(World<D>& world, int step) {
  if (step == 200) world.remove(*world.find("crate7"));
  if (step == 260) world.apply_impulse(*world.find("crate3"), up<D>(3));
}

}  // namespace

TEST_CASE_TEMPLATE("a snapshot runs on as if it had never stopped", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world(earth<D>());
  build(world);
  const int stop = 237;
  std::vector<std::byte> saved;
  Lines events[2];
  std::uint64_t hashes[2];
  for (int i = 0; i < 400; ++i) {
    if (i == stop) saved = world.save();
    work(world, i);
    world.step();
    if (i >= stop)
      for (const std::string& line : logged(world)) events[0].push_back(std::to_string(i) + line);
  }
  hashes[0] = world.hash();
  World<D> other;
  REQUIRE(other.load(saved));
  CHECK(other.events().empty());
  CHECK(other.save() == saved);
  const ObjectId crate = *other.find("crate3");
  CHECK(other.object(crate).name == "crate3");
  for (int i = stop; i < 400; ++i) {
    work(other, i);
    other.step();
    for (const std::string& line : logged(other)) events[1].push_back(std::to_string(i) + line);
  }
  hashes[1] = other.hash();
  CHECK(events[0] == events[1]);
  CHECK(hashes[0] == hashes[1]);
  REQUIRE(world.load(saved));  // back in the same world
  for (int i = stop; i < 400; ++i) {
    work(world, i);
    world.step();
  }
  CHECK(world.hash() == hashes[0]);
}

TEST_CASE("the demo scenes run on from a snapshot with their reactions, numbers and delays") {
  const auto try_out = [](const auto& scene, int stop, int steps) {
    const auto run = start_run(scene);
    const auto again = start_run(scene);
    for (int i = 0; i < stop; ++i) run->step();
    const std::vector<std::byte> world = run->world.save();
    const std::vector<std::byte> rules = run->rules.save();
    REQUIRE(again->world.load(world));
    REQUIRE(again->rules.load(rules));
    CHECK(state_hash(run->world, run->rules) == state_hash(again->world, again->rules));
    for (int i = 0; i < steps; ++i) {
      run->world.step();
      again->world.step();
      REQUIRE(run->rules.fired().size() == again->rules.fired().size());
    }
    CHECK(state_hash(run->world, run->rules) == state_hash(again->world, again->rules));
  };
  const std::string folder = COLVIK_SOURCE_DIR "/data/";
  for (const int stop : {50, 130, 333}) {
    CAPTURE(stop);
    try_out(std::get<Scene<2>>(*load_scene(folder + "night-depot.toml").scene), stop, 200);
    try_out(std::get<Scene<2>>(*load_scene(folder + "sorting-hall.toml").scene), stop, 100);
    try_out(std::get<Scene<3>>(*load_scene(folder + "loading-bay.toml").scene), stop, 200);
    try_out(std::get<Scene<3>>(*load_scene(folder + "mezzanine.toml").scene), stop, 100);
  }
}

TEST_CASE("a damaged snapshot is refused and changes nothing") {
  World<2> world(earth<2>());
  build(world);
  for (int i = 0; i < 60; ++i) world.step();
  const std::vector<std::byte> saved = world.save();
  const std::uint64_t hash = world.hash();
  Random random(5);
  for (int i = 0; i < 300; ++i) {
    std::vector<std::byte> bad = saved;
    if (i % 3 == 0)
      bad.resize(static_cast<std::size_t>(random.below(static_cast<int>(saved.size()))));
    else
      bad[static_cast<std::size_t>(random.below(static_cast<int>(saved.size())))] ^=
          std::byte{0x10};
    const Result<void> loaded = world.load(bad);
    REQUIRE_FALSE(loaded);
    REQUIRE(loaded.error().where == "snapshot");
    REQUIRE(world.hash() == hash);
  }
  World<3> solid_world;
  const Result<void> other = solid_world.load(saved);
  REQUIRE_FALSE(other);
  CHECK(other.error().message() == "snapshot: is of 'colvik 2D world'; one of 'colvik 3D world'");
  Rules<2> rules(world);
  CHECK_FALSE(rules.load(saved));
  const std::vector<std::byte> none = rules.save();
  rules.add({.name = "greet", .effects = {effects::finish("done")}}).value();
  const Result<void> fewer = rules.load(none);
  REQUIRE_FALSE(fewer);
  CHECK(fewer.error().what == "is of other reactions");
}
