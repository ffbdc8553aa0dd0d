// Scenes that are played with keys: what was kept of it runs again as it was. In the browser:
// pages_test.py.
#include <colvik/insight.hpp>

#include <fmt/format.h>

#include "play.h"
#include "random.hpp"
#include "tool.hpp"

using namespace colvik;
using namespace colvik::test;
using namespace colvik::tool;

namespace {

// A courier, a crate to push, a zone to enter and a lamp that an input switches.
template <int D>
std::string playground(double rate, const std::string& wishes, const std::string& more = "") {
  const auto at = [](double x, double y) {
    return D == 2 ? fmt::format("[{}, {}]", x, y) : fmt::format("[{}, {}, 0]", x, y);
  };
  const auto size = [](double w, double h) {
    return D == 2 ? fmt::format("[{}, {}]", w, h) : fmt::format("[{}, {}, 6]", w, h);
  };
  std::string text = fmt::format(
      "colvik = 1\n[world]\ndimension = {}\ngravity = {}\nlength = 3\nrate = {}\n[tags]\n"
      "courier = 'walks'\ncrate = 'is pushed'\nlamp = 'shines'\n[numbers]\nlit = 0\nentered = 0\n",
      D, at(0, -9.81), rate);
  text += fmt::format("[[objects]]\nname = 'floor'\nat = {}\ncollider = {{ box = {} }}\n",
                      at(0, -0.5), size(30, 1));
  text += fmt::format(
      "[[objects]]\nname = 'crate'\ntags = ['crate']\nbody = 'dynamic'\nat = {}\n"
      "collider = {{ box = {} }}\n",
      at(2, 0.41), D == 2 ? "[0.8, 0.8]" : "[0.8, 0.8, 0.8]");
  text += fmt::format(
      "[[objects]]\nname = 'lamp'\ntags = ['lamp']\nat = {}\n"
      "collider = {{ box = {}, zone = true, meets = 'courier' }}\n",
      at(-2, 1), size(1, 2));
  text += fmt::format(
      "[[objects]]\nname = 'courier'  # who is played\ntags = ['courier']\nbody = 'kinematic'\n"
      "at = {}\ncollider = {{ capsule = {{ width = 0.6, height = 1.2 }} }}\n{}"
      "walker = {{ speed = 4, jump_height = 1, push = 300 }}\n",
      at(0, 0.61), wishes);
  text +=
      "[[reactions]]\nname = 'enter'\nself = 'courier'\nother = 'lamp'\n"
      "do = [{ add = 'world.entered', by = 1 }]\n"
      "[[reactions]]\nname = 'switch'\nwhen = { input = 'switch' }\n"
      "do = [{ add = 'world.lit', by = 1 }]\n"
      "[[controls]]\nkey = 'left'\nwalker = 'courier'\nwalk = -1\n"
      "[[controls]]\nkey = 'right'\nwalker = 'courier'\nwalk = 0.7\n"
      "[[controls]]\nkey = 'up'\nwalker = 'courier'\njump = true\n"
      "[[controls]]\nkey = 'e'\ninput = 'switch'\n";
  return text + more;
}

template <int D>
Scene<D> scene_at(const std::string& path) {
  const LoadedScene loaded = load_scene(path);
  REQUIRE_MESSAGE(loaded.ok(), (loaded.ok() ? "" : loaded.problems.front().message()));
  return std::get<Scene<D>>(*loaded.scene);
}

template <int D>
std::unique_ptr<Played<D>> played_at_random(const Scene<D>& scene, std::uint64_t seed) {
  auto played = std::make_unique<Played<D>>(scene);
  Random random(seed);
  while (played->trace().time() < 2 && !played->over()) {
    std::set<std::string> held;
    for (const char* key : {"left", "right", "up", "e"})
      if (random.coin(0.4)) held.insert(key);
    played->step(1 + random.below(static_cast<int>(scene.world.rate) / 4), held);
  }
  played->stop();
  return played;
}

template <int D>
std::string all_events(const Trace<D>& trace) {
  std::ostringstream out;
  write_events(out, trace, true);
  return out.str();
}

}  // namespace

