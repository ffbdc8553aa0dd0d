#pragma once
// Joining things two by two, for convex parts in both dimensions.
#include <algorithm>
#include <optional>
#include <vector>

namespace colvik::fitting {

// Joins those pairs first that cost least, until none is left. The things are numbers from 0 up.
// cost(a, b) is nothing for two that are not to be joined; join(a, b) makes a new thing, of the
// next number, or returns false. Returns the numbers of those that are left, in order.
template <class Cost, class Join>
[[nodiscard]] std::vector<std::size_t> join_cheapest(std::size_t count, Cost&& cost, Join&& join) {
  struct Pair {
    double cost;
    std::size_t a;
    std::size_t b;
    bool operator<(const Pair& o) const {
      return cost != o.cost ? cost < o.cost : a != o.a ? a < o.a : b < o.b;
    }
  };
  std::vector<Pair> pairs;
  std::vector<char> gone;
  const auto add = [&](std::size_t b) {  // after all before it
    for (std::size_t a = 0; a < b; ++a)
      if (gone[a] == 0)
        if (const std::optional<double> c = cost(a, b)) pairs.push_back({*c, a, b});
    gone.push_back(0);
  };
  for (std::size_t i = 0; i < count; ++i) add(i);
  while (!pairs.empty()) {
    const auto least = std::min_element(pairs.begin(), pairs.end());
    const Pair pair = *least;
    *least = pairs.back();
    pairs.pop_back();
    if (gone[pair.a] != 0 || gone[pair.b] != 0 || !join(pair.a, pair.b)) continue;
    gone[pair.a] = gone[pair.b] = 1;
    add(gone.size());
  }
  std::vector<std::size_t> left;
  for (std::size_t i = 0; i < gone.size(); ++i)
    if (gone[i] == 0) left.push_back(i);
  return left;
}

}  // namespace colvik::fitting
