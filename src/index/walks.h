#pragma once
// The ways down a tree, compiled for several instruction sets; which one runs changes no result.
#include <cstdint>
#include <utility>
#include <vector>

#include "index/store.h"

namespace colvik::index {

using KeyPair = std::pair<std::uint32_t, std::uint32_t>;

/// A function of the caller's, which outlives the call.
template <class Out>
struct Told {
  void* to;
  Out (*call)(void* to, std::uint32_t key);
};
template <class Out, class Visit>
Told<Out> told(Visit& visit) {
  return {const_cast<void*>(static_cast<const void*>(&visit)),
          [](void* to, std::uint32_t key) -> Out { return (*static_cast<Visit*>(to))(key); }};
}

/// A list of the caller's by key, which it looks at when told of one: fetched ahead.
struct Ahead {
  const void* first = nullptr;
  std::size_t stride = 0;
};

/// Appends each two entries that overlap and of which at least one is marked, once.
template <int D>
void walk_pairs(const Store<D>& tree, std::vector<KeyPair>& out);
/// The same for an entry of a (told first) and one of b.
template <int D>
void walk_pairs(const Store<D>& a, const Store<D>& b, std::vector<KeyPair>& out);
template <int D>
void walk_overlaps(const Store<D>& tree, const Bounds<D>& bounds, Told<void> visit);
template <int D>
void walk_along(const Store<D>& tree, const Vec<D>& from, const Vec<D>& way, const Vec<D>& half, double limit,
                Told<double> visit, Ahead ahead);

}  // namespace colvik::index
