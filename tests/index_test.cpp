#include <hwy/highway.h>

#include <algorithm>
#include <array>
#include <map>
#include <set>

#include "index/tree.h"
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

// Where along `way` (0 to 1) a point from `from` enters the bounds.
template <int D>
std::optional<double> entered(const Bounds<D>& b, const Vec<D>& from, const Vec<D>& way) {
  double first = 0;
  double last = 1;
  for (int i = 0; i < D; ++i) {
    if (way[i] == 0 && (from[i] < b.lo[i] || from[i] > b.hi[i])) return std::nullopt;
    if (way[i] == 0) continue;
    const double a = (b.lo[i] - from[i]) / way[i];
    const double c = (b.hi[i] - from[i]) / way[i];
    first = std::max(first, std::min(a, c));
    last = std::min(last, std::max(a, c));
  }
  return first <= last ? std::optional(first) : std::nullopt;
}

// Which instructions the walks use; 0: the best there are.
void use_instructions(std::int64_t targets) {
  hwy::SetSupportedTargetsForTest(targets);
  hwy::GetChosenTarget().Update(hwy::SupportedTargets());
}

}  // namespace

TEST_SUITE("random") {
  TEST_CASE_TEMPLATE("the tree finds what brute force finds through inserts and removals", T, Two,
                     Three) {
    constexpr int D = T::D;
    const int histories = scaled(2000);
    std::size_t queries = 0;
    for (int seed = 0; seed < histories; ++seed) {
      CAPTURE(seed);
      use_instructions(seed % 4 < 2 ? 0 : HWY_STATIC_TARGET);
      Random random(static_cast<std::uint64_t>(seed) + 100);
      index::Tree<D> tree;
      std::map<std::uint32_t, Bounds<D>> there;
      // Every other history is far from the origin, where single precision reports nothing apart.
      const Vec<D> middle = seed % 2 == 0 ? Vec<D>(Vec<D>::Zero()) : random.vec<D>(1e7);
      const auto some_bounds = [&] {
        const Vec<D> at = middle + (random.coin() ? Vec<D>(random.vec<D>(8).array().round())
                                                  : random.vec<D>(8));  // ties and touching occur
        if (random.coin(0.01)) return Bounds<D>{at - Vec<D>::Constant(1e200), at};
        return Bounds<D>{at, at + Vec<D>::Constant(random.coin(0.05) ? 20 : random.below(3))};
      };
      for (std::uint32_t step = 0; step < 300; ++step) {
        if (!there.empty() && random.coin(0.3)) {
          auto& entry = *std::next(there.begin(), random.below(static_cast<int>(there.size())));
          entry.second = some_bounds();
          tree.move(entry.first, entry.second);
        }
        if (there.empty() || random.coin(0.6)) {
          const Bounds<D> b = some_bounds();
          tree.insert(step, b);
          there[step] = b;
        } else {
          const auto it = std::next(there.begin(), random.below(static_cast<int>(there.size())));
          REQUIRE(tree.bounds(it->first).lo == it->second.lo);
          tree.remove(it->first);
          there.erase(it);
        }
        REQUIRE(tree.size() == there.size());
        if (step % 10 != 0) continue;
        tree.settle();
        const Bounds<D> probe = some_bounds();
        std::vector<std::uint32_t> found;
        std::vector<std::uint32_t> wanted;
        tree.overlaps(probe, [&](std::uint32_t key) { found.push_back(key); });
        for (const auto& [key, entry] : there)
          if (entry.overlaps(probe)) wanted.push_back(key);
        std::sort(found.begin(), found.end());
        REQUIRE(found == wanted);
        // All that is no further than a distance, and the nearest even if all beyond it is not
        // reported.
        if (probe.lo[0] > -1e100) {
          const auto apart = [&](const Bounds<D>& b) {
            return Vec<D>((b.lo - probe.hi).cwiseMax(probe.lo - b.hi).cwiseMax(Vec<D>::Zero()))
                .norm();
          };
          const double within = random.range(0, 6);
          std::size_t near = 0;
          std::size_t told_near = 0;
          double least = 1e15;
          double told_least = 1e15;
          for (const auto& [key, entry] : there) {
            near += apart(entry) <= within;
            least = std::min(least, apart(entry));
          }
          tree.outward(probe, within, [&](std::uint32_t key) {
            told_near += apart(there.at(key)) <= within;
            return within;
          });
          tree.outward(probe, 1e15, [&](std::uint32_t key) {
            return told_least = std::min(told_least, apart(there.at(key)));
          });
          REQUIRE(told_near == near);
          REQUIRE(told_least == least);
        }
        // What a box swept along a way meets is reported, and the nearest of it even if all beyond
        // it is not.
        const Vec<D> way = random.coin(0.2) ? Vec<D>(Vec<D>::Unit(0) * 5) : random.vec<D>(9);
        const Vec<D> from = probe.centre();
        const Vec<D> half = probe.size() / 2;
        std::map<std::uint32_t, double> met;  // key -> where
        double nearest = 2;
        for (const auto& [key, entry] : there)
          if (const auto t = entered({entry.lo - half, entry.hi + half}, from, way)) {
            met[key] = *t;
            nearest = std::min(nearest, *t);
          }
        if (probe.lo[0] > -1e100) {
          // Alone, and amid others side by side.
          std::vector<index::Sweep<D>> sweeps(static_cast<std::size_t>(random.below(20)) + 2);
          for (index::Sweep<D>& w : sweeps) w = {middle + random.vec<D>(8), random.vec<D>(9)};
          const std::size_t mine = sweeps.size() / 2;
          sweeps[mine] = {from, way};
          std::array<std::size_t, 2> reported{};
          std::array<double, 2> best{2, 2};
          tree.along(from, way, half, 1, [&](std::uint32_t key) {
            reported[0] += met.contains(key);
            return 1.0;
          });
          tree.along(from, way, half, 1, [&](std::uint32_t key) {
            if (met.contains(key)) best[0] = std::min(best[0], met[key]);
            return std::min(best[0], 1.0);
          });
          tree.along(sweeps, half, [&](std::uint32_t which, std::uint32_t key) {
            if (which == mine) reported[1] += met.contains(key);
            return 1.0;
          });
          tree.along(sweeps, half, [&](std::uint32_t which, std::uint32_t key) {
            if (which != mine) return 0.5;
            if (met.contains(key)) best[1] = std::min(best[1], met[key]);
            return std::min(best[1], 1.0);
          });
          for (const std::size_t count : reported) REQUIRE(count == met.size());
          for (const double t : best) REQUIRE(t == nearest);
        }
        ++queries;
        // Pairs of which one is marked: with itself, and with a tree of its own.
        std::set<std::uint32_t> marked;
        for (const auto& [key, entry] : there)
          if (random.coin(0.2)) {
            tree.mark(key);
            marked.insert(key);
          }
        index::Tree<D> other;
        std::vector<Bounds<D>> others;
        for (std::uint32_t k = 0; k < 5; ++k) {
          others.push_back(some_bounds());
          other.insert(k, others.back());
          if (k == 0) other.mark(k);
        }
        other.settle();
        std::vector<std::pair<std::uint32_t, std::uint32_t>> joined;
        std::vector<std::pair<std::uint32_t, std::uint32_t>> expected;
        tree.pairs(joined);
        for (auto& [x, y] : joined)
          if (x > y) std::swap(x, y);
        const std::size_t within = joined.size();
        tree.pairs(other, joined);
        for (std::size_t k = within; k < joined.size(); ++k) joined[k].second += 1000;
        tree.unmark_all();
        const std::size_t all = joined.size();
        tree.pairs(joined);
        REQUIRE(joined.size() == all);  // nothing is marked
        for (const auto& [key, entry] : there) {
          for (const auto& [second, its] : there)
            if (key < second && (marked.contains(key) || marked.contains(second)) &&
                entry.overlaps(its))
              expected.emplace_back(key, second);
          for (std::uint32_t k = 0; k < 5; ++k)
            if ((k == 0 || marked.contains(key)) && entry.overlaps(others[k]))
              expected.emplace_back(key, 1000 + k);
        }
        std::sort(joined.begin(), joined.end());
        std::sort(expected.begin(), expected.end());
        REQUIRE(joined == expected);
      }
    }
    use_instructions(0);
    MESSAGE("random: tree ", D, "D: ", histories, " histories, ", queries,
            " queries and joins equal brute force");
  }
}

