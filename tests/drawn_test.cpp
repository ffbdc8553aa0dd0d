// Scenes with colliders fitted to art and levels from drawings, models and pictures.
#include "art_files.hpp"
#include "spelled.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

template <int D>
Scene<D> scene_in(const Folder& folder, const std::string& text, const std::string& files = {}) {
  const LoadedScene loaded = read_scene(spelled<D>(text), folder / "s.toml", {}, files);
  for (const Problem& p : loaded.problems) MESSAGE(p.message());
  REQUIRE(loaded.ok());
  return std::get<Scene<D>>(*loaded.scene);
}
template <int D>
std::string problem_in(const Folder& folder, const std::string& text) {
  const LoadedScene loaded = read_scene(spelled<D>(text), folder / "s.toml");
  REQUIRE_FALSE(loaded.ok());
  return loaded.problems.front().message();
}
template <int D>
const ObjectDef<D>& object_of(const Scene<D>& scene, const std::string& name) {
  for (const ObjectDef<D>& o : scene.objects)
    if (o.name == name) return o;
  FAIL(name);
  return scene.objects.front();
}

// An OBJ box of whole size 2 x 1 x 1 about its middle.
constexpr const char* kBoxObj =
    "v -1 -.5 -.5\nv 1 -.5 -.5\nv -1 .5 -.5\nv 1 .5 -.5\nv -1 -.5 .5\nv 1 -.5 .5\nv -1 .5 .5\nv 1 "
    ".5 .5\n"
    "f 1 3 4 2\nf 5 6 8 7\nf 1 5 7 3\nf 2 4 8 6\nf 1 2 6 5\nf 3 7 8 4\n";

// The art of a dimension: a picture, or a model.
template <int D>
std::string art_key() {
  return D == 2 ? "picture = 'a.png'" : "model = 'a.obj'";
}
template <int D>
void write_art(const Folder& folder) {
  write(folder / "a.obj", kBoxObj);
  write_png(folder / "a.png", 200, 100, [](int, int) { return std::array{10, 20, 30, 255}; });
}

}  // namespace

TEST_CASE_TEMPLATE("scene: colliders are fitted to art at load", T, Two, Three) {
  constexpr int D = T::D;
  const Folder folder;
  write_art<D>(folder);
  const std::string scale = D == 2 ? "0.01" : "1";
  for (const Fit as : fits<D>()) {
    if (as == Fit::tiles) continue;
    CAPTURE(fit_name<D>(as));
    const Scene<D> scene =
        scene_in<D>(folder, "[kinds.crate]\nbody = 'static'\ncollider = { fit = { " + art_key<D>() +
                                ", as = '" + std::string(fit_name<D>(as)) + "', scale = " + scale +
                                " }, friction = 0.2, at = <3 4> }\n"
                                "[[objects]]\nname = 'a'\nkind = 'crate'\nat = <1 1>\n"
                                "[[objects]]\nname = 'b'\nkind = 'crate'\nat = <9 1>\n");
    const ColliderDef<D>& c = object_of(scene, "b").colliders.at(0);
    CHECK(c.friction == 0.2);
    const Bounds<D> b = bounds(c.shape, Pose<D>{c.at, c.turned});
    Vec<D> middle = kZero;
    middle[0] = 3;
    middle[1] = 4;
    if (as != Fit::cone) CHECK((b.centre() - middle).norm() < 0.6);
    CHECK(b.size()[0] >= 1.99);
    if (as == Fit::box) CHECK(c.shape.core[0] == doctest::Approx(1));
    REQUIRE(scene.fitted.size() == 1);  // worked out once, for the kind
    CHECK(has(scene.fitted[0].how, fit_name<D>(as)));
  }
  // The best, where nothing says how; smaller as it is requested.
  const auto box_with = [&](const std::string& more) {
    return object_of(scene_in<D>(folder, "[[objects]]\nname = 'a'\ncollider.fit = { " +
                                             art_key<D>() + ", scale = " + scale + more + " }\n"),
                     "a")
        .colliders.at(0)
        .shape;
  };
  CHECK(box_with("").kind == ShapeKind::box);
  CHECK(box_with(", as = 'box', shrink = 0.1").core[0] == doctest::Approx(0.9));
  CHECK(box_with(", as = 'box', margin = 0.1").core[0] == doctest::Approx(0.9));
  CHECK(box_with(", as = 'box', margin = 0.1").core[1] == doctest::Approx(0.4));
  // And it is a collider like any other: dynamic ones fall and come to rest.
  const Scene<D> falling = scene_in<D>(
      folder,
      "gravity = <0 -9.81>\n[[objects]]\nname = 'floor'\nat = <0 -1>\ncollider.box = [20, 2" +
          std::string(D == 3 ? ", 20" : "") +
          "]\n[[objects]]\nname = 'a'\nbody = 'dynamic'\nat = <0 3>\ncollider.fit = { " +
          art_key<D>() + ", as = 'parts', scale = " + scale + " }\n");
  const auto run = start_run(falling);
  run->run_for(3);
  CHECK(run->world.object(*run->world.find("a")).pose.position[1] ==
        doctest::Approx(0.5).epsilon(0.02));
}

