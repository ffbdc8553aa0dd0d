#pragma once
/// How far a reaction, or two objects, came in a step, and what stopped them there.

#include <colvik/event.hpp>
#include <colvik/export.hpp>

namespace colvik {

/// What stopped them first, in the order in which a step decides; the later, the further they came.
enum class Stage {
  absent,           ///< the two were never there at the same time
  no_collider,      ///< one has none
  same_object,      ///< one object does not meet itself
  relatives,        ///< they belong to one family
  hidden,           ///< one was not shown
  switched_off,     ///< a collider was off
  both_static,      ///< neither ever moves
  first_refuses,    ///< the first one's filter does not match the second
  second_refuses,   ///< the reverse
  excepted,         ///< the two are excepted from meeting
  far,              ///< their bounds never met
  apart,            ///< their bounds met, and they did not touch
  one_way,          ///< it passed a one-way surface from another side than the closed one
  not_meant,        ///< they touched, and are not what the reaction names as self and other
  another_channel,  ///< a solid touch instead of a zone, or the reverse
  another_phase,    ///< a begin, during or end instead of what starts it
  another_cause,    ///< an end, for a cause that does not count
  slower,           ///< than the speed that starts it
  softer,           ///< than the impulse that starts it
  another_side,     ///< it came from another side than the one that starts it
  claimed,          ///< an earlier reaction had already requested the removal of one of the two
  off,              ///< the reaction was switched off
  condition,        ///< one of its conditions did not hold
  most,             ///< it had fired as often as it may
  cooldown,         ///< it had fired less than its cooldown before
  already,          ///< it had fired for these two, in this visit, or ever
  another_time,     ///< it fired, or they touched, outside the time in question
  touched,          ///< they touched; of two objects without a reaction
  fired             ///< nothing: it fired
};
/// "too slow", as in reports and JSON.
[[nodiscard]] COLVIK_EXPORT std::string_view name_of(Stage stage);

/// What a guard or a start said about one start of a reaction.
struct Refusal {
  Stage stage = Stage::fired;
  double was = 0;             ///< speed, impulse, value of the condition's number or count, times
                              ///< fired, or seconds since it last fired
  double needed = 0;          ///< what would have passed
  std::size_t condition = 0;  ///< position among those of all, then any, then none
};

/// One start of a reaction, whether or not it fired; see Rules::ask_attempts.
template <int D>
struct Attempt {
  std::uint64_t step = 0;
  double time = 0;           ///< seconds from the start of the run
  std::size_t reaction = 0;  ///< index, in order of adding
  std::optional<ObjectId> self{};
  std::optional<ObjectId> other{};
  std::optional<Event<D>> touch{};  ///< seen from self
  Refusal by{};
  std::optional<std::size_t> claimed_by{};  ///< of `claimed`: the reaction; none: the program
};

}  // namespace colvik
