#include "math/targets.h"
#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "index/join.cpp"
#include <hwy/foreach_target.h>  // NOLINT: includes this file once for each
#include <hwy/highway.h>

#include "index/lanes-inl.h"

#include <array>
#include <bit>
#include <cstddef>

#include "index/packed.h"
#include "index/walks.h"

HWY_BEFORE_NAMESPACE();
namespace colvik::index::HWY_NAMESPACE {

// From the single-precision frame of one tree to that of another. Two bounds reach into each other
// by some margin: from -reach on they may overlap, above `sure` they do. Rounding keeps the order
// of numbers, so that within one frame only what is equal is in doubt.
template <int D>
struct Shift {
  float by[D] = {};
  float reach = 0;
  float sure = 0;
};

template <int D>
Shift<D> shift_of(const Store<D>& from, const Store<D>& to) {
  Shift<D> shift;
  const FloatBox<D> mine = around(from.node(from.root).slots);
  const FloatBox<D> its = around(to.node(to.root).slots);
  float far = 0;
  for (int i = 0; i < D; ++i) {
    shift.by[i] = to_float(from.origin[i] - to.origin[i]);
    far = std::max(far, std::abs(shift.by[i]));
    for (const FloatBox<D>& b : {mine, its})
      far = std::max({far, std::abs(b.lo[i]), std::abs(b.hi[i])});
  }
  shift.reach = shift.sure = far * 4 * std::numeric_limits<float>::epsilon();
  // Where numbers were clamped to kFarthest, a frame's order says nothing about another's.
  if (far > static_cast<float>(kFarthest / 2)) {
    shift.reach = static_cast<float>(8 * kFarthest);
    shift.sure = std::numeric_limits<float>::infinity();
  }
  return shift;
}

// Bits for two nodes: eight slots of the second for each of the first.
using Square = std::uint64_t;
constexpr Square in_each_row(std::uint32_t slots) { return Square{slots} * 0x0101010101010101U; }
struct WholeRows {
  std::array<Square, 1 << kWidth> of{};
  constexpr WholeRows() {
    for (unsigned slots = 0; slots < of.size(); ++slots)
      for (unsigned i = 0; i < kWidth; ++i)
        if ((slots >> i & 1U) != 0) of[slots] |= Square{0xFF} << kWidth * i;
  }
};
constexpr WholeRows kWholeRows;
HWY_INLINE Square whole_rows(std::uint32_t slots) { return kWholeRows.of[slots]; }
constexpr int kAbreast = 2;  // rows tested interleaved
constexpr Square kSelf = 0x8040201008040201U;
constexpr Square kAbove = 0x0080C0E0F0F8FCFEU;  // the same slot; one that comes after

// Of some slots of one node and those of another (moved into its frame) those that may overlap, and
// whether that is in doubt for any. No branch depends on who does: how many, and which, is anyone's
// guess.
template <int D>
HWY_INLINE Square meet(const Slots<D>& x, std::uint32_t rows, const Slots<D>& y,
                       const Shift<D>& shift, float sign, bool& doubt) {
  const Lanes tag;
  const std::uint8_t* const row = kPacked.slots[rows].data();
  const int count = std::popcount(rows);
  Square hits = 0;
  doubt = false;
  for (std::size_t k = 0; k < kWidth; k += hn::Lanes(tag)) {
    const auto moved = [&](const float* at, int i) HWY_ATTR {
      return hn::Add(hn::Load(tag, at + k), hn::Set(tag, sign * shift.by[i]));
    };
    const auto lo_0 = moved(y.lo[0], 0);
    const auto hi_0 = moved(y.hi[0], 0);
    const auto lo_1 = moved(y.lo[1], 1);
    const auto hi_1 = moved(y.hi[1], 1);
    const auto lo_2 = moved(y.lo[D - 1], D - 1);
    const auto hi_2 = moved(y.hi[D - 1], D - 1);
    const auto least = hn::Set(tag, -shift.reach);
    auto closest = hn::Set(tag, std::numeric_limits<float>::max());
    for (int done = 0; done < count; done += kAbreast)  // the last ones may be done again
      for (int r = done; r < done + kAbreast; ++r) {
        const unsigned i = row[r];
        auto margin = hn::Min(hn::Sub(hi_0, hn::Set(tag, x.lo[0][i])),
                              hn::Sub(hn::Set(tag, x.hi[0][i]), lo_0));
        margin = hn::Min(margin, hn::Sub(hi_1, hn::Set(tag, x.lo[1][i])));
        margin = hn::Min(margin, hn::Sub(hn::Set(tag, x.hi[1][i]), lo_1));
        if constexpr (D == 3) {
          margin = hn::Min(margin, hn::Sub(hi_2, hn::Set(tag, x.lo[2][i])));
          margin = hn::Min(margin, hn::Sub(hn::Set(tag, x.hi[2][i]), lo_2));
        }
        closest = hn::Min(closest, hn::Abs(margin));
        hits |= Square{bits_of(hn::Ge(margin, least))} << (std::size_t{kWidth} * i + k);
      }
    doubt |= !hn::AllFalse(tag, hn::Le(closest, hn::Set(tag, shift.sure)));
  }
  return hits;
}

// Joins a tree with another or with itself.
template <int D>
struct Join {
  Join(const Store<D>& first, const Store<D>& second, const Shift<D>& between,
       std::vector<KeyPair>& pairs)
      : a(first), b(second), shift(between), out(pairs) {}

