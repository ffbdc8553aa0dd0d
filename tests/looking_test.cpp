// The commands that show runs, of scenes and of recordings.
#include <nlohmann/json.hpp>

#include <filesystem>
#include <fstream>

#include "tool.hpp"

using namespace colvik::test;

TEST_CASE("draw: PNG and SVG of the requested size") {
  const Folder folder;
  for (const char* scene : {"data/night-depot.toml", "data/loading-bay.toml"})
    for (const char* how : {"", "--at 2", "--strobe 5"}) {
      CAPTURE(scene);
      CAPTURE(how);
      const std::string arguments =
          std::string("draw ") + scene + " " + how + " --size 640x480 --out ";
      const Ran ran = colvik_tool(arguments + folder / "a.png");
      CHECK(ran.status == 0);
      CHECK(has(ran.out, "a.png: 640x480 pixels"));
      const std::string png = read(folder / "a.png");
      REQUIRE(png.size() > 1000);
      CHECK(png.substr(1, 3) == "PNG");
      CHECK((static_cast<unsigned char>(png[18]) * 256 + static_cast<unsigned char>(png[19])) ==
            640);
      CHECK(colvik_tool(arguments + folder / "a.svg").status == 0);
      CHECK(has(read(folder / "a.svg"), "<svg"));
    }
}

TEST_CASE("every command in the pages on explaining and looking prints what the page says") {
  int commands = 0;
  auto all = blocks(read(COLVIK_SOURCE_DIR "/docs/explain.md"));
  for (const char* page : {"looking", "fitting"})
    for (auto& block : blocks(read(COLVIK_SOURCE_DIR "/docs/" + std::string(page) + ".md")))
      all.push_back(block);
  for (const auto& block : all) {
    if (block.first != "console" || block.second.find("--out") != std::string::npos) continue;
    const std::string& text = block.second;
    CAPTURE(text);
    const std::size_t line = text.find('\n');
    const std::string tool = "$ build/bin/colvik ";
    REQUIRE(text.starts_with(tool));
    const Ran ran = colvik_tool(text.substr(tool.size(), line - tool.size()));
    CHECK(ran.out + ran.err == text.substr(line + 1));
    ++commands;
  }
  CHECK(commands >= 3);
}

TEST_CASE("draw: each time a reaction fired, parts of a scene, an object that is followed, films") {
  const Folder folder;
  const std::string out = folder / "d.svg";
  Ran ran = colvik_tool("draw data/night-depot.toml --when collect --out " + out);
  CHECK(ran.status == 0);
  CHECK(has(ran.out, "d-1.svg: 1.90 s, courier and stamped.1"));
  CHECK(has(ran.out, "d-2.svg: 2.92 s, courier and stamped.2"));
  CHECK(std::filesystem::exists(folder / "d-2.svg"));
  CHECK(has(colvik_tool("draw data/night-depot.toml --when collect --every 2 --out " + out).out,
            "d-1.svg"));
  CHECK(colvik_tool("draw data/night-depot.toml --crop 0,0,4,2 --out " + out).status == 0);
  CHECK(colvik_tool("draw data/night-depot.toml --follow courier --out " + out).status == 0);
  // In 3D.
  CHECK(colvik_tool("draw data/mezzanine.toml --four --eye 10,60 --out " + out).status == 0);
  ran = colvik_tool("draw data/night-depot.toml --from 1 --to 2 --rate 4 --size 640x400 --out " +
                    folder / "d.webp");
  CHECK(has(ran.out, "640x400 pixels, 5 pictures"));
  CHECK(ran.err == "");
  const auto refused = [&](const std::string& options, const std::string& why) {
    const Ran wrong = colvik_tool("draw " + options + " --out " + out);
    CHECK(wrong.status == 2);
    CHECK_MESSAGE(has(wrong.err, why), wrong.err);
  };
  refused("data/night-depot.toml --when colect", "did you mean 'collect'?");
  refused("data/night-depot.toml --crop yrd", "is no region of the scene; ");
  refused("data/night-depot.toml --crop 1,1,1,5", "two corners as X,Y,X,Y");
  refused("data/night-depot.toml --follow corier", "did you mean 'courier'?");
  refused("data/night-depot.toml --four", "--four with a scene in 2D");
  refused("data/mezzanine.toml --eye above", "'above' is no eye; ROUND,ABOVE in degrees");
  refused("data/night-depot.toml --from 1", "--from, --to or --speed without a film");
}

TEST_CASE("what shows a run takes a recording of it, and says the same") {
  const Folder folder;
  for (const std::string scene : {"night-depot", "mezzanine"}) {
    const std::string file = "data/" + scene + ".toml";
    const std::string recording = folder / (scene + ".rec").c_str();
    const Ran ran = colvik_tool("run " + file + " --record " + recording);
    REQUIRE(ran.status == 0);
    CHECK(ran.out == colvik_tool("run " + file).out);
    const auto same = [&](const std::string& before, const std::string& after) {
      CAPTURE(before);
      const Ran a = colvik_tool(before + " " + file + " " + after);
      const Ran b = colvik_tool(before + " " + recording + " " + after);
      CHECK(a.status == b.status);
      CHECK(a.out == b.out);
      CHECK(a.err == b.err);
    };
    same("story", "courier");
    same("pin", "");
    const std::string out = folder / "out";
    for (const std::string kind : {".svg", ".html"}) {
      const std::string command = kind == ".svg" ? "timeline" : "replay";
      same(command, "--out " + out + kind);
    }
    same("draw", "--out " + out + ".png --at 1");
    CHECK(colvik_tool("compare " + file + " " + recording).out ==
          "The same happened at the same times.\n");
  }
}

TEST_CASE("recordings and commands that cannot use them") {
  const Folder folder;
  const std::string recording = folder / "run.rec";
  REQUIRE(colvik_tool("run data/low-duct.toml --record " + recording).status <= 1);
  const auto refused = [](const std::string& command, const std::string& why) {
    const Ran ran = colvik_tool(command);
    CHECK(ran.status == 2);
    CHECK_MESSAGE(has(ran.err, why), ran.err);
  };
  refused("run " + recording, "is a recording; a scene;");
  refused("draw " + recording + " --set a=1 --out x.png", "--set changes a scene");
  refused("pin " + recording + " --write", "--write with a recording");
  refused("compare " + recording, "two logs or recordings");
  refused("run data/low-duct.toml --record /nowhere/x.rec", "the recording cannot be written");
  refused("run data/low-duct.toml data/puck-sorter.toml --record " + recording,
          "--record goes with one scene");
  const std::string whole = read(recording);
  std::ofstream(recording, std::ios::binary) << whole.substr(0, whole.size() / 2);
  CHECK(has(colvik_tool("timeline " + recording + " --out " + (folder / "t.svg")).err,
            "before the run was over"));
}
