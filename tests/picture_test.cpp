// Pictures: what is drawn, read back from the SVG and from the PNG's pixels.
#include <colvik/picture.hpp>
#include <colvik/scene.hpp>

#include <unistd.h>

#include <cstdio>
#include <filesystem>
#include <fstream>
#include <sstream>

#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

template <int D>
std::string drawn(const Run<D>& run, const PictureOptions& options, const char* kind = ".svg") {
  const std::string path = (std::filesystem::temp_directory_path() /
                            ("colvik-picture-" + std::to_string(getpid()) + kind))
                               .string();
  const Result<void> result = draw_picture<D>(run.trace, nullptr, path, options);
  REQUIRE_MESSAGE(result, (result ? "" : result.error().message()));
  std::ifstream file(path);
  std::stringstream text;
  text << file.rdbuf();
  std::filesystem::remove(path);
  return text.str();
}

std::size_t count(const std::string& text, std::string_view part) {
  std::size_t n = 0;
  for (std::size_t at = 0; (at = text.find(part, at)) != std::string::npos; at += part.size()) ++n;
  return n;
}

template <int D>
Run<D>& meeting(Run<D>& run) {
  run.world.tags().declare("robot").value();
  ObjectDef<D> robot =
      thing<D>("robot", BodyKind::kinematic, kZero, {solid(cube<D>(1))}, {"robot"});
  robot.velocity = along_x<D>(3);
  run.world.add(robot).value();
  run.world.add(thing<D>("parcel", BodyKind::fixed, along_x<D>(3), {zone(ball<D>(1))})).value();
  run.rules.add({.name = "meet", .self = "robot"}).value();
  run.run_for(2);
  return run;
}

}  // namespace

TEST_CASE_TEMPLATE("a picture has outlines, dashed zones, a trail, and a mark once it fired", T,
                   Two, Three) {
  constexpr int D = T::D;
  Run<D> run;
  meeting(run);
  const std::string early = drawn(run, {.at = 0.1});
  const std::string late = drawn(run, {});
  CHECK(count(early, "stroke-dasharray") > 0);  // the zone
  CHECK(count(late, "clip-path") > count(early, "clip-path") / 2);
  CHECK(late.size() > early.size());  // trail and mark
  const std::string strobe = drawn(run, {.strobe = 6});
  CHECK(count(strobe, "<path") > count(late, "<path"));
  // The same run draws the same picture.
  CHECK((drawn(run, {}, ".png") == drawn(run, {}, ".png")));
}

TEST_CASE_TEMPLATE("pictures that cannot be drawn say why", T, Two, Three) {
  Run<T::D> run;
  meeting(run);
  const auto why = [&](const char* path, PictureOptions options) {
    return draw_picture<T::D>(run.trace, nullptr, path, options).error().message();
  };
  CHECK(why("x.gif", {}) ==
        "x.gif: is no kind of picture that can be written; a name that ends in .png or .svg");
  CHECK(why("x.png", {.width = 10}) ==
        "x.png: a picture of 10x800 pixels; 400 to 8000 pixels each way");
  CHECK(why("/no/such/x.png", {}).starts_with("/no/such/x.png: the picture cannot be written"));
}

TEST_CASE_TEMPLATE("a picture of nothing and a picture of a drawing can be made", T, Two, Three) {
  constexpr int D = T::D;
  Run<D> empty;
  empty.run_for(0.1);
  CHECK(drawn(empty, {}).size() > 500);
  Run<D> run;
  ObjectDef<D> robot = thing<D>("robot", BodyKind::fixed, kZero, {solid(cube<D>(1))});
  robot.drawings = {{Vec<D>::Constant(2), COLVIK_SOURCE_DIR "/data/depot-robot.png"}};
  run.world.add(robot).value();
  run.run_for(0.1);
  CHECK(count(drawn(run, {}), "<image") == (D == 2 ? 1 : 0));
}
