#include <algorithm>
#include <map>
#include <set>

#include "index/tree.h"
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

TEST_SUITE("random") {
  TEST_CASE_TEMPLATE("the tree finds what brute force finds through inserts and removals", T, Two, Three) {
    constexpr int D = T::D;
    const int histories = scaled(2000);
    std::size_t queries = 0;
    for (int seed = 0; seed < histories; ++seed) {
      CAPTURE(seed);
      Random random(static_cast<std::uint64_t>(seed) + 100);
      index::Tree<D> tree;
      std::map<std::uint32_t, std::pair<std::int32_t, Bounds<D>>> there;  // key -> place, bounds
      const auto some_bounds = [&] {
        const Vec<D> at =
            random.coin() ? Vec<D>(random.vec<D>(8).array().round()) : random.vec<D>(8);  // ties and touching occur
        return Bounds<D>{at, at + Vec<D>::Constant(random.coin(0.05) ? 20 : random.below(3))};
      };
      for (std::uint32_t step = 0; step < 300; ++step) {
        if (!there.empty() && random.coin(0.3)) {
          auto& [place, bounds] = std::next(there.begin(), random.below(static_cast<int>(there.size())))->second;
          bounds = some_bounds();
          tree.move(place, bounds);
        }
        if (there.empty() || random.coin(0.6)) {
          const Bounds<D> b = some_bounds();
          there[step] = {tree.insert(b, step), b};
        } else {
          const auto it = std::next(there.begin(), random.below(static_cast<int>(there.size())));
          REQUIRE(tree.bounds(it->second.first).lo == it->second.second.lo);
          tree.remove(it->second.first);
          there.erase(it);
        }
        REQUIRE(tree.size() == there.size());
        if (step % 10 != 0) continue;
        const Bounds<D> probe = some_bounds();
        std::vector<std::uint32_t> found, wanted;
        tree.overlaps(probe, [&](std::uint32_t key) { found.push_back(key); });
        for (const auto& [key, entry] : there)
          if (entry.second.overlaps(probe)) wanted.push_back(key);
        std::sort(found.begin(), found.end());
        REQUIRE(found == wanted);
        ++queries;
        // Pairs of which one is marked: with itself, and with a tree of its own.
        std::set<std::uint32_t> marked;
        for (const auto& [key, entry] : there)
          if (random.coin(0.2)) tree.mark(entry.first), marked.insert(key);
        index::Tree<D> other;
        std::vector<Bounds<D>> others;
        for (std::uint32_t k = 0; k < 5; ++k) {
          others.push_back(some_bounds());
          const std::int32_t place = other.insert(others.back(), 1000 + k);
          if (k == 0) other.mark(place);
        }
        std::vector<std::pair<std::uint32_t, std::uint32_t>> joined, expected;
        tree.pairs([&](std::uint32_t x, std::uint32_t y) { joined.emplace_back(std::min(x, y), std::max(x, y)); });
        tree.pairs(other, [&](std::uint32_t x, std::uint32_t y) { joined.emplace_back(x, y); });
        tree.unmark_all();
        tree.pairs([&](std::uint32_t, std::uint32_t) { FAIL("nothing is marked"); });
        for (const auto& [key, entry] : there) {
          for (const auto& [second, its] : there)
            if (key < second && (marked.contains(key) || marked.contains(second)) && entry.second.overlaps(its.second))
              expected.emplace_back(key, second);
          for (std::uint32_t k = 0; k < 5; ++k)
            if ((k == 0 || marked.contains(key)) && entry.second.overlaps(others[k]))
              expected.emplace_back(key, 1000 + k);
        }
        std::sort(joined.begin(), joined.end());
        std::sort(expected.begin(), expected.end());
        REQUIRE(joined == expected);
      }
    }
    MESSAGE("random: tree ", D, "D: ", histories, " histories, ", queries, " queries and joins equal brute force");
  }
}
