#pragma once
// Straight ways down a tree, compiled for several instruction sets; which one runs changes no
// result.
#include <cstdint>
#include <span>

#include "index/walks.h"

namespace colvik::index {

/// From a point to another, and which part of it is looked at: up to `limit` of it (0 to 1).
template <int D>
struct Way {
  Vec<D> from;
  Vec<D> way;
  double limit = 1;
};

/// A list of the caller's by key, which it looks at when told of one: fetched ahead.
struct Ahead {
  const void* first = nullptr;
  std::size_t stride = 0;
};

/// Told of the number of a way and the key of an entry that it may meet, returns how far along to
/// look on.
using ToldOnWay = Told<double, std::uint32_t, std::uint32_t>;

/// Follows the ways, some of them side by side: while one waits for memory, the others go on.
template <int D>
void walk_along(const Store<D>& tree, std::span<const Way<D>> ways, const Vec<D>& half,
                ToldOnWay visit, Ahead ahead);

}  // namespace colvik::index
