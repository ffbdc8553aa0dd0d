#pragma once
// Contacts side by side: several at a time, no two of which push the same body.
#include <cstdint>
#include <span>
#include <vector>

#include "dynamics/moving.h"
#include "math/many.h"

namespace colvik::dynamics {

/// What a pass over contacts does: with `separate` overlap is pushed apart and contacts that are still open may close;
/// without it only velocity is corrected.
struct Pass {
  Removal removal;
  double soft_mass = 1, soft_leak = 0;  // of overlapping contacts, with `separate`
  double time = 0;                      // seconds since the step began
  bool separate = true;
  bool last = false;  // of a substep: pushes are added up, and those that do not last end
};

using Four = double __attribute__((vector_size(32), aligned(32)));

/// Contacts that are worked on side by side. In 2D in two vectors: one is worked on while the other waits for its
/// result. In 3D there is enough to do meanwhile: twice as many are no faster, even where the registers hold them.
template <int D>
inline constexpr std::uint32_t kVectors = D == 2 ? 2 : 1;
template <int D>
inline constexpr std::uint32_t kLanes = 4 * kVectors<D>;

/// A number of each of them.
template <int D>
struct Lanes {
  Four part[kVectors<D>];
  [[nodiscard]] double at(std::uint32_t lane) const { return part[lane / 4][lane % 4]; }
  void set(std::uint32_t lane, double x) { part[lane / 4][lane % 4] = x; }
};

template <int D>
struct WidePoint {
  Lanes<D> arm[D];  // from a's centre of mass
  Lanes<D> mass, across;
  Lanes<D> gap, push;
  Lanes<D> drag[D];
};
/// What of a point is seldom looked at.
template <int D>
struct WideNote {
  Lanes<D> total_push;
  Lanes<D> when;
  Lanes<D> struck;  // 1: its push does not last
};
template <int D>
struct WideContact {
  std::uint32_t a[kLanes<D>], b[kLanes<D>];
  Lanes<D> normal[D], surface[D], friction;
  Lanes<D> between[D];                 // from b's centre of mass to a's
  std::uint32_t first = 0, count = 0;  // points
  std::uint32_t lanes = 0;             // in use; the others look at the bodies of the first
  bool guard = false;                  // each counts only once one of its bodies was hit by something else
  bool struck = false;                 // some note says so
};

/// The plain ones among contacts (those that roll, bounce or are solved at once are not), side by side in vector
/// instructions. Contacts are coloured so that no two of a colour push the same body (greedily, in their order), and
/// worked on colour by colour: within one, the order does not matter, so that what is unrelated changes nothing. Those
/// that guard come last. The instruction set, chosen at run time, changes no bit.
template <int D>
class Wide {
 public:
  /// Takes contacts from `first` to `end` with their impulses, and marks their rows. Cost: linear.
  void take(std::span<const Moving<D>> moving, std::span<const Contact<D>> contacts, std::span<Rows<D>> rows,
            std::size_t first, std::size_t end);
  /// Tells the contacts their impulses, and when they began to push.
  void give_back(std::span<Contact<D>> contacts) const;

  void warm_start(std::span<Moving<D>> moving);
  /// One pass over those that guard, or over the others.
  void push(std::span<Moving<D>> moving, const Pass& pass, bool guards);

 private:
  math::Many<WideContact<D>> contacts_;
  math::Many<WidePoint<D>> points_;
  math::Many<WideNote<D>> notes_;                          // by point
  std::vector<std::array<std::uint32_t, kLanes<D>>> who_;  // contacts, by lane
  std::size_t guards_ = 0;                                 // from here on
  // While taking: colours, by body and by contact, and contacts by colour and number of points.
  std::vector<std::uint64_t> used_;
  std::vector<std::uint32_t> key_, order_, start_;
};

}  // namespace colvik::dynamics
