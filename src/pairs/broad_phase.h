#pragma once
// Padded bounds of colliders, in two trees.
#include "index/tree.h"
#include "pairs/pair.h"
#include "store/store.h"

namespace colvik::world {

// The index of padded bounds, and which colliders' pairs must be searched again.
template <int D>
struct BroadPhase {
  index::Tree<D> still;
  index::Tree<D> moving;                  // what is static, and what is not
  std::vector<std::uint32_t> dirty;       // colliders to search again
  std::vector<std::uint64_t> dirty_bits;  // a bit a collider: it is among these
  bool stale = false;                     // something moved or changed since the trees were updated
  std::size_t still_moved = 0;            // times a static object was moved
  std::vector<index::KeyPair> overlapping;  // in the order of the trees
  std::vector<Candidate> candidates;        // likewise, by serials
};

template <int D>
void mark_dirty(Store<D>& store, BroadPhase<D>& broad, std::uint32_t at) {
  if (!std::exchange(store.colliders[at].dirty, true)) broad.dirty.push_back(at);
}

// query.cpp

}  // namespace colvik::world
