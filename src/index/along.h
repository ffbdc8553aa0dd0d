#pragma once
// Sweeps of a point or box through a tree, compiled for several instruction sets; which one runs
// changes no result.
#include <cstdint>
#include <span>

#include "index/walks.h"

namespace colvik::index {

/// A displacement from a point, of which the part up to `limit` (0 to 1) is visited.
template <int D>
struct Sweep {
  Vec<D> from;
  Vec<D> displacement;
  double limit = 1;
};

/// A list of the caller's by key, which it reads in its visitor: prefetched.
struct Ahead {
  const void* first = nullptr;
  std::size_t stride = 0;
};

/// Called with the number of a sweep and the key of an entry that it may hit; returns the new
/// limit. look on.
using SweepVisitor = Visitor<double, std::uint32_t, std::uint32_t>;

/// Follows the sweeps, some of them interleaved: while one waits for memory, the others advance.
template <int D>
void walk_along(const Store<D>& tree, std::span<const Sweep<D>> sweeps, const Vec<D>& half,
                SweepVisitor visit, Ahead ahead);

}  // namespace colvik::index
