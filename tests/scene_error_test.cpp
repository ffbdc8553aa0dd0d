// Scene files that are wrong: each mistake with its place and what would be accepted.
#include <colvik/scene.hpp>

#include <fstream>
#include <sstream>

#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

constexpr const char* kHead =
    "colvik = 1\n[world]\ndimension = 2\n[tags]\ncourier = ''\nparcel = ''\n[numbers]\nscore = "
    "0\n[kinds.box]\ncollider = { box = [1, 1] }\n";  // 10 lines

std::string problems(const LoadedScene& loaded) {
  std::string all;
  for (const Problem& p : loaded.problems) all += p.message() + "\n";
  return all;
}

}  // namespace

TEST_CASE("each mistake in a scene is reported with its line and column and what would do") {
  struct Row {
    const char* text;    // from line 11 on
    const char* wanted;  // the only problem
  };
  const Row rows[] = {
      {"[[objects]]\nname = 'a'\ntags = ['Parcel']",
       "s.toml:13:9: 'Parcel' is not a declared tag; did you mean 'parcel'?"},
      {"[[objects]]\nname = 'a'\ncolider = {}",
       "s.toml:13:1: unknown key 'colider' in an object; did you mean 'collider'?"},
      {"[[objects]]\nname = 'a'\ncollider = { sphere = { diameter = 1 } }",
       "s.toml:13:23: a sphere does not fit a 2D scene; circle = { diameter = ... }"},
      {"[[objects]]\nname = 'a'\ncollider = { circle = { radius = 1 } }",
       "s.toml:13:25: unknown key 'radius' in a circle; sizes are whole: diameter = 2 x "
       "radius\ns.toml:13:23: circle "
       "lacks 'diameter'; diameter, the whole size"},
      {"[[objects]]\nname = 'a'\ncollider = { box = [1, 0] }",
       "s.toml:13:12: box height: 0 is not a usable size; a number from 1e-05 to 10000000"},
      {"[[objects]]\nname = 'a'\ncollider = { box = [1, 1, 1] }",
       "s.toml:13:20: box has 3 numbers; two numbers, [x, y], as the scene is 2D"},
      {"[[objects]]\nname = 'a'\ncollider = { zone = true }",
       "s.toml:13:12: a collider lacks a shape; one of: circle, box, capsule, segment, polygon, "
       "outline, "
       "polyline, tiles, half_plane, compound, region"},
      {"[[objects]]\nname = 'a'\ncollider = { box = [1, 1], capsule = { width = 1, height = 2 } }",
       "s.toml:13:20: a collider has several shapes: box, capsule; one shape; several colliders go "
       "in colliders = "
       "[...]"},
      {"[[objects]]\nname = 'a'\ncollider = { box = [1, 1], meets = 'courier & ' }",
       "s.toml:13:36: tag query 'courier & ' lacks a tag at character 11; expected a tag, 'any', "
       "'none', '!' or '('"},
      {"[[objects]]\nname = 'a'\ncollider = { region = 'yard' }",
       "s.toml:13:23: no region is named 'yard'; a region declared under [regions]"},
      {"[[objects]]\nname = 'a'\nkind = 'Box'",
       "s.toml:13:8: no kind is named 'Box'; did you mean 'box'?"},
      {"[[objects]]\nname = 'a'\nlike = 'box'",
       "s.toml:13:8: an object has no 'like'; kind = the kind it inherits from"},
      {"[[objects]]\nkind = 'box'", "s.toml:11:1: object lacks 'name'; a name of its own"},
      {"[[objects]]\nname = 'a'\n[[objects]]\nname = 'a'",
       "s.toml:14:1: object 'a' name is taken by another object; a name of its own"},
      {"[[objects]]\nname = 'a'\nbody = 'Static'",
       "s.toml:13:8: body is 'Static'; did you mean 'static'?"},
      {"[[objects]]\nname = 'a'\nbody = 'dynamic'",
       "s.toml:13:1: object 'a' body is dynamic but has no solid collider with a volume to take a "
       "mass from; a solid "
       "collider that is no bare segment, or a mass"},
      {"[[objects]]\nname = 'a'\nbody = 'dynamic'\ncollider = { box = [1, 1], zone = true }",
       "s.toml:13:1: object 'a' body is dynamic and has zones alone: without a mass, and through "
       "every floor; a solid collider beside the zone, a mass, or body = kinematic"},
      {"[[objects]]\nname = 'a'\nat = [1, nan]", "s.toml:13:10: at is not finite; a finite number"},
      {"[[objects]]\nname = 'a'\nat = 3",
       "s.toml:13:6: at is a number; two numbers, [x, y], as the scene is 2D"},
      {"[[objects]]\nname = 'a'\nrow = { from = [0, 0], step = [1, 0], count = 2.5 }",
       "s.toml:13:47: count of 2.5 is not whole; a whole number"},
      {"[[objects]]\nname = 'a'\nat = [0, 0]\nrow = { from = [0, 0], step = [1, 0], count = 2 }",
       "s.toml:11:1: 'a' is placed twice; one of at, row, grid, ring, border, picture and scatter"},
      {"[[objects]]\nname = 'a'\nbody = 'kinematic'\npath = [{ at = 1, to = [0, 0] }, { at = 1, to "
       "= [1, 0] }]",
       "s.toml:14:8: path time 1 does not come after 1; times that grow"},
      {"[[objects]]\nname = 'a'\npath = [{ at = 1, to = [0, 0] }]",
       "s.toml:11:1: object 'a' motion is given to a static object; body = kinematic"},
      {"[[objects]]\nname = 'a'\ndrawing = { size = [1, 1], picture = 'none.png' }",
       "s.toml:13:38: there is no file 'none.png'; a PNG beside the scene file"},
      {"[kinds.x]\nlike = 'y'\n[kinds.y]\nlike = 'x'",
       "s.toml:12:8: kinds inherit in a circle: y -> x -> y; a kind that is not like "
       "itself\ns.toml:14:8: kinds "
       "inherit in a circle: x -> y -> x; a kind that is not like itself"},
      {"[kinds.x]\ntags = ['parsel']",
       "s.toml:12:9: 'parsel' is not a declared tag; did you mean 'parcel'?"},
      {"[regions]\nr = { from = [0, 0], to = [0, 1] }",
       "s.toml:12:5: region 'r' is flat; corners that differ along every axis"},
      {"[[reactions]]\nname = 'r'\nself = 'couriers'",
       "s.toml:13:8: 'couriers' is not a declared tag; did you mean 'courier'?"},
      {"[[objects]]\nname = 'gate'\n[[reactions]]\nname = 'r'\nself = 'gate'",
       "s.toml:15:8: 'gate' is not a declared tag; the object of that name is '@gate'"},
      {"[[reactions]]\nname = 'r'\nother = '@nobody'",
       "s.toml:13:9: no object is named 'nobody'; '@' and an object's name"},
      {"[[reactions]]\nname = 'r'\nwhen = 'beginn'",
       "s.toml:13:8: when is 'beginn'; did you mean 'begin'?"},
      {"[[reactions]]\nname = 'r'\ndo = [{ remove = 'it' }]",
       "s.toml:13:18: remove is 'it'; self, other, \"@OBJECT\" or \"all QUERY\""},
      {"[[reactions]]\nname = 'r'\ndo = [{ remove = 'self', by = 2 }]",
       "s.toml:13:31: 'by' says nothing about remove; with add or damage"},
      {"[[reactions]]\nname = 'r'\ndo = [{ after = 2 }]",
       "s.toml:13:7: an effect does nothing; one of: add, set, clamp, damage, remove, hide, show, "
       "retag, stop, "
       "send, bounce, launch, push, teleport, spawn, attach, detach, drop_last, drop_all, except, "
       "switch_on, "
       "switch_off, "
       "weigh, "
       "mirror, drop_through, reaction_on, reaction_off, cue, restart, finish"},
      {"[[reactions]]\nname = 'r'\ndo = [{ add = 'world.scor', by = 1 }]",
       "s.toml:13:15: 'world.scor' is not a number of the world; did you mean 'world.score'?"},
      {"[[reactions]]\nname = 'r'\ndo = [{ add = 'score', by = 1 }]",
       "s.toml:13:15: number 'score' does not say whose it is; world.NAME, self.NAME, other.NAME "
       "or @OBJECT.NAME"},
      {"[[reactions]]\nname = 'r'\nwhen = { number = 'world.Score', reaches = 1 }",
       "s.toml:13:19: 'world.Score' is not a number of the world; did you mean 'world.score'?"},
      {"[[expect]]\nreaction = 'r'",
       "s.toml:12:12: no reaction is named 'r'; the name of a reaction"},
      {"[[expect]]\ncontact = ['courier']",
       "s.toml:12:11: contact does not name two; [\"who\", \"whom\"], each a tag query or "
       "'@object'"},
      {"[[expect]]\nnumber = 'world.score'\nnever = true\nis = 1",
       "s.toml:13:9: 'never' says nothing about number; with reaction or contact"},
      {"[[expect]]\ntimes = 1",
       "s.toml:11:1: an expectation of nothing; one of: reaction, contact, number, count, outcome, "
       "object"},
      {"[[expect]]\ncontact = ['courier', 'parcel']\ntimes = 1\nnever = true",
       "s.toml:11:1: how often is said twice; one of times, never, and at_least with at_most"},
      {"[[objects]]\nname = 'a'\nmass = '$weight'",
       "s.toml:13:8: no parameter is named 'weight'; a name declared under [parameters]"},
      {"[tag]\nx = ''", "s.toml:11:2: unknown key 'tag' in a scene; did you mean 'tags'?"},
      {"x = = 3", "s.toml:11:5: "},
      {"[regions]\nr = { from = [0, 0], to = [1, 1], size = [1, 1] }",
       "s.toml:12:5: region 'r' is said twice; from and to, or centre and size"},
      {"[regions]\nr = { centre = [0, 0] }", "s.toml:12:5: region lacks 'size'; centre and size"},
      {"[[objects]]\nname = 'a'\nparent = 'b'",
       "s.toml:13:10: no object before it is named 'b'; an object that stands earlier in the file"},
      {"[[objects]]\nname = 'a'\non_parent = [1, 1]",
       "s.toml:13:13: 'on_parent' without a parent; parent beside it, or at"},
      {"[[objects]]\nname = 'a'\nkind = 'box'\nrow = { from = [0, 0], count = 2 }",
       "s.toml:14:7: a row has step, or along with gap; step = from one copy to the next"},
      {"[[objects]]\nname = 'a'\npicture = { rows = ['#x'], from = [0, 0], cell = [1, 1], signs = "
       "{ '#' = 'box' } }",
       "s.toml:13:20: 'x' in row 1 stands for nothing; a character under signs, or '.' for "
       "nothing"},
      {"[[objects]]\nname = 'a'\nbody = 'kinematic'\napproach = { to = '@b', speed = 1 }",
       "s.toml:14:19: no object is named 'b'; did you mean '@a'?"},
      {"[[objects]]\nname = 'a'\nbody = 'kinematic'\npath = [{ at = 0, to = [0, 0] }]\ncircling = "
       "{ centre = [0, 0], "
       "rate = 1 }",
       "s.toml:15:12: an object has several motions: path, circling; one of them"},
      {"[[objects]]\nname = 'a'\ncollider = { box = [1, 1], period = 1 }",
       "s.toml:13:37: period without a schedule; schedule = [{ at, on }, ...] beside it"},
      {"[[reactions]]\nname = 'r'\nwhen = { time = 1, count = 'parcel', reaches = 0 }",
       "s.toml:13:8: a start says several things: count, time; one of them"},
      {"[[reactions]]\nname = 'r'\nwhen = { time = 1 }\ndo = [{ remove = 'self' }]",
       "s.toml:11:1: reaction 'r' 'remove' has nobody to act on: what starts it has no self; "
       "@OBJECT or all QUERY"},
      {"[[reactions]]\nname = 'r'\nwhen = { time = 1, approach = 2 }",
       "s.toml:13:31: 'approach' says nothing about time; with touch"},
      {"[[reactions]]\nname = 'r'\nall = [{ count = 'parcel' }]",
       "s.toml:13:8: a condition on a count lacks a value; is_value, at_least or at_most"},
      {"[[reactions]]\nname = 'r'\ndo = [{ spawn = 'bax', at = [0, 0] }]",
       "s.toml:13:17: no kind is named 'bax'; did you mean 'box'?"},
      {"[[reactions]]\nname = 'r'\ndo = [{ push = 'other' }]",
       "s.toml:13:7: a push has impulse or away; one of the two"},
      {"[[reactions]]\nname = 'r'\ndo = [{ reaction_on = 'q' }]",
       "s.toml:11:1: no reaction is named 'q'; did you mean 'r'?"},
      {"[[reactions]]\nname = 'r'\ndo = [{ remove = 'all parcl' }]",
       "s.toml:13:18: 'parcl' is not a declared tag; did you mean 'parcel'?"},
      {"[[reactions]]\nname = 'r'\n[[expect]]\nreaction = 'r'\nwithin = 2",
       "s.toml:15:10: within without after; after = the reaction that comes first"},
  };
  const Row in_3d[] = {
      {"[[objects]]\nname = 'a'\ncollider = { circle = { diameter = 1 } }",
       "s.toml:13:23: a circle does not fit a 3D scene; sphere = { diameter = ... }"},
      {"[[objects]]\nname = 'a'\nat = [1, 2]",
       "s.toml:13:6: at has 2 numbers; three numbers, [x, y, z], as the scene is 3D"},
      {"[[objects]]\nname = 'a'\nturned = 90",
       "s.toml:13:10: turned is a number; a table: { axis, angle }"},
      {"[[objects]]\nname = 'a'\ncolider = {}",
       "s.toml:13:1: unknown key 'colider' in an object; did you mean 'collider'?"}};
  std::vector<std::pair<std::string, std::string>> all_rows;  // the scene, what is wrong with it
  for (const Row& row : rows) all_rows.emplace_back(std::string(kHead) + row.text, row.wanted);
  std::string head(kHead);
  head.replace(head.find("= 2"), 3, "= 3");
  head.replace(head.find("[1, 1]"), 6, "[1, 1, 1]");
  for (const Row& row : in_3d) all_rows.emplace_back(head + row.text, row.wanted);
  for (const auto& [text, wanted] : all_rows) {
    const LoadedScene loaded = read_scene(text, "s.toml");
    CHECK_FALSE(loaded.ok());
    const std::string got = problems(loaded);
    // Problems stand in order of place; two wanted ones may come either way round.
    bool all = true;
    std::istringstream lines(wanted);
    std::size_t count = 0;
    for (std::string line; std::getline(lines, line); ++count)
      all = all && got.find(line) != std::string::npos;
    CHECK_MESSAGE(all, got);
    CHECK_MESSAGE(loaded.problems.size() == count, got);
  }
}

