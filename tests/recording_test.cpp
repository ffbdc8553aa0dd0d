// Recordings: what is read back is what happened, whole or cut off; and the recorder of a game that
// goes on and on.
#include <colvik/insight.hpp>
#include <colvik/recording.hpp>
#include <colvik/saved.hpp>

#include <sys/wait.h>
#include <unistd.h>
#include <zstd.h>
#include <nlohmann/json.hpp>

#include <csignal>
#include <cstdlib>
#include <new>

#include "demo_scenes.hpp"
#include "random.hpp"

#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
#define COLVIK_COUNTS_ALLOCATIONS 0
#elif defined(__has_feature)
#if __has_feature(address_sanitizer) || __has_feature(thread_sanitizer)
#define COLVIK_COUNTS_ALLOCATIONS 0
#endif
#endif
#ifndef COLVIK_COUNTS_ALLOCATIONS
#define COLVIK_COUNTS_ALLOCATIONS 1
#endif

namespace {
std::size_t allocations = 0;
}
#if COLVIK_COUNTS_ALLOCATIONS
void* operator new(std::size_t size) {
  ++allocations;
  if (void* const at = std::malloc(size > 0 ? size : 1)) return at;
  throw std::bad_alloc();
}
void operator delete(void* at) noexcept { std::free(at); }
void operator delete(void* at, std::size_t) noexcept { std::free(at); }
#endif

using namespace colvik;
using namespace colvik::test;

namespace {

std::string recording_path(const std::string& name) {
  return (std::filesystem::temp_directory_path() / ("colvik-" + std::to_string(getpid()) + name))
      .string();
}

template <int D>
Recording<D> read_back(const std::string& path) {
  auto read = read_recording(path);
  if (!read) FAIL(read.error().message());
  return std::get<Recording<D>>(std::move(read).value());
}

std::string unpacked_text(const std::string& packed) {
  ZSTD_DStream* const stream = ZSTD_createDStream();
  ZSTD_inBuffer in{packed.data(), packed.size(), 0};
  std::string text;
  std::vector<char> room(std::size_t{1} << 17);
  while (in.pos < in.size) {
    ZSTD_outBuffer out{room.data(), room.size(), 0};
    REQUIRE(ZSTD_isError(ZSTD_decompressStream(stream, &out, &in)) == 0);
    text.append(room.data(), out.pos);
  }
  ZSTD_freeDStream(stream);
  return text;
}

template <int D>
std::string events_of(const Trace<D>& trace) {
  std::ostringstream out;
  write_events(out, trace, true);
  return out.str();
}

// Where they were, to the recording's precision.
template <int D>
void check_poses(const Trace<D>& was, const Trace<D>& read, std::uint64_t from = 0,
                 std::uint64_t before_end = 0) {
  const double most = 1.01 * was.metre() / 16384 * std::sqrt(D);
  for (std::uint32_t i = 0; i < read.objects().size(); ++i) {
    const std::uint32_t same = from == 0 ? i : was.find(read.objects()[i].name);
    for (std::uint64_t step = 0; step + before_end <= read.steps(); step += 1 + read.steps() / 50) {
      const auto a = was.pose_at(same, from + step);
      const auto b = read.pose_at(i, step);
      REQUIRE(a.has_value() == b.has_value());
      if (!a) continue;
      CHECK((a->position - b->position).norm() <= most + 1e-12 * a->position.cwiseAbs().maxCoeff());
      for (int k = 0; k < D; ++k) CHECK((a->rotation.axis(k) - b->rotation.axis(k)).norm() < 6e-4);
      CAPTURE(read.objects()[i].name);
      CAPTURE(step);
      CHECK(was.asleep_at(same, from + step) == read.asleep_at(i, step));
    }
  }
}

template <int D>
Run<D>& tumbling(Run<D>& run, int bodies, std::uint64_t seed, double far) {
  Random random(seed);
  run.world.tags().declare("crate").value();
  run.world.tags().declare("floor").value();
  run.rules.add({.name = "landed", .self = "crate", .other = "floor"}).value();
  ObjectDef<D> floor{.name = "floor", .tags = {"floor"}};
  floor.at[0] = far;
  floor.at[1] = -5;
  floor.colliders.push_back({.shape = half_space<D>()});
  run.world.add(floor).value();
  for (int i = 0; i < bodies; ++i) {
    ObjectDef<D> def{
        .name = "crate-" + std::to_string(i), .body = BodyKind::dynamic, .tags = {"crate"}};
    def.at = random.vec<D>(20);
    def.at[0] += far;
    def.at[1] = random.range(0, 10);
    if constexpr (D == 2) def.colliders.push_back({.shape = box(0.4, 0.4)});
    else def.colliders.push_back({.shape = box(0.4, 0.4, 0.4)});
    def.colliders[0].restitution = 0.6;
    run.world.add(def).value();
  }
  return run;
}

}  // namespace

