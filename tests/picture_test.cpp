// Pictures: what is drawn, read back from the SVG and from the PNG's pixels.
#include <colvik/picture.hpp>
#include <colvik/scene.hpp>

#include <cairo.h>
#include <unistd.h>

#include <cstdio>
#include <filesystem>
#include <fstream>
#include <sstream>

#include "picture/look.h"
#include "picture/projection.h"
#include "random.hpp"
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

std::string picture_path(const char* kind) {
  return (std::filesystem::temp_directory_path() /
          ("colvik-picture-" + std::to_string(getpid()) + kind))
      .string();
}

template <int D>
std::string drawn(const Run<D>& run, const PictureOptions& options, const char* kind = ".svg") {
  const std::string path = picture_path(kind);
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

// Around all that shows this title in an SVG.
Bounds<2> titled(const std::string& svg, const std::string& title) {
  Bounds<2> box;
  std::size_t at = 0;
  while ((at = svg.find("<title>" + title + "<", at)) != std::string::npos) {
    const std::size_t from = svg.rfind("d=\"", at) + 3;
    std::istringstream numbers(svg.substr(from, svg.find('"', from) - from));
    for (std::string word; numbers >> word;) {
      if (word == "Z") break;
      if (word[0] == 'M' || word[0] == 'L') word.erase(0, 1);
      double y = 0;
      numbers >> y;
      box = box.merged(Vec<2>(std::stod(word), y));
    }
    ++at;
  }
  REQUIRE_FALSE(box.empty());
  return box;
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
  CHECK(count(late, "<path") > count(early, "<path"));  // trail and mark
  const std::string strobe = drawn(run, {.strobe = 6});
  CHECK(count(strobe, "<path") > count(late, "<path"));
  // The same run draws the same picture.
  CHECK((drawn(run, {}, ".png") == drawn(run, {}, ".png")));
}

TEST_CASE_TEMPLATE("a picture is filled, and a pointer over a thing shows what it is", T, Two,
                   Three) {
  constexpr int D = T::D;
  for (const double wide : {1.0, 8.0, 40.0})
    for (const double far : {0.0, 1e6}) {
      CAPTURE(wide);
      CAPTURE(far);
      Run<D> run;
      Shape<D> shape;
      if constexpr (D == 2) shape = box(wide, 1);
      else shape = box(wide, 1, 1);
      Vec<D> at = kZero;
      at[0] = far;
      run.world.tags().declare("scenery").value();
      run.world.add(thing<D>("shelf", BodyKind::fixed, at, {solid(shape)}, {"scenery"})).value();
      run.run_for(0.1);
      const Bounds<2> box = titled(drawn(run, {}), "shelf\nstatic\ntags: scenery");
      const Vec<2> size = box.size();
      CHECK(box.lo.minCoeff() > 0);
      CHECK(box.hi.x() < 1280);
      CHECK(box.hi.y() < 800);
      // All around it half a metre is left free; of the longer side most is used.
      const double share = wide / (wide + 2 * std::max(0.5, 0.03 * wide));
      if (D == 2) CHECK((size.x() > 0.8 * share * 940 || size.y() > 0.6 * share * 500));
      const Bounds<2> followed =
          titled(drawn(run, {.follow = "shelf"}), "shelf\nstatic\ntags: scenery");
      CHECK(followed.size().maxCoeff() < 260);
    }
}

// What a pixel shows is what a ray from the eye meets first.
TEST_CASE("in 3D what is nearer hides what is behind it, from everywhere") {
  Random random(11);
  int agreed = 0;
  int all = 0;
  for (int scene = 0; scene < 12; ++scene) {
    Run<3> run;
    for (int i = 0; i < 8; ++i) run.world.tags().declare("t" + std::to_string(i)).value();
    for (int i = 0; i < 8; ++i) {
      const std::array<Shape<3>, 6> shapes{sphere(1.4),          box(1.2, 0.8, 1.5),
                                           capsule<3>(0.7, 1.8), cylinder(1, 1.4),
                                           cone(1.2, 1.5),       rounded(box(1, 0.6, 1), 0.15)};
      ObjectDef<3> def = thing<3>("o" + std::to_string(i), BodyKind::fixed, random.vec<3>(1.5),
                                  {solid(shapes[static_cast<std::size_t>(random.below(6))])},
                                  {"t" + std::to_string(i)});
      def.turned = Rotation<3>(random.direction<3>(), random.range(0, 3));
      run.world.add(def).value();
    }
    run.run_for(1.0 / 60);
    const Eye eye{random.range(-180, 180), random.range(-90, 90)};
    const Bounds<3> view{Vec<3>::Constant(-2.5), Vec<3>::Constant(2.5)};
    const std::string path = picture_path(".png");
    REQUIRE(draw_picture<3>(run.trace, &view, path, {.eye = eye}));
    // The frame beside the panel, as picture.cpp lays it out.
    const picture::Projection<3> to_paper(view, kZero, eye, {10, 44}, {950, 746});
    cairo_surface_t* const surface = cairo_image_surface_create_from_png(path.c_str());
    const unsigned char* const pixels = cairo_image_surface_get_data(surface);
    const int stride = cairo_image_surface_get_stride(surface);
    for (int k = 0; k < 400; ++k) {
      const Vec<2> at(std::floor(random.range(250, 720)) + 0.5,
                      std::floor(random.range(150, 680)) + 0.5);
      // Through the pixel, from far away.
      const Vec<3> right = cross(to_paper.up(), to_paper.toward());
      const Vec<2> off = (at - to_paper(kZero)) / to_paper.scale();
      const Vec<3> from = off.x() * right - off.y() * to_paper.up() + 20 * to_paper.toward();
      const auto hit = run.world.first(RayCast<3>{from, -40 * to_paper.toward()});
      const unsigned char* const p =
          pixels + static_cast<int>(at.y()) * stride + 4 * static_cast<int>(at.x());
      const Vec<3> colour = Vec<3>(p[2], p[1], p[0]) / 255;
      Vec<3> wanted(picture::kPaper.r, picture::kPaper.g, picture::kPaper.b);
      if (hit) {
        const std::string& name = run.world.object(hit->object).name;
        const auto c = picture::tag_colour(static_cast<std::size_t>(name[1] - '0'));
        wanted = Vec<3>(c.r, c.g, c.b) * 0.26 + Vec<3>::Constant(0.74);
      }
      // The same but for the light.
      ++all;
      agreed += (colour.normalized() - wanted.normalized()).norm() < 0.03 ? 1 : 0;
    }
    cairo_surface_destroy(surface);
    std::filesystem::remove(path);
  }
  MESSAGE(agreed << " of " << all);
  CHECK(agreed > 0.93 * all);  // the rest are edges, trails and names
}

TEST_CASE_TEMPLATE("a film is an animated WebP, and says what it cannot be", T, Two, Three) {
  constexpr int D = T::D;
  Run<D> run;
  meeting(run);
  const std::string path = picture_path(".webp");
  REQUIRE(draw_film<D>(run.trace, nullptr, path, {.width = 400, .height = 400}, {.rate = 10}));
  const std::string film = read(path);
  std::filesystem::remove(path);
  CHECK(film.starts_with("RIFF"));
  CHECK(film.substr(8, 8) == "WEBPVP8X");
  CHECK(count(film, "ANMF") > 15);
  CHECK(count(film, "ANMF") <= 21);
  const auto why = [&](const char* to, const FilmOptions& options) {
    return draw_film<D>(run.trace, nullptr, to, {}, options).error().message();
  };
  CHECK(why("x.png", {}) ==
        "x.png: is no kind of film that can be written; a name that ends in .webp");
  CHECK(why("x.webp", {.from = 5}) == "x.webp: from 5 s to 2 s; times within the run");
  CHECK(why("x.webp", {.rate = 100}) ==
        "x.webp: 100 pictures a second at speed 1; 1 to 60, and 0.01 to 100");
  CHECK(why("/no/such/x.webp", {}).starts_with("/no/such/x.webp: the film cannot be written"));
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
  CHECK(why("x.png", {.follow = "robto"}) ==
        "picture: no object is named 'robto'; did you mean 'robot'?");
  CHECK(why("x.png", {.eye = {0, 100}}) ==
        "picture: an eye at 100 degrees above the horizon; -90 to 90");
  if (T::D == 2) CHECK(why("x.png", {.four = true}) == "picture: four views of a scene in 2D; 3D");
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
  // The drawing, or what is shaded.
  CHECK(count(drawn(run, {}), "<image") == 1);
}
