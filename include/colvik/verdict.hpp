#pragma once
/// Whether two colliders may meet, and which rule said so.

#include <colvik/event.hpp>
#include <colvik/export.hpp>

namespace colvik {

enum class DecidedBy {
  both_accept,    ///< they meet
  same_object,    ///< colliders of one object never meet
  relatives,      ///< one is the other's child, or both are of one family, and neither requests
                  ///< relatives
  excepted,       ///< the two objects are excepted from meeting
  both_static,    ///< neither ever moves
  inactive,       ///< one object is hidden
  switched_off,   ///< one collider is off
  first_refuses,  ///< the first one's filter does not match the second
  second_refuses  ///< the reverse
};

struct Verdict {
  bool meet = false;
  Channel channel = Channel::solid;
  DecidedBy by = DecidedBy::both_accept;
};

/// How far a step came with two colliders.
struct PairState {
  bool near = false;      ///< their bounds met, and they may meet
  bool touching = false;  ///< since this step or before
  bool passing = false;   ///< through a one-way surface, or a surface from behind
};

/// One side of the question: a collider with what its object adds.
struct Party {
  TagSet tags{};  ///< the object's and the collider's
  TagQuery meets{};
  BodyKind body = BodyKind::fixed;
  bool zone = false;
  bool active = true;
  bool on = true;
  std::uint64_t object = 0;  ///< serial of the object
  std::uint64_t family = 0;  ///< serial of its root; 0: unknown
  bool meets_relatives = false;
};

/// The one function that decides it, for the step, expectations and explanations.
[[nodiscard]] COLVIK_EXPORT Verdict decide(const Party& first, const Party& second);

/// "meets 'courier', but courier has: robot"; `first` and `second` name the two.
[[nodiscard]] COLVIK_EXPORT std::string explain(const Verdict& verdict, const Party& first,
                                                std::string_view first_name, const Party& second,
                                                std::string_view second_name, const Tags& tags);

}  // namespace colvik
