#pragma once
// The places a walker can get to, the nearest first.
#include <algorithm>
#include <bit>
#include <limits>
#include <queue>
#include <unordered_map>
#include <unordered_set>

#include "explain/leak_ground.h"

namespace colvik::reasons {

// Cells of a grid, a bit each.
template <int D>
class Cells {
 public:
  using Cell = std::array<std::int64_t, D>;
  // True if it was not there.
  bool add(const Cell& cell) {
    auto [block, bit] = find(cell);
    std::uint64_t& bits = blocks_[block];
    const bool is_new = (bits & bit) == 0;
    bits |= bit;
    return is_new;
  }
  [[nodiscard]] bool has(const Cell& cell) const {
    const auto [block, bit] = find(cell);
    const auto at = blocks_.find(block);
    return at != blocks_.end() && (at->second & bit) != 0;
  }

  // One of each block, in order.
  [[nodiscard]] std::vector<Cell> sample() const {
    std::vector<std::uint64_t> blocks;
    for (const auto& [block, bits] : blocks_) blocks.push_back(block);
    std::sort(blocks.begin(), blocks.end());
    std::vector<Cell> cells;
    for (const std::uint64_t block : blocks) {
      int bit = std::countr_zero(blocks_.at(block));
      std::uint64_t rest = block;
      Cell cell;
      for (std::size_t k = cell.size(); k-- > 0;) {
        const auto own = static_cast<std::int64_t>(rest << (64 - kWide)) >> (64 - kWide);  // signed
        cell[k] = own * (1 << kSide) + (bit & ((1 << kSide) - 1));
        rest >>= kWide;
        bit >>= kSide;
      }
      cells.push_back(cell);
    }
    return cells;
  }

 private:
  static constexpr int kSide = D == 2 ? 3 : 2;    // bits: blocks of 8 x 8, or 4 x 4 x 4
  static constexpr int kWide = D == 2 ? 31 : 21;  // bits of a block's own coordinates
  static std::pair<std::uint64_t, std::uint64_t> find(const Cell& cell) {
    std::uint64_t block = 0;
    int bit = 0;
    for (const std::int64_t c : cell) {
      block = block << kWide | (static_cast<std::uint64_t>(c >> kSide) & ((1ULL << kWide) - 1));
      bit = bit << kSide | static_cast<int>(c & ((1 << kSide) - 1));
    }
    return {block, 1ULL << bit};
  }
  std::unordered_map<std::uint64_t, std::uint64_t> blocks_;
};

template <int D>
class Search {
 public:
  Search(Ground<D>& ground, const LeakQuestion<D>& question, double resolution);
  void run(const Vec<D>& start, Leak<D>& leak);

 private:
  struct Node {
    Vec<D> at;
    double length = 0;
    std::uint32_t before = 0;  // the first is its own
    Going by = Going::start;
  };
  using Cell = typename Cells<D>::Cell;
  [[nodiscard]] Cell cell_of(const Vec<D>& at) const;
  // Only the first time in a coarser cell, for a kind of try.
  bool first_try(const Vec<D>& at, double size, int kind);

  // Notes what a move came to; false if that ends it.
  bool note(std::uint32_t from, const Moved<D>& moved, Going by);
  void push(std::uint32_t from, const Vec<D>& at, Going by, bool forced = false);
  [[nodiscard]] bool over() const;
  [[nodiscard]] double cost(std::uint32_t from, const Vec<D>& at, Going by) const;
  void expand(std::uint32_t i);
  // All cells of a square in which nothing is in the way.
  void spread(std::uint32_t i, double half);
  void go(std::uint32_t i, int direction);
  void over_edge(std::uint32_t i, const Moved<D>& moved, int direction);
  void jump(std::uint32_t i, int direction);
  void under_something(std::uint32_t i);

  // leak_gaps.cpp: gaps that the grid does not show
  void gaps(std::uint32_t i, const Vec<D>& direction, double depth);
  void gap_beside(std::uint32_t i, const Vec<D>& direction, const Vec<D>& side, double depth);
  void gap_below(std::uint32_t i, const Vec<D>& direction);
  // Where along `side` the stop begins or ceases to stop it, from there until `until`.
  [[nodiscard]] std::optional<double> end_of(const typename Ground<D>::Stop& stop, const Vec<D>& at,
                                             const Vec<D>& direction, const Vec<D>& side,
                                             double until, double depth) const;
  void note_gap(std::uint32_t i, double width, double needed, ObjectId a, ObjectId b);
  void squeeze_in(std::uint32_t i, const Vec<D>& at, const Vec<D>& direction);

  [[nodiscard]] Way<D> way_to(std::uint32_t i) const;
  [[nodiscard]] Way<D> shortened(const Way<D>& way);
  [[nodiscard]] Way<D> measured(Way<D> way);
  [[nodiscard]] std::optional<Vec<D>> straight(const Vec<D>& from, const Vec<D>& to, bool last);

  Ground<D>& ground_;
  const LeakQuestion<D>& question_;
  Leak<D>* leak_ = nullptr;
  double stride_;
  std::vector<Vec<D>> directions_;
  Vec<D> origin_ = kZero;
  std::vector<Node> nodes_;
  Cells<D> seen_;
  Cells<D> inner_;  // of squares: nothing more to visit
  std::unordered_set<std::uint64_t> tried_;
  using Due = std::pair<double, std::uint32_t>;
  std::priority_queue<Due, std::vector<Due>, std::greater<>> queue_;
  std::vector<ObjectId> found_;                           // targets
  double out_ = std::numeric_limits<double>::infinity();  // what the way out costs
};

}  // namespace colvik::reasons