TEST_CASE_TEMPLATE("a way through thousands in one place meets them all", T, Two, Three) {
  constexpr int D = T::D;
  for (const std::int64_t instructions : {std::int64_t{0}, std::int64_t{HWY_STATIC_TARGET}}) {
    use_instructions(instructions);
    const std::vector<Bounds<D>> boxes(20000, {Vec<D>::Zero(), Vec<D>::Constant(1)});
    const index::Tree<D> tree(boxes);
    std::vector<std::uint32_t> met;
    tree.along(Vec<D>::Constant(-1), Vec<D>::Constant(2), Vec<D>::Zero(), 1,
               [&](std::uint32_t key) {
                 met.push_back(key);
                 return 1.0;
               });
    std::sort(met.begin(), met.end());
    CHECK(met.size() == boxes.size());
    CHECK(std::adjacent_find(met.begin(), met.end()) == met.end());
  }
  use_instructions(0);
}

TEST_CASE_TEMPLATE("what has no end does not make every question about all", T, Two, Three) {
  constexpr int D = T::D;
  Random random(11);
  std::vector<Bounds<D>> boxes{{Vec<D>::Constant(-1e13), Vec<D>::Constant(1e13)}};
  boxes[0].hi[1] = -60;  // a half-space
  for (int i = 0; i < 10000; ++i) {
    const Vec<D> at = random.vec<D>(50);
    boxes.push_back({at, at + Vec<D>::Constant(0.5)});
  }
  const index::Tree<D> tree(boxes);
  for (int i = 0; i < 20; ++i) {
    const Vec<D> from = random.vec<D>(40);
    const Vec<D> way = random.direction<D>() * 2;
    std::size_t met = 0;
    std::size_t wanted = 0;
    std::size_t near = 0;
    for (const Bounds<D>& b : boxes)
      wanted += b.overlaps({from.cwiseMin(Vec<D>(from + way)), from.cwiseMax(Vec<D>(from + way))})
                    ? 1
                    : 0;
    tree.along(from, way, Vec<D>::Zero(), 1, [&](std::uint32_t) {
      ++met;
      return 1.0;
    });
    tree.outward({from, from}, 1, [&](std::uint32_t) {
      ++near;
      return 1.0;
    });
    CHECK(met <= wanted);
    CHECK(near < 50);
  }
}