TEST_CASE("what is read from a recording is what happened") {
  const std::string path = recording_path("demo.rec");
  for_demo_scenes([&]<int D>(const Scene<D>& scene) {
    const auto run = start_run(scene);
    RecordingAbout<D> about{.title = "demo", .length = scene.length};
    auto file = RecordingFile<D>::create(path, run->world, run->rules, about).value();
    file->follow(*run);
    run->run_for(scene.length);
    std::vector<Judged> verdicts;
    for (const Expectation<D>& e : scene.expectations) {
      const ExpectationResult r = judge(e, run->trace);
      verdicts.push_back({r.expected, r.met, r.happened, "", e.from, e.to});
    }
    file->finish(verdicts).value();

    const Recording<D> read = read_back<D>(path);
    CHECK(read.complete);
    CHECK(read.about.title == "demo");
    CHECK(read.about.length == scene.length);
    const Trace<D>& was = run->trace;
    CHECK(events_of(read.trace) == events_of(was));
    CHECK(run_report<D>(read.trace, {}, {}) == run_report<D>(was, {}, {}));
    CHECK(read.trace.hash() == was.hash());
    CHECK(read.trace.outcome() == was.outcome());
    CHECK(read.trace.peak() == was.peak());
    CHECK(read.trace.restarts() == was.restarts());
    REQUIRE(read.trace.objects().size() == was.objects().size());
    for (std::uint32_t i = 0; i < was.objects().size(); ++i) {
      const TraceObject<D>& a = was.objects()[i];
      const TraceObject<D>& b = read.trace.objects()[i];
      CAPTURE(a.name);
      CHECK(story_of(was, a.name) == story_of(read.trace, a.name));
      CHECK(a.kind == b.kind);
      CHECK(a.gone == b.gone);
      CHECK(a.remover == b.remover);
      CHECK(a.drawings.size() == b.drawings.size());
      REQUIRE(a.parties.size() == b.parties.size());
      for (std::size_t k = 0; k < a.parties.size(); ++k) {
        const Party& p = a.parties[k];
        const Party& q = b.parties[k];
        CHECK(p.tags == q.tags);
        CHECK(p.meets == q.meets);
        CHECK(std::tuple(p.body, p.zone, p.active, p.on, p.object, p.family, p.meets_relatives) ==
              std::tuple(q.body, q.zone, q.active, q.on, q.object, q.family, q.meets_relatives));
      }
      CHECK(save_colliders<D>(a.colliders).size() == save_colliders<D>(b.colliders).size());
      for (const std::uint64_t step : {std::uint64_t{0}, was.steps() / 2, was.steps()}) {
        CHECK(was.tags_at(i, step) == read.trace.tags_at(i, step));
        const auto wa = was.walking_at(i, step);
        const auto wb = read.trace.walking_at(i, step);
        REQUIRE(wa.has_value() == wb.has_value());
        if (wa)
          CHECK(std::tuple(wa->standing, wa->on, wa->highest) ==
                std::tuple(wb->standing, wb->on, wb->highest));
      }
    }
    for (std::size_t i = 0; i < was.touches().size(); ++i)
      CHECK(was.touch_places()[i].point == read.trace.touch_places()[i].point);
    check_poses(was, read.trace);
    REQUIRE(read.verdicts.size() == verdicts.size());
    for (std::size_t i = 0; i < verdicts.size(); ++i) {
      CHECK(read.verdicts[i].text == verdicts[i].text);
      CHECK(read.verdicts[i].met == verdicts[i].met);
      CHECK(read.verdicts[i].to == verdicts[i].to);
    }
  });
}

