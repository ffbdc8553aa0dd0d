#pragma once
// Parting boxes into up to eight groups: how a node of the tree gets its children.
#include <Eigen/Core>

#include <array>
#include <bit>
#include <span>

#include "index/slots.h"

namespace colvik::index {

using Four = Eigen::Array<float, 4, 1>;

/// A box as the least of its coordinates and the least of them turned round, so that one operation
/// merges two. The fourth places are not part of it.
struct Cover {
  Four lo = Four::Constant(std::numeric_limits<float>::max());
  Four turned_hi = lo;

  void take(const Cover& other) {
    lo = lo.min(other.lo);
    turned_hi = turned_hi.min(other.turned_hi);
  }
  template <int D>
  [[nodiscard]] FloatBox<D> box() const {
    FloatBox<D> b;
    for (int i = 0; i < D; ++i) {
      b.lo[i] = lo[i];
      b.hi[i] = -turned_hi[i];
    }
    return b;
  }
};

/// A box to be put into a tree, and what it stands for.
struct Item : Cover {
  Item() = default;
  template <int D>
  Item(const FloatBox<D>& box, std::int32_t ref) {
    lo.setZero();
    turned_hi.setZero();
    for (int i = 0; i < D; ++i) {
      lo[i] = box.lo[i];
      turned_hi[i] = -box.hi[i];
    }
    lo[3] = std::bit_cast<float>(ref);
  }
  [[nodiscard]] std::int32_t ref() const { return std::bit_cast<std::int32_t>(lo[3]); }
  [[nodiscard]] float twice_centre(int axis) const { return lo[axis] - turned_hi[axis]; }
};

struct Group {
  Item* first = nullptr;
  Item* last = nullptr;
  Cover box;
  Cover middle;  // around all of them; around twice their centres
  [[nodiscard]] std::size_t size() const { return static_cast<std::size_t>(last - first); }
};
Group group_of(Item* first, Item* last);

/// Up to eight groups, none empty; the items change their order. Large groups are halved where the
/// surface area rule wants it, tried at 16 places of the longest axis (Wald, "On fast construction
/// of SAH-based bounding volume hierarchies", 2007); groups of 64 and fewer by number, so that
/// nodes are full. `spare` has room for as many items. O(n).
template <int D>
int split(const Group& all, Item* spare, std::array<Group, kWidth>& out);

}  // namespace colvik::index
