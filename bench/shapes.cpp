// Two convex shapes, cold: contact points or none.
#include <boost/geometry/geometries/polygon.hpp>

#include "bench.hpp"
#include "contact/distance.h"
#include "contact/manifold.h"

namespace bench {
namespace {

template <int D>
struct Case {
  Shape<D> a;
  Shape<D> b;
  Pose<D> pose;
};

// Half of them touch or overlap.
template <int D, class Make>
std::vector<Case<D>> cases(Make&& make) {
  std::vector<Case<D>> all;
  Random random(21);
  for (int i = 0; i < 1000; ++i) {
    Case<D> c{make(random),
              make(random),
              {random.direction<D>() * random.range(1.2, 2.2), random.rotation<D>()}};
    all.push_back(std::move(c));
  }
  return all;
}

Shape<2> some_polygon(Random& random) {
  std::vector<Vec<2>> corners;
  const int n = 4 + random.below(5);
  for (int i = 0; i < n; ++i) {
    const double angle = 2 * kPi * (i + random.range(0, 0.5)) / n;
    corners.emplace_back(std::cos(angle), std::sin(angle));
  }
  return polygon(corners).value();
}
Shape<3> some_hull(Random& random) {
  std::vector<Vec<3>> cloud;
  const int n = 8 + random.below(25);
  for (int i = 0; i < n; ++i) cloud.push_back(random.direction<3>());
  return hull(cloud).value();
}

// The limit of any method by support points: one scan for a support point of both, of corners that
// lie ready coordinate by coordinate, as many at a time as the machine can.
template <int D>
struct Ready {
  std::vector<float> at[2][D];
};
template <int D>
Ready<D> ready(const Case<D>& c) {
  Ready<D> out;
  for (int side = 0; side < 2; ++side) {
    const contact::Core<D> core(side == 0 ? c.a : c.b, side == 0 ? Pose<D>{} : c.pose);
    std::vector<Vec<D>> corners;
    for (const Vec<D>& p : core.points) corners.push_back(core.placed(p));
    for (unsigned k = 0; core.points.empty() && k < 1U << D; ++k) {
      Vec<D> p = core.half;
      for (int i = 0; i < D; ++i)
        if ((k >> i & 1) != 0) p[i] = -p[i];
      corners.push_back(core.placed(p));
    }
    while (corners.size() % 8 != 0) corners.push_back(corners[0]);
    for (const Vec<D>& p : corners)
      for (int i = 0; i < D; ++i) out.at[side][i].push_back(static_cast<float>(p[i]));
  }
  return out;
}
template <int D>
__attribute__((target_clones("avx2", "default"))) int scan(const std::vector<float> (&at)[D],
                                                           const float* direction) {
  float most[8];
  int which[8];
  for (int k = 0; k < 8; ++k) {
    most[k] = -1e30F;
    which[k] = 0;
  }
  for (std::size_t i = 0; i < at[0].size(); i += 8)
    for (std::size_t k = 0; k < 8; ++k) {
      float d = at[0][i + k] * direction[0] + at[1][i + k] * direction[1];
      if constexpr (D == 3) d += at[2][i + k] * direction[2];
      which[k] = d > most[k] ? static_cast<int>(i) : which[k];
      most[k] = d > most[k] ? d : most[k];
    }
  int best = 0;
  for (int k = 1; k < 8; ++k)
    if (most[k] > most[best]) best = k;
  return which[best] + best;
}
template <int D>
void support_scan(benchmark::State& state, const std::vector<Case<D>>& all) {
  std::vector<Ready<D>> corners;
  for (const Case<D>& c : all) corners.push_back(ready(c));
  std::size_t i = 0;
  for (auto _ : state) {
    const std::size_t k = i++ % all.size();
    float direction[D];
    float back[D];
    for (int j = 0; j < D; ++j) {
      direction[j] = static_cast<float>(all[k].pose.position[j]);
      back[j] = -direction[j];
    }
    benchmark::DoNotOptimize(scan<D>(corners[k].at[0], direction) +
                             scan<D>(corners[k].at[1], back));
  }
}
// A frame later, from where the last one ended; to and fro.
template <int D>
void next_frame(benchmark::State& state, const std::vector<Case<D>>& all) {
  std::vector<contact::Start<D>> start(all.size());
  std::vector<std::array<Pose<D>, 2>> pose;
  Random random(22);
  for (const Case<D>& c : all) {
    const Vec<D> by = random.direction<D>() * 0.01;
    pose.push_back({c.pose, {c.pose.position + by, c.pose.rotation}});
    (void)contact::manifold(c.a, c.b, c.pose, 0.1, 0.02, &start[pose.size() - 1]);
  }
  std::size_t i = 0;
  for (auto _ : state) {
    const std::size_t k = ++i % all.size();
    benchmark::DoNotOptimize(
        contact::manifold(all[k].a, all[k].b, pose[k][1 - i / all.size() % 2], 0.1, 0.02, &start[k])
            .count);
  }
}
template <int D>
void manifolds(benchmark::State& state, const std::vector<Case<D>>& all) {
  std::size_t i = 0;
  for (auto _ : state) {
    const Case<D>& c = all[i++ % all.size()];
    benchmark::DoNotOptimize(contact::manifold(c.a, c.b, c.pose, 0.1, 0.02).count);
  }
}
template <int D, class Make>
void register_two(const std::string& name, Make make) {
  const std::string group = "two shapes/" + name + "/";
  benchmark::RegisterBenchmark((group + "colvik").c_str(), [=](benchmark::State& state) {
    manifolds<D>(state, cases<D>(make));
  });
  benchmark::RegisterBenchmark(
      (group + "colvik, a frame later").c_str(),
      [=](benchmark::State& state) { next_frame<D>(state, cases<D>(make)); });
  benchmark::RegisterBenchmark((group + "support scan").c_str(), [=](benchmark::State& state) {
    support_scan<D>(state, cases<D>(make));
  });
}

void register_boost_polygons() {
  using Polygon = bg::model::polygon<Point<2>>;
  for (const bool distance : {false, true})
    benchmark::RegisterBenchmark(distance ? "two shapes/2D polygons/Boost.Geometry distance"
                                          : "two shapes/2D polygons/Boost.Geometry intersects",
                                 [=](benchmark::State& state) {
                                   std::vector<std::pair<Polygon, Polygon>> all;
                                   for (const Case<2>& c : cases<2>(some_polygon)) {
                                     std::pair<Polygon, Polygon> two;
                                     const std::vector<Vec<2>> line_a = outlines(c.a)[0];
                                     const std::vector<Vec<2>> line_b = outlines(c.b)[0];
                                     for (const Vec<2>& p : line_a)
                                       bg::append(two.first.outer(), point<2>(p));
                                     for (const Vec<2>& p : line_b)
                                       bg::append(two.second.outer(), point<2>(c.pose * p));
                                     bg::correct(two.first);
                                     bg::correct(two.second);
                                     all.push_back(std::move(two));
                                   }
                                   std::size_t i = 0;
                                   for (auto _ : state) {
                                     const auto& [a, b] = all[i++ % all.size()];
                                     if (distance) benchmark::DoNotOptimize(bg::distance(a, b));
                                     else benchmark::DoNotOptimize(bg::intersects(a, b));
                                   }
                                 });
}

}  // namespace

void register_shapes() {
  register_two<2>("2D polygons", some_polygon);
  register_boost_polygons();
  register_two<2>("2D boxes", [](Random& random) {
    const double x = random.range(1, 2);
    const double y = random.range(1, 2);
    return box(x, y);
  });
  register_two<3>("3D hulls", some_hull);
  register_two<3>("3D boxes", [](Random& random) {
    const double x = random.range(1, 2);
    const double y = random.range(1, 2);
    const double z = random.range(1, 2);
    return box(x, y, z);
  });
  register_two<3>("3D sphere and box", [](Random& random) {
    const double size = random.range(1, 2);
    return random.coin() ? sphere(size) : box(size, size, size);
  });
  register_two<3>("3D capsules", [](Random& random) {
    const double radius = random.range(0.5, 1);
    const double length = random.range(1, 2);
    return capsule<3>(radius, length);
  });
}

}  // namespace bench
