#pragma once
// What a world keeps of two that may meet: pairs of colliders, and touches of objects made of them.
#include <colvik/world.hpp>

#include <algorithm>
#include <tuple>

#include "contact/start.h"
#include "math/many.h"

namespace colvik::world {

inline constexpr double kVisitGap =
    0.1;  // seconds apart after which the next touch is another visit

// What is kept of a contact point, to start the next step from.
template <int D>
struct CachedImpulse {
  std::uint32_t id = 0;
  std::uint8_t even = 0;  // steps in which its contact's points are still worked on evenly
  double push = 0;
  Vec<D> drag = Vec<D>::Zero();
  Spin<D> roll = Spin<D>::Zero();
  Vec<D> at = Vec<D>::Zero();  // from the centre of mass of a's object, in its frame
};

// How two objects have moved.
template <int D>
struct Displacement {
  Vec<D> moved = kZero;  // a's displacement minus b's
  double turned = 0;     // path lengths of their furthest points due to turning, summed
};

// How fast a body moves.
template <int D>
struct Pace {
  Vec<D> velocity = kZero;
  Vec<D> acceleration = kZero;
  double turning = 0;  // of its furthest point
  // How far any of its points may get within that time, at most.
  [[nodiscard]] double alone(double seconds) const {
    return (velocity.norm() + turning) * seconds + acceleration.norm() * seconds * seconds;
  }
  // How far two may come together within it.
  [[nodiscard]] double distance(const Pace& other, double seconds) const {
    return (velocity - other.velocity).norm() * seconds +
           (acceleration - other.acceleration).norm() * seconds * seconds +
           (turning + other.turning) * seconds;
  }
};

// A separating slab: bounds the gap while two move, so that they need no test before they have
// crossed it.
template <int D>
struct Slab {
  double apart = 0;                // its width; 0: there is none
  Vec<D> normal = kZero;           // from a to b; zero: of any direction
  Displacement<D> displacement{};  // until it was found

  // At least how far apart the two still are; 0 without one.
  [[nodiscard]] double left(const Displacement<D>& now) const {
    if (apart <= 0) return 0;
    const Vec<D> moved = now.moved - displacement.moved;
    return apart - (normal.isZero(0) ? moved.norm() : normal.dot(moved)) -
           (now.turned - displacement.turned);
  }
};

// Two colliders whose padded bounds overlap and that may meet. What every step reads of every pair
// comes first; most are apart, and of these nothing else is read.
template <int D>
struct alignas(64) Pair {
  std::uint32_t a = 0;
  std::uint32_t b = 0;  // collider slots; a's serial is the smaller
  std::uint32_t object_a = 0;
  std::uint32_t object_b = 0;  // of their objects
  Channel channel = Channel::solid;
  bool responds = false;  // solid and at least one side dynamic
  bool touching = false;
  bool passed = false;  // touched and left again within the step
  bool left = false;    // no longer touches since this step
  bool squeezed = false;
  // While it slept, changes of the two were not visited: whether its bounds still overlap, and the
  // two may meet, is unknown though none is dirty.
  bool unsure = false;
  // It responds, was apart in the last step too, and has nothing to report or to reset.
  bool idle = false;
  double coming = -1;    // seconds into the step at which it would close without other contacts
  bool ignored = false;  // by a one-way surface, on request, until separated
  // Through a one-way surface that it did not meet from the open side, or a surface whose back it
  // met.
  bool passing = false;
  bool from_behind = false;  // likewise, since this step
  Slab<D> slab{};            // as they were at the last narrow phase
  std::uint64_t serial_a = 0;
  std::uint64_t serial_b = 0;

  double gap = 0;
  double approach = 0;
  double impulse = 0;
  double closing = 0;  // speed at which the gap closes at the end of the step
  double when = -1;
  // Seconds into the step at which it began and ended to touch; below 0: not in it.
  double until = -1;
  Vec<D> normal = Vec<D>::Zero();        // world, from a to b
  Vec<D> point = Vec<D>::Zero();         // world
  std::vector<CachedImpulse<D>> cached;  // of the last step
  std::vector<std::uint32_t> standing;   // one-way pieces that it landed on, until it leaves them
  // For the next search for contacts, of shapes that go on from it: one; none of others, so that
  // most pairs are small.
  std::vector<contact::Start<D>> start;