TEST_CASE_TEMPLATE("scene: what is wrong with a fit is said at its key", T, Two, Three) {
  constexpr int D = T::D;
  const Folder folder;
  write_art<D>(folder);
  const auto with = [&](const std::string& fit) {
    return problem_in<D>(folder, "[[objects]]\nname = 'a'\ncollider.fit = { " + fit + " }\n");
  };
  CHECK(has(with(""), "a fit of nothing"));
  CHECK(has(with(art_key<D>() + ", as = 'capsul'"), "did you mean 'capsule'"));
  CHECK(has(with(art_key<D>() + ", tolerance = -1"), "out of range"));
  CHECK(has(with(art_key<D>() + ", shrink = 2"), "out of range"));
  CHECK(has(with(art_key<D>() + ", as = 'box', margin = 700"), "leave nothing"));
  CHECK(has(with(art_key<D>() + ", colour = 1"), "unknown key 'colour'"));
  CHECK(has(with(D == 2 ? "picture = 'none.png'" : "model = 'none.obj'"), "no such file"));
  CHECK(
      has(with(D == 2 ? "picture = '../a.png'" : "model = '../a.obj'"), "lies outside the folder"));
  CHECK(has(with(D == 2 ? "picture = '/etc/passwd'" : "model = '/etc/passwd'"), "lies outside"));
  CHECK(has(with(D == 2 ? "picture = 's.toml'" : "model = 's.toml'"), "s.toml"));
  CHECK(has(
      with(art_key<D>() + ", frames = { at = [1, 2]" + (D == 2 ? ", cell = [10, 10]" : "") + " }"),
      "seconds from 0 on"));
  CHECK(has(with(D == 2 ? "model = 'a.obj'" : "picture = 'a.png'"),
            D == 2 ? "does not fit a 2D scene" : "as = \"heights\""));
  // Allowed from elsewhere by the caller alone.
  std::filesystem::create_directories(folder / "in");
  const std::string up = D == 2 ? "picture = '../a.png', scale = 0.01" : "model = '../a.obj'";
  const std::string text = spelled<D>("[[objects]]\nname = 'a'\ncollider.fit = { " + up + " }\n");
  CHECK_FALSE(read_scene(text, folder / "in/s.toml").ok());
  CHECK(read_scene(text, folder / "in/s.toml", {}, folder.path.string()).ok());
}

