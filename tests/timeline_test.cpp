// Timelines, read back from the SVG: a mark for each firing, a bar for each touch.
#include <colvik/timeline.hpp>

#include <unistd.h>

#include "demo_scenes.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

template <int D>
std::string timeline_of(const Trace<D>& trace, const TimelineOptions& options) {
  const std::string path = (std::filesystem::temp_directory_path() /
                            ("colvik-timeline-" + std::to_string(getpid()) + ".svg"))
                               .string();
  const Result<void> drawn = draw_timeline<D>(trace, path, options);
  REQUIRE_MESSAGE(drawn, (drawn ? "" : drawn.error().message()));
  const std::string text = read(path);
  std::filesystem::remove(path);
  return text;
}

std::size_t strokes(const std::string& svg, const std::string& colour) {
  std::size_t n = 0;
  const std::string part = "stroke:rgb(" + colour + ")";
  for (std::size_t at = 0; (at = svg.find(part, at)) != std::string::npos; at += part.size()) ++n;
  return n;
}
const char* kMark = "83.5%,36.9%,0%";
const char* kTouch = "0%,44.7%,69.8%";

}  // namespace

TEST_CASE("a timeline of every demo scene has a mark for each firing and a bar for each touch") {
  for_demo_scenes([]<int D>(const Scene<D>& scene) {
    const auto run = start_run(scene);
    run->run_for(scene.length);
    const Trace<D>& trace = run->trace;
    CHECK(strokes(timeline_of<D>(trace, {}), kMark) == trace.firings().size());
    std::size_t begins = 0;
    for (const TraceTouch& t : trace.touches()) begins += t.phase == Phase::begin ? 1 : 0;
    CHECK(strokes(timeline_of<D>(trace, {.lanes = {"any with any"}}), kTouch) == begins);
    // In the lanes of single objects each touch stands twice.
    if (trace.objects().size() < 300)
      CHECK(strokes(timeline_of<D>(trace, {.lanes = {"any"}}), kTouch) == 2 * begins);
  });
}

TEST_CASE_TEMPLATE("a timeline of nothing, of 500 lanes, and of what is nobody's", T, Two, Three) {
  constexpr int D = T::D;
  Run<D> empty;
  empty.run_for(1);
  CHECK(strokes(timeline_of<D>(empty.trace, {}), kTouch) == 0);
  Run<D> many;
  many.world.tags().declare("crate").value();
  for (int i = 0; i < 500; ++i)
    many.world
        .add(thing<D>("crate-" + std::to_string(i), BodyKind::fixed, along_x<D>(2 * i),
                      {zone(slab<D>(1, 1))}, {"crate"}))
        .value();
  ObjectDef<D> goes = thing<D>("goes", BodyKind::kinematic, along_x<D>(-2), {solid(slab<D>(1, 1))});
  goes.velocity = along_x<D>(600);
  many.world.add(goes).value();
  many.run_for(2);
  CHECK(strokes(timeline_of<D>(many.trace, {.lanes = {"crate"}}), kTouch) == 500);
  const auto refused = [&](const std::string& lane) {
    const auto drawn = draw_timeline<D>(many.trace, "/tmp/never.svg", {.lanes = {lane}});
    return drawn ? std::string() : drawn.error().message();
  };
  CHECK(refused("crat").find("crate") != std::string::npos);
  CHECK(refused("@nobody").find("nobody's") != std::string::npos);
  CHECK(refused("crate with crat").find("crate") != std::string::npos);
  CHECK_FALSE(draw_timeline<D>(many.trace, "never.txt", {}));
  CHECK_FALSE(draw_timeline<D>(many.trace, "/tmp/never.svg", {.width = 10}));
}
