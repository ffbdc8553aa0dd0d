#include "index/split.h"

#include <limits>

namespace colvik::index {
namespace {

constexpr int kBins = 16;
constexpr std::size_t kFew = 64;
constexpr std::size_t kMany = 1024;

inline void take_centre(Cover& middle, const Item& item) {
  const Four c = item.lo - item.turned_hi;
  middle.lo = middle.lo.min(c);
  middle.turned_hi = middle.turned_hi.min(-c);
}
inline void take(Cover& box, Cover& middle, const Item& item) {
  box.take(item);
  take_centre(middle, item);
}

struct Halves {
  Group below;
  Group above;
};

Item* halve_at(Item* first, Item* cut, Item* last, int axis) {
  std::nth_element(first, cut, last, [&](const Item& x, const Item& y) {
    return x.twice_centre(axis) < y.twice_centre(axis);
  });
  return cut;
}

template <int D>
int longest_axis(const Cover& middle) {
  int axis = 0;
  for (int i = 1; i < D; ++i)
    if (middle.lo[i] + middle.turned_hi[i] < middle.lo[axis] + middle.turned_hi[axis]) axis = i;
  return axis;
}

Halves by_number(const Group& g, int axis) {
  Item* cut = halve_at(g.first, g.first + g.size() / 2, g.last, axis);
  return {group_of(g.first, cut), group_of(cut, g.last)};
}

// Few items, parted into whole nodes.
template <int D>
std::size_t few(Item* first, Item* last, std::array<Group, kWidth>& out, std::size_t n) {
  const auto size = static_cast<std::size_t>(last - first);
  if (size <= kWidth) {
    out[n] = {first, last, {}, {}};
    for (const Item* item = first; item != last; ++item) out[n].box.take(*item);
    return n + 1;
  }
  Cover middle;
  for (const Item* item = first; item != last; ++item) take_centre(middle, *item);
  const std::size_t half = std::max<std::size_t>(kWidth, (size / 2 + kWidth / 2) / kWidth * kWidth);
  Item* cut = halve_at(first, first + half, last, longest_axis<D>(middle));
  return few<D>(cut, last, out, few<D>(first, cut, out, n));
}

template <int D>
Halves halves(const Group& g, Item* spare) {
  const int axis = longest_axis<D>(g.middle);
  const float per_width = kBins / (-g.middle.turned_hi[axis] - g.middle.lo[axis]);
  if (!(per_width < 1e30F)) return by_number(g, axis);

  const float start = g.middle.lo[axis];
  const auto bin_of = [&](const Item& item) {
    return std::min(kBins - 1, static_cast<int>((item.twice_centre(axis) - start) * per_width));
  };
  std::array<Group, kBins> bins;
  std::array<std::size_t, kBins> counts{};
  for (const Item* item = g.first; item != g.last; ++item) {
    const auto k = static_cast<std::size_t>(bin_of(*item));
    take(bins[k].box, bins[k].middle, *item);
    ++counts[k];
  }
  std::array<float, kBins> cost_above{};  // of all bins from k on
  Cover sum;
  std::size_t in_sum = 0;
  for (std::size_t k = kBins; k-- > 1;) {
    sum.take(bins[k].box);
    in_sum += counts[k];
    cost_above[k] = in_sum > 0 ? cost(sum.box<D>()) * static_cast<float>(in_sum) : 0;
  }
  sum = {};
  in_sum = 0;
  float best = std::numeric_limits<float>::max();
  int best_bin = 0;
  for (std::size_t k = 1; k < kBins; ++k) {
    sum.take(bins[k - 1].box);
    in_sum += counts[k - 1];
    if (in_sum == 0 || in_sum == g.size()) continue;
    const float c = cost(sum.box<D>()) * static_cast<float>(in_sum) + cost_above[k];
    if (c < best) {
      best = c;
      best_bin = static_cast<int>(k);
    }
  }
  if (best_bin == 0) return by_number(g, axis);
  Halves out;
  for (int k = 0; k < kBins; ++k) {
    Group& side = k < best_bin ? out.below : out.above;
    side.box.take(bins[static_cast<std::size_t>(k)].box);
    side.middle.take(bins[static_cast<std::size_t>(k)].middle);
  }
  // Each is written to both sides, and kept on one: no branch to guess.
  Item* low = g.first;
  Item* high = spare;
  for (const Item* item = g.first; item != g.last; ++item) {
    const bool is_below = bin_of(*item) < best_bin;
    const Item copy = *item;
    *low = copy;
    *high = copy;
    low += is_below;
    high += !is_below;
  }
  std::copy(spare, high, low);
  out.below.first = g.first;
  out.below.last = out.above.first = low;
  out.above.last = g.last;
  return out;
}

// Many items: laid on a grid once, and the grid parted seven times.
template <int D>
class Grid {
 public:
  Grid(const Group& g) : items_(g) {
    for (int i = 0; i < D; ++i) {
      start_[i] = g.middle.lo[i];
      const float per = kSide / (-g.middle.turned_hi[i] - g.middle.lo[i]);
      per_width_[i] = per < 1e30F ? per : 0;
    }
    for (const Item* item = g.first; item != g.last; ++item) {
      const std::size_t k = cell_of(*item);
      take(cells_[k].box, cells_[k].middle, *item);
      ++counts_[k];
    }
  }