TEST_CASE("scene: a picture's size, colour key, part, tiles, y down in 2D, and heights in 3D") {
  const Folder folder;
  write_png(folder / "a.png", 64, 48, disc_and_bar);
  const auto collider = [&](const std::string& fit, const std::string& more = "") {
    return object_of(scene_in<2>(folder, more +
                                             "[[objects]]\nname = 'a'\ncollider.fit = { picture = "
                                             "'a.png', " +
                                             fit + " }\n"),
                     "a")
        .colliders.at(0);
  };
  const ColliderDef<2> disc = collider("as = 'circle', size = [6.4, 4.2], part = [0, 0, 64, 42]");
  CHECK(disc.shape.radius == doctest::Approx(2).epsilon(0.03));
  const ColliderDef<2> all = collider("as = 'box', scale = 0.1");
  CHECK((bounds(all.shape, Pose<2>{all.at, {}}).lo - Vec<2>(-2.8, -2.4)).norm() < 1e-9);
  const ColliderDef<2> down = collider("as = 'box', scale = 0.1", "gravity = [0, 9.81]\n");
  CHECK(bounds(down.shape, Pose<2>{down.at, {}}).hi.y() == doctest::Approx(2.4));
  const ColliderDef<2> tiles = collider("as = 'tiles', scale = 0.1, cell = [0.8, 0.8]");
  CHECK(tiles.shape.kind == ShapeKind::tiles);
  // As large as the object's drawing of the same file.
  const Scene<2> drawn = scene_in<2>(
      folder,
      "[[objects]]\nname = 'a'\ndrawing = { size = [12.8, 9.6], picture = 'a.png', at = [1, 0] }\n"
      "collider.fit = { picture = 'a.png', as = 'box' }\n");
  const ColliderDef<2>& large = drawn.objects[0].colliders[0];
  CHECK(2 * large.shape.core.x() == doctest::Approx(11.2));
  CHECK(large.at.x() == doctest::Approx(1));
  CHECK(has(
      problem_in<2>(
          folder, "[[objects]]\nname = 'a'\ncollider.fit = { picture = 'a.png', size = [1, 2] }\n"),
      "not as high as the size says"));
  write_png(folder / "key.png", 20, 20, [](int x, int) {
    return x < 10 ? std::array{255, 0, 255, 255} : std::array{9, 9, 9, 255};
  });
  const Scene<2> keyed = scene_in<2>(folder,
                                     "[[objects]]\nname = 'a'\ncollider.fit = { picture = "
                                     "'key.png', as = 'box', ground = '#ff00ff' }\n");
  CHECK(2 * keyed.objects[0].colliders[0].shape.core.x() == 10);
  write(folder / "a.svg", "<svg viewBox=\"0 0 20 10\"><path d=\"M5 0h10v10h-10z\"/></svg>");
  const Scene<2> vector = scene_in<2>(
      folder,
      "[[objects]]\nname = 'a'\ncollider.fit = { picture = 'a.svg', as = 'box', scale = 0.1 }\n");
  CHECK(vector.objects[0].colliders[0].shape.core == Vec<2>(0.5, 0.5));
  const Scene<3> ground = scene_in<3>(folder,
                                      "[[objects]]\nname = 'a'\ncollider.fit = { picture = "
                                      "'key.png', as = 'heights', cell = [2, 1], height = 3 }\n");
  const ColliderDef<3>& h = ground.objects[0].colliders[0];
  CHECK(bounds(h.shape, Pose<3>{h.at, {}}).lo.x() == -19);
  CHECK(bounds(h.shape, Pose<3>{h.at, {}}).hi.y() == doctest::Approx(2));
}

