// Rays, first hit, and building what they are cast into.
#include <CGAL/AABB_traits.h>
#include <CGAL/AABB_tree.h>
#include <CGAL/AABB_triangle_primitive.h>
#include <CGAL/Simple_cartesian.h>

#include <boost/geometry/geometries/segment.hpp>

#include <numeric>

#include "bench.hpp"
#include "contact/cast.h"
#include "index/tree.h"

namespace bench {
namespace {

constexpr std::size_t kCount = 100000;

template <int D>
struct Line {
  Vec<D> from;
  Vec<D> displacement;
};

// Where a line enters a box before t, if it does.
template <int D>
bool enters(const Bounds<D>& b, const Line<D>& line, double& t) {
  double first = 0;
  double last = t;
  for (int i = 0; i < D; ++i) {
    const double t0 = (b.lo[i] - line.from[i]) / line.displacement[i];
    const double t1 = (b.hi[i] - line.from[i]) / line.displacement[i];
    first = std::max(first, std::min(t0, t1));
    last = std::min(last, std::max(t0, t1));
  }
  if (first > last) return false;
  t = first;
  return true;
}

// The same lines for all rows of a group; the sum of where they hit is reported, to be compared.
template <class Cast, class L>
void cast_all(benchmark::State& state, const std::vector<L>& lines, Cast&& cast) {
  std::size_t i = 0;
  for (auto _ : state) benchmark::DoNotOptimize(cast(lines[i++ % lines.size()]));
  double sum = 0;
  for (const L& line : lines) sum += cast(line);
  state.counters["mean_hit"] = sum / static_cast<double>(lines.size());
  state.counters["rays_per_s"] =
      benchmark::Counter(1, benchmark::Counter::kIsIterationInvariantRate);
}

// The same, all of them together: `cast` gives the hits of all. The time is a ray's.
template <class L, class Cast>
void cast_together(benchmark::State& state, const std::vector<L>& lines, Cast&& cast) {
  std::vector<double> hits;
  while (state.KeepRunningBatch(static_cast<benchmark::IterationCount>(lines.size())))
    hits = cast();
  state.counters["mean_hit"] =
      std::accumulate(hits.begin(), hits.end(), 0.0) / static_cast<double>(hits.size());
  state.counters["rays_per_s"] =
      benchmark::Counter(1, benchmark::Counter::kIsIterationInvariantRate);
}

template <int D>
void among_boxes() {
  const std::string group = "rays/" + dimension(D) + "/100000 boxes";
  const auto lines = [] {
    Random random(1);
    const double room = 0.5 * std::pow(static_cast<double>(kCount), 1.0 / D);
    std::vector<Line<D>> out;
    for (int i = 0; i < 4096; ++i) {
      const Vec<D> from = random.vec<D>(room);
      out.push_back({from, Vec<D>(random.direction<D>() * 0.2 * room)});
    }
    return out;
  };
  row(group, "colvik", [=](benchmark::State& state) {
    const Boxes<D> boxes = scatter<D>(kCount, Spread::equal);
    const index::Tree<D> tree(boxes);
    cast_all(state, lines(), [&](const Line<D>& line) {
      double best = 1;
      const auto look = [&](std::uint32_t i) {
        enters(tree.bounds(i), line, best);
        return best;
      };
      tree.along(line.from, line.displacement, Vec<D>::Zero(), 1, look,
                 {&tree.bounds(0), sizeof(Bounds<D>)});
      return best;
    });
  })->MinTime(0.2);
  row(group, "colvik, many together", [=](benchmark::State& state) {
    const Boxes<D> boxes = scatter<D>(kCount, Spread::equal);
    const index::Tree<D> tree(boxes);
    const std::vector<Line<D>> all = lines();
    std::vector<index::Sweep<D>> sweeps;
    for (const Line<D>& line : all) sweeps.push_back({line.from, line.displacement});
    cast_together(state, all, [&] {
      std::vector<double> best(all.size(), 1);
      const auto look = [&](std::uint32_t which, std::uint32_t i) {
        enters(tree.bounds(i), all[which], best[which]);
        return best[which];
      };
      tree.along(std::span<const index::Sweep<D>>(sweeps), Vec<D>::Zero(), look,
                 {&tree.bounds(0), sizeof(Bounds<D>)});
      return best;
    });
  })->MinTime(0.2);
  row(group, "R-tree", [=](benchmark::State& state) {
    const Boxes<D> boxes = scatter<D>(kCount, Spread::equal);
    const RTree<D> tree = rtree<D>(boxes);
    cast_all(state, lines(), [&](const Line<D>& line) {
      double best = 1;
      const bg::model::segment<Point<D>> segment(point<D>(line.from),
                                                 point<D>(line.from + line.displacement));
      tree.query(bg::index::intersects(segment),
                 boost::iterators::make_function_output_iterator(
                     [&](const auto& found) { enters(boxes[found.second], line, best); }));
      return best;
    });
  })->MinTime(0.2);
}

// ---- a terrain of 100,000 triangles -------------------------------------------------------------

struct Terrain {
  std::vector<Vec<3>> points;
  std::vector<std::array<std::uint32_t, 3>> triangles;
};
Terrain terrain() {
  constexpr std::uint32_t kSide = 224;
  Terrain t;
  for (std::uint32_t z = 0; z < kSide; ++z)
    for (std::uint32_t x = 0; x < kSide; ++x)
      t.points.emplace_back(
          x, 6 * std::sin(0.1 * x) * std::cos(0.13 * z) + 0.5 * std::sin(1.7 * x + 0.9 * z), z);
  for (std::uint32_t z = 0; z + 1 < kSide; ++z)
    for (std::uint32_t x = 0; x + 1 < kSide; ++x) {
      const std::uint32_t a = z * kSide + x;
      t.triangles.push_back({a, a + kSide, a + 1});
      t.triangles.push_back({a + 1, a + kSide, a + kSide + 1});
    }
  return t;
}
std::vector<Line<3>> lines_over_terrain() {
  Random random(2);
  std::vector<Line<3>> out;
  for (int i = 0; i < 4096; ++i) {
    const double x = random.range(20, 200);
    const double z = random.range(20, 200);
    const double angle = random.range(0, 6.3);
    out.push_back(
        {{x, 10, z}, {60 * std::cos(angle), random.range(-40, -5), 60 * std::sin(angle)}});
  }
  return out;
}

void over_terrain() {
  const std::string group = "rays/3D/terrain of 99458 triangles";
  row(group, "colvik", [](benchmark::State& state) {
    const Terrain t = terrain();
    const Shape<3> ground = mesh(t.points, t.triangles).value();
    const Shape<3> point{};
    cast_all(state, lines_over_terrain(), [&](const Line<3>& line) {
      const auto hit = contact::first_touch(
          ground, point, contact::Course<3>{{line.from, {}}, line.displacement, kZero});
      return hit ? hit->t : 1.0;
    });
  })->MinTime(0.2);
  row(group, "colvik, many together", [](benchmark::State& state) {
    const Terrain t = terrain();
    const Shape<3> ground = mesh(t.points, t.triangles).value();
    const std::vector<Line<3>> lines = lines_over_terrain();
    std::vector<contact::Course<3>> courses;
    for (const Line<3>& line : lines)
      courses.push_back({{line.from, {}}, line.displacement, kZero});
    cast_together(state, lines, [&] {
      std::vector<double> hits;
      for (const auto& hit : contact::first_touches<3>(ground, courses))
        hits.push_back(hit ? hit->t : 1.0);
      return hits;
    });
  })->MinTime(0.2);
  using Kernel = CGAL::Simple_cartesian<double>;
  using Triangles = std::vector<Kernel::Triangle_3>;
  using Primitive = CGAL::AABB_triangle_primitive<Kernel, Triangles::const_iterator>;
  using Tree = CGAL::AABB_tree<CGAL::AABB_traits<Kernel, Primitive>>;
  const auto triangles = [] {
    const Terrain t = terrain();
    Triangles out;
    for (const auto& c : t.triangles) {
      const auto p = [&](std::size_t k) {
        const Vec<3>& v = t.points[c[k]];
        return Kernel::Point_3(v.x(), v.y(), v.z());
      };
      out.emplace_back(p(0), p(1), p(2));
    }
    return out;
  };
  row(group, "AABB_tree", [=](benchmark::State& state) {
    const Triangles all = triangles();
    Tree tree(all.begin(), all.end());
    tree.build();
    cast_all(state, lines_over_terrain(), [&](const Line<3>& line) {
      const Kernel::Point_3 from(line.from.x(), line.from.y(), line.from.z());
      const Kernel::Vector_3 displacement(line.displacement.x(), line.displacement.y(),
                                          line.displacement.z());
      const auto hit = tree.first_intersection(Kernel::Ray_3(from, displacement));
      if (!hit) return 1.0;
      const auto* at = boost::get<Kernel::Point_3>(&hit->first);
      return at == nullptr ? 1.0
                           : std::min(1.0, std::sqrt((*at - from).squared_length() /
                                                     displacement.squared_length()));
    });
  })->MinTime(0.2);
  row("build/3D/terrain of 99458 triangles", "colvik, the mesh with its smooth seams",
      [](benchmark::State& state) {
        const Terrain t = terrain();
        for (auto _ : state) benchmark::DoNotOptimize(mesh(t.points, t.triangles).value());
      })
      ->Unit(benchmark::kMillisecond)
      ->Iterations(3);
  row("build/3D/terrain of 99458 triangles", "colvik",
      [](benchmark::State& state) {
        const Terrain t = terrain();
        Boxes<3> boxes;
        for (const auto& c : t.triangles) {
          Bounds<3> b;
          for (const std::uint32_t k : c) b = b.merged(t.points[k]);
          boxes.push_back(b);
        }
        for (auto _ : state) benchmark::DoNotOptimize(index::Tree<3>(boxes).size());
      })
      ->Unit(benchmark::kMillisecond)
      ->Iterations(5);
  row("build/3D/terrain of 99458 triangles", "AABB_tree",
      [=](benchmark::State& state) {
        const Triangles all = triangles();
        for (auto _ : state) {
          Tree tree(all.begin(), all.end());
          tree.build();
          benchmark::DoNotOptimize(tree.size());
        }
      })
      ->Unit(benchmark::kMillisecond)
      ->Iterations(3);
}

template <int D>
void building() {
  constexpr std::size_t kMany = 1000000;
  const std::string group = "build/" + dimension(D) + "/1000000 boxes";
  row(group, "colvik",
      [](benchmark::State& state) {
        const Boxes<D> boxes = scatter<D>(kMany, Spread::equal);
        for (auto _ : state) benchmark::DoNotOptimize(index::Tree<D>(boxes).size());
      })
      ->Unit(benchmark::kMillisecond)
      ->Iterations(5);
  row(group, "R-tree",
      [](benchmark::State& state) {
        const Boxes<D> boxes = scatter<D>(kMany, Spread::equal);
        for (auto _ : state) benchmark::DoNotOptimize(rtree<D>(boxes).size());
      })
      ->Unit(benchmark::kMillisecond)
      ->Iterations(2);
  row(group, "sort of keys",
      [](benchmark::State& state) {
        Random random(3);
        std::vector<std::uint64_t> keys(kMany);
        for (auto _ : state) {
          state.PauseTiming();
          for (std::uint64_t& k : keys) k = random.bits();
          state.ResumeTiming();
          std::sort(keys.begin(), keys.end());
          benchmark::DoNotOptimize(keys.data());
        }
      })
      ->Unit(benchmark::kMillisecond)
      ->Iterations(5);
}

}  // namespace

void register_rays() {
  among_boxes<2>();
  among_boxes<3>();
  over_terrain();
  building<2>();
  building<3>();
}

}  // namespace bench
