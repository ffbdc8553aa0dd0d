// The real tool and the examples, run as a user runs them.
#include <nlohmann/json.hpp>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <map>
#include <sstream>

#include "tool.hpp"

using namespace colvik::test;
using nlohmann::json;

TEST_CASE("query: rays, places, neighbours and what an object would touch, as text and as JSON") {
  Ran ran = colvik_tool("query data/night-depot.toml --at 2 near 4 1 1.2");
  CHECK(ran.status == 0);
  CHECK(has(ran.out, "data/night-depot.toml at 2 s: near 4 1 1.2\n"));
  CHECK(has(ran.out,
            "  1.00000          floor.11  solid                 (4, 0)              (0, 1)\n"));
  ran = colvik_tool("query data/night-depot.toml --json --who scenery ray 4.1 5 0 -10");
  CHECK(ran.status == 0);
  const json found = json::parse(ran.out);
  CHECK(found["question"] == "ray");
  REQUIRE(found["answers"].size() == 1);
  CHECK(found["answers"][0]["object"] == "floor.12");
  CHECK(std::abs(found["answers"][0]["at"].get<double>() - 0.5) <= 1e-6);
  CHECK(found["answers"][0]["normal"][1] == 1);
  ran = colvik_tool("query data/loading-bay.toml box 0 0 0 3 3 3");
  CHECK(has(ran.out, "  1.50000          floor "));
  ran = colvik_tool("query data/sorting-hall.toml --only-zones point 14 1");
  CHECK(has(ran.out, "in-crate"));
  ran = colvik_tool("query data/sorting-hall.toml move flask 0 -4");
  CHECK(has(ran.out, "both accept, solid"));
  CHECK(!has(ran.out, "both accept, zone"));
  ran = colvik_tool("query data/sorting-hall.toml --only-zones move flask 0 -4");
  CHECK(has(ran.out, "in-crate"));
  CHECK(!has(ran.out, "both accept, solid"));
  CHECK(has(colvik_tool("query data/sorting-hall.toml --who none --zones move flask 0 -4").out,
            "  nothing\n"));
  for (const char* question : {"turn barbell 90", "grow barbell 9", "point 100 100"})
    CHECK(colvik_tool(std::string("query data/sorting-hall.toml ") + question).status == 0);
  CHECK(has(colvik_tool("query data/sorting-hall.toml point 100 100").out, "  nothing\n"));
  const std::map<std::string, std::string> wrong{
      {"move courrier 1 0",
       "colvik query move: no object is named 'courrier' at 0 s; did you mean 'courier'?\n"},
      {"ray 1 0", "colvik query ray: 2 numbers in a 2D scene; 4, see colvik query --help\n"},
      {"ray 1 0 3 x", "colvik query ray: 'x' is no number; a finite number\n"},
      {"ray 1 0 3 0 --json",
       "colvik query ray: '--json' is no number; options come before the question\n"},
      {"beam 1",
       "colvik query: no question is called 'beam'; one of: ray, point, near, box, move, turn, "
       "grow\n"},
      {"", "colvik query: no question; one of: ray, point, near, box, move, turn, grow\n"},
      {"--who Parcel near 0 0 1",
       "colvik query --who: 'Parcel' is not a declared tag; did you mean 'parcel'?\n"}};
  for (const auto& row : wrong) {
    CAPTURE(row.first);
    ran = colvik_tool("query data/night-depot.toml " + row.first);
    CHECK(ran.status == 2);
    CHECK(ran.err == row.second);
    CHECK(ran.out.empty());
  }
  // In 3D each place has three numbers.
  ran = colvik_tool("who data/drone-drops.toml");  // crates are spawned alone
  CHECK(has(ran.out, "crate and crate: solid; crate.1 and crate.2 accept each other"));
  ran = colvik_tool("query data/loading-bay.toml --json --zones near 0 1 0 100");
  CHECK(ran.status == 0);
  const json near = json::parse(ran.out);
  REQUIRE(!near["answers"].empty());
  CHECK(near["answers"][0]["point"].size() == 3);
  ran = colvik_tool("query data/loading-bay.toml near 0 1 100");
  CHECK(ran.status == 2);
  CHECK(has(ran.err, "3 numbers in a 3D scene"));
}