TEST_CASE("a file without version, world or dimension says what is missing") {
  CHECK(problems(read_scene("[world]\ndimension = 2\n", "s.toml")) ==
        "s.toml:1:1: the file does not say that it is a scene; colvik = 1 as the first line\n");
  CHECK(problems(read_scene("colvik = 2\n[world]\ndimension = 2\n", "s.toml")) ==
        "s.toml:1:10: colvik of 2 is out of range; a number from 1 to 1\n");
  CHECK(problems(read_scene("colvik = 1\n", "s.toml"))
            .find("scene lacks 'world'; [world] with dimension = 2 or 3") != std::string::npos);
  CHECK(problems(read_scene("colvik = 1\n[world]\n", "s.toml")) ==
        "s.toml:2:1: world lacks 'dimension'; dimension = 2 or 3\n");
  CHECK(problems(read_scene("colvik = 1\n[world]\ndimension = 4\n", "s.toml")) ==
        "s.toml:3:13: dimension of 4 is out of range; a number from 2 to 3\n");
  CHECK(problems(load_scene("/no/such/file.toml")) ==
        "/no/such/file.toml: the file cannot be read; a scene file (TOML)\n");
}

TEST_CASE("a 2D shape in a 3D scene is reported, and so are many mistakes at once") {
  const std::string head = "colvik = 1\n[world]\ndimension = 3\n";
  CHECK(
      problems(read_scene(
          head + "[[objects]]\nname = 'a'\ncollider = { circle = { diameter = 1 } }", "s.toml")) ==
      "s.toml:6:23: a circle does not fit a 3D scene; sphere = { diameter = ... }\n");
  CHECK(problems(read_scene(head + "[[objects]]\nname = 'a'\nturned = 30", "s.toml")) ==
        "s.toml:6:10: turned is a number; a table: { axis, angle }\n");
  std::string many = head;
  for (int i = 0; i < 30; ++i)
    many += "[[objects]]\nname = 'o" + std::to_string(i) + "'\ntags = ['x']\n";
  const LoadedScene loaded = read_scene(many, "s.toml");
  REQUIRE(loaded.problems.size() == 30);
  CHECK(loaded.problems[0].place.line == 6);
  CHECK(loaded.problems[29].place.line == 93);
}

