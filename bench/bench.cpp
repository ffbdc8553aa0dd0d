// colvik_bench: how fast the lower rooms are, each row beside a baseline of a general-purpose library in
// the same run. Ratios are what counts: the machines are shared.
//
//     colvik_bench [--json] [Google Benchmark's own options]
#include <benchmark/benchmark.h>

#include <boost/geometry.hpp>
#include <boost/geometry/geometries/box.hpp>
#include <boost/geometry/geometries/point.hpp>
#include <boost/geometry/geometries/segment.hpp>
#include <boost/geometry/index/rtree.hpp>
#include <boost/iterator/function_output_iterator.hpp>

#include <algorithm>
#include <cstring>
#include <iostream>
#include <map>

#include "contact/manifold.h"
#include "index/tree.h"
#include "random.hpp"

namespace bg = boost::geometry;
using namespace colvik;
using test::Random;

namespace {

template <int D>
using Boxes = std::vector<Bounds<D>>;

// Boxes of about the same size (or, `mixed`, with a few huge ones), about three pairs a box.
template <int D>
Boxes<D> scatter(std::size_t n, bool mixed) {
  Random random(n + (mixed ? 1 : 0));
  const double room = 0.5 * std::pow(static_cast<double>(n), 1.0 / D) * (D == 2 ? 1.1 : 1.2);
  Boxes<D> boxes;
  for (std::size_t i = 0; i < n; ++i) {
    const Vec<D> at = random.vec<D>(room);
    const double size = mixed && random.coin(0.001) ? 0.1 * room : random.range(0.4, 0.6);
    boxes.push_back({at - Vec<D>::Constant(size), at + Vec<D>::Constant(size)});
  }
  return boxes;
}
template <int D>
void move_some(Boxes<D>& boxes, Random& random, double share) {
  for (Bounds<D>& b : boxes) {
    if (share < 1 && !random.coin(share)) continue;
    const Vec<D> by = random.direction<D>() * random.range(0.01, 0.1);
    b.lo += by, b.hi += by;
  }
}

using Pair = std::pair<std::uint32_t, std::uint32_t>;

// The same pairs, each once, smaller number first, in order.
template <int D>
std::size_t checked(std::vector<Pair>& pairs) {
  std::sort(pairs.begin(), pairs.end());
  pairs.erase(std::unique(pairs.begin(), pairs.end()), pairs.end());
  return pairs.size();
}

// Every box put where it is now; the pairs of those that moved. With `all` the movers' pairs only.
template <int D>
class Ours {
 public:
  explicit Ours(const Boxes<D>& boxes) : tree_(boxes) {}
  void find(const Boxes<D>& boxes, std::vector<Pair>& out) {
    for (std::uint32_t i = 0; i < boxes.size(); ++i) {
      const auto place = static_cast<std::int32_t>(i);
      if (tree_.bounds(place).lo == boxes[i].lo) continue;
      tree_.move(place, boxes[i]);
      tree_.mark(place);
    }
    tree_.settle();
    out.clear();
    tree_.pairs([&](std::uint32_t i, std::uint32_t k) { out.emplace_back(std::min(i, k), std::max(i, k)); });
    tree_.unmark_all();
  }

