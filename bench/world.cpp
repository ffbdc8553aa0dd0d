// What callers see: casts, scenery and zones.
#include <colvik/world.hpp>

#include "bench.hpp"
#include "contact/collide.h"
#include "index/tree.h"

namespace bench {
namespace {

template <int D>
Shape<D> ball(double diameter) {
  if constexpr (D == 2) return circle(diameter);
  else return sphere(diameter);
}

template <int D>
std::vector<ShapeCast<D>> casts(double room) {
  Random random(5);
  std::vector<ShapeCast<D>> out;
  for (int i = 0; i < 1000; ++i) {
    Shape<D> shape;
    if (i % 2 == 0) shape = ball<D>(0.6);
    else if constexpr (D == 2) shape = box(0.6, 0.4);
    else shape = box(0.6, 0.4, 0.5);
    const Vec<D> from = random.vec<D>(room);
    const Rotation<D> turned = random.rotation<D>();
    out.push_back({shape, {from, turned}, Vec<D>(random.direction<D>() * 10)});
  }
  return out;
}

template <int D>
constexpr double kCastRoom = D == 2 ? 100 : 24;

template <int D>
void add_still_boxes(World<D>& world) {
  Random random(4);
  for (int i = 0; i < 10000; ++i) {
    Shape<D> shape;
    if constexpr (D == 2) shape = box(1, 0.7);
    else shape = box(1, 0.7, 0.8);
    const Vec<D> at = random.vec<D>(kCastRoom<D>);
    world.add({.at = at, .colliders = {{.shape = shape}}}).value();
  }
}

template <int D>
void shape_casts(bool turning) {
  row("casts/" + dimension(D) + "/" + (turning ? "turning" : "straight") + " through 10000 boxes",
      "colvik",
      [=](benchmark::State& state) {
        World<D> world;
        add_still_boxes(world);
        std::vector<ShapeCast<D>> all = casts<D>(kCastRoom<D>);
        if (turning)
          for (ShapeCast<D>& c : all) c.turn.setConstant(1);
        std::size_t i = 0;
        for (auto _ : state)
          benchmark::DoNotOptimize(world.first(all[i++ % all.size()]).has_value());
        state.counters["casts_per_s"] =
            benchmark::Counter(1, benchmark::Counter::kIsIterationInvariantRate);
      })
      ->MinTime(0.2);
}

template <int D>
void world_rays() {
  const auto add = [](const std::string& who, bool together) {
    row("casts/" + dimension(D) + "/rays through 10000 boxes", who, [=](benchmark::State& state) {
      World<D> world;
      add_still_boxes(world);
      std::vector<RayCast<D>> rays;
      for (const ShapeCast<D>& c : casts<D>(kCastRoom<D>))
        rays.push_back({c.start.position, c.displacement});
      while (state.KeepRunningBatch(static_cast<benchmark::IterationCount>(rays.size()))) {
        if (together) benchmark::DoNotOptimize(world.first_of_each(rays).size());
        else
          for (const RayCast<D>& ray : rays) benchmark::DoNotOptimize(world.first(ray).has_value());
      }
      state.counters["casts_per_s"] =
          benchmark::Counter(1, benchmark::Counter::kIsIterationInvariantRate);
    })->MinTime(0.2);
  };
  add("colvik", false);
  add("colvik, many together", true);
}

// What is nearest a point, of what is no further than so many metres; whether anything is in a box
// of twenty metres.
template <int D>
void near_a_point() {
  const std::string group = "nearest/" + dimension(D) + "/of 10000 boxes";
  const auto points = [] {
    Random random(9);
    std::vector<Vec<D>> out;
    for (int i = 0; i < 1000; ++i) out.push_back(random.vec<D>(kCastRoom<D>));
    return out;
  };
  const auto add = [&](const std::string& name, const std::string& who, auto ask) {
    row(name, who, [=](benchmark::State& state) {
      World<D> world;
      add_still_boxes(world);
      const std::vector<Vec<D>> all = points();
      std::size_t i = 0;
      for (auto _ : state) benchmark::DoNotOptimize(ask(world, all[i++ % all.size()]));
    })->MinTime(0.2);
  };
  for (const double within : {5.0, 1e3})
    add(group, "colvik, within " + std::to_string(static_cast<int>(within)),
        [=](const World<D>& world, const Vec<D>& at) {
          return world.first(Near<D>{at, within}).has_value();
        });
  add("any/" + dimension(D) + "/in a large box among 10000", "colvik",
      [](const World<D>& world, const Vec<D>& at) {
        Shape<D> large;
        if constexpr (D == 2) large = box(20, 20);
        else large = box(20, 20, 20);
        return world.any(OverlapWith<D>{large, {at, {}}});
      });
  row(group, "R-tree, bounds alone", [=](benchmark::State& state) {
    World<D> world;
    add_still_boxes(world);
    Boxes<D> boxes;
    for (const ObjectId id : world.objects()) {
      const Object<D>& o = world.object(id);
      boxes.push_back(bounds(o.colliders[0].def.shape, o.pose));
    }
    const RTree<D> tree = rtree<D>(boxes);
    const std::vector<Vec<D>> all = points();
    std::size_t i = 0;
    std::size_t met = 0;
    for (auto _ : state)
      tree.query(bg::index::nearest(point<D>(all[i++ % all.size()]), 1),
                 boost::iterators::make_function_output_iterator([&](const auto&) { ++met; }));
    benchmark::DoNotOptimize(met);
  })->MinTime(0.2);
}

// Bodies of about two cells, on the ground at random places.
template <int D>
void on_ground(const std::string& name, Shape<D> (*make)(), double height, Vec<D> room) {
  row("contacts/" + dimension(D) + "/" + name, "colvik", [=](benchmark::State& state) {
    const Shape<D> ground = make();
    Random random(6);
    std::vector<std::pair<Shape<D>, Pose<D>>> bodies;
    for (int i = 0; i < 1000; ++i) {
      Shape<D> body = ball<D>(1);
      if constexpr (D == 2) {
        if (i % 2 == 0) body = box(1, 1);
      } else if (i % 2 == 0) {
        body = box(1, 1, 1);
      }
      Vec<D> at = Vec<D>::Constant(height + 0.49);
      for (const int k : {0, D - 1})
        if (k != 1) at[k] = random.range(0.1, 0.9) * room[k];
      bodies.emplace_back(body, Pose<D>{at, {}});
    }
    std::vector<contact::Manifold<D>> found;
    std::size_t i = 0;
    std::size_t touching = 0;
    for (auto _ : state) {
      const auto& [body, pose] = bodies[i++ % bodies.size()];
      contact::collide(ground, body, pose, 0.02, 0.01, found);
      touching += found.size();
    }
    if (touching == 0) state.SkipWithError("nothing touched");
    state.counters["bodies_per_s"] =
        benchmark::Counter(1, benchmark::Counter::kIsIterationInvariantRate);
  })->MinTime(0.2);
}

// Moving zones over things at rest: a step of the world, with its events.
template <int D>
void zones_over_things() {
  row("zones/" + dimension(D) + "/10000 zones over 100000 things", "colvik, a step",
      [](benchmark::State& state) {
        const double room = 0.5 * std::pow(1e5, 1.0 / D) * 1.5;
        Random random(7);
        World<D> world;
        const Shape<D> unit = ball<D>(1);
        for (int i = 0; i < 100000; ++i) {
          const Vec<D> at = random.vec<D>(room);
          world.add({.at = at, .colliders = {{.shape = unit}}}).value();
        }
        for (int i = 0; i < 10000; ++i) {
          const Vec<D> at = random.vec<D>(room);
          world
              .add({.at = at,
                    .body = BodyKind::kinematic,
                    .colliders = {{.shape = unit, .zone = true}},
                    .velocity = random.direction<D>()})
              .value();
        }
        world.step();
        std::size_t events = 0;
        for (auto _ : state) {
          world.step();
          events += world.events().size();
        }
        state.counters["events_per_step"] =
            static_cast<double>(events) / static_cast<double>(state.iterations());
      })
      ->Unit(benchmark::kMillisecond)
      ->MinTime(0.2);
  row("zones/" + dimension(D) + "/10000 zones over 100000 things", "R-tree, bounds alone",
      [](benchmark::State& state) {
        const double room = 0.5 * std::pow(1e5, 1.0 / D) * 1.5;
        Random random(7);
        Boxes<D> things;
        Boxes<D> zones;
        for (int i = 0; i < 110000; ++i) {
          const Vec<D> at = random.vec<D>(room);
          const Vec<D> half = Vec<D>::Constant(0.5);
          (i < 100000 ? things : zones).push_back({at - half, at + half});
        }
        const RTree<D> tree = rtree<D>(things);
        std::size_t met = 0;
        for (auto _ : state)
          for (const Bounds<D>& z : zones)
            tree.query(
                bg::index::intersects(Box<D>(point<D>(z.lo), point<D>(z.hi))),
                boost::iterators::make_function_output_iterator([&](const auto&) { ++met; }));
        benchmark::DoNotOptimize(met);
      })
      ->Unit(benchmark::kMillisecond)
      ->MinTime(0.2);
}

// One thing in a hundred moves to and fro among others that rest: a step of the world, beside one
// of a world that has only the movers and what they get near.
template <int D>
void most_at_rest(std::size_t n) {
  for (const bool alone : {false, true})
    row("at rest/" + dimension(D) + "/" + std::to_string(n),
        alone ? "the movers and what they touch alone" : "colvik",
        [=](benchmark::State& state) {
          constexpr std::size_t kStride = 100;
          constexpr int kSteps = 30;
          const Boxes<D> boxes = scatter<D>(n, Spread::equal);
          Random random(8);
          std::vector<Vec<D>> velocity;
          Boxes<D> ways;
          for (std::size_t i = 0; i < n; i += kStride) {
            velocity.push_back(random.direction<D>() * random.range(0.5, 5));
            ways.push_back(boxes[i].swept(Vec<D>(velocity.back() * (kSteps / 60.0))).grown(0.1));
          }
          const index::Tree<D> near(ways);
          World<D> world;
          std::vector<ObjectId> movers;
          for (std::size_t i = 0; i < n; ++i) {
            bool wanted = !alone;
            near.overlaps(boxes[i], [&](std::uint32_t) { wanted = true; });
            ObjectDef<D> def;
            def.at = boxes[i].centre();
            Shape<D> shape;
            const Vec<D> size = boxes[i].size();
            if constexpr (D == 2) shape = box(size[0], size[1]);
            else shape = box(size[0], size[1], size[2]);
            def.colliders = {{.shape = shape}};
            if (i % kStride == 0) {
              def.body = BodyKind::kinematic;
              def.velocity = velocity[i / kStride];
              def.colliders[0].zone = true;
              movers.push_back(world.add(def).value());
            } else if (wanted) {
              world.add(def).value();
            }
          }
          world.step();
          int step = 0;
          std::size_t events = 0;
          for (auto _ : state) {
            if (++step % kSteps == 0) {
              state.PauseTiming();
              for (std::size_t k = 0; k < movers.size(); ++k) {
                velocity[k] = -velocity[k];
                world.set_velocity(movers[k], velocity[k], kZero);
              }
              state.ResumeTiming();
            }
            world.step();
            events += world.events().size();
          }
          state.counters["events_per_step"] =
              static_cast<double>(events) / static_cast<double>(state.iterations());
          state.counters["us_a_mover"] = benchmark::Counter(
              1e-6 * static_cast<double>(movers.size()),
              benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
        })
        ->Unit(benchmark::kMicrosecond)
        ->MinTime(0.3);
}

}  // namespace

void register_world() {
  for (const bool turning : {false, true}) {
    shape_casts<2>(turning);
    shape_casts<3>(turning);
  }
  world_rays<2>();
  world_rays<3>();
  near_a_point<2>();
  near_a_point<3>();
  on_ground<2>("tile grid of 2000 cells",
               [] {
                 std::vector<std::string> rows(10, std::string(200, '#'));
                 rows.insert(rows.begin(), std::string(200, '.'));
                 return tiles(rows, {0.5, 0.5}).value();
               },
               5, {100, 0});
  on_ground<3>("height field of 80000 triangles",
               [] {
                 return heights(201, 201, {0.5, 0.5}, std::vector<double>(201 * 201, 1.0)).value();
               },
               1, {100, 0, 100});
  on_ground<3>("rough height field of 80000 triangles",
               [] {
                 Random random(10);
                 std::vector<double> rough;
                 for (int i = 0; i < 201 * 201; ++i) rough.push_back(random.range(0.9, 1));
                 return heights(201, 201, {0.5, 0.5}, rough).value();
               },
               1, {100, 0, 100});
  for (const std::size_t n : {1000UL, 10000UL, 100000UL}) {
    most_at_rest<2>(n);
    most_at_rest<3>(n);
  }
  zones_over_things<2>();
  zones_over_things<3>();
}

}  // namespace bench