TEST_CASE("run: the scenes of every shape do what they expect, and mended shapes are reported") {
  const Ran ran = colvik_tool("run data/sorting-hall.toml data/mezzanine.toml");
  CHECK(ran.status == 0);
  CHECK(has(ran.out, "data/sorting-hall.toml: 2D"));
  CHECK(has(ran.out, "data/mezzanine.toml: 3D"));
  CHECK(ran.err.empty());
  const Folder folder;
  std::ofstream(folder.path / "mended.toml") << R"(colvik = 1
world = { dimension = 2, length = 0.1 }
[[objects]]
name = "slab"
collider = { polygon = [[0, 0], [0, 1], [1, 1], [1, 0]] }
)";
  const Ran mended = colvik_tool("run " + folder / "mended.toml");
  CHECK(mended.status == 0);
  CHECK(has(mended.err,
            "mended.toml:5:24: the corners ran clockwise and were turned round (mended)\n"));
}

TEST_CASE("run: every scene that is shipped meets its expectations, and reports what was tried") {
  int scenes = 0;
  for (const auto& entry : std::filesystem::directory_iterator(COLVIK_SOURCE_DIR "/data")) {
    if (entry.path().extension() != ".toml") continue;
    CAPTURE(entry.path().string());
    const Ran ran = colvik_tool("run data/" + entry.path().filename().string());
    CHECK(ran.status == 0);
    CHECK(ran.err.find("(mended)") == ran.err.rfind("(mended)"));
    CHECK(has(ran.out, "What was tried\n"));
    CHECK(has(ran.out, "% of all\n"));
    ++scenes;
  }
  CHECK(scenes >= 29);  // as many as there are
}

TEST_CASE("run: coverage, cost and results for build servers") {
  Ran ran = colvik_tool("run data/locker-hook.toml --coverage --cost");
  CHECK(ran.status == 0);
  CHECK(has(ran.out, "      never  far-locker\n"));
  CHECK(has(ran.out, "  colliders       9, 8 box, 1 circle\n"));
  CHECK(has(ran.out, " ms mean, "));
  ran = colvik_tool("run data/locker-hook.toml --require-coverage 100");
  CHECK(ran.status == 1);
  CHECK(has(ran.out, "and 100% are required\n"));
  const Folder folder;
  ran = colvik_tool("run data/locker-hook.toml --junit " + folder / "results.xml");
  CHECK(ran.status == 0);
  CHECK(has(read(folder.path / "results.xml"),
            "<testsuite name=\"data/locker-hook.toml\" tests=\"5\" failures=\"0\""));
  CHECK(colvik_tool("run data/locker-hook.toml --junit /no/such/folder/x").status == 2);
  ran = colvik_tool("run data/locker-hook.toml --json " + folder / "results.json");
  CHECK(ran.status == 0);
  const auto results = nlohmann::json::parse(read(folder.path / "results.json"));
  CHECK(results["reactions"]["knock"] == 6);
  CHECK(results["expectations"].size() == 5);
  CHECK(results["expectations"][0]["met"] == true);
  CHECK(results["expectations"][0]["line"] > 60);
  CHECK(results["tried"]["percent"] > 50);
  CHECK(results["numbers"]["shut"] == 6);
  CHECK(colvik_tool("run data/locker-hook.toml --json /no/such/folder/x").status == 2);
  ran = colvik_tool("run data/locker-hook.toml --json -");
  CHECK(nlohmann::json::parse(ran.out) == results);
  CHECK(has(ran.err, "5 of 5 expectations met"));
  ran = colvik_tool("run data/locker-hook.toml --json - --events -");
  CHECK(ran.status == 2);
  CHECK(has(ran.err, "two of --events, --json and --junit go to standard output"));
}