  // Before a step sets what it does.
  void forget() {
    approach = impulse = 0;
    gap = std::numeric_limits<double>::max();
    when = until = -1;
  }
};

// Two colliders whose padded bounds overlap; a's serial is the smaller.
struct Candidate {
  std::uint64_t serial_a = 0;
  std::uint64_t serial_b = 0;
  std::uint32_t a = 0;
  std::uint32_t b = 0;  // slots
};

// A pair whose contacts are found within the step, when the two are near, and again when they have
// moved too far since.
template <int D>
struct FastPair {
  std::uint32_t pair = 0;
  std::uint32_t body_a = 0;
  std::uint32_t body_b = 0;
  double turning_radius_a = 0;
  double turning_radius_b = 0;  // of its two objects, at hand
  double thin_a = 0;
  double thin_b = 0;  // likewise
  double holds = 0;
  double holds_touching = 0;  // displacements that they may make until then, apart and touching
  Slab<D> slab{};  // as they were at the last narrow phase, with their displacements within the
                   // step; none: they had contacts
  std::uint32_t first = 0;
  std::uint32_t count = 0;  // contacts
  double hold = 0;          // displacement until these are found again
  Displacement<D> found{};  // displacements within the step when these were found
};

// A pair whose contacts are about to be found.
struct Predicted {
  enum How : std::uint8_t {
    slow,
    quick,  // they must be stopped at once
    past    // they do not meet unless another contact changes their velocities within the substep
  };
  std::uint32_t fast = 0;  // index into the fast pairs
  double closing = 0;      // displacement in the substep, at most
  double small = 0;        // thickness of the thinner
  double ahead = 0;        // seconds until the two touch
  How how = slow;
};

// Touch of two objects on a channel, made of all their touching pairs.
template <int D>
struct Touch {
  std::uint64_t serial_a = 0;
  std::uint64_t serial_b = 0;
  std::uint32_t a = 0;
  std::uint32_t b = 0;  // object slots
  Channel channel = Channel::solid;
  TagSet tags_a;
  TagSet tags_b;
  double gap = 0;
  double approach = 0;
  double impulse = 0;
  Vec<D> normal = Vec<D>::Zero();  // from a to b
  Vec<D> point = Vec<D>::Zero();
  bool passed = false;
  bool squeezed = false;
  double when = 0;
  double until = 0;       // seconds into the step
  std::uint32_t nth = 0;  // of its step's pairs
  std::uint64_t pair_a = 0;
  std::uint64_t pair_b = 0;  // serials of the colliders
  bool merged = false;       // of several pairs
  [[nodiscard]] auto key() const { return std::tuple(serial_a, serial_b, channel); }
};

template <int D>
[[nodiscard]] bool older(const Pair<D>& x, const Pair<D>& y) {
  return std::pair(x.serial_a, x.serial_b) < std::pair(y.serial_a, y.serial_b);
}
template <int D>
[[nodiscard]] bool earlier(const Touch<D>& x, const Touch<D>& y) {
  return x.key() < y.key();
}
// Puts what was added behind the first `known` of an ordered list into its order. `spare` is kept,
// so that a steady step takes no memory.
template <class List, class Less>
void merge_tail(List& list, std::size_t known, Less less, List& spare) {
  const auto tail = list.begin() + static_cast<std::ptrdiff_t>(known);
  std::sort(tail, list.end(), less);
  spare.assign(std::move_iterator(tail), std::move_iterator(list.end()));
  for (std::size_t old = known, fresh = spare.size(), to = list.size(); fresh > 0;) {
    const bool takes_old = old > 0 && less(spare[fresh - 1], list[old - 1]);
    list[--to] = std::move(takes_old ? list[--old] : spare[--fresh]);
  }
  spare.clear();
}
template <class List, class Less>
void merge_tail(List& list, std::size_t known, Less less) {
  List spare;
  merge_tail(list, known, less, spare);
}

// Objects that fell asleep together, with what they touch: taken out of the lists that a step
// walks.
template <int D>
struct SleepGroup {
  std::vector<std::uint32_t> objects;  // slots
  math::Many<Pair<D>> pairs;
  math::Many<Touch<D>> touches;
};

// A touch of two colliders that is subscribed to.
template <int D>
struct RequestedTouch {
  std::uint64_t serial_a = 0;
  std::uint64_t serial_b = 0;
  ColliderTouch<D> touch;
  [[nodiscard]] auto key() const { return std::pair(serial_a, serial_b); }
};

// Two that parted, and when.
struct Parted {
  std::tuple<std::uint64_t, std::uint64_t, Channel> key;
  double time = 0;
};

// When a touch ended, in the step at hand.
struct Ended {
  std::tuple<std::uint64_t, std::uint64_t, Channel> key;
  double until = -1;  // seconds into the step; below 0: at its end
  double impulse = 0;
};

// What a walker may meet on its move.
template <int D>
struct Obstacle {
  Pair<D>* pair = nullptr;
  std::uint32_t own = 0;
  std::uint32_t other = 0;  // colliders
  bool stops = true;   // false where the walker may pass: one-way surfaces, and those it yields to
  bool pushes = true;  // the walker out of itself
  bool set_aside = false;  // `stops`, while it carries the walker
};

}  // namespace colvik::world