TEST_CASE_TEMPLATE("a crowd that drifts for long has the pairs of brute force", T, Two, Three) {
  constexpr int D = T::D;
  Random random(77);
  std::vector<Bounds<D>> boxes;
  for (int i = 0; i < 700; ++i) {
    const Vec<D> at = random.vec<D>(D == 2 ? 15 : 5);
    boxes.push_back({at, at + Vec<D>::Constant(i % 100 == 0 ? 4 : 1)});
  }
  index::Tree<D> tree(boxes);
  for (int frame = 0; frame < 600; ++frame) {
    for (std::uint32_t i = 0; i < boxes.size(); ++i) {
      const Vec<D> by = random.direction<D>() * 0.1;
      boxes[i].lo += by;
      boxes[i].hi += by;
      tree.move(i, boxes[i]);
      tree.mark(i);
    }
    tree.settle();
    std::vector<std::pair<std::uint32_t, std::uint32_t>> reported;
    std::vector<std::pair<std::uint32_t, std::uint32_t>> wanted;
    tree.pairs(reported);
    tree.unmark_all();
    if (frame % 20 != 19) continue;
    for (auto& [x, y] : reported)
      if (x > y) std::swap(x, y);
    std::sort(reported.begin(), reported.end());
    for (std::uint32_t i = 0; i < boxes.size(); ++i)
      for (std::uint32_t k = i + 1; k < boxes.size(); ++k)
        if (boxes[i].overlaps(boxes[k])) wanted.emplace_back(i, k);
    REQUIRE(reported == wanted);
  }
}