 private:
  index::Tree<D> tree_;
};

template <int D>
using Point = bg::model::point<double, D, bg::cs::cartesian>;
template <int D>
using Box = bg::model::box<Point<D>>;
template <int D>
Point<D> point(const Vec<D>& v) {
  Point<D> p;
  bg::set<0>(p, v[0]);
  bg::set<1>(p, v[1]);
  if constexpr (D == 3) bg::set<2>(p, v[2]);
  return p;
}
template <int D>
using RTree = bg::index::rtree<std::pair<Box<D>, std::uint32_t>, bg::index::rstar<16>>;
template <int D>
RTree<D> rtree(const Boxes<D>& boxes) {
  std::vector<std::pair<Box<D>, std::uint32_t>> entries;
  for (std::uint32_t i = 0; i < boxes.size(); ++i)
    entries.emplace_back(Box<D>(point<D>(boxes[i].lo), point<D>(boxes[i].hi)), i);
  return RTree<D>(entries);  // packed
}

template <int D>
void by_rtree(const Boxes<D>& boxes, std::vector<Pair>& out) {
  const RTree<D> tree = rtree<D>(boxes);
  out.clear();
  for (std::uint32_t i = 0; i < boxes.size(); ++i)
    tree.query(bg::index::intersects(Box<D>(point<D>(boxes[i].lo), point<D>(boxes[i].hi))),
               boost::iterators::make_function_output_iterator([&](const auto& found) {
                 if (found.second > i) out.emplace_back(i, found.second);
               }));
}

template <int D>
void by_sweep(const Boxes<D>& boxes, std::vector<Pair>& out) {
  std::vector<std::pair<double, std::uint32_t>> order;
  for (std::uint32_t i = 0; i < boxes.size(); ++i) order.emplace_back(boxes[i].lo[0], i);
  std::sort(order.begin(), order.end());
  out.clear();
  for (std::size_t a = 0; a < order.size(); ++a) {
    const Bounds<D>& box = boxes[order[a].second];
    for (std::size_t b = a + 1; b < order.size() && order[b].first <= box.hi[0]; ++b)
      if (box.overlaps(boxes[order[b].second]))
        out.emplace_back(std::min(order[a].second, order[b].second), std::max(order[a].second, order[b].second));
  }
}

template <int D>
void by_grid(const Boxes<D>& boxes, std::vector<Pair>& out) {
  std::vector<std::pair<std::uint64_t, std::uint32_t>> cells;
  for (std::uint32_t i = 0; i < boxes.size(); ++i) {
    Eigen::Matrix<int, D, 1> lo, hi;
    for (int k = 0; k < D; ++k) {
      lo[k] = static_cast<int>(std::floor(boxes[i].lo[k] / 1.2)) + (1 << 19);
      hi[k] = static_cast<int>(std::floor(boxes[i].hi[k] / 1.2)) + (1 << 19);
    }
    for (int x = lo[0]; x <= hi[0]; ++x)
      for (int y = lo[1]; y <= hi[1]; ++y)
        for (int z = D == 3 ? lo[D - 1] : 0; z <= (D == 3 ? hi[D - 1] : 0); ++z)
          cells.emplace_back(
              static_cast<std::uint64_t>(x) << 40 | static_cast<std::uint64_t>(y) << 20 | static_cast<std::uint64_t>(z),
              i);
  }
  std::sort(cells.begin(), cells.end());
  out.clear();
  for (std::size_t a = 0; a < cells.size(); ++a)
    for (std::size_t b = a + 1; b < cells.size() && cells[b].first == cells[a].first; ++b)
      if (boxes[cells[a].second].overlaps(boxes[cells[b].second])) out.emplace_back(cells[a].second, cells[b].second);
  checked<D>(out);
}

template <int D, class Find>
void pair_finding(benchmark::State& state, bool mixed, double share, Find&& find) {
  const auto n = static_cast<std::size_t>(state.range(0));
  Boxes<D> boxes = scatter<D>(n, mixed);
  Random random(9);
  std::vector<Pair> out, expected;
  find(boxes, out);  // the first frame is set-up
  for (auto _ : state) {
    state.PauseTiming();
    move_some<D>(boxes, random, share);
    state.ResumeTiming();
    find(boxes, out);
    benchmark::DoNotOptimize(out.data());
  }
  by_sweep<D>(boxes, expected);
  if (checked<D>(out) != checked<D>(expected) || out != expected)
    state.SkipWithError("the pairs are not those of the sweep");
  state.counters["ns_per_box"] = benchmark::Counter(
      static_cast<double>(n) * 1e-9, benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}

template <int D>
void register_pairs(bool mixed, double share) {
  const std::string group =
      "pairs/" + std::to_string(D) + "D/" + (mixed ? "mixed" : "equal") + (share < 1 ? "/1% moving/" : "/all moving/");
  const auto add = [&](const std::string& name, auto make) {
    auto* row = benchmark::RegisterBenchmark((group + name).c_str(), [=](benchmark::State& state) { make(state); });
    row->Unit(benchmark::kMicrosecond)->Arg(1000)->Arg(10000)->Arg(100000)->MinTime(0.2);
  };
  add("colvik", [=](benchmark::State& state) {
    std::optional<Ours<D>> ours;
    pair_finding<D>(state, mixed, share, [&](const Boxes<D>& boxes, std::vector<Pair>& out) {
      if (!ours) ours.emplace(boxes);
      ours->find(boxes, out);
    });
  });
  add("R-tree", [=](benchmark::State& state) { pair_finding<D>(state, mixed, share, by_rtree<D>); });
  add("sweep", [=](benchmark::State& state) { pair_finding<D>(state, mixed, share, by_sweep<D>); });
  if (!mixed) add("grid", [=](benchmark::State& state) { pair_finding<D>(state, mixed, share, by_grid<D>); });
}

// ---- rays against boxes, and building -----------------------------------------------------------

template <int D>
void register_rays() {
  const std::string group = "rays/" + std::to_string(D) + "D/100000 boxes/";
  constexpr std::size_t kCount = 100000;
  const auto ray = [](Random& random) {
    const double room = 0.5 * std::pow(static_cast<double>(kCount), 1.0 / D);
    return std::pair(random.vec<D>(room), Vec<D>(random.direction<D>() * 0.2 * room));
  };
  const auto enters = [](const Bounds<D>& b, const Vec<D>& from, const Vec<D>& way, double& t) {
    double first = 0, last = t;
    for (int i = 0; i < D; ++i) {
      double t0 = (b.lo[i] - from[i]) / way[i], t1 = (b.hi[i] - from[i]) / way[i];
      if (t0 > t1) std::swap(t0, t1);
      first = std::max(first, t0), last = std::min(last, t1);
    }
    if (first > last) return false;
    t = first;
    return true;
  };
  benchmark::RegisterBenchmark((group + "colvik").c_str(), [=](benchmark::State& state) {
    const Boxes<D> boxes = scatter<D>(kCount, false);
    const index::Tree<D> tree(boxes);
    Random random(1);
    for (auto _ : state) {
      const auto [from, way] = ray(random);
      const Vec<D> start = from, along = way;
      double best = 1;
      tree.along(start, along, Vec<D>::Zero(), 1, [&](std::uint32_t i) {
        double t = best;
        if (enters(boxes[i], start, along, t)) best = t;
        return best;
      });
      benchmark::DoNotOptimize(best);
    }
  })->MinTime(0.2);
  benchmark::RegisterBenchmark((group + "R-tree").c_str(), [=](benchmark::State& state) {
    const Boxes<D> boxes = scatter<D>(kCount, false);
    const RTree<D> tree = rtree<D>(boxes);
    Random random(1);
    for (auto _ : state) {
      const auto [from, way] = ray(random);
      const Vec<D> start = from, along = way;
      double best = 1;
      const bg::model::segment<Point<D>> line(point<D>(start), point<D>(start + along));
      tree.query(bg::index::intersects(line), boost::iterators::make_function_output_iterator([&](const auto& found) {
                   double t = best;
                   if (enters(boxes[found.second], start, along, t)) best = t;
                 }));
      benchmark::DoNotOptimize(best);
    }
  })->MinTime(0.2);
  const std::string build = "build/" + std::to_string(D) + "D/1000000 boxes/";
  benchmark::RegisterBenchmark((build + "colvik").c_str(),
                               [](benchmark::State& state) {
                                 const Boxes<D> boxes = scatter<D>(1000000, false);
                                 for (auto _ : state) benchmark::DoNotOptimize(index::Tree<D>(boxes).size());
                               })
      ->Unit(benchmark::kMillisecond)
      ->Iterations(2);
  benchmark::RegisterBenchmark((build + "R-tree").c_str(),
                               [](benchmark::State& state) {
                                 const Boxes<D> boxes = scatter<D>(1000000, false);
                                 for (auto _ : state) benchmark::DoNotOptimize(rtree<D>(boxes).size());
                               })
      ->Unit(benchmark::kMillisecond)
      ->Iterations(2);
  benchmark::RegisterBenchmark((build + "sort of keys").c_str(),
                               [](benchmark::State& state) {
                                 Random random(3);
                                 std::vector<std::uint64_t> keys(1000000);
                                 for (auto _ : state) {
                                   state.PauseTiming();
                                   for (std::uint64_t& k : keys) k = random.bits();
                                   state.ResumeTiming();
                                   std::sort(keys.begin(), keys.end());
                                   benchmark::DoNotOptimize(keys.data());
                                 }
                               })
      ->Unit(benchmark::kMillisecond)
      ->Iterations(2);
}

// ---- two shapes ---------------------------------------------------------------------------------

template <int D>
struct Case {
  Shape<D> a, b;
  Pose<D> pose;
};

// Half of them touch or overlap.
template <int D, class Make>
std::vector<Case<D>> cases(Make&& make) {
  std::vector<Case<D>> all;
  Random random(21);
  for (int i = 0; i < 1000; ++i) {
    Case<D> c{make(random), make(random), {random.direction<D>() * random.range(1.2, 2.2), random.rotation<D>()}};
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

// The limit of any method by support points: one scan for a support point of both.
template <int D>
void support_scan(benchmark::State& state, const std::vector<Case<D>>& all) {
  std::size_t i = 0;
  for (auto _ : state) {
    const Case<D>& c = all[i++ % all.size()];
    const contact::Core<D> a(c.a, {}), b(c.b, c.pose);
    benchmark::DoNotOptimize(Vec<D>(a.support(c.pose.position) - b.support(-c.pose.position)));
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
  benchmark::RegisterBenchmark((group + "colvik").c_str(),
                               [=](benchmark::State& state) { manifolds<D>(state, cases<D>(make)); });
  benchmark::RegisterBenchmark((group + "support scan").c_str(),
                               [=](benchmark::State& state) { support_scan<D>(state, cases<D>(make)); });
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
                                     const std::vector<Vec<2>> line_a = outlines(c.a)[0], line_b = outlines(c.b)[0];
                                     for (const Vec<2>& p : line_a) bg::append(two.first.outer(), point<2>(p));
                                     for (const Vec<2>& p : line_b)
                                       bg::append(two.second.outer(), point<2>(c.pose * p));
                                     bg::correct(two.first), bg::correct(two.second);
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

// The usual table, and then how many times as long each baseline took.
class Ratios : public benchmark::ConsoleReporter {
 public:
  void ReportRuns(const std::vector<Run>& runs) override {
    ConsoleReporter::ReportRuns(runs);
    for (const Run& run : runs) {
      if (run.error_occurred) continue;
      const std::string name = run.run_name.function_name;
      const std::size_t cut = name.rfind('/');
      const std::string size = run.run_name.args.empty() ? "" : " " + run.run_name.args;
      times_[name.substr(0, cut) + size][name.substr(cut + 1)] = run.GetAdjustedRealTime();
    }
  }
  void Finalize() override {
    std::ostream& out = GetOutputStream();
    out << "\nTime of each baseline as a multiple of colvik's, same run (above 1: colvik is faster)\n";
    for (const auto& [group, rows] : times_) {
      const auto ours = rows.find("colvik");
      if (ours == rows.end()) continue;
      out << group << ":";
      for (const auto& [name, time] : rows)
        if (name != "colvik") out << "  " << name << " " << std::round(100 * time / ours->second) / 100;
      out << "\n";
    }
  }

 private:
  std::map<std::string, std::map<std::string, double>> times_;
};

}  // namespace

int main(int argc, char** argv) {
  bool json = false;
  std::vector<char*> rest;
  for (int i = 0; i < argc; ++i) {
    if (std::strcmp(argv[i], "--json") == 0) json = true;
    else rest.push_back(argv[i]);
  }
  int count = static_cast<int>(rest.size());
  benchmark::Initialize(&count, rest.data());
  if (benchmark::ReportUnrecognizedArguments(count, rest.data())) return 2;
  for (const bool mixed : {false, true}) register_pairs<2>(mixed, 1), register_pairs<3>(mixed, 1);
  register_pairs<2>(false, 0.01), register_pairs<3>(false, 0.01);
  register_rays<2>(), register_rays<3>();
  register_two<2>("2D polygons", some_polygon);
  register_boost_polygons();
  register_two<2>("2D boxes", [](Random& random) { return box(random.range(1, 2), random.range(1, 2)); });
  register_two<3>("3D hulls", some_hull);
  register_two<3>("3D boxes",
                  [](Random& random) { return box(random.range(1, 2), random.range(1, 2), random.range(1, 2)); });
  register_two<3>("3D capsules", [](Random& random) { return capsule<3>(random.range(0.5, 1), random.range(1, 2)); });
  if (json) {
    benchmark::JSONReporter reporter;
    benchmark::RunSpecifiedBenchmarks(&reporter);
  } else {
    Ratios reporter;
    benchmark::RunSpecifiedBenchmarks(&reporter);
  }
  return 0;
}
