#pragma once
// Traversals of a tree, compiled for several instruction sets; which one runs changes no result.
#include <cstdint>
#include <utility>
#include <vector>

#include "index/store.h"

namespace colvik::index {

using KeyPair = std::pair<std::uint32_t, std::uint32_t>;

/// A function of the caller's, which outlives the call.
template <class Out, class... In>
struct Visitor {
  void* to;
  Out (*call)(void* to, In... in);
};
template <class Out, class... In, class Visit>
Visitor<Out, In...> visitor(Visit& visit) {
  return {const_cast<void*>(static_cast<const void*>(&visit)),
          [](void* to, In... in) -> Out { return (*static_cast<Visit*>(to))(in...); }};
}
using KeyVisitor = Visitor<void, std::uint32_t>;

/// Appends each two entries that overlap and of which at least one is marked, once.
template <int D>
void walk_pairs(const Store<D>& tree, std::vector<KeyPair>& out);
/// The same for an entry of a (the first argument) and one of b.
template <int D>
void walk_pairs(const Store<D>& a, const Store<D>& b, std::vector<KeyPair>& out);
template <int D>
void walk_overlaps(const Store<D>& tree, const Bounds<D>& bounds, KeyVisitor visit);
using OutwardVisitor = Visitor<double, std::uint32_t>;
template <int D>
void walk_outward(const Store<D>& tree, const Bounds<D>& bounds, double within,
                  OutwardVisitor visit);

}  // namespace colvik::index