TEST_CASE("who, kind, compare and audit: tables, places, differences and logs of others") {
  Ran ran = colvik_tool("who data/shift-scanner.toml");
  CHECK(ran.status == 0);
  CHECK(has(ran.out, "scanner  zone   zone   zone   -\n"));
  CHECK(has(ran.out, "  scanner and hatch: scanner and hatch are both static\n"));
  const json cells = json::parse(colvik_tool("who data/shift-scanner.toml --objects --json").out);
  CHECK(cells.size() == 6);
  CHECK(cells[0]["first"] == "night-robot");

  ran = colvik_tool("kind data/locker-hook.toml locked");
  CHECK(has(ran.out, "collider.meets = \"hook\""));
  CHECK(has(ran.out, " in locked, instead of [\"open\"] of locker in line "));
  CHECK(colvik_tool("kind data/locker-hook.toml hook").status == 2);

  ran = colvik_tool("compare data/puck-sorter.toml --with first-open=0.95");
  CHECK(ran.status == 1);
  CHECK(has(ran.out, "No longer happens\n"));
  CHECK(has(ran.out, "sorted-right  right-bin with pucks.3\n"));
  CHECK(colvik_tool("compare data/puck-sorter.toml --with first-open=0.85").status == 0);
  CHECK(colvik_tool("compare data/puck-sorter.toml").status == 2);
  const Folder folder;
  colvik_tool("run data/puck-sorter.toml --events " + folder / "a.jsonl");
  colvik_tool("run data/puck-sorter.toml --set first-open=0.95 --events " + folder / "b.jsonl");
  CHECK(colvik_tool("compare " + folder / "a.jsonl" + " " + folder / "a.jsonl").status == 0);
  CHECK(colvik_tool("compare " + folder / "a.jsonl" + " " + folder / "b.jsonl").status == 1);

  ran = colvik_tool("audit data/audit/contacts.jsonl --rules data/audit/rules.toml");
  CHECK(ran.status == 0);
  CHECK(has(ran.out, "robot with parcel-7\n"));
  CHECK(has(ran.out, "4 of 4 expectations met\n"));
  CHECK(colvik_tool("audit data/audit/rules.toml --rules data/audit/rules.toml").status == 2);
}

TEST_CASE("run: the demo scenes meet everything and exit with 0") {
  const Ran ran = colvik_tool("run data/night-depot.toml data/loading-bay.toml");
  CHECK(ran.status == 0);
  CHECK(ran.err.empty());
  CHECK(has(ran.out, "collect        2 times      1.900 s  courier with stamped.1"));
  CHECK(has(ran.out, "16 of 16 expectations met"));
  CHECK(has(ran.out, "data/night-depot.toml: 2D"));
  CHECK(has(ran.out, "data/loading-bay.toml: 3D"));
  CHECK(has(ran.out, "objects   39 live, 43 at the peak"));
  CHECK_FALSE(has(ran.out, "\x1b["));  // not a terminal
  std::istringstream lines(ran.out);
  for (std::string line; std::getline(lines, line);) CHECK(line.size() <= 100);
}

TEST_CASE("run: a missed expectation exits with 1 and says what happened instead") {
  const Ran ran = colvik_tool("run tests/data/missed.toml");
  CHECK(ran.status == 1);
  CHECK(has(ran.out, "MISSED  reaction collect with @high exactly once"));
  CHECK(has(ran.out, "instead: it never happened for these; for others it happened once: at"));
  CHECK(has(ran.out, "because: courier and high came no nearer than 1 to each other"));
  CHECK(has(ran.out, "tests/data/missed.toml:40:1"));
  CHECK(has(ran.out, "1 of 3 expectations met, 2 missed"));
}

