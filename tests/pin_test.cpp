// Pins: what a run did, as expectations that hold for it, and no longer when it changes.
#include <colvik/insight.hpp>

#include <cstdlib>

#include "demo_scenes.hpp"
#include "spelled.hpp"

using namespace colvik;
using namespace colvik::test;
namespace fs = std::filesystem;

namespace {

const char* kBell = R"(length = 3   # a comment
[tags]
courier = ''
parcel = ''
[numbers]
parcels = 0
[[objects]]
name = 'courier'
tags = ['courier']
body = 'kinematic'
velocity = <SPEED 0>
numbers = { charge = 4 }
collider = { box = <*1>, meets = 'parcel' }
[[objects]]
name = 'parcel'
tags = ['parcel']
row = { from = <2 0>, step = <1.5 0>, count = 3 }
collider = { box = <*0.5>, zone = true, meets = 'courier' }
[[reactions]]
name = 'collect'
self = 'courier'
other = 'parcel'
do = [{ add = 'world.parcels', by = 1 }, { add = 'self.charge', by = -0.7 }, { remove = 'other' }]
[[reactions]]
name = 'full'
when = { number = 'world.parcels', reaches = 9 }
[[reactions]]
name = 'done'
when = { number = 'world.parcels', reaches = 3 }
do = [{ finish = "all \"three\"" }]
)";

template <int D>
std::string bell(const std::string& speed) {
  std::string text = kBell;
  text.replace(text.find("SPEED"), 5, speed);
  return spelled<D>(text);
}

template <int D>
std::unique_ptr<Run<D>> run_of(const std::string& text, Scene<D>& scene) {
  const LoadedScene loaded = read_scene(text, "bell.toml");
  for (const Problem& p : loaded.problems) FAIL(p.message());
  scene = std::get<Scene<D>>(*loaded.scene);
  auto run = start_run(scene);
  run->run_for(scene.length);
  return run;
}

}  // namespace

TEST_CASE_TEMPLATE("what is pinned holds for the run, and names what changes", T, Two, Three) {
  constexpr int D = T::D;
  Scene<D> scene;
  const auto run = run_of<D>(bell<D>("3"), scene);
  const auto made = pins(run->trace).value();
  std::string text = bell<D>("3");
  std::string slower = bell<D>("1");
  for (const Expectation<D>& e : made) {
    CHECK(e.pinned);
    CHECK(judge(e, run->trace).met);
    text += "\n" + pin_text(e);
    slower += "\n" + pin_text(e);
  }
  // collect, three of them, full never, done and when, world.parcels, charge, outcome
  CHECK(made.size() == 10);
  Scene<D> with;
  const auto again = run_of<D>(text, with);
  REQUIRE(with.expectations.size() == made.size());
  for (std::size_t i = 0; i < made.size(); ++i) {
    CHECK(with.expectations[i].pinned);
    CHECK(judge(with.expectations[i], again->trace).met);
    CHECK(pin_text(with.expectations[i]) == pin_text(made[i]));
  }
  Scene<D> changed;
  const auto other = run_of<D>(slower, changed);
  std::size_t missed = 0;
  for (const Expectation<D>& e : changed.expectations) missed += judge(e, other->trace).met ? 0 : 1;
  CHECK(missed == 9);  // all but 'full', which still never fires
  const std::string report = run_report<D>(other->trace, changed.expectations, {});
  CHECK(report.find("CHANGED") != std::string::npos);
  CHECK(report.find("MISSED") == std::string::npos);
  CHECK(report.find("9 pinned ones changed") != std::string::npos);
  // Only what one had a part in.
  const auto of_one = pins(run->trace, {.only = "@parcel.2"}).value();
  REQUIRE(of_one.size() == 1);
  CHECK(pin_text(of_one[0]).find("@parcel.2") != std::string::npos);
  CHECK_FALSE(pins(run->trace, {.only = "parcle"}));
  CHECK_FALSE(pins(run->trace, {.slack = -1}));
}

TEST_CASE("the pins of every demo scene hold for it") {
  for_demo_scenes([]<int D>(const Scene<D>& scene) {
    const auto run = start_run(scene);
    run->run_for(scene.length);
    for (const Expectation<D>& e : pins(run->trace, {.slack = 0.01}).value())
      CHECK_MESSAGE(judge(e, run->trace).met, pin_text(e));
  });
}

TEST_CASE("colvik pin: appends to the scene, once, whole or not at all, also from a log") {
  const fs::path folder = fs::temp_directory_path() / ("colvik-pin-" + std::to_string(::rand()));
  fs::create_directories(folder);
  const std::string tool = COLVIK_BIN_DIR "/colvik";
  const auto call = [&](const std::string& arguments) {
    const int status =
        std::system((tool + " " + arguments + " > " + (folder / "out").string() + " 2>&1").c_str());
    return std::pair(status / 256, read(folder / "out"));
  };
  const fs::path scene = folder / "bell.toml";
  const auto write = [&](const std::string& text) { std::ofstream(scene) << text; };
  const std::string before =
      "colvik = 1\nworld.dimension = 2\nworld.length = 1\n# kept\n[tags]\n"
      "[[reactions]]\nname = 'tick'\nwhen = { every = 0.25 }";  // no end of line
  write(before);
  auto [status, said] = call("pin " + scene.string());
  CHECK(status == 0);
  CHECK(said.find("times = ") != std::string::npos);
  CHECK(read(scene) == before);
  CHECK(call("pin --write " + scene.string()).first == 0);
  const std::string after = read(scene);
  CHECK(after.starts_with(before));
  CHECK(after.size() > before.size());
  CHECK(call("pin --write " + scene.string()).second.find(" 0 pinned") != std::string::npos);
  CHECK(read(scene) == after);
  CHECK(call("run " + scene.string()).first == 0);
  // Something changes: it is named, nothing is written over.
  std::string slower = after;
  slower.replace(slower.find("0.25"), 4, "0.5");
  write(slower);
  std::tie(status, said) = call("pin --write " + scene.string());
  CHECK(status == 1);
  CHECK(said.find("no longer as it was pinned") != std::string::npos);
  CHECK(read(scene) == slower);
  CHECK(call("run " + scene.string()).first == 1);
  // No room for [[expect]] at the end.
  const std::string inlined =
      "colvik = 1\nexpect = []\nworld.dimension = 2\n[tags]\n"
      "[[reactions]]\nname = 'tick'\nwhen = { every = 1 }\n";
  write(inlined);
  std::tie(status, said) = call("pin --write " + scene.string());
  CHECK(status == 2);
  CHECK(said.find("nothing was changed") != std::string::npos);
  CHECK(read(scene) == inlined);
  const std::string audit = COLVIK_SOURCE_DIR "/data/audit/";
  std::tie(status, said) = call("pin " + audit + "rules.toml --audit " + audit + "contacts.jsonl");
  CHECK(status == 0);
  CHECK(said.find("parcel-7") != std::string::npos);
  CHECK(call("pin " + scene.string() + " --only nobody").first == 2);
  fs::remove_all(folder);
}
