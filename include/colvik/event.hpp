#pragma once
/// What a step reports: touches that begin, go on and end.

#include <colvik/export.hpp>
#include <colvik/object.hpp>

namespace colvik {

enum class Phase { begin, during, end };
enum class Channel { solid, zone };  ///< zone when either collider is a zone

/// Why a touch ended.
enum class EndCause {
  none,        ///< it has not
  left,        ///< they moved apart
  teleported,  ///< one was placed elsewhere
  removed,     ///< one was removed
  hidden,      ///< one was made inactive
  switched,    ///< a collider was switched off
  filtered,    ///< a filter was changed
  retagged,    ///< tags were changed
  run_over     ///< the run ended
};
[[nodiscard]] COLVIK_EXPORT std::string_view name_of(Phase phase);
[[nodiscard]] COLVIK_EXPORT std::string_view name_of(Channel channel);
[[nodiscard]] COLVIK_EXPORT std::string_view name_of(EndCause cause);

/// One touch of two objects on one channel, in one phase. The events of a step stand in a fixed
/// order: by the two objects' order of creation, then by channel.
template <int D>
struct Event {
  std::uint64_t step = 0;  ///< counted from 1
  /// In seconds from the start: when within the step it began or was left; the step's beginning if
  /// a change before it ended it (removed, hidden, teleported, ...); else the step's end.
  double time = 0;
  Phase phase = Phase::begin;
  Channel channel = Channel::solid;
  EndCause why = EndCause::none;
  ObjectId self;
  ObjectId other;  ///< self was created first; see seen_from()
  ObjectId self_root;
  ObjectId other_root;  ///< their root parents, or themselves
  TagSet self_tags;
  TagSet other_tags;          ///< the object's and its touching colliders'
  Vec<D> normal = kZero;      ///< unit length, points at self
  Vec<D> point = kZero;       ///< world position between the two
  double approach_speed = 0;  ///< units per second at which they came together; 0 on an end
  double impulse = 0;         ///< of the contact in this step, also in the one it ended in; 0
                              ///< unless one is dynamic
  bool squeezed = false;  ///< a dynamic one or a walker is pressed into the other by a third that
                          ///< cannot yield either
  /// Of the colliders that touch: the first to touch or, while several do, the nearest ones;
  /// positions in the objects' lists.
  std::uint32_t self_collider = 0;
  std::uint32_t other_collider = 0;
  bool again = false;  ///< a begin less than 0.1 s after the two parted: the same visit continues

  /// The same touch with `object` as self. Requires: `object` is self or other.
  [[nodiscard]] Event seen_from(ObjectId object) const {
    if (object == self) return *this;
    Event turned = *this;
    std::swap(turned.self, turned.other);
    std::swap(turned.self_root, turned.other_root);
    std::swap(turned.self_tags, turned.other_tags);
    std::swap(turned.self_collider, turned.other_collider);
    turned.normal = -normal;
    return turned;
  }
};

/// A touch of two colliders, as it is now.
template <int D>
struct ColliderTouch {
  ObjectId self;
  ObjectId other;
  std::size_t self_collider = 0;
  std::size_t other_collider = 0;
  Channel channel = Channel::solid;
  Vec<D> normal = kZero;         ///< unit length, points at self
  Vec<D> point = kZero;          ///< world position between the two, where they are deepest
  std::vector<Vec<D>> points{};  ///< of solids that push: all their contact points
  double gap = 0;                ///< below 0: so deep they overlap
  double impulse = 0;            ///< of the last step
};

/// A touch of two colliders that began or ended in a step, see World::ask_pairs.
template <int D>
struct PairEvent {
  Phase phase = Phase::begin;
  ColliderTouch<D> touch{};  ///< self was created first; of an end, as it last was
};

/// A touch that another engine found, for World::step_reported.
struct ReportedTouch {
  double time = 0;  ///< seconds from the start
  Phase phase = Phase::begin;
  Channel channel = Channel::solid;
  EndCause why = EndCause::none;
  ObjectId self;
  ObjectId other;
  double approach_speed = 0;
  double impulse = 0;
};

}  // namespace colvik