  std::size_t split(Item* spare, std::array<Group, kWidth>& out) {
    std::array<Region, kWidth> regions;
    regions[0].count = items_.size();
    regions[0].cost = 1;
    for (int i = 0; i < D; ++i) regions[0].last[i] = kSide;
    std::size_t n = 1;
    while (n < kWidth) {
      std::size_t next = kWidth;
      float most = 0;
      for (std::size_t i = 0; i < n; ++i)
        if (regions[i].count > kFew && regions[i].cost > most) {
          most = regions[i].cost;
          next = i;
        }
      if (next == kWidth) break;
      if (halve(regions[next], regions[n])) ++n;
      else regions[next].cost = 0;  // one cell: left as it is
    }
    // Each item to its region, in the order they are in.
    std::array<std::uint8_t, kCells> region_of{};
    std::array<Item*, kWidth> end{};
    Item* at = spare;
    for (std::size_t r = 0; r < n; ++r) {
      out[r] = {};
      for_cells(regions[r], [&](std::size_t k) {
        region_of[k] = static_cast<std::uint8_t>(r);
        out[r].box.take(cells_[k].box);
        out[r].middle.take(cells_[k].middle);
      });
      out[r].first = items_.first + (at - spare);
      end[r] = at;
      at += regions[r].count;
      out[r].last = items_.first + (at - spare);
    }
    for (const Item* item = items_.first; item != items_.last; ++item)
      *end[region_of[cell_of(*item)]]++ = *item;
    std::copy(spare, at, items_.first);
    return n;
  }