// As docs/recording.md says, with none of the library's code.
TEST_CASE_TEMPLATE("the page about recordings is enough to read poses from one", T, Two, Three) {
  constexpr int D = T::D;
  constexpr std::size_t kParts = D == 2 ? 3 : 7;
  using Json = nlohmann::json;
  const std::string path = recording_path("page.rec");
  Run<D> run;
  tumbling(run, 10, 6, 0);
  auto file = RecordingFile<D>::create(path, run.world, run.rules).value();
  file->follow(run);
  run.run_for(3);
  file->finish().value();
  std::istringstream lines(unpacked_text(read(path)));
  std::string line;
  std::getline(lines, line);
  const double unit = Json::parse(line)["unit"];
  struct Pose {
    std::array<std::int64_t, kParts> at{};
    std::array<std::int64_t, kParts> change{};
    std::array<std::int64_t, kParts> bend{};
    std::uint64_t moved = 1000000;
  };
  std::map<std::int64_t, Pose> poses;
  std::size_t compared = 0;
  while (std::getline(lines, line)) {
    const Json j = Json::parse(line);
    if (!j.contains("step")) continue;
    const std::uint64_t step = j["step"];
    for (const Json& o : j.value("objects", Json::array()))
      for (std::size_t k = 0; k < kParts; ++k) poses[o[0]].at[k] = o[4 + k];
    const std::vector<std::int64_t> moved = j.value("moved", std::vector<std::int64_t>());
    std::int64_t number = 0;
    for (std::size_t i = 0; i < moved.size(); i += 1 + kParts) {
      Pose& p = poses[number += moved[i]];
      if (p.moved + 1 != step) p.change = p.bend = {};
      p.moved = step;
      for (std::size_t k = 0; k < kParts; ++k) {
        const std::int64_t change = moved[i + 1 + k] + p.change[k] + p.bend[k];
        if (D == 3 && k >= 3) p.bend[k] = change - p.change[k];
        p.change[k] = change;
        p.at[k] += change;
      }
    }
    for (const auto& [object, p] : poses) {
      const auto was = run.trace.pose_at(static_cast<std::uint32_t>(object), step);
      REQUIRE(was.has_value());
      for (std::size_t k = 0; k < D; ++k)
        CHECK(std::abs(static_cast<double>(p.at[k]) * unit - was->position[static_cast<int>(k)]) <
              0.51 * unit);
      ++compared;
    }
  }
  CHECK(compared > 180 * 11);
}

TEST_CASE_TEMPLATE("a recording that was cut off gives all whole steps, a damaged one an error", T,
                   Two, Three) {
  constexpr int D = T::D;
  const std::string path = recording_path("cut.rec");
  Run<D> run;
  tumbling(run, 8, 3, 0);
  {
    auto file = RecordingFile<D>::create(path, run.world, run.rules).value();
    file->follow(run);
    run.run_for(2);
    file->finish().value();
  }
  const std::string whole = read(path);
  const std::string events = events_of(run.trace);
  const std::string part = recording_path("part.rec");
  std::uint64_t before = 0;
  for (std::size_t size = 0; size < whole.size(); size += 1 + whole.size() / 150) {
    std::ofstream(part, std::ios::binary) << whole.substr(0, size);
    const auto got = read_recording(part);
    if (!got) {  // not even one step
      CHECK(before == 0);
      continue;
    }
    const auto& recording = std::get<Recording<D>>(got.value());
    CHECK((size + 8 > whole.size() || !recording.complete));
    CHECK(recording.trace.steps() >= before);
    before = recording.trace.steps();
    CHECK(events.starts_with(events_of(recording.trace).substr(0, 1)));
    check_poses(run.trace, recording.trace, 0, 1);  // when it is over, all wake
  }
  CHECK(before >= 119);
  Random random(5);
  for (int k = 0; k < 200; ++k) {
    std::string bad = whole;
    const auto at = static_cast<std::size_t>(random.below(static_cast<int>(whole.size())));
    bad[at] = static_cast<char>(bad[at] ^ (1 << random.below(8)));
    std::ofstream(part, std::ios::binary) << bad;
    const auto got = read_recording(part);
    if (got && std::get<Recording<D>>(got.value()).complete)  // a bit that means nothing
      CHECK(events_of(std::get<Recording<D>>(got.value()).trace) == events);
  }
}