TEST_CASE("scene: frames are colliders by time, in 2D and 3D, over and over, without a gap") {
  const Folder folder;
  // Three frames: narrow, wide, narrow again and higher.
  write_png(folder / "a.png", 30, 10, [](int x, int y) {
    const int frame = x / 10;
    const int px = x % 10;
    const bool in = frame == 1 ? y >= 4 && y < 6 : (px >= 4 && px < 6 && (frame == 0 || y < 5));
    return std::array{1, 1, 1, in ? 255 : 0};
  });
  for (const double rate : {15.0, 60.0, 480.0}) {
    CAPTURE(rate);
    const Scene<2> scene = scene_in<2>(
        folder,
        "rate = " + std::to_string(rate) +
            "\nlength = 3\n"
            "[[objects]]\nname = 'bird'\nbody = 'kinematic'\ncollider = { period = 1, fit = { "
            "picture = "
            "'a.png', as = 'box', frames = { cell = [10, 10], at = [0, 0.4, 0.8] } } }\n"
            "[[objects]]\nname = 'post'\nat = [4, 0]\ncollider = { box = [1, 1], zone = true }\n"
            "[[objects]]\nname = 'core'\nat = [0, 0.5]\ncollider = { box = [0.5, 0.5], zone = true "
            "}\n"
            "[[expect]]\ncontact = ['@bird', '@post']\ntimes = 3\n");
    REQUIRE(scene.objects[0].colliders.size() == 3);
    const auto run = start_run(scene);
    run->run_for(scene.length);
    CHECK(judge(scene.expectations[0], run->trace).met);
    int core = 0;
    std::vector<double> begins;
    for (const TraceTouch& t : run->trace.touches()) {
      if (t.phase != Phase::begin) continue;
      const bool post = run->trace.objects()[t.self].name == "post" ||
                        run->trace.objects()[t.other].name == "post";
      if (post && (begins.empty() || t.time - begins.back() > 0.3)) begins.push_back(t.time);
      core += post ? 0 : 1;
    }
    REQUIRE(begins.size() == 3);
    for (int i = 0; i < 3; ++i)
      CHECK(begins[static_cast<std::size_t>(i)] == doctest::Approx(i + 0.4).epsilon(1.01 / rate));
    CHECK(core <= 2);  // one touch through all frames, for each of the two who notice
  }
  CHECK(has(
      problem_in<2>(folder,
                    "[[objects]]\nname = 'a'\ncollider = { fit = { picture = 'a.png', frames = { "
                    "cell = [10, 10], at = [0, 1], show = [0, 7] } } }\n"),
      "no frame 7"));
  CHECK(has(problem_in<2>(folder,
                          "[[objects]]\nname = 'a'\ncollider = { fit = { picture = 'a.png', "
                          "frames = { cell = [40, 10], at = [0, 1] } } }\n"),
            "the picture has no frame 0; a cell of at most 30 x 10 pixels"));
  nlohmann::json model = box_model(nlohmann::json::array({{{"name", "a"}, {"mesh", 0}}}));
  write(folder / "a.gltf", model.dump());
  const Scene<3> solid = scene_in<3>(folder,
                                     "[[objects]]\nname = 'a'\nbody = 'kinematic'\ncollider = { "
                                     "fit = { model = 'a.gltf', as = 'box', "
                                     "frames = { at = [0, 0.5] } } }\n");
  CHECK(solid.objects[0].colliders.size() == 2);
  CHECK(solid.objects[0].colliders[0].on);
  CHECK_FALSE(solid.objects[0].colliders[1].on);
}

namespace {

constexpr const char* kKinds =
    "gravity = [0, -10]\n[tags]\nwall = 'w'\ncrate = 'c'\n[kinds.wall]\ntags = ['wall']\n"
    "[kinds.crate]\nbody = 'dynamic'\ntags = ['crate']\ncollider.friction = 0.3\n"
    "[kinds.lamp]\ncollider = { circle = { diameter = 1 }, zone = true }\n";
constexpr const char* kYard =
    "<svg viewBox=\"0 0 100 50\"><g id=\"walls\"><rect id=\"floor\" x=\"0\" y=\"40\" width=\"100\" "
    "height=\"10\"/>"
    "<path id=\"ramp\" d=\"M0 40 L20 40 L20 30 Z\"/></g>\n"
    "<rect id=\"box-1\" class=\"crates\" x=\"50\" y=\"20\" width=\"4\" height=\"2\" "
    "transform=\"rotate(90 52 21)\"/>\n"
    "<rect class=\"crates\" x=\"60\" y=\"20\" width=\"4\" height=\"2\"/><circle id=\"bulb\" "
    "cx=\"80\" cy=\"10\" r=\"7\"/></svg>";

}  // namespace