TEST_CASE("settings from outside are checked like the file") {
  const std::string text =
      "colvik = 1\n[parameters]\nspeed = 4\nwho = 'a'\n[world]\ndimension = 2\nrate = '$speed'\n";
  const auto with = [&](const Setting& setting) {
    return problems(read_scene(text, "s.toml", std::vector{setting}));
  };
  CHECK(with({"speed", "5"}).empty());
  CHECK(with({"sped", "5"}) ==
        "--set sped=5: no parameter is named 'sped'; did you mean 'speed'?\n");
  CHECK(with({"speed", "fast"}) == "--set speed=fast: 'fast' is text; a number\n");
  CHECK(with({"who", "5"}) == "--set who=5: '5' is a number; text\n");
  CHECK(with({"who", "anything at all"}).empty());
  CHECK(with({"speed", "0"}) ==
        "s.toml:3:9: rate of 0 is out of range; a number from 1 to 10000\n");
  CHECK(with({"speed", "1\nx = 2"}).starts_with("--set speed=1"));
}

TEST_SUITE("random") {
  TEST_CASE("a damaged scene is refused or runs but never breaks anything") {
    const int rounds = scaled(40000);
    int refused = 0;
    int ran = 0;
    for (const char* name : {"night-depot", "loading-bay"}) {
      std::ifstream file(std::string(COLVIK_SOURCE_DIR "/data/") + name + ".toml");
      std::stringstream text;
      text << file.rdbuf();
      const std::string whole = text.str();
      for (int seed = 0; seed < rounds; ++seed) {
        CAPTURE(seed);
        Random random(static_cast<std::uint64_t>(seed) + 77);
        std::string damaged = whole;
        for (int k = random.below(4); k >= 0; --k) {
          const auto at = static_cast<std::size_t>(random.below(static_cast<int>(damaged.size())));
          const auto length = static_cast<std::size_t>(random.below(12));
          switch (random.below(4)) {
            case 0: damaged.erase(at, length); break;
            case 1:
              damaged.insert(at, damaged.substr(static_cast<std::size_t>(
                                                    random.below(static_cast<int>(damaged.size()))),
                                                length));
              break;
            case 2: damaged[at] = static_cast<char>(32 + random.below(95)); break;
            default: damaged.insert(at, random.coin() ? "-1e308" : "\"$x\""); break;
          }
        }
        const LoadedScene loaded = read_scene(damaged, "damaged.toml");
        if (loaded.ok()) {
          ++ran;
          if (ran % 20 == 0)
            std::visit(
                [](const auto& s) {
                  if (s.objects.size() < 1000) start_run(s)->run_for(0.2);
                },
                *loaded.scene);
        } else {
          ++refused;
          for (const Problem& p : loaded.problems) REQUIRE(p.what.size() > 3);
        }
      }
    }
    MESSAGE("random: damaged scenes: ", refused, " refused with a place, ", ran, " still right");
  }
}