TEST_CASE("after kill -9 every step that was recorded can be read") {
  const std::string path = recording_path("killed.rec");
  const pid_t child = fork();
  REQUIRE(child >= 0);
  if (child == 0) {
    Run<2> run;
    tumbling(run, 20, 4, 0);
    auto file = RecordingFile<2>::create(path, run.world, run.rules).value();
    for (int i = 0; i < 137; ++i) {
      run.world.step();
      file->record();
    }
    kill(getpid(), SIGKILL);
  }
  int status = 0;
  waitpid(child, &status, 0);
  REQUIRE(WIFSIGNALED(status));
  const Recording<2> recording = read_back<2>(path);
  CHECK(recording.trace.steps() == 137);
  CHECK_FALSE(recording.complete);
  CHECK(recording.cut == "it ends after step 137, 2.28333 s, before the run was over");
}

TEST_CASE_TEMPLATE("a recorder keeps the last seconds, in bounded memory", T, Two, Three) {
  constexpr int D = T::D;
  const std::string path = recording_path("last.rec");
  for (const double rate : {15.0, 60.0, 480.0})
    for (const double far : {0.0, 1e6}) {
      CAPTURE(rate);
      CAPTURE(far);
      WorldSettings<D> settings;
      settings.rate = rate;
      Run<D> run(settings);
      tumbling(run, 12, 9, far);
      Recorder<D> recorder(run.world, run.rules, {.seconds = 1, .bytes = std::size_t{1} << 20});
      Random random(1);
      for (int i = 0; i < static_cast<int>(4 * rate); ++i) {
        if (random.coin(0.02) && run.world.count() > 1) run.world.remove(run.world.objects()[1]);
        if (random.coin(0.02)) {
          ObjectDef<D> late{
              .name = "late-" + std::to_string(i), .body = BodyKind::dynamic, .tags = {"crate"}};
          late.at[0] = far;
          if constexpr (D == 2) late.colliders.push_back({.shape = circle(0.3)});
          else late.colliders.push_back({.shape = sphere(0.3)});
          run.world.add(late).value();
        }
        run.step();
        recorder.record();
        CHECK(recorder.bytes() <= std::size_t{1} << 20);
        CHECK(recorder.seconds() <= 1.25 + 1 / rate);
      }
      CHECK(recorder.seconds() >= 1);
      recorder.write(path, "odd").value();
      const Recording<D> read = read_back<D>(path);
      CHECK(read.about.title == "odd");
      const auto from = static_cast<std::uint64_t>(std::llround(read.since * rate));
      CHECK(from + read.trace.steps() == run.trace.steps());
      check_poses(run.trace, read.trace, from);
      std::vector<TraceTouch> touches;
      for (const TraceTouch& t : run.trace.touches())
        if (t.step >= from) touches.push_back(t);
      REQUIRE(touches.size() == read.trace.touches().size());
      for (std::size_t i = 0; i < touches.size(); ++i) {
        const TraceTouch& t = read.trace.touches()[i];
        CHECK(t.step + from == touches[i].step);
        CHECK(t.phase == touches[i].phase);
        CHECK(run.trace.objects()[touches[i].self].name == read.trace.objects()[t.self].name);
        CHECK(t.impulse == touches[i].impulse);
      }
    }
}