TEST_CASE("2D layouts: shapes of a drawing become objects, their kinds' or their own shapes") {
  const Folder folder;
  write(folder / "level.svg", kYard);
  const std::string layout =
      "[layout]\nfile = 'level.svg'\nscale = 0.1\nat = [1, 2]\n"
      "map = { walls = 'wall', crates = { kind = 'crate', count = 2 }, bulb = 'lamp' }\n";
  const Scene<2> scene = scene_in<2>(folder, kKinds + layout);
  REQUIRE(scene.objects.size() == 5);
  const ObjectDef<2>& floor = object_of(scene, "floor");
  CHECK(floor.at == Vec<2>(6, 2.5));
  CHECK(floor.colliders[0].shape.core == Vec<2>(5, 0.5));
  CHECK(floor.tags == std::vector<std::string>{"wall"});
  CHECK(object_of(scene, "ramp").colliders[0].shape.kind == ShapeKind::outline);
  const ObjectDef<2>& crate = object_of(scene, "box-1");
  CHECK(degrees(crate.turned.angle()) == doctest::Approx(-90));
  CHECK(crate.colliders[0].friction == 0.3);
  CHECK(crate.body == BodyKind::dynamic);
  CHECK(object_of(scene, "crate.1").at.isApprox(Vec<2>(7.2, 4.9)));
  CHECK(object_of(scene, "bulb").colliders[0].shape.radius == 0.5);  // the kind's own
  CHECK(scene.object_sources[0] == "<rect id=\"floor\">");
  CHECK(scene.object_places[0].file == folder / "level.svg");
  CHECK(scene.object_places[2].line == 2);
  // They fall, and rest where the drawing says there is ground.
  const auto run = start_run(scene);
  run->run_for(4);
  const Vec<2> rest = run->world.object(*run->world.find("crate.1")).pose.position;
  CHECK(rest.y() == doctest::Approx(3.1).epsilon(0.01));
  // Where y goes down the drawing's top is up all the same.
  const std::string down = "gravity = [0, 10]" + std::string(kKinds).substr(18);
  const Scene<2> flipped = scene_in<2>(folder, down + layout);
  CHECK(object_of(flipped, "floor").at.isApprox(Vec<2>(6, 2 + 4.5)));
  CHECK(degrees(object_of(flipped, "box-1").turned.angle()) == doctest::Approx(90));
  const auto upside = start_run(flipped);
  upside->run_for(4);
  CHECK(upside->world.object(*upside->world.find("crate.1")).pose.position.y() ==
        doctest::Approx(2 + 4 - 0.1).epsilon(0.01));
}

TEST_CASE("2D layouts: what changed in a drawing is named, and mistakes name the element") {
  const Folder folder;
  const auto level = [&](std::string from, const std::string& to) {
    std::string text = kYard;
    const std::size_t at = text.find(from);
    REQUIRE(at != std::string::npos);
    write(folder / "level.svg", text.replace(at, from.size(), to));
  };
  const std::string layout =
      "[layout]\nfile = 'level.svg'\nmap = { walls = 'wall', crates = { kind = 'crate', count = 2 "
      "}, bulb = 'lamp' }\n";
  level("id=\"bulb\"", "id=\"bulbs\"");
  CHECK(has(problem_in<2>(folder, kKinds + layout),
            "nothing in level.svg is named 'bulb'; did you mean 'bulbs'?"));
  level("class=\"crates\" x=\"60\"", "x=\"60\"");
  CHECK(has(problem_in<2>(folder, kKinds + layout),
            "level.svg has 1 of 'crates'; count = 1, or 2 in the drawing"));
  level("</svg>", "<rect id=\"new\" width=\"3\" height=\"3\"/></svg>");
  const Scene<2> more = scene_in<2>(folder, kKinds + layout);
  REQUIRE(more.notes.size() == 1);
  CHECK(has(more.notes[0].message(), "level.svg:3:"));
  CHECK(has(more.notes[0].message(), "<rect id=\"new\"> stands for nothing and was left out"));
  std::string meant = kKinds + layout;
  meant.replace(meant.find("bulb = "), 7, "new = '', bulb = ");
  CHECK(scene_in<2>(folder, meant).notes.empty());  // on purpose
  level("id=\"box-1\" class=\"crates\" x=\"50\" y=\"20\" width=\"4\" height=\"2\"",
        "id=\"box-1\" class=\"crates\" x=\"50\" y=\"20\" width=\"1e-7\" height=\"2\"");
  const std::string small = problem_in<2>(folder, kKinds + layout);
  CHECK(has(small, "level.svg:2:"));
  CHECK(has(small, "<rect id=\"box-1\">"));
  level("id=\"box-1\"", "id=\"floor\"");
  CHECK(has(problem_in<2>(folder, kKinds + layout), "another object is named 'floor'"));
  level("viewBox", "viewbox");
  CHECK(has(problem_in<2>(folder, kKinds + layout), "neither a viewBox nor a width"));
  // A dynamic line has no mass: said of the element.
  level("class=\"crates\" x=\"60\" y=\"20\" width=\"4\" height=\"2\"/>",
        "/><polyline class=\"crates\" points=\"1,1 5,5\"/>");
  const std::string massless = problem_in<2>(folder, kKinds + layout);
  CHECK(has(massless, "<polyline>"));
  write(folder / "level.svg", kYard);
  CHECK(has(problem_in<2>(folder, kKinds + std::string("[layout]\nfile = 'level.svg'\n")),
            "lacks 'map'"));
  CHECK(has(
      problem_in<2>(
          folder, kKinds + std::string("[layout]\nfile = 'level.svg'\nmap = { walls = 'wal' }\n")),
      "no kind is named 'wal'; did you mean 'wall'?"));
  CHECK(has(
      problem_in<2>(
          folder, kKinds + std::string("[layout]\nfile = 'level.txt'\nmap = { walls = 'wall' }\n")),
      ".svg or .png"));
}

