// Colliders that are switched, grow or are mirrored: a trace, what is read from a recording, and
// pictures have them at each step as the world had them.
#include <colvik/picture.hpp>
#include <colvik/recording.hpp>

#include <map>
#include <set>

#include "random.hpp"
#include "tool.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

// Sizes are powers of two, so that scaling there and back is exact.
template <int D>
ColliderDef<D> changing_collider(Random& random) {
  ColliderDef<D> c = random.coin() ? solid(cube<D>(1)) : zone(ball<D>(1));
  c.at = random.vec<D>(1);
  c.on = random.coin();
  double at = 0;
  for (int i = 0; i < 6; ++i) {
    Beat<D> beat{.at = at += random.range(0.01, 0.2)};
    if (random.coin(0.7)) beat.on = random.coin();
    if (!beat.on || random.coin()) beat.scale = std::pow(2.0, random.below(5) - 2);
    c.schedule.beats.push_back(beat);
  }
  if (random.coin()) c.schedule.period = at + random.range(0.01, 0.3);
  return c;
}

template <int D>
struct SeenCollider {
  bool on = true;
  Bounds<D> box;
};
// What the world has, by name, at each step.
template <int D>
using SeenAll = std::vector<std::map<std::string, std::vector<SeenCollider<D>>>>;

template <int D>
void look_at(const World<D>& world, SeenAll<D>& all) {
  auto& now = all.emplace_back();
  for (const ObjectId id : world.objects()) {
    const Object<D>& o = world.object(id);
    for (const Collider<D>& c : o.colliders)
      now[o.name].push_back({c.def.on, bounds(c.def.shape, Pose<D>{})});
  }
}

template <int D>
void check_seen(const SeenAll<D>& all, const Trace<D>& trace, std::uint64_t from) {
  std::size_t compared = 0;
  for (std::uint32_t i = 0; i < trace.objects().size(); ++i) {
    const TraceObject<D>& o = trace.objects()[i];
    CAPTURE(o.name);
    for (std::uint64_t step = o.born; step <= trace.steps(); ++step) {
      CAPTURE(step);
      const std::vector<SeenCollider<D>>& was = all[from + step].at(o.name);
      REQUIRE(was.size() == o.colliders.size());
      for (std::size_t k = 0; k < was.size(); ++k) {
        const ColliderDef<D> c = trace.collider_at(i, k, step);
        CHECK(c.on == was[k].on);
        CHECK(c.on == trace.is_on(i, k, step));
        const Bounds<D> box = bounds(c.shape, Pose<D>{});
        CHECK((box.lo - was[k].box.lo).norm() < 1e-12);
        CHECK((box.hi - was[k].box.hi).norm() < 1e-12);
        ++compared;
      }
    }
  }
  CHECK(compared > 50);
}

}  // namespace

TEST_CASE_TEMPLATE("what is switched or grows is known at each step, in recordings too", T, Two,
                   Three) {
  constexpr int D = T::D;
  const Folder folder;
  const std::string path = folder / "a.rec";
  for (const double rate : {15.0, 60.0, 480.0})
    for (std::uint64_t seed = 1; seed <= 6; ++seed) {
      CAPTURE(rate);
      CAPTURE(seed);
      Random random(seed);
      WorldSettings<D> settings;
      settings.rate = rate;
      Run<D> run(settings);
      const auto come = [&](int i) {
        ObjectDef<D> o =
            thing<D>("thing-" + std::to_string(i), BodyKind::kinematic, random.vec<D>(5), {});
        for (int k = 0; k < 3; ++k) o.colliders.push_back(changing_collider<D>(random));
        run.world.add(o).value();
      };
      for (int i = 0; i < 3; ++i) come(i);
      auto file = RecordingFile<D>::create(path, run.world, run.rules).value();
      file->follow(run);
      Recorder<D> ring(run.world, run.rules, {.seconds = 0.5, .bytes = std::size_t{1} << 20});
      SeenAll<D> seen;
      look_at(run.world, seen);
      const int steps = static_cast<int>(2 * rate);
      for (int i = 0; i < steps; ++i) {
        if (i == steps / 3) come(9);
        if (i > 0 && random.coin(2 / rate))
          run.world.switch_collider(run.world.objects()[0], 0, random.coin());
        if (i > 0 && random.coin(2 / rate))
          run.world.set_mirrored(run.world.objects()[1], random.coin()).value();
        run.step();
        ring.record();
        look_at(run.world, seen);
      }
      check_seen(seen, run.trace, 0);
      file->finish().value();
      check_seen(seen, std::get<Recording<D>>(read_recording(path).value()).trace, 0);
      ring.write(path).value();
      const auto last = std::get<Recording<D>>(read_recording(path).value());
      check_seen(seen, last.trace, static_cast<std::uint64_t>(std::llround(last.since * rate)));
    }
}

TEST_CASE_TEMPLATE("a picture of a moment is that of a thing that always was as it was then", T,
                   Two, Three) {
  constexpr int D = T::D;
  const Folder folder;
  const std::string path = folder / "a.svg";
  const Bounds<D> view = Bounds<D>{kZero, kZero}.grown(6);
  const auto drawn = [&](const Run<D>& run, double at) {
    REQUIRE(draw_picture<D>(run.trace, &view, path, {.at = at}));
    return read(path);
  };
  std::set<std::string> different;
  for (std::uint64_t seed = 1; seed <= 8; ++seed) {
    CAPTURE(seed);
    Random random(seed);
    ObjectDef<D> o = thing<D>("thing", BodyKind::kinematic, kZero, {});
    o.may_sleep = false;
    for (int k = 0; k < 3; ++k) o.colliders.push_back(changing_collider<D>(random));
    // Elsewhere, so that the legend is the same for all.
    ObjectDef<D> spare =
        thing<D>("spare", BodyKind::kinematic, along_x<D>(99), {solid(ball<D>(1))});
    spare.colliders[0].on = false;
    Run<D> run;
    const ObjectId id = run.world.add(o).value();
    Run<D> whole;  // drawn at moments that are past
    whole.world.add(o).value();
    whole.world.add(spare).value();
    whole.run_for(1.8);
    for (int stop = 1; stop <= 5; ++stop) {
      for (int i = 0; i < 18; ++i) run.step();
      ObjectDef<D> still = o;
      for (std::size_t k = 0; k < 3; ++k) {
        still.colliders[k] = run.world.object(id).colliders[k].def;
        still.colliders[k].schedule = {};
      }
      Run<D> twin;
      twin.world.add(still).value();
      twin.world.add(spare).value();
      twin.run_for(1.8);
      const double at = 0.3 * stop;
      const std::string wanted = drawn(twin, at);
      different.insert(wanted);
      CHECK((drawn(whole, at) == wanted));
    }
  }
  CHECK(different.size() > 20);
}
