#include <algorithm>
#include <map>

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
      }
    }
    MESSAGE("random: tree ", D, "D: ", histories, " histories, ", queries, " queries equal brute force");
  }
}
