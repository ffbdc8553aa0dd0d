// The page to play: its data is the run's, packed poses included. How it behaves in a browser is in
// pages_test.py.
#include <colvik/replay.hpp>

#include <nlohmann/json.hpp>

#include "demo_scenes.hpp"
#include "random.hpp"

using namespace colvik;
using namespace colvik::test;
using Json = nlohmann::json;

namespace {

Json data_of(const std::string& page) {
  const std::string start = R"(<script type="application/json" id="data">)";
  const std::size_t from = page.find(start) + start.size();
  return Json::parse(page.substr(from, page.find("</script>", from) - from));
}

// As the page unpacks them: seven bits a byte, the lowest first, the sign in the lowest bit.
std::vector<std::int64_t> unpacked(const std::string& text) {
  const std::string digits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::vector<int> bytes;
  int bits = 0;
  int count = 0;
  for (const char c : text) {
    if (c == '=') break;
    bits = (bits << 6 | static_cast<int>(digits.find(c))) & 0xffffff;
    count += 6;
    if (count < 8) continue;
    count -= 8;
    bytes.push_back(bits >> count & 255);
  }
  std::vector<std::int64_t> values;
  std::uint64_t value = 0;
  int shift = 0;
  for (const int b : bytes) {
    value |= static_cast<std::uint64_t>(b & 127) << shift;
    shift += 7;
    if ((b & 128) != 0) continue;
    const auto half = static_cast<std::int64_t>(value >> 1);
    values.push_back((value & 1) != 0 ? -half - 1 : half);
    value = 0;
    shift = 0;
  }
  return values;
}

}  // namespace

TEST_CASE_TEMPLATE("a page to play holds the run: objects, poses, events, numbers", T, Two, Three) {
  constexpr int D = T::D;
  constexpr std::size_t kParts = D == 2 ? 3 : 7;
  for (const double far : {0.0, 1e6})
    for (const double rate : {15.0, 240.0}) {
      CAPTURE(far);
      CAPTURE(rate);
      WorldSettings<D> settings;
      settings.rate = rate;
      settings.gravity = up<D>(-9.81);
      Run<D> run(settings);
      Random random(3);
      run.world
          .add(thing<D>("floor", BodyKind::fixed, along_x<D>(far) - up<D>(0.5),
                        {solid(slab<D>(60, 1))}))
          .value();
      for (int i = 0; i < 12; ++i) {
        ObjectDef<D> def =
            thing<D>(i == 0 ? "</script>" : "box-" + std::to_string(i), BodyKind::dynamic,
                     along_x<D>(far + random.range(-8, 8)) + up<D>(random.range(1, 6)),
                     {solid(slab<D>(0.5, 0.5))});
        if (i == 0) def.name = "first";
        def.spin[0] = random.range(-20, 20);
        run.world.add(def).value();
      }
      run.run_for(3);
      const Trace<D>& trace = run.trace;
      ReplayOptions<D> options{.title = "a < b </script>"};
      options.verdicts = {{"it </script> ends", true, "", "", 0, 1}};
      const std::string page = replay_page(trace, options).value();
      CHECK(page.find("http://") == page.find("http://www.w3.org"));  // nothing is fetched
      const Json data = data_of(page);
      const Json& shown = data["runs"][0];
      REQUIRE(shown["objects"].size() == trace.objects().size());
      for (std::uint32_t i = 0; i < trace.objects().size(); ++i) {
        const Json& o = shown["objects"][i];
        CHECK(o["name"] == trace.objects()[i].name);
        const auto values = unpacked(o["packed"].get<std::string>());
        const auto samples = trace.samples(i);
        REQUIRE(values.size() == samples.size() * (kParts + 1));
        std::array<std::int64_t, kParts> before{};
        std::array<std::int64_t, kParts> step{};
        std::size_t at = 0;
        std::int64_t when = 0;
        for (const auto& sample : samples) {
          const std::int64_t gap = values[at++];
          when += gap;
          REQUIRE(when == static_cast<std::int64_t>(sample.step));
          for (std::size_t k = 0; k < kParts; ++k) {
            const std::int64_t now = before[k] + (gap == 1 ? step[k] : 0) + values[at++];
            step[k] = now - before[k];
            before[k] = now;
          }
          for (int k = 0; k < D; ++k) {
            const double place = static_cast<double>(before[static_cast<std::size_t>(k)]) *
                                     shown["unit"].get<double>() +
                                 shown["origin"][static_cast<std::size_t>(k)].get<double>();
            REQUIRE(std::abs(place - sample.pose.position[k]) < 0.6 / 4096);
          }
        }
      }
      std::size_t begins = 0;
      for (const Json& e : shown["events"]) begins += e["kind"] == "begin" ? 1 : 0;
      CHECK(begins == static_cast<std::size_t>(std::count_if(
                          trace.touches().begin(), trace.touches().end(),
                          [](const TraceTouch& t) { return t.phase == Phase::begin; })));
    }
}

TEST_CASE("every demo scene makes a page, and a path that cannot be written is an error") {
  for_demo_scenes([](const auto& scene) {
    const auto run = start_run(scene);
    run->run_for(std::min(scene.length, 1.0));
    const auto page = replay_page(run->trace, {});
    REQUIRE(page);
    CHECK(data_of(page.value())["runs"][0]["steps"] == run->trace.steps());
    CHECK_FALSE(write_replay(run->trace, "/nowhere/at/all.html", {}));
  });
}
