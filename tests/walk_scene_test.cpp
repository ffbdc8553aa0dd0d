// Walkers said in scene files: every key, wishes by time and from a file, expectations, mistakes.
#include <colvik/insight.hpp>
#include <colvik/scene.hpp>

#include <filesystem>
#include <fstream>

#include "spelled.hpp"
#include "walkers.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

constexpr const char* kLevel = R"(
gravity = <0 -9.81>
length = 6
[tags]
crate = ""
floor = ""
[kinds.robot]
body = "kinematic"
collider = { capsule = { width = 0.6, height = 1.2 } }
walker = { speed = 4, speeding_up = 40, slowing = 50, air_control = 0.5, jump_height = 1.5, jump_cut = 0.5, steepest = 40, step = 0.25, hold_below = 6, fall_limit = 20, clearance = 0.003 }
[kinds.robot.walker.more]
[[objects]]
name = "floor"
tags = ["floor"]
at = <0 -0.5>
collider = { box = <40 1> }
[[objects]]
name = "shelf"
tags = ["floor"]
at = <3 1>
collider = { box = <3 0.2>, one_way = <0 1> }
)";

template <int D>
std::string level() {
  std::string text = kLevel;
  text.erase(text.find("[kinds.robot.walker.more]\n"), 26);
  if (D == 3)
    for (std::size_t at = 0; (at = text.find("<40 1>", at)) != std::string::npos;)
      text.replace(at, 6, "[40, 1, 4]");
  if (D == 3)
    for (std::size_t at = 0; (at = text.find("<3 0.2>", at)) != std::string::npos;)
      text.replace(at, 7, "[3, 0.2, 4]");
  return text;
}

constexpr const char* kRobot = R"(
[[objects]]
name = "robot"
kind = "robot"
at = <0 0.603>
wishes = [{ at = 0.2, walk = 0.75 }, { at = 1.2, walk = 0 }, { at = 1.5, jump = true }, { at = 1.8, jump = false },
          { at = 4, drop = true }, { at = 4.1, drop = false }, { at = 5, velocity = <1 2>, fly = true }]
)";

template <int D>
std::vector<std::string> missed(const std::string& expectations, const std::string& more = "") {
  LoadedScene loaded =
      read_scene(spelled<D>(level<D>() + kRobot + more + expectations), "walk.toml");
  for (const Problem& p : loaded.problems) MESSAGE(p.message());
  REQUIRE(loaded.ok());
  const Scene<D>& scene = std::get<Scene<D>>(*loaded.scene);
  auto run = start_run(scene);
  run->run_for(scene.length);
  std::vector<std::string> out;
  for (const Expectation<D>& e : scene.expectations)
    if (const ExpectationResult r = judge(e, run->trace); !r.met)
      out.push_back(r.expected + ": " + r.happened);
  return out;
}

template <int D>
std::string walk_problems(const std::string& text) {
  LoadedScene loaded = read_scene(spelled<D>(text), "walk.toml");
  std::string all;
  for (const Problem& p : loaded.problems) all += p.message() + "\n";
  return all;
}

}  // namespace

TEST_CASE_TEMPLATE("scene: a walker goes where its wishes lead, as one set up in C++", T, Two,
                   Three) {
  constexpr int D = T::D;
  LoadedScene loaded = read_scene(spelled<D>(level<D>() + kRobot), "walk.toml");
  for (const Problem& p : loaded.problems) MESSAGE(p.message());
  REQUIRE(loaded.ok());
  const Scene<D>& scene = std::get<Scene<D>>(*loaded.scene);
  auto run = start_run(scene);

  Level<D> level;
  ObjectDef<D> floor = scene.objects[0];
  ObjectDef<D> shelf = scene.objects[1];
  level.world.tags().declare("crate", "").value();
  level.world.tags().declare("floor", "").value();
  level.world.add(floor).value();
  level.world.add(shelf).value();
  Walker<D> can{.speed = 4,
                .speeding_up = 40,
                .slowing = 50,
                .air_control = 0.5,
                .jump_speed = jump_speed(1.5, 9.81),
                .jump_cut = 0.5,
                .steepest = radians(40),
                .step = 0.25,
                .hold_below = 6,
                .fall_limit = 20,
                .clearance = 0.003};
  ObjectDef<D> def = level.walker_def(can, up<D>(0.603), capsule<D>(0.6, 1.2));
  def.name = def.kind = "robot";
  const ObjectId id = level.world.add(def).value();
  const auto told_now = [&](double t) {
    Wish<D> w;
    if (t >= 0.2 - 1e-9) w.velocity = along_x<D>(3);
    if (t >= 1.2 - 1e-9) w.velocity = kZero;
    w.jump = t >= 1.5 - 1e-9 && t < 1.8 - 1e-9;
    w.drop = t >= 4 - 1e-9 && t < 4.1 - 1e-9;
    if (t >= 5 - 1e-9) {
      w.velocity = along_x<D>(1) + up<D>(2);
      w.fly = true;
    }
    return w;
  };
  for (int i = 0; i < 360; ++i) {
    level.wish(id, told_now(level.world.time()));
    level.world.step();
    run->step();
  }
  const Object<D>& a = level.world.object(id);
  const Object<D>& b = run->world.object(*run->world.find("robot"));
  CHECK(a.pose.position == b.pose.position);
  CHECK(a.pose.position[1] > 1.5);
}