 private:
  static constexpr int kSide = D == 2 ? 16 : 6;
  static constexpr std::size_t kCells = D == 2 ? kSide * kSide : kSide * kSide * kSide;
  struct Region {
    std::array<int, D> first{};
    std::array<int, D> last{};
    std::size_t count = 0;
    float cost = 0;
  };
  [[nodiscard]] std::size_t cell_of(const Item& item) const {
    std::size_t k = 0;
    for (int i = 0; i < D; ++i)
      k = k * kSide +
          static_cast<std::size_t>(std::min(
              kSide - 1, static_cast<int>((item.twice_centre(i) - start_[i]) * per_width_[i])));
    return k;
  }
  template <class Visit>
  static void for_cells(const Region& r, Visit&& visit) {
    for (int x = r.first[0]; x < r.last[0]; ++x)
      for (int y = r.first[1]; y < r.last[1]; ++y) {
        const std::size_t k = static_cast<std::size_t>(x) * kSide + static_cast<std::size_t>(y);
        if constexpr (D == 2) visit(k);
        else
          for (int z = r.first[2]; z < r.last[2]; ++z)
            visit(k * kSide + static_cast<std::size_t>(z));
      }
  }
  // Leaves the lower half in `r`. False when there is none: all in one cell.
  bool halve(Region& r, Region& upper) const {
    float best = std::numeric_limits<float>::max();
    int best_axis = -1;
    Region low;
    Region high;
    for (int axis = 0; axis < D; ++axis) {
      std::array<Cover, kSide> slabs;
      std::array<std::size_t, kSide> counts{};
      for (int k = r.first[axis]; k < r.last[axis]; ++k) {
        Region slab = r;
        slab.first[axis] = k;
        slab.last[axis] = k + 1;
        for_cells(slab, [&](std::size_t cell) {
          slabs[static_cast<std::size_t>(k)].take(cells_[cell].box);
          counts[static_cast<std::size_t>(k)] += counts_[cell];
        });
      }
      std::array<float, kSide> above{};
      Cover sum;
      for (auto k = static_cast<std::size_t>(r.last[axis]);
           k-- > static_cast<std::size_t>(r.first[axis]);) {
        sum.take(slabs[k]);
        above[k] = cost(sum.box<D>());
      }
      sum = {};
      std::size_t in_sum = 0;
      for (auto k = static_cast<std::size_t>(r.first[axis]);
           k + 1 < static_cast<std::size_t>(r.last[axis]); ++k) {
        sum.take(slabs[k]);
        in_sum += counts[k];
        if (in_sum == 0 || in_sum == r.count) continue;
        const float c_low = cost(sum.box<D>());
        const float c = c_low * static_cast<float>(in_sum) +
                        above[k + 1] * static_cast<float>(r.count - in_sum);
        if (c >= best) continue;
        best = c;
        best_axis = axis;
        low = high = r;
        low.last[axis] = high.first[axis] = static_cast<int>(k) + 1;
        low.count = in_sum;
        high.count = r.count - in_sum;
        low.cost = c_low;
        high.cost = above[k + 1];
      }
    }
    if (best_axis < 0) return false;
    r = low;
    upper = high;
    return true;
  }

  const Group& items_;
  float start_[D];
  float per_width_[D];
  std::array<Group, kCells> cells_;
  std::array<std::size_t, kCells> counts_{};
};

}  // namespace

Group group_of(Item* first, Item* last) {
  Group g{first, last, {}, {}};
  for (const Item* item = first; item != last; ++item) take(g.box, g.middle, *item);
  return g;
}

template <int D>
int split(const Group& all, Item* spare, std::array<Group, kWidth>& out) {
  if (all.size() <= kFew) {
    std::size_t n = 0;
    if (all.size() > kWidth) n = few<D>(all.first, all.last, out, 0);
    else
      for (Item* item = all.first; item != all.last; ++item) out[n++] = {item, item + 1, *item, {}};
    return static_cast<int>(n);
  }
  std::size_t n = 1;
  if (all.size() > kMany) n = Grid<D>(all).split(spare, out);
  if (n == 1) out[0] = all;
  while (n < kWidth) {
    // The largest that is still to be parted.
    std::size_t next = kWidth;
    float most = -1;
    for (std::size_t i = 0; i < n; ++i) {
      const Group& g = out[i];
      if (g.size() <= kFew) continue;
      const float c = cost(g.box.box<D>());
      if (c > most) {
        most = c;
        next = i;
      }
    }
    if (next == kWidth) break;
    const Halves h = halves<D>(out[next], spare);
    out[next] = h.below;
    out[n++] = h.above;
  }
  return static_cast<int>(n);
}

template int split<2>(const Group&, Item*, std::array<Group, kWidth>&);
template int split<3>(const Group&, Item*, std::array<Group, kWidth>&);

}  // namespace colvik::index
