// Who overlaps whom, every frame again.
#include <CGAL/Box_intersection_d/Box_with_handle_d.h>
#include <CGAL/box_intersection_d.h>

#include <algorithm>
#include <bit>
#include <numeric>

#include "bench.hpp"
#include "index/tree.h"

namespace bench {
namespace {

using Pair = index::KeyPair;
using Moved = std::vector<std::uint32_t>;

template <int D>
void move_some(Boxes<D>& boxes, const Moved& who, Random& random) {
  for (const std::uint32_t i : who) {
    const Vec<D> by = random.direction<D>() * random.range(0.01, 0.1);
    boxes[i].lo += by;
    boxes[i].hi += by;
  }
}

// Each moved box is put where it is now; the pairs of those that moved.
template <int D>
class Ours {
 public:
  explicit Ours(const Boxes<D>& boxes) : tree_(boxes) {}
  void operator()(const Boxes<D>& boxes, const Moved& moved, std::vector<Pair>& out) {
    constexpr std::size_t kAhead = 8;
    for (std::size_t k = 0; k < moved.size(); ++k) {
      if (k + kAhead < moved.size()) tree_.fetch(moved[k + kAhead]);
      tree_.move(moved[k], boxes[moved[k]]);
      tree_.mark(moved[k]);
    }
    tree_.settle();
    out.clear();
    tree_.pairs(out);
    tree_.unmark_all();
  }

 private:
  index::Tree<D> tree_;
};

template <int D>
struct ByRTree {
  explicit ByRTree(const Boxes<D>&) {}
  void operator()(const Boxes<D>& boxes, const Moved&, std::vector<Pair>& out) {
    const RTree<D> tree = rtree<D>(boxes);
    out.clear();
    for (std::uint32_t i = 0; i < boxes.size(); ++i)
      tree.query(bg::index::intersects(Box<D>(point<D>(boxes[i].lo), point<D>(boxes[i].hi))),
                 boost::iterators::make_function_output_iterator([&](const auto& found) {
                   if (found.second > i) out.emplace_back(i, found.second);
                 }));
  }
};

template <int D>
struct ByBoxIntersection {
  explicit ByBoxIntersection(const Boxes<D>&) {}
  void operator()(const Boxes<D>& boxes, const Moved&, std::vector<Pair>& out) {
    using Handled = CGAL::Box_intersection_d::Box_with_handle_d<double, D, const Bounds<D>*>;
    std::vector<Handled> all;
    all.reserve(boxes.size());
    for (const Bounds<D>& b : boxes) {
      Handled h(&b);
      std::array<double, D> lo;
      std::array<double, D> hi;
      for (int i = 0; i < D; ++i) {
        lo[static_cast<std::size_t>(i)] = b.lo[i];
        hi[static_cast<std::size_t>(i)] = b.hi[i];
      }
      h.extend(lo.data());
      h.extend(hi.data());
      all.push_back(h);
    }
    out.clear();
    CGAL::box_self_intersection_d<CGAL::Sequential_tag>(
        all.begin(), all.end(),
        [&](const Handled& x, const Handled& y) {
          out.emplace_back(static_cast<std::uint32_t>(x.handle() - boxes.data()),
                           static_cast<std::uint32_t>(y.handle() - boxes.data()));
        },
        std::ptrdiff_t{1000}, CGAL::Box_intersection_d::CLOSED);
  }
};

// Sorted along one axis; the rest is tested for eight boxes at a time.
template <int D>
class BySweep {
 public:
  explicit BySweep(const Boxes<D>&) {}
  void operator()(const Boxes<D>& boxes, const Moved&, std::vector<Pair>& out) {
    const std::size_t n = boxes.size();
    order_.clear();
    for (std::uint32_t i = 0; i < n; ++i) order_.emplace_back(boxes[i].lo[0], i);
    std::sort(order_.begin(), order_.end());
    for (int k = 0; k < D; ++k) {
      lo_[k].assign(n + 8, std::numeric_limits<double>::infinity());
      hi_[k].assign(n + 8, -std::numeric_limits<double>::infinity());
      for (std::size_t i = 0; i < n; ++i) {
        lo_[k][i] = boxes[order_[i].second].lo[k];
        hi_[k][i] = boxes[order_[i].second].hi[k];
      }
    }
    out.clear();
    for (std::size_t a = 0; a < n; ++a) {
      for (std::size_t b = a + 1; b < n && lo_[0][b] <= hi_[0][a]; b += 8)
        for (std::uint32_t hits = eight(a, b); hits != 0; hits &= hits - 1)
          out.emplace_back(order_[a].second,
                           order_[b + static_cast<std::size_t>(std::countr_zero(hits))].second);
    }
  }