TEST_CASE_TEMPLATE("a recorder allocates nothing in a steady step, nor beyond its memory", T, Two,
                   Three) {
  constexpr int D = T::D;
  Run<D> run;
  tumbling(run, 200, 2, 0);
  Recorder<D> recorder(run.world, run.rules, {.seconds = 30, .bytes = std::size_t{128} << 10});
  for (int i = 0; i < 60; ++i) {
    run.world.step();
    recorder.record();
  }
  std::size_t sum = 0;
  for (int i = 0; i < 300; ++i) {
    run.world.step();
    const std::size_t before = allocations;
    recorder.record();
    sum += allocations - before;
    CHECK(recorder.bytes() <= std::size_t{128} << 10);
  }
  CHECK(sum == 0);
  CHECK(recorder.seconds() < 30);
  CHECK(recorder.seconds() > 0);
  CHECK_THROWS_WITH((Recorder<D>(run.world, run.rules, {.seconds = 0})),
                    "recorder: cannot keep 0 seconds; more than 0, up to a day");
  CHECK_THROWS_WITH((Recorder<D>(run.world, run.rules, {.bytes = 1000})),
                    "recorder: has 1000 bytes of memory; 65536 or more");
}

TEST_CASE("what is no recording is refused, with the line") {
  const std::string path = recording_path("bad.rec");
  const std::string head =
      R"({"colvik_recording":1,"dimensions":2,"rate":60,"metre":1,"unit":0.0001,"turn_unit":0.0001,)"
      R"("gravity":[0,-9.8],"kinds":[],"title":"","length":1,"since":0})"
      "\n";
  const std::string names = R"({"tags":[["crate",""]],"reactions":[]})"
                            "\n";
  const std::string begun = R"({"step":0})"
                            "\n";
  const auto message = [&](const std::string& text) {
    std::ofstream(path, std::ios::binary) << text;
    const auto got = read_recording(path);
    const std::string said = got ? "read" : got.error().message();
    return said.starts_with(path) ? said.substr(path.size()) : said;
  };
  CHECK(message(head + names + begun) == "read");
  CHECK(message("") == ": is no recording; what run --record wrote");
  CHECK(message("[world]\n") == ": is no recording; what run --record wrote");
  CHECK(message(head) == ": line 2: ends before its first step; at least one step");
  CHECK(message("{\"colvik_recording\":2}\n") == ": line 1: is of version 2; version 1");
  CHECK(message(head + "?\n") == ": line 2: is no JSON object; a line as docs/recording.md says");
  CHECK(message(head + names +
                R"({"step":1,"moved":[4,1,1,1]})"
                "\n") ==
        ": line 3: names object 4; the number of an object that was described before");
  CHECK(message(head + names +
                R"({"step":1,"moved":[4,1]})"
                "\n") == ": line 3: has 2 values in \"moved\"; 4 for each object");
  CHECK(message(head + names +
                R"({"step":5})"
                "\n" +
                R"({"step":4})"
                "\n") == ": line 4: is step 4 after step 5; steps in order");
  CHECK(message(head + names +
                R"({"step":1,"fired":[[0,3,-1,-1,[],[]]]})"
                "\n") == ": line 3: names reaction 3 of 0; one of them, counted from 0");
  CHECK(message(head + names +
                R"({"object":1,"name":"a","kind":"","body":"static",)"
                R"("mirrored":false,"colliders":"zz"})"
                "\n" +
                begun) == "read");
  CHECK(message(head + names +
                R"({"object":1,"name":"a","kind":"","body":"static",)"
                R"("mirrored":false,"colliders":"zz"})"
                "\n" +
                R"({"step":0,"objects":[[1,1,0,[],0,0,0]]})"
                "\n") == ": line 4: has digits that are not hexadecimal; 0-9 and a-f, in twos");
  for (const char* key : {"shown", "asleep", "tags", "gone", "walkers"}) {
    CAPTURE(key);
    CHECK(message(head + names + R"({"step":1,")" + key + R"(":[[-1,0,0,0]]})" + "\n") ==
          ": line 3: names object -1; the number of an object that was described before");
  }
  CHECK_FALSE(is_recording(path + "-none"));
  CHECK(read_recording(path + "-none").error().what == "cannot be read");
}
