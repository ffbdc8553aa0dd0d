// `colvik fit`: what it prints, draws and writes.
#include "art_files.hpp"

using namespace colvik;
using namespace colvik::test;

TEST_CASE("fit: the tool measures, chooses, draws and writes, in 2D and 3D") {
  const Folder folder;
  write_png(folder / "a.png", 64, 48, disc_and_bar);
  const Ran flat =
      colvik_tool("fit " + folder / "a.png" + " --scale 0.1 --out " + folder / "a.svg");
  CHECK(flat.status == 0);
  for (const Fit as : fits<2>())
    if (as != Fit::tiles) CHECK(has(flat.out, "\n" + std::string(fit_name<2>(as))));
  CHECK(has(flat.out, "best: "));
  CHECK(has(read(folder / "a.svg"), "<svg"));
  const Ran solid =
      colvik_tool("fit data/art/bracket.obj --best --name hook --out " + folder / "b.png");
  CHECK(solid.status == 0);
  CHECK(has(solid.out, "[kinds.hook.collider]\ncompound = ["));
  CHECK(std::filesystem::file_size(folder / "b.png") > 20000);
  const Ran json = colvik_tool("fit data/art/crate.png data/ramp.obj --json");
  const auto all = nlohmann::json::parse(json.out);
  REQUIRE(all.size() == 2);
  CHECK(all[0]["best"]["as"] == "box");
  CHECK(all[0]["offers"][0]["contacts"] == 1);
  const Ran frames =
      colvik_tool("fit data/art/drone-dive.png --frames 96x72 --as box --out " + folder / "f.png");
  CHECK(has(frames.out, "frame 2"));
  CHECK(std::filesystem::exists(folder / "f-drone-dive-2.png"));
  for (const auto& [arguments, said] : std::vector<std::pair<std::string, std::string>>{
           {"none.png", "no such file"},
           {"data/art/crate.png --as capsul", "did you mean 'capsule'"},
           {"data/art/crate.png --as hull", "no fit of drawings"},
           {"data/art/crate.png --ground red", "#rrggbb"},
           {"data/art/crate.png --size 3,9", "same proportions"},
           {"data/art/crate.png --shrink much", "--shrink"},
           {"data/art/crate.png --as box --margin 99", "leave nothing"},
           {"data/night-depot.toml", ".png, .svg"},
           {"data/art/crate.png --out x.bmp", ".png"},
           {"data/art/tray.obj --as parts --parts 1", "more parts, or a larger tolerance"}}) {
    const Ran ran = colvik_tool("fit " + arguments);
    CAPTURE(ran.err);
    CHECK(ran.status == 2);
    CHECK(has(ran.err, said));
  }
}

TEST_CASE("fit: what is written is as the scene had it, but for the shape, and loads") {
  const Folder folder;
  write_png(folder / "a.png", 40, 20, [](int, int) { return std::array{1, 2, 3, 255}; });
  const std::string scene = folder / "s.toml";
  const std::string head = "colvik = 1 # ä\n[world]\ndimension = 2\n";
  const std::string tail = "# the end\n[[objects]]\nname = 'a'\nkind = 'crate'\n";
  const std::string other = "[kinds.other]\ncollider.box = [9, 9] # stays\n";
  struct Row {
    const char* before;
    const char* after;
  };
  const Row rows[] = {
      {"[kinds.crate] # one\ncollider = { circle = { diameter = 3 }, friction = 0.25, at = [1, 1] "
       "} # two\n",
       "[kinds.crate] # one\ncollider = { box = [4, 2], friction = 0.25 } # two\n"},
      {"[kinds.crate]\n# none yet\nbody = 'dynamic'\n",
       "[kinds.crate]\ncollider = { box = [4, 2] }\n# none yet\nbody = 'dynamic'\n"},
      {"[kinds.crate]\nbody = 'dynamic'\n[kinds.crate.collider]\n# its shape\nbox = [1, "
       "1]\nfriction = 0.5 # f\n",
       "[kinds.crate]\nbody = 'dynamic'\n[kinds.crate.collider]\nbox = [4, 2]\n# its "
       "shape\nfriction = 0.5 # f\n"}};
  for (const Row& row : rows) {
    CAPTURE(row.before);
    write(scene, head + row.before + other + tail);
    const Ran ran = colvik_tool("fit " + folder / "a.png" + " --scale 0.1 --as box --write " +
                                scene + " crate");
    CHECK(ran.err == "");
    CHECK(read(scene) == head + row.after + other + tail);
    CHECK(colvik_tool("run " + scene).status == 0);
  }
  const Ran fresh =
      colvik_tool("fit " + folder / "a.png" + " --scale 0.1 --as box --write " + scene + " fresh");
  CHECK(fresh.status == 0);
  CHECK(has(read(scene), tail + "\n[kinds.fresh]\ncollider = { box = [4, 2] }\n"));
  const Ran linked = colvik_tool("fit " + folder / "a.png" +
                                 " --scale 0.1 --as polygon --linked --write " + scene + " crate");
  CHECK(linked.status == 0);
  CHECK(has(read(scene), "fit = { picture = \"a.png\", as = \"polygon\", scale = 0.1 }"));
  const Ran kind = colvik_tool("kind " + scene + " crate");
  CHECK(has(kind.out, "polygon: overlap 100.0%"));
  CHECK(has(kind.out, "polygon = [[-2, -1], [2, -1], [2, 1], [-2, 1]]"));
  // What would spoil the scene is not written.
  const std::string before = read(scene);
  const Ran bad = colvik_tool("fit data/art/tray.obj --as parts --write " + scene + " crate");
  CHECK(bad.status == 2);
  CHECK(has(bad.err, "nothing was changed"));
  CHECK(read(scene) == before);
  CHECK(std::distance(std::filesystem::directory_iterator(folder.path), {}) == 2);
}