  // What is within a node of a tree that is joined with itself: of what is marked with all that is
  // not, and with what is and comes after it.
  void among(std::int32_t at) {
    const Node<D>& n = a.node(at);
    for (std::uint32_t bits = n.marked; bits != 0; bits &= bits - 1) {
      const Ref ref = n.child[std::countr_zero(bits)];
      if (ref >= 0) among(ref);
    }
    take(n, at, n.marked, n, at, false,
         whole_rows(n.marked) & ~kSelf & (kAbove | ~in_each_row(n.marked)));
    drain();
  }

  void roots() {
    between(a.root, around(a.node(a.root).slots), b.root, around(b.node(b.root).slots));
    drain();
  }

  // Two slots that may overlap, at least one of them a node's; a slot is named by one number with
  // its node.
  struct Job {
    std::uint32_t x;
    std::uint32_t y;
  };
  static constexpr std::size_t kSquare = std::size_t{kWidth} * kWidth, kRoom = 512;

  static std::uint32_t place(std::int32_t node, int slot) {
    return static_cast<std::uint32_t>(node) * kWidth + static_cast<std::uint32_t>(slot);
  }
  static HWY_INLINE std::uint32_t entries_of(const Node<D>& n) {
    const Lanes tag;
    const hn::RebindToSigned<Lanes> whole;
    std::uint32_t bits = 0;
    for (std::size_t k = 0; k < kWidth; k += hn::Lanes(tag))
      bits |= bits_of(hn::RebindMask(tag, hn::Lt(hn::LoadU(whole, n.child + k), hn::Zero(whole))))
              << k;
    return bits;
  }

  // Some slots of a node and those of another, of which a square is requested. `turned`: the first
  // is of b.
  HWY_INLINE void take(const Node<D>& x, std::int32_t at_x, std::uint32_t rows, const Node<D>& y,
                       std::int32_t at_y, bool turned, Square wanted) {
    bool doubt;
    const Square hits = meet(x.slots, rows, y.slots, shift, turned ? 1.0F : -1.0F, doubt) & wanted &
                        (whole_rows(x.marked) | in_each_row(y.marked));
    const Square entries = whole_rows(entries_of(x)) & in_each_row(entries_of(y));
    for (Square bits = hits & entries; bits != 0; bits &= bits - 1) {
      const int bit = std::countr_zero(bits);
      const Ref first = x.child[bit / kWidth];
      const Ref second = y.child[bit % kWidth];
      const Ref p = turned ? second : first;
      const Ref q = turned ? first : second;
      if (doubt && !a.bounds_of(p).overlaps(b.bounds_of(q))) continue;
      out.emplace_back(static_cast<std::uint32_t>(~p), static_cast<std::uint32_t>(~q));
    }
    for (Square bits = hits & ~entries; bits != 0; bits &= bits - 1) {
      const int bit = std::countr_zero(bits);
      const std::uint32_t first = place(at_x, bit / kWidth);
      const std::uint32_t second = place(at_y, bit % kWidth);
      jobs[waiting++] = turned ? Job{second, first} : Job{first, second};
    }
  }