TEST_CASE_TEMPLATE("what was played runs again as it was, from the files that were kept", T, Two,
                   Three) {
  constexpr int D = T::D;
  const std::array<std::string, 4> before{
      "", "wishes = 'old.toml'\n", "wishes = [{ at = 1, walk = 1 }]\n",
      "wishes = [  # a ] in a comment\n  { at = 0.5, walk = 1 },\n  { at = 1, jump = true },\n]\n"};
  std::uint64_t seed = 1;
  for (const double rate : {15.0, 60.0, 100.0, 480.0})
    for (const std::string& wishes : before) {
      CAPTURE(rate);
      CAPTURE(wishes);
      const Folder folder;
      const std::string path = folder / "yard.toml";
      std::ofstream(folder / "old.toml") << "wishes = []\n";
      std::ofstream(path) << playground<D>(rate, wishes, "# the end\n");
      const Scene<D> scene = scene_at<D>(path);
      const auto played = played_at_random(scene, seed++);
      CHECK(played->over());
      REQUIRE(!played->walkers()[0].wishes.empty());
      const auto kept = keep_played<D>(path, scene, *played, true, true, {});
      REQUIRE_MESSAGE(kept, (kept ? "" : kept.error().message()));
      CHECK(kept.value().size() >= 2);
      const std::string text = read(path);
      CHECK(has(text, "name = 'courier'  # who is played"));
      CHECK(has(text, "# the end"));
      CHECK(has(text, "wishes = \"yard.courier.wishes.toml\""));
      CHECK_FALSE(std::filesystem::exists(path + ".played"));
      // It does the same, and what was pinned holds.
      const Scene<D> again = scene_at<D>(path);
      const auto run = start_run(again);
      run->run_for(again.length);
      CHECK(all_events(run->trace) == all_events(played->trace()));
      CHECK(run->trace.pose_at(3, run->trace.steps())->position ==
            played->trace().pose_at(3, run->trace.steps())->position);
      CHECK(again.expectations.size() > 1);
      for (const Expectation<D>& e : again.expectations) CHECK(judge(e, run->trace).met);
      // Played and kept once more it needs no other files.
      const std::size_t files = std::distance(std::filesystem::directory_iterator(folder.path),
                                              std::filesystem::directory_iterator());
      if (again.inputs.empty()) {
        const auto second = played_at_random(again, seed++);
        CHECK(keep_played<D>(path, again, *second, true, false, {}));
        CHECK(files == static_cast<std::size_t>(
                           std::distance(std::filesystem::directory_iterator(folder.path),
                                         std::filesystem::directory_iterator())));
      }
    }
}

TEST_CASE("what cannot be kept changes nothing, and says what to do") {
  const Folder folder;
  const std::string path = folder / "yard.toml";
  const auto why = [&](const std::string& text) {
    std::ofstream(path) << text;
    const Scene<2> scene = scene_at<2>(path);
    const auto played = played_at_random(scene, 7);
    const auto kept = keep_played<2>(path, scene, *played, true, true, {});
    CHECK_FALSE(kept);
    CHECK(read(path) == text);
    CHECK_FALSE(std::filesystem::exists(folder / "yard.courier.wishes.toml"));
    return kept ? "" : kept.error().what;
  };
  CHECK(why(playground<2>(60, "", "[[inputs]]\nat = 1\nname = 'switch'\n")) ==
        "gives the input 'switch' itself");
  std::string inside = playground<2>(60, "");
  const std::size_t from = inside.find("[[objects]]");
  std::string objects = inside.substr(from, inside.find("[[reactions]]") - from);
  CHECK(why(inside.substr(0, from) + "[kinds.walks]\nwalker = { speed = 4 }\nbody = 'kinematic'\n" +
            "collider = { circle = { diameter = 1 } }\n" +
            inside.substr(inside.find("[[reactions]]")) +
            "\n[[objects]]\n\"name\" = 'courier'\nkind = 'walks'\n") ==
        "the object 'courier' cannot be changed where it stands");
}

TEST_CASE("mistakes in controls are reported where they are") {
  const auto problem = [](const std::string& control) {
    const LoadedScene loaded =
        read_scene(playground<2>(60, "", "[[controls]]\n" + control), "yard.toml");
    return loaded.ok() ? "" : loaded.problems.front().message();
  };
  CHECK(problem("key = 'e'\ninput = 'switch'\n") == "");
  CHECK(has(problem("walker = 'courier'\n"), "the key that is held"));
  CHECK(has(problem("key = 'lft'\nwalker = 'courier'\n"), "did you mean 'left'?"));
  CHECK(has(problem("key = 'a'\nwalker = 'corier'\n"), "did you mean 'courier'?"));
  CHECK(has(problem("key = 'a'\nwalker = 'crate'\n"), "no walker is named 'crate'"));
  CHECK(has(problem("key = 'a'\n"), "the key does nothing; walker or input"));
  CHECK(has(problem("key = 'a'\ninput = 'switch'\njump = true\n"), "'jump' is nobody's wish"));
  CHECK(has(problem("key = 'a'\nwalker = 'courier'\nwalk = 1\nvelocity = [1, 0]\n"),
            "a control has walk and velocity"));
}