TEST_CASE("run: a wrong scene or call exits with 2 and runs nothing") {
  const Ran wrong = colvik_tool("run data/night-depot.toml tests/data/wrong.toml");
  CHECK(wrong.status == 2);
  CHECK(wrong.out.empty());
  CHECK(
      has(wrong.err,
          "tests/data/wrong.toml:10:9: 'Courier' is not a declared tag; did you mean 'courier'?"));
  CHECK(has(wrong.err, "tests/data/wrong.toml: and 5 more problems"));
  CHECK(std::count(wrong.err.begin(), wrong.err.end(), '\n') == 21);
  for (const char* call :
       {"", "run", "jump", "run --speed 3 x.toml", "run no-such.toml",
        "run data/night-depot.toml --set arrival", "run data/night-depot.toml --set arival=3",
        "run data/night-depot.toml --events /no/such/folder/x",
        "run data/night-depot.toml data/loading-bay.toml --events -",
        "run data/night-depot.toml --colour red", "draw data/night-depot.toml",
        "draw data/night-depot.toml --out x.gif", "draw data/night-depot.toml --out /no/such/x.png",
        "draw data/night-depot.toml --out /no/such/x.svg",
        "draw data/night-depot.toml --out x.png --size big",
        "draw data/night-depot.toml --out x.png --size 10x10",
        "draw data/night-depot.toml --out x.png --at 99",
        "draw data/night-depot.toml --out x.png --at 1 --strobe 3"}) {
    CAPTURE(call);
    const Ran ran = colvik_tool(call);
    CHECK(ran.status == 2);
    CHECK(ran.out.empty());
    CHECK(ran.err.size() > 10);
    CHECK_FALSE(std::filesystem::exists(COLVIK_SOURCE_DIR "/x.png"));
  }
}

TEST_CASE("run --set: a changed parameter changes what fires") {
  const Ran ran = colvik_tool("run data/night-depot.toml --set arrival=20");
  CHECK(ran.status == 1);
  CHECK(colvik_tool("run --set arrival=20 data/night-depot.toml").out ==
        ran.out);  // in front of the scene too
  CHECK(colvik_tool("run --set arrival=20 --set flask-bounce=0.6 data/night-depot.toml").out ==
        ran.out);
  CHECK(has(ran.out, "MISSED  outcome is delivered"));
}

TEST_CASE("run --events: JSON Lines in the fixed order with the keys that were promised") {
  const Folder folder;
  REQUIRE(colvik_tool("run data/night-depot.toml --during --events " + folder / "e.jsonl").status ==
          0);
  std::ifstream file(folder / "e.jsonl");
  std::uint64_t last_step = 0;
  std::map<std::string, int> open;
  std::map<std::string, int> count;
  bool reaction_in_step = false;
  for (std::string text; std::getline(file, text);) {
    const json line = json::parse(text);
    const std::uint64_t step = line.at("step");
    REQUIRE(step >= last_step);
    const double behind =
        static_cast<double>(step) / 60 - line.at("time").get<double>();  // within its step
    CHECK(behind >= -1e-12);
    CHECK(behind <= 1.0 / 60 + 1e-12);
    if (step != last_step) reaction_in_step = false;
    last_step = step;
    if (line.contains("reaction")) {
      reaction_in_step = true;
      ++count["reaction " + line.at("reaction").get<std::string>()];
      continue;
    }
    const std::string phase = line.at("phase");
    const std::string touch = line.at("channel").get<std::string>() + " " +
                              line.at("self").get<std::string>() + " " +
                              line.at("other").get<std::string>();
    CHECK((!reaction_in_step || line.value("why", "") == "run over"));
    if (phase == "begin") CHECK(open[touch]++ == 0);
    if (phase == "during") CHECK(open[touch] == 1);
    if (phase == "end") CHECK(open[touch]-- == 1);
    CHECK(line.contains("why") == (phase == "end"));
    CHECK_FALSE(has(text, "-0.0"));
    ++count[phase];
  }
  for (const auto& entry : open) CHECK_MESSAGE(entry.second == 0, entry.first);
  CHECK(count["begin"] == count["end"]);
  CHECK(count["during"] > 1000);
  CHECK(count["reaction collect"] == 2);
  // Without --during none are there, and - writes to standard output, the report to the other.
  const Ran piped =
      shell(COLVIK_BIN_DIR "/colvik run data/night-depot.toml --events - 2>/dev/null");
  std::istringstream lines(piped.out);
  for (std::string text; std::getline(lines, text);) CHECK(text.starts_with("{\"step\":"));
  CHECK_FALSE(has(piped.out, "\"during\""));
  CHECK(has(colvik_tool("run data/night-depot.toml --events - >/dev/null").err, "expectations"));
}

