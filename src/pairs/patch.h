#pragma once
// Taking out of a long ordered list, and putting into it, at once.
#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <span>
#include <utility>
#include <vector>

namespace colvik::world {

/// What stays of a list while some are taken out and others put in: from where to where, and how
/// many are gone and fresh before it.
struct Staying {
  std::uint32_t from = 0;
  std::uint32_t to = 0;
  std::uint32_t gone = 0;
  std::uint32_t fresh = 0;
};

/// Takes those at the positions `gone` out of a list, and puts fresh[k] before what is at position
/// before[k]; both are positions in the list as it was, in order. What goes and what comes make up
/// for each other: only what lies between the two is moved, once. `spans` is kept, so that a steady
/// step takes no memory; `fresh` is left empty.
template <class List>
void patch(List& list, std::span<const std::uint32_t> gone, std::span<const std::uint32_t> before,
           List& fresh, std::vector<Staying>& spans) {
  if (gone.empty() && before.empty()) return;
  const std::size_t known = list.size();
  const std::size_t wanted = known - gone.size() + before.size();
  spans.clear();
  std::size_t out = 0;
  std::size_t in = 0;
  const auto span_to = [&](std::size_t from, std::size_t to) {
    const auto small = [](std::size_t x) { return static_cast<std::uint32_t>(x); };
    if (from < to) spans.push_back({small(from), small(to), small(out), small(in)});
  };
  std::size_t at = 0;
  while (out < gone.size() || in < before.size()) {
    if (out == gone.size() || (in < before.size() && before[in] <= gone[out])) {
      span_to(at, before[in]);
      at = before[in++];
    } else {
      span_to(at, gone[out]);
      at = gone[out++] + 1;
    }
  }
  span_to(at, known);
  if (wanted > known) list.resize(wanted);
  // Those that go down, from below, do not meet those that go up; then these, from above.
  const auto begin = list.begin();
  const auto place = [begin](std::size_t i) { return begin + static_cast<std::ptrdiff_t>(i); };
  for (const Staying& s : spans)
    if (s.gone > s.fresh) std::move(place(s.from), place(s.to), place(s.from + s.fresh - s.gone));
  for (std::size_t k = spans.size(); k-- > 0;)
    if (const Staying& s = spans[k]; s.fresh > s.gone)
      std::move_backward(place(s.from), place(s.to), place(s.to + s.fresh - s.gone));
  out = 0;
  for (std::size_t k = 0; k < before.size(); ++k) {
    while (out < gone.size() && gone[out] < before[k]) ++out;
    list[before[k] - out + k] = std::move(fresh[k]);
  }
  list.resize(wanted);
  fresh.clear();
}

}  // namespace colvik::world