 private:
  __attribute__((target_clones("avx2", "default"))) std::uint32_t eight(std::size_t a,
                                                                        std::size_t b) const {
    std::array<int, 8> miss;
    const double lo = lo_[1][a];
    const double hi = hi_[1][a];
    const double end = hi_[0][a];
    for (std::size_t k = 0; k < 8; ++k)
      miss[k] = (lo_[0][b + k] > end) | (lo_[1][b + k] > hi) | (hi_[1][b + k] < lo);
    if constexpr (D == 3)
      for (std::size_t k = 0; k < 8; ++k)
        miss[k] |= (lo_[2][b + k] > hi_[2][a]) | (hi_[2][b + k] < lo_[2][a]);
    std::uint32_t hits = 0;
    for (std::size_t k = 0; k < 8; ++k) hits |= static_cast<std::uint32_t>(miss[k] == 0) << k;
    return hits;
  }
  std::vector<std::pair<double, std::uint32_t>> order_;
  std::vector<double> lo_[D];
  std::vector<double> hi_[D];
};

// Each box in the cell of its centre; cells are as wide as the largest box, so that only neighbours
// meet.
template <int D>
class ByGrid {
 public:
  explicit ByGrid(const Boxes<D>&) {}
  void operator()(const Boxes<D>& boxes, const Moved&, std::vector<Pair>& out) {
    const std::size_t n = boxes.size();
    const std::size_t size = std::bit_ceil(2 * n);
    begin_.assign(size + 1, 0);
    cells_.resize(n);
    sorted_.resize(n);
    bucket_.resize(n);
    double wide = 0;
    for (const Bounds<D>& b : boxes) wide = std::max(wide, b.size().maxCoeff());
    for (std::size_t i = 0; i < n; ++i) {
      const Vec<D> c = boxes[i].centre() / wide;
      for (int k = 0; k < D; ++k) cells_[i][k] = static_cast<int>(std::floor(c[k]));
      bucket_[i] = hash(cells_[i]) & (size - 1);
      ++begin_[bucket_[i] + 1];
    }
    std::partial_sum(begin_.begin(), begin_.end(), begin_.begin());
    at_ = begin_;
    for (std::uint32_t i = 0; i < n; ++i) sorted_[at_[bucket_[i]]++] = {boxes[i], cells_[i], i};
    out.clear();
    for (std::size_t a = 0; a < n; ++a) {
      const Held& x = sorted_[a];
      for (int k = 0; k < (D == 2 ? 5 : 14); ++k) {  // its own cell and half of those around
        const int turn = k + (D == 2 ? 4 : 13);
        Cell cell = x.cell;
        cell[0] += turn % 3 - 1;
        cell[1] += turn / 3 % 3 - 1;
        if constexpr (D == 3) cell[2] += turn / 9 - 1;
        const std::size_t h = hash(cell) & (size - 1);
        for (std::size_t b = k == 0 ? a + 1 : begin_[h]; b < begin_[h + 1]; ++b)
          if (sorted_[b].cell == cell && x.box.overlaps(sorted_[b].box))
            out.emplace_back(x.which, sorted_[b].which);
      }
    }
  }