TEST_CASE("run --colour: on request only, and never with NO_COLOR") {
  CHECK(has(colvik_tool("run data/night-depot.toml --colour always").out, "\x1b[32mmet"));
  CHECK_FALSE(has(
      shell("NO_COLOR=1 " COLVIK_BIN_DIR "/colvik run data/night-depot.toml --colour always").out,
      "\x1b["));
  CHECK_FALSE(has(colvik_tool("run data/night-depot.toml --colour never").out, "\x1b["));
}

TEST_CASE("run: the same scene twice prints the same, and --firings limits the list") {
  CHECK(colvik_tool("run data/loading-bay.toml").out ==
        colvik_tool("run data/loading-bay.toml").out);
  CHECK(has(colvik_tool("run data/loading-bay.toml --firings 2").out, "... and 4 more"));
}

TEST_CASE("help and version: every command has an example that works when pasted") {
  CHECK(colvik_tool("--version").out == "colvik " COLVIK_VERSION "\n");
  CHECK(colvik_tool("--help").status == 0);
  const Folder folder;
  int pasted = 0;
  for (const char* help : {"--help", "run --help", "draw --help"}) {
    std::istringstream lines(colvik_tool(help).out);
    for (std::string line; std::getline(lines, line);) {
      const std::size_t at = line.find("build/bin/colvik ");
      if (at == std::string::npos) continue;
      std::string call = line.substr(at + 17);
      if (const std::size_t out = call.find("--out "); out != std::string::npos)
        call.insert(out + 6, folder.path.string() + "/");
      CAPTURE(call);
      CHECK(colvik_tool(call).status <= 1);
      ++pasted;
    }
  }
  CHECK(pasted >= 4);
}

TEST_CASE("the examples print what they are said to print") {
  for (const char* name :
       {"pickups", "removing_zone", "counting_hits", "fork_and_totes", "shift_scanner"}) {
    CAPTURE(name);
    const Ran ran =
        shell(COLVIK_BIN_DIR "/example_" + std::string(name) +
              (std::string(name) == "counting_hits" ? " --no-version=true --no-intro=true" : ""));
    CHECK(ran.status == 0);
    CHECK(ran.out == read(std::string(COLVIK_SOURCE_DIR "/examples/expected/") + name + ".txt"));
  }
}

TEST_CASE("check: the demo scenes have no finding that they do not accept") {
  std::string scenes;
  for (const auto& entry : std::filesystem::directory_iterator(COLVIK_SOURCE_DIR "/data"))
    if (entry.path().extension() == ".toml") scenes += " " + entry.path().string();
  const Ran ran = colvik_tool("check --run" + scenes);
  CHECK_MESSAGE(ran.status == 0, ran.out, ran.err);
  CHECK(has(ran.out, "nothing found, "));
}