TEST_CASE_TEMPLATE("layouts: a picture is a grid of kinds by colour", T, Two, Three) {
  constexpr int D = T::D;
  const Folder folder;
  write_png(folder / "grid.png", 4, 3, [](int x, int y) {
    if (y == 2) return std::array{0, 0, 0, 255};
    if (x == 1 && y == 0) return std::array{255, 0, 0, 255};
    if (x == 3 && y == 1) return std::array{0, 255, 0, 255};
    return std::array{255, 255, 255, y == 0 ? 0 : 255};
  });
  const std::string kinds = "[kinds.wall]\n[kinds.crate]\nbody = 'dynamic'\n";
  const std::string head =
      "[layout]\nfile = 'grid.png'\nat = <10 20>\ncell = <2 1>\nground = '#ffffff'\n";
  const std::string cell = D == 3 ? "" : "";
  std::string text =
      kinds + head + "map = { '#000000' = 'wall', '#FF0000' = { kind = 'crate', count = 1 } }\n";
  if (D == 3) text.replace(text.find("cell = <2 1>"), 12, "cell = [2, 1, 3]");
  const Scene<D> scene = scene_in<D>(folder, text);
  CHECK(scene.objects.size() == 5);
  Vec<D> at = object_of(scene, "crate.1").at;
  CHECK(at.template head<2>() == Vec<2>(13, 22.5));
  CHECK(object_of(scene, "wall.4").at.template head<2>() == Vec<2>(17, 20.5));
  CHECK(object_of(scene, "wall.4").colliders[0].shape.core.template head<2>() == Vec<2>(1, 0.5));
  REQUIRE(scene.notes.size() == 1);
  CHECK(has(scene.notes[0].message(),
            "#00ff00 (first at column 4, row 2) stands for nothing: 1 pixels"));
  text.replace(text.find("count = 1"), 9, "count = 3");
  CHECK(has(problem_in<D>(folder, text), "grid.png has 1 of '#FF0000'"));
}

