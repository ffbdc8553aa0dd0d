#pragma once
// What the parts of colvik_bench share.
#include <benchmark/benchmark.h>

#include <boost/geometry.hpp>
#include <boost/geometry/geometries/box.hpp>
#include <boost/geometry/geometries/point.hpp>
#include <boost/geometry/index/rtree.hpp>
#include <boost/iterator/function_output_iterator.hpp>

#include <string>

#include "random.hpp"

namespace bench {

namespace bg = boost::geometry;
using namespace colvik;
using colvik::test::Random;

template <int D>
using Boxes = std::vector<Bounds<D>>;

enum class Spread { equal, clustered, mixed };
inline const char* name_of(Spread s) {
  return s == Spread::equal ? "equal" : s == Spread::clustered ? "clustered" : "mixed";
}
/// Boxes about 1 wide with about four overlaps for two of them: spread evenly, in clusters a
/// hundred times as dense as what is between, or with one in a thousand huge.
template <int D>
Boxes<D> scatter(std::size_t n, Spread spread) {
  Random random(n + static_cast<std::size_t>(spread));
  const double room = 0.5 * std::pow(static_cast<double>(n), 1.0 / D) * (D == 2 ? 1.1 : 1.2);
  std::vector<Vec<D>> middles;
  for (std::size_t i = 0; i < n / 500 + 1; ++i) middles.push_back(random.vec<D>(10 * room));
  Boxes<D> boxes;
  for (std::size_t i = 0; i < n; ++i) {
    Vec<D> at = random.vec<D>(room);
    if (spread == Spread::clustered)
      at = middles[i % middles.size()] + random.vec<D>(0.5 * std::pow(500, 1.0 / D) * 1.2);
    const double size =
        spread == Spread::mixed && random.coin(0.001) ? 0.1 * room : random.range(0.4, 0.6);
    boxes.push_back({at - Vec<D>::Constant(size), at + Vec<D>::Constant(size)});
  }
  return boxes;
}

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

inline std::string dimension(int d) { return std::to_string(d) + "D"; }

/// Rows are called GROUP/WHO; those of one group are compared.
template <class Run>
auto* row(const std::string& group, const std::string& who, Run run) {
  return benchmark::RegisterBenchmark((group + "/" + who).c_str(),
                                      [run](benchmark::State& state) { run(state); });
}

void register_bodies();
void register_fits();
void register_leak();
void register_recording();
void register_pairs();
void register_rays();
void register_rules();
void register_shapes();
void register_walkers();
void register_world();

}  // namespace bench