TEST_CASE("check: text, JSON and SARIF say the same, and what is accepted counts no more") {
  const Folder folder;
  const auto scene = [&](const std::string& accept) {
    std::ofstream(folder / "scene.toml") << "colvik = 1\n"
                                         << accept << R"(
[world]
dimension = 2
[tags]
used = ""
spare = ""
[[objects]]
name = "thing"
tags = ["used"]
collider = { box = [1, 1] }
)";
    return " " + (folder / "scene.toml");
  };
  std::string path = scene("");
  Ran ran = colvik_tool("check" + path);
  CHECK(ran.status == 1);
  CHECK(has(ran.out,
            "scene.toml:7:9: warning: the tag 'spare' is declared, and used nowhere "
            "[tag-unused]\n    take it out, or give it to those that it is for\n1 finding\n"));
  const json list = json::parse(colvik_tool("check --format json" + path).out);
  REQUIRE(list.size() == 1);
  CHECK(list[0]["finding"] == "tag-unused");
  CHECK(list[0]["line"] == 7);
  path = scene("accept = [{ finding = \"tag-unused\", of = \"spare\", because = \"soon\" }]");
  ran = colvik_tool("check" + path);
  CHECK(ran.status == 0);
  CHECK(ran.out == "nothing found, 1 accepted\n");
  // What SARIF 2.1.0 requires, and what viewers read.
  const json sarif = json::parse(colvik_tool("check --format sarif" + path).out);
  CHECK(sarif["version"] == "2.1.0");
  const json& run = sarif["runs"].at(0);
  CHECK(run["tool"]["driver"]["name"] == "colvik");
  std::vector<std::string> ids;
  for (const json& rule : run["tool"]["driver"]["rules"]) ids.push_back(rule["id"]);
  const json& result = run["results"].at(0);
  CHECK(std::find(ids.begin(), ids.end(), result["ruleId"]) != ids.end());
  CHECK(result["level"] == "warning");
  CHECK(!result["message"]["text"].get<std::string>().empty());
  const json& place = result["locations"].at(0)["physicalLocation"];
  CHECK(!place["artifactLocation"]["uri"].get<std::string>().empty());
  CHECK(place["region"]["startLine"] == 7);
  CHECK(result["suppressions"].at(0) == json({{"kind", "inSource"}, {"justification", "soon"}}));
  path = scene("accept = [{ finding = \"tag-unusd\", because = \"soon\" }]");
  ran = colvik_tool("check" + path);
  CHECK(has(ran.out,
            "nothing is found that 'tag-unusd' accepts [acceptance-unused]\n"
            "    did you mean 'tag-unused'?"));
  path = scene("accept = [{ finding = \"tag-unused\" }]");
  CHECK(colvik_tool("check" + path).status == 2);
}

TEST_CASE("every scene and program in the docs does what the page says") {
  int scenes = 0;
  int programs = 0;
  for (const char* page : {"README.md", "docs/scene.md", "docs/cookbook.md"}) {
    CAPTURE(page);
    const auto all = blocks(read(std::string(COLVIK_SOURCE_DIR "/") + page));
    for (std::size_t i = 0; i < all.size(); ++i) {
      const std::string& language = all[i].first;
      const std::string& text = all[i].second;
      const bool said = i + 1 < all.size() && all[i + 1].first == "text";
      CAPTURE(text);
      if (language == "toml") {
        const Folder folder;
        std::ofstream(folder / "scene.toml") << text;
        const Ran ran =
            shell("cd " + folder.path.string() + " && " COLVIK_BIN_DIR "/colvik run scene.toml");
        CHECK_MESSAGE(ran.status == 0, ran.out, ran.err);
        if (said) CHECK(ran.out == all[i + 1].second);
        ++scenes;
      } else if (language == "cpp") {
        CHECK(text == read(COLVIK_SOURCE_DIR "/examples/pickups.cpp"));
        CHECK(said);
        CHECK(all[i + 1].second == read(COLVIK_SOURCE_DIR "/examples/expected/pickups.txt"));
        ++programs;
      }
    }
  }
  CHECK(scenes >= 7);
  CHECK(programs == 1);
}