TEST_CASE("a key of many parts is refused where it goes too far") {
  std::string key = "a";
  for (int i = 0; i < 30000; ++i) key += ".a";
  for (const std::string& text : {"colvik = 1\n" + key + " = 1\n", "colvik = 1\n[" + key + "]\n",
                                  "colvik = 1\nx = { " + key + " = 1 }\n"}) {
    const LoadedScene loaded = read_scene(text, "long.toml");
    REQUIRE(loaded.problems.size() == 1);
    CHECK(problems(loaded).starts_with("long.toml:2:"));
    CHECK(problems(loaded).find("a key has more than 64 parts") != std::string::npos);
  }
  // Dots in strings and comments are no parts.
  const std::string dots(200, '.');
  const std::string text = "colvik = 1  # " + dots + "\ndescription = \"" + dots + "\"\n";
  CHECK(problems(read_scene(text, "dots.toml")).find("parts") == std::string::npos);
}

TEST_CASE("one mistake gives one message, at its key, and what follows from it gives none") {
  const auto said = [](const std::string& text) {
    return problems(read_scene(std::string(kHead) + text, "s.toml"));
  };
  // In a kind, for the copies of a row and another object.
  CHECK(said("[kinds.crate]\nbody = 'dynamic'\nmass = 1e-50\ncollider = { box = [1, 1] }\n"
             "[[objects]]\nname = 'fruit'\nkind = 'crate'\nrow = { from = [0, 0], step = [2, 0], "
             "count = 12 }\n[[objects]]\nname = 'one'\nkind = 'crate'\n"
             "[[expect]]\nobject = 'fruit.1'\npresent = true\n") ==
        "s.toml:13:1: object 'fruit.1' mass 1e-50 is not usable (likewise 12 more); 1e-20 to 1e+30 "
        "units of mass\n");
  // A row that could not be made, and what names its copies.
  CHECK(said("[[objects]]\nname = 'fruit'\nrow = { from = [0, 0], step = [2, 0], count = 0 }\n"
             "[[reactions]]\nname = 'r'\nself = '@fruit.1'\n")
            .find("no object is named") == std::string::npos);
  // A region that is none, and who means it.
  const std::string region = said(
      "[regions.crown]\nfrom = [0, 0]\n[[objects]]\nname = 'a'\n"
      "[[expect]]\nobject = 'a'\ninside = 'crown'\n");
  CHECK(region ==
        "s.toml:11:1: region lacks 'to'; two opposite corners, from and to, or centre and size\n");
  CHECK(
      said(
          "[[objects]]\nname = 'p'\nbody = 'kinematic'\nat = [3, 3]\npath = [{ at = 0, to = [0, 0] "
          "}, { at = 1, to = [1, 0] }]\n") ==
      "s.toml:14:6: the path starts elsewhere; no at, or the path's first place\n");
  // A border's walls have what its collider says but the shape.
  LoadedScene fence =
      read_scene(std::string(kHead) +
                     "[regions.yard]\nfrom = [0, 0]\nto = [9, 9]\n[[objects]]\nname = "
                     "'fence'\nborder = 'yard'\ncollider = { friction = 0.1, zone = true, "
                     "meets = 'parcel', tags = ['courier'] }\n",
                 "s.toml");
  REQUIRE_MESSAGE(fence.ok(), problems(fence));
  const Scene<2>& scene = std::get<Scene<2>>(*fence.scene);
  REQUIRE(scene.objects.size() == 4);
  for (const ObjectDef<2>& wall : scene.objects) {
    CHECK(wall.colliders[0].friction == 0.1);
    CHECK(wall.colliders[0].zone);
    CHECK(wall.colliders[0].meets == "parcel");
    CHECK(wall.colliders[0].tags.size() == 1);
  }
}