TEST_CASE_TEMPLATE("expectations ask whether a walker stands, on what, when, and how high it came",
                   T, Two, Three) {
  constexpr int D = T::D;
  const auto expect = [](const std::string& body) { return "[[expect]]\n" + body + "\n"; };
  CHECK(missed<D>(expect("walker = \"robot\"\nstands = true\nalways = true\nbetween = [0.3, 1.4]") +
                  expect("walker = \"robot\"\non = \"@floor\"\nat = 1") +
                  expect("walker = \"robot\"\nstands = false\nat = 1.7") +
                  expect("walker = \"robot\"\non = \"@shelf\"\nalways = true\nbetween = [3, 3.9]") +
                  expect("walker = \"robot\"\non = \"floor\"\nat = 4.9") +
                  expect("walker = \"robot\"\nhighest_at_least = 1.9\nhighest_at_most = 2.6") +
                  expect("walker = \"robot\"\nstands = false")) == Lines{});
  const Lines wrong = missed<D>(expect("walker = \"robot\"\nstands = true\nat = 1.7") +
                                expect("walker = \"robot\"\non = \"@shelf\"\nat = 1") +
                                expect("walker = \"robot\"\nhighest_at_least = 5"));
  REQUIRE(wrong.size() == 3);
  CHECK(wrong[0] == "@robot at 1.7 s stands: at 1.700 s it was in the air");
  CHECK(wrong[1] == "@robot at 1 s stands on @shelf: at 1.000 s it was standing on floor");
  CHECK(wrong[2].starts_with("@robot at the end came to 5 or higher: it came to "));
}

TEST_CASE_TEMPLATE("scene: what a walker pushes, yields to and weighs on, carriers and streams", T,
                   Two, Three) {
  constexpr int D = T::D;
  const std::string more = R"(
[[objects]]
name = "porter"
kind = "robot"
at = <-8 0.603>
walker = { push = 300, push_at_least = 50, pushes = "crate", yields_to = "none", weight = 40, keeps_speed = false, turns_along = true, jump_speed = 3, jump_height = 1 }
)";
  CHECK(walk_problems<D>(level<D>() + more)
            .find("a walker has jump_height and jump_speed; one of the two") != std::string::npos);
  std::string good = more;
  good.erase(good.find(", jump_speed = 3, jump_height = 1"), 33);
  good += R"(wishes = [{ at = 0.2, walk = 1 }]
[[objects]]
name = "crate"
tags = ["crate"]
body = "dynamic"
at = <-6 0.3>
collider = { box = <*0.6>, density = 20 }
[[objects]]
name = "tray"
body = "kinematic"
at = <-16 2>
velocity = <4 0>
re_enters = "yard"
takes_riders = true
collider = { box = <*1> }
[[objects]]
name = "rider"
kind = "robot"
at = <-16 3.103>
[[objects]]
name = "stream"
at = <0 12>
collider = { box = <*4>, zone = true, field = { current = <2 0>, carries = true } }
[[objects]]
name = "leaf"
body = "kinematic"
at = <0 12>
collider = { box = <*0.2> }
[regions]
yard = { from = <*-18>, to = <*18> }
[[expect]]
object = "crate"
inside = "right"
[[expect]]
object = "leaf"
inside = "right"
[[expect]]
walker = "rider"
on = "@tray"
[regions.right]
edge = <1 0>
towards = <1 0>
)";
  CHECK(missed<D>(good) == Lines{});
}

