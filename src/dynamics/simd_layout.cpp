// Assigns contacts to SIMD batches, and copies their numbers between the two layouts.
#include <bit>
#include <cstddef>

#include "dynamics/simd_contacts.h"
#include "math/fetch.h"

namespace colvik::dynamics {
namespace {

constexpr std::uint32_t kNobody = 0xffffffff;
constexpr unsigned kColours = 64;

// Whether arms of a contact are measured from a's centre of mass, or from b's.
template <int D>
bool from_a(const Contact<D>& c, const Moving<D>& a, const Moving<D>& b) {
  if (a.movable != b.movable) return a.movable;
  return c.points[0].arm_a.squaredNorm() <= c.points[0].arm_b.squaredNorm();
}

template <int D>
COLVIK_FETCHES void fetch(const Contact<D>& c, std::uint32_t count) {
  math::fetch(&c, offsetof(Contact<D>, points) + count * sizeof(SolverPoint<D>));
}

}  // namespace

template <int D>
void SimdContacts<D>::take(math::Crew& crew, std::span<const Moving<D>> moving,
                           std::span<const Contact<D>> contacts, std::span<Listed> listed,
                           std::size_t first, std::size_t end) {
  constexpr std::uint32_t kCounts = contact::kMostPoints<D>;
  constexpr std::uint32_t kKinds = 2 * kColours * kCounts;
  contacts_.clear();
  points_.clear();
  notes_.clear();
  who_.clear();
  colours_.clear();
  guards_ = 0;
  if (first == end) return;
  // Guards come last, then colours in their order; how many points there are orders them within.
  used_.assign(2 * moving.size(), 0);
  key_.assign(end - first, kNobody);
  start_.assign(kKinds + 1, 0);
  for (std::size_t i = first; i < end; ++i) {
    constexpr std::size_t kAhead = 16;
    if (i + kAhead < end)
      for (const std::uint32_t body : {listed[i + kAhead].a, listed[i + kAhead].b})
        math::fetch(&moving[body].movable, 1);
    Listed& c = listed[i];
    if (c.worked != Worked::alone || !c.plain || c.count == 0) continue;
    const std::size_t kind = c.guard ? moving.size() : 0;
    std::uint64_t taken = 0;
    const bool has_a = moving[c.a].movable;
    const bool has_b = moving[c.b].movable;
    if (has_a) taken |= used_[kind + c.a];
    if (has_b) taken |= used_[kind + c.b];
    const auto colour = static_cast<unsigned>(std::countr_one(taken));
    if (colour == kColours) continue;
    if (has_a) used_[kind + c.a] |= std::uint64_t{1} << colour;
    if (has_b) used_[kind + c.b] |= std::uint64_t{1} << colour;
    c.worked = Worked::simd;
    key_[i - first] = ((c.guard ? kColours : 0) + colour) * kCounts + c.count - 1;
    ++start_[key_[i - first] + 1];
  }
  for (std::uint32_t k = 0; k < kKinds; ++k) start_[k + 1] += start_[k];
  order_.resize(start_[kKinds]);
  std::vector<std::uint32_t>& next = start_;
  for (std::size_t i = first; i < end; ++i)
    if (const std::uint32_t key = key_[i - first]; key != kNobody)
      order_[next[key]++] = static_cast<std::uint32_t>(i);
  // Now start_[k] is where kind k ends.
  std::uint32_t point_count = 0;
  for (std::uint32_t key = 0, at = 0; key < kKinds; ++key) {
    if (key == kColours * kCounts) guards_ = contacts_.size();
    if (key % kCounts == 0 && (colours_.empty() || colours_.back() < contacts_.size()))
      colours_.push_back(static_cast<std::uint32_t>(contacts_.size()));
    for (; at < start_[key]; at = std::min(at + kLanes, start_[key])) {
      SimdContact<D>& w = contacts_.emplace_back();
      w.first = point_count;
      w.count = key % kCounts + 1;
      w.guard = key >= kColours * kCounts;
      w.lanes = std::min(start_[key] - at, kLanes);
      point_count += w.count;
      // An empty lane is a contact that has no mass.
      std::array<std::uint32_t, kLanes>& who = who_.emplace_back();
      for (std::uint32_t lane = 0; lane < kLanes; ++lane)
        who[lane] = order_[lane < w.lanes ? at + lane : at];
    }
  }
  colours_.push_back(static_cast<std::uint32_t>(contacts_.size()));
  points_.resize(point_count);
  notes_.resize(point_count);
  crew.share(contacts_.size(), kPart, [&](std::size_t from, std::size_t to, std::size_t) {
    for (; from < to; from += kPart) {  // what was just filled in is at hand
      const std::size_t end_of_part = std::min<std::size_t>(from + kPart, to);
      fill(from, end_of_part, moving, contacts);
      weigh_some(from, end_of_part, moving);
    }
  });
}

template <int D>
void SimdContacts<D>::fill(std::size_t first, std::size_t last, std::span<const Moving<D>> moving,
                           std::span<const Contact<D>> contacts) {
  for (std::size_t at = first; at < last; ++at) {
    if (at + 1 < contacts_.size())
      for (const std::uint32_t next : who_[at + 1]) fetch(contacts[next], contacts_[at + 1].count);
    SimdContact<D>& w = contacts_[at];
    for (std::uint32_t lane = 0; lane < kLanes; ++lane) {
      const auto set = [lane](Lanes& to, double x) { to[lane] = static_cast<float>(x); };
      const bool empty = lane >= w.lanes;
      const Contact<D>& c = contacts[who_[at][lane]];
      const Moving<D>& a = moving[c.a];
      const Moving<D>& b = moving[c.b];
      w.a[lane] = c.a;
      w.b[lane] = c.b;
      w.moves_a |= (!empty && a.movable ? 1U : 0U) << lane;
      w.moves_b |= (!empty && b.movable ? 1U : 0U) << lane;
      w.even |= (!empty && c.even > 0 && c.count > 1 ? 1U : 0U) << lane;
      set(w.friction, c.friction);
      const bool near_a = from_a(c, a, b);
      for (int i = 0; i < D; ++i) {
        set(w.normal[i], c.normal[i]);
        set(w.surface[i], c.surface[i]);
        const double between = c.points[0].arm_b[i] - c.points[0].arm_a[i];
        set(w.from_a[i], near_a ? 0 : -between);
        set(w.from_b[i], near_a ? between : 0);
      }
      for (std::uint32_t k = 0; k < w.count; ++k) {
        const SolverPoint<D>& from = c.points[k];
        SimdPoint<D>& to = points_[w.first + k];
        for (int i = 0; i < D; ++i) {
          set(to.arm[i], near_a ? from.arm_a[i] : from.arm_b[i]);
          set(to.drag[i], empty ? 0 : from.drag[i]);
        }
        set(to.mass, empty ? 0 : 1);
        set(to.gap, from.gap);
        set(to.push, empty ? 0 : from.push);
        SimdNote<D>& note = notes_[w.first + k];
        set(note.total_push, from.total_push);
        set(note.when, from.when);
        set(note.struck, 0);
      }
    }
  }
}

template <int D>
void SimdContacts<D>::warm_start(math::Crew& crew, std::span<Moving<D>> moving) {
  by_colour(crew, 0, contacts_.size(),
            [&](std::size_t first, std::size_t last) { warm_some(first, last, moving); });
}

template <int D>
void SimdContacts<D>::push(math::Crew& crew, std::span<Moving<D>> moving, const Pass& pass,
                           bool guards) {
  by_colour(crew, guards ? guards_ : 0, guards ? contacts_.size() : guards_,
            [&](std::size_t first, std::size_t last) { push_some(first, last, moving, pass); });
}

template <int D>
void SimdContacts<D>::give_back(math::Crew& crew, std::span<Contact<D>> contacts) const {
  crew.share(contacts_.size(), kPart, [&](std::size_t first, std::size_t last, std::size_t) {
    for (std::size_t i = first; i < last; ++i) {
      const SimdContact<D>& w = contacts_[i];
      if (i + 1 < last)
        for (const std::uint32_t next : who_[i + 1]) fetch(contacts[next], contacts_[i + 1].count);
      for (std::uint32_t lane = 0; lane < w.lanes; ++lane) {
        const auto of_lane = [lane](const Lanes& from) { return static_cast<double>(from[lane]); };
        Contact<D>& c = contacts[who_[i][lane]];
        for (std::uint32_t k = 0; k < w.count; ++k) {
          const SimdPoint<D>& from = points_[w.first + k];
          SolverPoint<D>& to = c.points[k];
          to.push = of_lane(from.push);
          for (int axis = 0; axis < D; ++axis) to.drag[axis] = of_lane(from.drag[axis]);
          const SimdNote<D>& note = notes_[w.first + k];
          to.total_push = of_lane(note.total_push);
          to.when = of_lane(note.when);
        }
      }
    }
  });
}

template class SimdContacts<2>;
template class SimdContacts<3>;

}  // namespace colvik::dynamics