 private:
  using Cell = Eigen::Matrix<int, D, 1, Eigen::DontAlign>;
  struct Held {
    Bounds<D> box;
    Cell cell;
    std::uint32_t which;
  };
  static std::size_t hash(const Cell& c) {
    std::uint64_t h = static_cast<std::uint32_t>(c[0]) * 0x9E3779B97F4A7C15ULL;
    h = (h ^ h >> 29 ^ static_cast<std::uint32_t>(c[1])) * 0xBF58476D1CE4E5B9ULL;
    if constexpr (D == 3)
      h = (h ^ h >> 31 ^ static_cast<std::uint32_t>(c[2])) * 0x94D049BB133111EBULL;
    return h >> 20;
  }
  std::vector<std::size_t> begin_;
  std::vector<std::size_t> at_;
  std::vector<std::size_t> bucket_;
  std::vector<Cell> cells_;
  std::vector<Held> sorted_;
};

template <int D>
struct AllPairs {
  explicit AllPairs(const Boxes<D>&) {}
  void operator()(const Boxes<D>& boxes, const Moved&, std::vector<Pair>& out) {
    out.clear();
    for (std::uint32_t i = 0; i < boxes.size(); ++i)
      for (std::uint32_t k = i + 1; k < boxes.size(); ++k)
        if (boxes[i].overlaps(boxes[k])) out.emplace_back(i, k);
  }
};

// The pairs of which one moved, smaller number first, in order.
std::vector<Pair> of_moved(std::vector<Pair> pairs, const std::vector<bool>& moved) {
  std::erase_if(pairs, [&](const Pair& p) { return !moved[p.first] && !moved[p.second]; });
  for (Pair& p : pairs)
    if (p.second < p.first) std::swap(p.first, p.second);
  std::sort(pairs.begin(), pairs.end());
  return pairs;
}

template <int D, class Find>
void frames(benchmark::State& state, Boxes<D> boxes, const Moved& who) {
  Random random(9);
  Find find(boxes);
  std::vector<Pair> out;
  std::vector<Pair> expected;
  find(boxes, who, out);
  for (auto _ : state) {
    state.PauseTiming();
    move_some<D>(boxes, who, random);
    state.ResumeTiming();
    find(boxes, who, out);
    benchmark::DoNotOptimize(out.data());
  }
  std::vector<bool> moved(boxes.size());
  for (const std::uint32_t i : who) moved[i] = true;
  ByRTree<D>{boxes}(boxes, who, expected);
  if (of_moved(out, moved) != of_moved(expected, moved))
    state.SkipWithError("the pairs are not those of the R-tree");
  const auto n = static_cast<double>(boxes.size());
  state.counters["ns_per_box"] = benchmark::Counter(
      n * 1e-9, benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
  state.counters["pairs_per_box"] = static_cast<double>(out.size()) / n;
}

template <int D>
Moved everyone(std::size_t n, std::size_t stride) {
  Moved out;
  for (std::size_t i = 0; i < n; i += stride) out.push_back(static_cast<std::uint32_t>(i));
  return out;
}

// The movers and what they touch, alone.
template <int D>
Boxes<D> movers_alone(const Boxes<D>& boxes, std::size_t stride, Moved& who) {
  std::vector<Pair> pairs;
  ByRTree<D>{boxes}(boxes, {}, pairs);
  std::vector<bool> keep(boxes.size());
  for (std::size_t i = 0; i < boxes.size(); i += stride) keep[i] = true;
  for (const Pair& p : pairs) {
    if (p.first % stride == 0) keep[p.second] = true;
    if (p.second % stride == 0) keep[p.first] = true;
  }
  Boxes<D> out;
  for (std::size_t i = 0; i < boxes.size(); ++i) {
    if (!keep[i]) continue;
    if (i % stride == 0) who.push_back(static_cast<std::uint32_t>(out.size()));
    out.push_back(boxes[i]);
  }
  return out;
}

constexpr std::size_t kStride = 100;  // of those that move when most are at rest

template <int D, class Find>
void add(const std::string& group, const std::string& who, Spread spread, std::size_t stride,
         std::vector<int> sizes) {
  auto* r = row(group, who, [=](benchmark::State& state) {
    const auto n = static_cast<std::size_t>(state.range(0));
    frames<D, Find>(state, scatter<D>(n, spread), everyone<D>(n, stride));
  });
  r->Unit(benchmark::kMicrosecond)->MinTime(0.2);
  for (const int n : sizes) r->Arg(n);
}

template <int D>
void of_dimension() {
  for (const Spread spread : {Spread::equal, Spread::clustered, Spread::mixed}) {
    const std::string group = "pairs/" + dimension(D) + "/" + name_of(spread) + "/all moving";
    std::vector<int> sizes{1000, 10000, 100000};
    std::vector<int> most = sizes;
    if (spread == Spread::equal) most.push_back(1000000);
    add<D, Ours<D>>(group, "colvik", spread, 1, most);
    add<D, ByRTree<D>>(group, "R-tree", spread, 1, most);
    add<D, ByBoxIntersection<D>>(group, "box_intersection_d", spread, 1, most);
    add<D, BySweep<D>>(group, "sweep", spread, 1, sizes);
    if (spread != Spread::mixed) add<D, ByGrid<D>>(group, "grid", spread, 1, most);
    if (spread == Spread::equal) add<D, AllPairs<D>>(group, "all pairs", spread, 1, {1000});
  }
  const std::string group = "pairs/" + dimension(D) + "/equal/1% moving";
  add<D, Ours<D>>(group, "colvik", Spread::equal, kStride, {1000, 10000, 100000});
  auto* alone = row(group, "the movers and what they touch alone", [](benchmark::State& state) {
    Moved who;
    const Boxes<D> boxes = movers_alone<D>(
        scatter<D>(static_cast<std::size_t>(state.range(0)), Spread::equal), kStride, who);
    frames<D, Ours<D>>(state, boxes, who);
  });
  alone->Unit(benchmark::kMicrosecond)->Arg(1000)->Arg(10000)->Arg(100000)->MinTime(0.2);
  add<D, ByRTree<D>>(group, "R-tree", Spread::equal, kStride, {1000, 10000, 100000});
}

}  // namespace

void register_pairs() {
  of_dimension<2>();
  of_dimension<3>();
}

}  // namespace bench