TEST_CASE_TEMPLATE("scene: wishes from a file, and what is wrong in it is reported with its place",
                   T, Two, Three) {
  constexpr int D = T::D;
  const std::filesystem::path dir = std::filesystem::temp_directory_path() / "colvik-wishes";
  std::filesystem::create_directories(dir);
  const auto write = [&](const std::string& name, const std::string& text) {
    std::ofstream(dir / name) << text;
  };
  write("walk.toml", "wishes = [{ at = 0.2, walk = 1 }]\n");
  write("bad.toml", "wishes = [{ at = 0.2, walk = 2 },\n          { walk = 1, jmp = true }]\n");
  write("none.toml", "wish = 1\n");
  std::string text =
      level<D>() + "[[objects]]\nname = 'robot'\nkind = 'robot'\nat = <0 0.61>\nwishes = 'FILE'\n";
  const auto loaded = [&](const std::string& file) {
    std::string own = spelled<D>(text);
    own.replace(own.find("FILE"), 4, file);
    return read_scene(own, (dir / "scene.toml").string());
  };
  LoadedScene good = loaded("walk.toml");
  for (const Problem& p : good.problems) MESSAGE(p.message());
  REQUIRE(good.ok());
  CHECK(std::get<Scene<D>>(*good.scene).objects.back().wishes.at(0).wish.velocity.x() == 4);
  const auto told_of = [&](const std::string& file) {
    std::string all;
    const LoadedScene bad = loaded(file);
    for (const Problem& p : bad.problems) all += p.message() + "\n";
    return all;
  };
  CAPTURE(told_of("bad.toml"));
  CHECK(
      told_of("bad.toml").find("bad.toml:1:30: walk of 2 is out of range; a number from -1 to 1") !=
      std::string::npos);
  CHECK(told_of("bad.toml")
            .find("bad.toml:2:23: unknown key 'jmp' in a wish; did you mean 'jump'?") !=
        std::string::npos);
  CHECK(told_of("none.toml").find("none.toml:1:1: the file has no wishes; wishes = [...]") !=
        std::string::npos);
  CHECK(told_of("gone.toml").find("gone.toml' cannot be read; a TOML file with wishes = [...]") !=
        std::string::npos);
  std::filesystem::remove_all(dir);
}

TEST_CASE_TEMPLATE("scene: walkers that cannot be are reported with their place", T, Two, Three) {
  constexpr int D = T::D;
  std::string last;
  const auto wrong = [&](const std::string& object) {
    return last = walk_problems<D>(level<D>() + "[[objects]]\nname = 'w'\n" + object);
  };
  CHECK_MESSAGE(wrong("kind = 'robot'\nat = [0, 0.4]\ncollider = { capsule = { width = 9, height = "
                      "9.5 } }\nwalker = { "
                      "step = 0.1 }\nkept_inside = 'x'")
                        .find("no region is named 'x'") != std::string::npos,
                last);
  CHECK_MESSAGE(wrong("body = 'kinematic'\nwalker = { speed = 3 }")
                        .find("walker has no solid collider; a collider, such as a capsule") !=
                    std::string::npos,
                last);
  CHECK_MESSAGE(wrong("kind = 'robot'\nwalker = { steepest = 95 }")
                        .find("steepest of 95 degrees is not usable; from 0 to below 90") !=
                    std::string::npos,
                last);
  CHECK_MESSAGE(
      wrong("kind = 'robot'\nwalker = 5").find("walker is a number; a table") != std::string::npos,
      last);
  CHECK_MESSAGE(wrong("body = 'kinematic'\ncollider = { box = <*1> }\nwishes = [{ at = 1 }]")
                        .find("wishes are given to an object that is no walker; a walker") !=
                    std::string::npos,
                last);
  const std::string deep =
      "[[objects]]\nname = 'block'\nat = <0 40>\ncollider = { box = <*30> }\n[[objects]]\nname "
      "= 'w'\nkind = "
      "'robot'\nat = <0 40>\n";
  CHECK_MESSAGE((last = walk_problems<D>(level<D>() + deep))
                        .find("walker 'w' starts inside a solid, 15.3 deep in 'block', with no "
                              "free place near; a "
                              "place where it fits") != std::string::npos,
                last);
  // A little inside, it is freed.
  LoadedScene freed = read_scene(
      spelled<D>(level<D>() + "[[objects]]\nname = 'w'\nkind = 'robot'\nat = <9 0.5>\n"), "w.toml");
  REQUIRE(freed.ok());
  auto run = start_run(std::get<Scene<D>>(*freed.scene));
  run->step();
  run->step();
  CHECK(run->world.object(*run->world.find("w")).pose.position.y() ==
        doctest::Approx(0.603).epsilon(1e-3));
}