  // All beneath two nodes, with the boxes of both.
  HWY_INLINE void between(std::int32_t at_x, const FloatBox<D>& box_x, std::int32_t at_y,
                          const FloatBox<D>& box_y) {
    const Node<D>& x = a.node(at_x);
    const Node<D>& y = b.node(at_y);
    const std::uint32_t rows = near(x.slots, moved(box_y, -1), shift.reach, shift.sure).slots;
    const std::uint32_t columns = near(y.slots, moved(box_x, 1), shift.reach, shift.sure).slots;
    const std::uint32_t of_x = (columns & y.marked) != 0 ? rows : rows & x.marked;
    const std::uint32_t of_y = (rows & x.marked) != 0 ? columns : columns & y.marked;
    if (of_x == 0 || of_y == 0) return;
    const bool turn = std::popcount(of_y) < std::popcount(of_x);
    take(turn ? y : x, turn ? at_y : at_x, turn ? of_y : of_x, turn ? x : y, turn ? at_x : at_y,
         turn, ~Square{0});
  }
  // All beneath a node and an entry, with its box in the node's frame. `of_b`: the entry is.
  void one(Ref entry, const FloatBox<D>& box, bool marked, std::int32_t at, bool of_b) {
    const Node<D>& n = (of_b ? a : b).node(at);
    const Near hits = near(n.slots, box, shift.reach, shift.sure);
    for (std::uint32_t bits = hits.slots & (marked ? 0xFFU : n.marked); bits != 0;
         bits &= bits - 1) {
      const int slot = std::countr_zero(bits);
      const Ref ref = n.child[slot];
      if (ref >= 0) {
        one(entry, box, marked, ref, of_b);
        continue;
      }
      const Ref p = of_b ? ref : entry;
      const Ref q = of_b ? entry : ref;
      if ((hits.doubt >> slot & 1) == 0 || a.bounds_of(p).overlaps(b.bounds_of(q)))
        out.emplace_back(static_cast<std::uint32_t>(~p), static_cast<std::uint32_t>(~q));
    }
  }

  void drain() {
    while (waiting > 0) {
      const Job job = jobs[--waiting];
      if (waiting > kRoom - kSquare) {  // trees that are deep and lopsided
        Join beneath(a, b, shift, out);
        beneath.jobs[beneath.waiting++] = job;
        beneath.drain();
        continue;
      }
      const Node<D>& x = a.node(static_cast<std::int32_t>(job.x / kWidth));
      const Node<D>& y = b.node(static_cast<std::int32_t>(job.y / kWidth));
      const unsigned i = job.x % kWidth, k = job.y % kWidth;
      const Ref p = x.child[i];
      const Ref q = y.child[k];
      const FloatBox<D> box_x = x.slots.get(static_cast<int>(i));
      const FloatBox<D> box_y = y.slots.get(static_cast<int>(k));
      if (p >= 0 && q >= 0) between(p, box_x, q, box_y);
      else if (p < 0) one(p, moved(box_x, 1), (x.marked >> i & 1) != 0, q, false);
      else one(q, moved(box_y, -1), (y.marked >> k & 1) != 0, p, true);
    }
  }

  [[nodiscard]] FloatBox<D> moved(FloatBox<D> box, float sign) const {
    for (int i = 0; i < D; ++i) {
      box.lo[i] += sign * shift.by[i];
      box.hi[i] += sign * shift.by[i];
    }
    return box;
  }

  const Store<D>& a;
  const Store<D>& b;
  const Shift<D> shift;  // from a's frame to b's
  std::vector<KeyPair>& out;
  std::size_t waiting = 0;
  Job jobs[kRoom];  // the one to do next last
};

template <int D>
void join(const Store<D>& tree, std::vector<KeyPair>& out) {
  if (tree.root != kNone && tree.node(tree.root).marked != 0)
    Join<D>(tree, tree, Shift<D>(), out).among(tree.root);
}
template <int D>
void join(const Store<D>& a, const Store<D>& b, std::vector<KeyPair>& out) {
  if (a.root == kNone || b.root == kNone) return;
  if (a.node(a.root).marked == 0 && b.node(b.root).marked == 0) return;
  Join<D>(a, b, shift_of(a, b), out).roots();
}

void join_2(const Store<2>& tree, std::vector<KeyPair>& out) { join(tree, out); }
void join_3(const Store<3>& tree, std::vector<KeyPair>& out) { join(tree, out); }
void join_two_2(const Store<2>& a, const Store<2>& b, std::vector<KeyPair>& out) {
  join(a, b, out);
}
void join_two_3(const Store<3>& a, const Store<3>& b, std::vector<KeyPair>& out) {
  join(a, b, out);
}

}  // namespace colvik::index::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace colvik::index {
HWY_EXPORT(join_2);
HWY_EXPORT(join_3);
HWY_EXPORT(join_two_2);
HWY_EXPORT(join_two_3);

template <>
void walk_pairs(const Store<2>& tree, std::vector<KeyPair>& out) {
  HWY_DYNAMIC_DISPATCH(join_2)(tree, out);
}
template <>
void walk_pairs(const Store<3>& tree, std::vector<KeyPair>& out) {
  HWY_DYNAMIC_DISPATCH(join_3)(tree, out);
}
template <>
void walk_pairs(const Store<2>& a, const Store<2>& b, std::vector<KeyPair>& out) {
  HWY_DYNAMIC_DISPATCH(join_two_2)(a, b, out);
}
template <>
void walk_pairs(const Store<3>& a, const Store<3>& b, std::vector<KeyPair>& out) {
  HWY_DYNAMIC_DISPATCH(join_two_3)(a, b, out);
}
}  // namespace colvik::index
#endif
