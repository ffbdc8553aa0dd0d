#include "index/static_tree.h"

#include <algorithm>
#include <numeric>

namespace colvik::index {

template <int D>
StaticTree<D>::StaticTree(std::span<const Bounds<D>> entries) {
  if (entries.empty()) return;
  constexpr std::uint32_t kLeaf = 4, kBins = 16;
  const auto count = static_cast<std::uint32_t>(entries.size());
  order_.resize(count);
  std::iota(order_.begin(), order_.end(), 0U);
  std::vector<Vec<D>> centres;
  centres.reserve(count);
  for (const Bounds<D>& b : entries) centres.push_back(b.centre());

  struct Job {
    std::uint32_t node, first, last;
    std::size_t depth;
  };
  nodes_.reserve(count);
  nodes_.emplace_back();
  std::vector<Job> jobs{{0, 0, count, 0}};
  while (!jobs.empty()) {
    const Job job = jobs.back();
    jobs.pop_back();
    Bounds<D> box, middle;
    for (std::uint32_t i = job.first; i < job.last; ++i) {
      box = box.merged(entries[order_[i]]);
      middle = middle.merged(centres[order_[i]]);
    }
    nodes_[job.node].bounds = box;
    const std::uint32_t n = job.last - job.first;
    int axis = 0;
    const double width = middle.size().maxCoeff(&axis);
    if (n <= kLeaf || !(width > 0)) {
      // Equal centres cannot be told apart: a leaf, however many.
      nodes_[job.node].first = job.first, nodes_[job.node].count = n;
      continue;
    }
    const auto begin = order_.begin() + job.first, end = order_.begin() + job.last;
    auto cut = begin + n / 2;
    if (job.depth < kDeepest / 2) {
      const auto bin_of = [&](std::uint32_t e) {
        const double t = (centres[e][axis] - middle.lo[axis]) / width * kBins;
        return std::min(kBins - 1, static_cast<std::uint32_t>(t));
      };
      std::array<Bounds<D>, kBins> boxes;
      std::array<std::uint32_t, kBins> counts{};
      for (auto it = begin; it != end; ++it) {
        const std::uint32_t k = bin_of(*it);
        boxes[k] = boxes[k].merged(entries[*it]);
        ++counts[k];
      }
      std::array<double, kBins> above{};  // cost of all bins from k on
      Bounds<D> sum;
      std::uint32_t in_sum = 0;
      for (std::uint32_t k = kBins; k-- > 1;) {
        sum = sum.merged(boxes[k]);
        in_sum += counts[k];
        above[k] = in_sum > 0 ? cost(sum) * in_sum : 0;
      }
      sum = {};
      in_sum = 0;
      double best = std::numeric_limits<double>::max();
      std::uint32_t best_bin = 0;
      for (std::uint32_t k = 1; k < kBins; ++k) {
        sum = sum.merged(boxes[k - 1]);
        in_sum += counts[k - 1];
        if (in_sum == 0 || in_sum == n) continue;
        const double c = cost(sum) * in_sum + above[k];
        if (c < best) best = c, best_bin = k;
      }
      if (best_bin > 0) cut = std::stable_partition(begin, end, [&](std::uint32_t e) { return bin_of(e) < best_bin; });
    }
    if (cut == begin + n / 2 && job.depth >= kDeepest / 2)
      std::nth_element(begin, cut, end, [&](std::uint32_t x, std::uint32_t y) {
        return std::pair(centres[x][axis], x) < std::pair(centres[y][axis], y);
      });
    const auto left = static_cast<std::uint32_t>(nodes_.size());
    const auto at = static_cast<std::uint32_t>(cut - order_.begin());
    nodes_[job.node].first = left;
    nodes_.emplace_back();
    nodes_.emplace_back();
    jobs.push_back({left + 1, at, job.last, job.depth + 1});
    jobs.push_back({left, job.first, at, job.depth + 1});
  }
}

template class StaticTree<2>;
template class StaticTree<3>;

}  // namespace colvik::index