TEST_CASE("3D layouts: nodes of a model become objects") {
  const Folder folder;
  nlohmann::json nodes = nlohmann::json::array(
      {{{"name", "floor"}, {"mesh", 0}, {"scale", {10, 1, 10}}, {"translation", {0, -0.5, 0}}},
       {{"name", "crate"}, {"mesh", 0}, {"translation", {0, 3, 0}}},
       {{"name", "crate.001"},
        {"mesh", 0},
        {"translation", {4, 2, 0}},
        {"extras", {{"tags", {"heavy"}}}}},
       {{"name", "spare"}, {"mesh", 0}, {"extras", {{"kind", "lamp"}}}, {"translation", {0, 9, 0}}},
       {{"name", "other"}, {"mesh", 0}}});
  write(folder / "hall.gltf", box_model(nodes).dump());
  const std::string kinds =
      "gravity = [0, -10, 0]\n[tags]\nheavy = 'h'\n[kinds.wall]\n[kinds.crate]\nbody = 'dynamic'\n"
      "[kinds.lamp]\ncollider = { sphere = { diameter = 1 }, zone = true }\n";
  const std::string layout =
      "[layout]\nfile = 'hall.gltf'\nscale = 2\nat = [0, 1, 0]\nmap = { floor = 'wall', crate = { "
      "kind = 'crate', count = 2 } }\n";
  const Scene<3> scene = scene_in<3>(folder, kinds + layout);
  REQUIRE(scene.objects.size() == 4);
  CHECK(object_of(scene, "floor").colliders[0].shape.kind == ShapeKind::mesh);
  const ObjectDef<3>& crate = object_of(scene, "crate.001");
  CHECK(crate.colliders[0].shape.kind == ShapeKind::hull);
  CHECK(crate.at == Vec<3>(8, 5, 0));
  CHECK(crate.tags == std::vector<std::string>{"heavy"});
  CHECK(object_of(scene, "spare").colliders[0].shape.radius == 0.5);
  CHECK(has(scene.object_sources[1], "hall.gltf: node 1 'crate'"));
  REQUIRE(scene.notes.size() == 1);
  CHECK(has(scene.notes[0].message(), "node 4 'other' stands for nothing"));
  const auto run = start_run(scene);
  run->run_for(4);
  CHECK(run->world.object(*run->world.find("crate")).pose.position.y() ==
        doctest::Approx(2).epsilon(0.01));
  const auto with = [&](const std::string& from, const std::string& to) {
    std::string text = kinds + layout;
    text.replace(text.find(from), from.size(), to);
    return problem_in<3>(folder, text);
  };
  CHECK(has(with("floor = 'wall'", "flor = 'wall'"),
            "nothing in hall.gltf is named 'flor'; did you mean 'floor'?"));
  CHECK(has(with("count = 2", "count = 3"), "hall.gltf has 2 of 'crate'"));
  CHECK(has(with("heavy = 'h'", "light = 'h'"), "node 2 'crate.001'"));
  CHECK(has(with("kind = 'crate'", "kind = 'crate', fit = 'blob'"), "'blob' is no fit"));
  CHECK(has(with("hall.gltf", "none.gltf"), "no such file"));
}

TEST_CASE("files beside a scene are read, others where --files allows them") {
  const Folder folder;
  std::filesystem::create_directories(folder / "in");
  write_png(folder / "a.png", 8, 8, [](int, int) { return std::array{1, 2, 3, 255}; });
  write(folder / "level.svg", kYard);
  const std::string scene = folder / "in/s.toml";
  const std::string text =
      "colvik = 1\n[world]\ndimension = 2\nlength = 0.5\n[kinds.wall]\n[[objects]]\nname = 'a'\n"
      "collider.fit = { picture = '../a.png' }\n[layout]\nfile = '../level.svg'\n"
      "map = { walls = 'wall', crates = '', bulb = '' }\n";
  write(scene, text);
  const Ran outside = colvik_tool("run " + scene);
  CHECK(outside.status == 2);
  CHECK(has(outside.err, "s.toml:8:"));
  CHECK(has(outside.err, "s.toml:10:"));
  CHECK(has(outside.err, "--files FOLDER"));
  for (const char* command : {"run", "check", "who", "draw --out"}) {
    const std::string arguments =
        std::string(command) + (has(command, "--out") ? " " + folder / "o.png" : "") + " " + scene;
    CHECK(colvik_tool(arguments + " --files " + folder.path.string()).status <= 1);
  }
  // A link out of the folder is no way round.
  std::filesystem::create_symlink(folder / "a.png", folder / "in/link.png");
  std::string linked = text;
  linked.replace(linked.find("../a.png"), 8, "link.png");
  write(scene, linked);
  CHECK(has(colvik_tool("run " + scene).err, "'link.png' lies outside the folder"));
}
