#pragma once
// SIMD batches of contacts, no two of which act on the same body.
#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "dynamics/moving.h"
#include "math/crew.h"
#include "math/many.h"

namespace colvik::dynamics {

/// What a pass over contacts does: with `separate` overlap is resolved and contacts that are
/// still open may close; without it only velocity is corrected.
struct Pass {
  Removal removal;
  double soft_mass = 1;
  double soft_leak = 0;  // of overlapping contacts, with `separate`
  double time = 0;       // seconds since the step began
  bool separate = true;
  bool last = false;  // of a substep: pushes are added up, and those that do not last end
};

/// Contacts that are solved in SIMD batches.
inline constexpr std::uint32_t kLanes = 8;

/// A number of each of them. Single precision is enough for impulses, since both bodies of a
/// contact are given the same, and for the velocities of one against the other; those of the bodies
/// themselves are in double precision.
using Lanes = float __attribute__((vector_size(32), aligned(32)));

template <int D>
struct SimdPoint {
  Lanes arm[D];  // from where its contact says
  Lanes mass;
  Lanes across;  // along the normal, and along the tangent in which it is least
  Lanes gap;
  Lanes push;
  Lanes drag[D];
};
/// The seldom-read part of a point.
template <int D>
struct SimdNote {
  Lanes total_push;
  Lanes when;
  Lanes struck;  // 1: its push does not last
};
template <int D>
struct SimdContact {
  std::uint32_t a[kLanes];
  std::uint32_t b[kLanes];
  Lanes normal[D];
  Lanes surface[D];
  Lanes friction;
  // To where arms begin, from the centres of mass. It is one of them, that of the nearer body that
  // can move, so that the arms of a small body are as exact as those of a large one.
  Lanes from_a[D];
  Lanes from_b[D];
  std::uint32_t first = 0;
  std::uint32_t count = 0;  // points
  std::uint32_t lanes = 0;  // in use; the others read the bodies of the first
  std::uint32_t moves_a = 0;
  std::uint32_t moves_b =
      0;  // a bit for each of these whose body a, or b, can move: only that is written
  std::uint32_t even = 0;  // likewise, those that are worked on evenly
  bool guard = false;      // each counts only once one of its bodies was hit by something else
  bool struck = false;     // some note says so
  bool begun = false;      // every note holds the time of its point's first impulse
};

/// The plain ones among contacts (those that roll, bounce or are solved at once are not), side by
/// side in vector instructions. Contacts are coloured so that no two of a colour push the same body
/// (greedily, in their order), and worked on colour by colour: within one, the order does not
/// matter, so that what is unrelated changes nothing. Those that guard come last. The instruction
/// set, chosen at run time, changes no bit.
template <int D>
class SimdContacts {
 public:
  /// Takes contacts from `first` to `end` that are to be worked on alone, with their impulses, and
  /// marks them. Cost: linear.
  void take(math::Crew& crew, std::span<const Moving<D>> moving,
            std::span<const Contact<D>> contacts, std::span<Listed> listed, std::size_t first,
            std::size_t end);
  /// Copies the impulses, and the times of the first ones, to the contacts.
  void give_back(math::Crew& crew, std::span<Contact<D>> contacts) const;

  void warm_start(math::Crew& crew, std::span<Moving<D>> moving);
  /// One pass over those that guard, or over the others.
  void push(math::Crew& crew, std::span<Moving<D>> moving, const Pass& pass, bool guards);

 private:
  // Those from one to another.
  void fill(std::size_t first, std::size_t last, std::span<const Moving<D>> moving,
            std::span<const Contact<D>> contacts);
  void weigh_some(std::size_t first, std::size_t last, std::span<const Moving<D>> moving);
  void warm_some(std::size_t first, std::size_t last, std::span<Moving<D>> moving);
  void push_some(std::size_t first, std::size_t last, std::span<Moving<D>> moving,
                 const Pass& pass);

  // f(first, last) for all from one to another, which begin and end with a colour: colours one
  // after the other, parts of one in any order.
  template <class F>
  void by_colour(math::Crew& crew, std::size_t first, std::size_t last, F&& f) {
    if (first == last) return;
    const auto begin = std::lower_bound(colours_.begin(), colours_.end(), first);
    std::size_t count = 0;
    parts_.clear();
    for (auto colour = begin; !crew.alone() && *colour < last; ++colour) {
      parts_.push_back((colour[1] - colour[0] + kPart - 1) / kPart);
      count += parts_.back();
    }
    if (count < 2 * parts_.size() || crew.alone()) {  // most colours are a part or two
      f(first, last);
      return;
    }
    crew.run(parts_, [&](std::size_t stage, std::uint32_t k, std::size_t) {
      const std::uint32_t from = begin[static_cast<std::ptrdiff_t>(stage)] + k * kPart;
      f(from, std::min(from + kPart, begin[static_cast<std::ptrdiff_t>(stage) + 1]));
    });
  }
  static constexpr std::uint32_t kPart = 16;

  math::Many<SimdContact<D>> contacts_;
  math::Many<SimdPoint<D>> points_;
  math::Many<SimdNote<D>> notes_;                       // by point
  std::vector<std::array<std::uint32_t, kLanes>> who_;  // contacts, by lane
  std::size_t guards_ = 0;                              // from here on
  std::vector<std::uint32_t> colours_;
  std::vector<std::uint32_t>
      parts_;  // where each begins, and the last ends; and while sharing them
  // While taking: colours, by body and by contact, and contacts by colour and number of points.
  std::vector<std::uint64_t> used_;
  std::vector<std::uint32_t> key_;
  std::vector<std::uint32_t> order_;
  std::vector<std::uint32_t> start_;
};

}  // namespace colvik::dynamics
