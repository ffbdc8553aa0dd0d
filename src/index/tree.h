#pragma once
// A bounding volume hierarchy: which entries may overlap, and which a ray hits.
#include <colvik/vector.hpp>

#include <cstdint>
#include <span>
#include <vector>

#include "index/along.h"
#include "index/split.h"
#include "index/store.h"
#include "index/walks.h"
#include "math/fetch.h"

namespace colvik::index {

/// A tree whose nodes hold up to eight bounds in single precision, tested at once (Wald, Benthin
/// and Boulos, "Getting rid of packets", 2008); its results are exact all the same. Built whole by
/// surface area from a list, or by inserting; where bounds that move have spoiled it, that part is
/// rebuilt (Karras and Aila, "Fast parallel construction of high-quality bounding volume
/// hierarchies", 2013, do so for small parts).
///
/// Entries are named by small numbers of the caller's (keys: memory is taken up to the largest).
/// What a query reports depends on neither memory nor threads, but its order does on the history:
/// callers sort. Queries are const, may run in several threads and may be nested; they need a
/// settled tree.
template <int D>
class Tree {
 public:
  Tree() = default;
  /// All at once; the keys are the positions in the list. O(n log n), and settled.
  explicit Tree(std::span<const Bounds<D>> entries);

  void insert(std::uint32_t key, const Bounds<D>& bounds);
  void remove(std::uint32_t key);
  /// New bounds for an entry.
  void move(std::uint32_t key, const Bounds<D>& bounds);
  /// Prefetches what moving the entry reads.
  COLVIK_FETCHES void fetch(std::uint32_t key) const {
    if (key >= store_.places.size() || store_.places[key].node == kNone) return;
    math::fetch(&node(store_.places[key].node), sizeof(Node<D>));
    math::fetch(&store_.bounds[key], sizeof(Bounds<D>));
  }
  /// Takes in what was inserted and moved. Costs what changed; all of it is rebuilt when much
  /// did.
  void settle();

  /// Marks an entry: pairs() returns its pairs.
  void mark(std::uint32_t key);
  void unmark_all();
  /// Prefetches the bounds of an entry, if there is one.
  COLVIK_FETCHES void fetch_bounds(std::uint32_t key) const {
    if (key < store_.bounds.size()) math::fetch(&store_.bounds[key], sizeof(Bounds<D>));
  }
  [[nodiscard]] const Bounds<D>& bounds(std::uint32_t key) const { return store_.bounds[key]; }
  [[nodiscard]] std::size_t size() const { return count_; }

  /// Appends each two entries that overlap and of which at least one is marked, once. Costs what is
  /// marked and what is near it.
  void pairs(std::vector<KeyPair>& out) const { walk_pairs(store_, out); }
  /// The same for an entry of this tree (the first argument) and one of another.
  void pairs(const Tree& other, std::vector<KeyPair>& out) const {
    walk_pairs(store_, other.store_, out);
  }

  /// Calls visit(key) for each entry whose bounds overlap `bounds` (touching counts).
  template <class Visit>
  void overlaps(const Bounds<D>& bounds, Visit&& visit) const {
    walk_overlaps(store_, bounds, visitor<void, std::uint32_t>(visit));
  }

  /// Calls visit(key) for the entries whose bounds are no further than `within` from these bounds,
  /// the nearer ones about first. `visit` returns the new limit; an entry exactly at the limit is
  /// still visited (Roussopoulos, Kelley and Vincent, "Nearest neighbor queries", 1995).
  template <class Visit>
  void outward(const Bounds<D>& bounds, double within, Visit&& visit) const {
    walk_outward(store_, bounds, within, visitor<double, std::uint32_t>(visit));
  }

  /// Calls visit(key) for the entries that a ray (or bounds of half size `half` swept along it) may
  /// meet before `limit`, the nearer ones about first. `visit` returns the new limit along
  /// the displacement (1: its end); an entry exactly at the limit is still visited.
  template <class Visit>
  void along(const Vec<D>& from, const Vec<D>& displacement, const Vec<D>& half, double limit,
             Visit&& visit, Ahead ahead = {}) const {
    const Sweep<D> one{from, displacement, limit};
    const auto alone = [&](std::uint32_t, std::uint32_t key) { return visit(key); };
    walk_along(store_, std::span(&one, 1), half,
               visitor<double, std::uint32_t, std::uint32_t>(alone), ahead);
  }
  /// The same for each of many sweeps, some of them interleaved, which takes less time: while one
  /// waits for memory, others advance. Calls visit(number of the sweep, key).
  template <class Visit>
  void along(std::span<const Sweep<D>> sweeps, const Vec<D>& half, Visit&& visit,
             Ahead ahead = {}) const {
    walk_along(store_, sweeps, half, visitor<double, std::uint32_t, std::uint32_t>(visit), ahead);
  }

 private:
  std::int32_t take_node();
  void put(std::int32_t at, int slot, Ref ref, const FloatBox<D>& box, bool marked,
           bool stale = false);
  void take_out(std::int32_t at, int slot);
  void place(Ref ref);
  void spoil(std::int32_t at);                      // the bounds of a node
  FloatBox<D> refit(std::int32_t at);               // returns what it covers
  void rebuild(std::int32_t at, std::size_t part);  // of about so many items
  void rebuild_all();
  void fill_from_items(std::int32_t at);
  void fill(std::int32_t at, const Group& group);
  void unmark(std::int32_t at);
  [[nodiscard]] const Node<D>& node(std::int32_t i) const { return store_.node(i); }
  Node<D>& node(std::int32_t i) { return store_.node(i); }

  Store<D> store_;
  std::vector<std::int32_t> free_nodes_;
  std::vector<Ref> waiting_;  // inserted, or moved far
  math::Many<Item> items_;
  math::Many<Item> spare_;  // kept, so that rebuilding allocates nothing once warm
  std::size_t count_ = 0;
  std::size_t allowance_ = 0;  // of items that this settling may still rebuild
};

}  // namespace colvik::index
