#pragma once
/// What happens when: a start, guards, limits and effects.
///
///     rules.add({.name = "collect", .self = "courier", .other = "parcel",
///                .effects = {effects::add("world.parcels", 1), effects::remove(Side::other)}});

#include <colvik/effect.hpp>
#include <colvik/event.hpp>
#include <colvik/export.hpp>
#include <colvik/who.hpp>

#include <functional>
#include <variant>

namespace colvik {

template <int D>
class World;

// ---- starts ----------------------------------------------------------------------------------

/// Started by a touch of `self` with `other`. A touch of two that both match both is seen from both
/// sides: the reaction fires once for each as self. An end counts when they parted (left,
/// teleported), unless `causes` lists others.
struct OnTouch {
  Phase phase = Phase::begin;
  std::optional<Channel> channel{};  ///< either when left out
  double approach = 0;               ///< at least as fast, units per second
  double impulse = 0;                ///< at least as hard, mass times units per second
  /// Only when other is on this side of self: within 45 degrees of the direction, in the world's
  /// frame or self's own.
  Direction from_side = kZero;
  bool own_side = false;
  std::vector<EndCause> causes{EndCause::left, EndCause::teleported};  ///< of an end
};

/// Started by a number, in the step after it changed: "world.parcels", or "self.charge" of each
/// object that matches `self`.
struct OnNumber {
  enum class How {
    reaches,  ///< gets to the value or past it, from either side
    passes,   ///< gets past it, from either side
    leaves    ///< was there, and is no longer
  };
  std::string number{};
  double reaches = 0;
  How how = How::reaches;
};

/// Fires when the number of shown objects that match the query becomes `reaches`; the
/// there is at the start of the run.
struct OnCount {
  std::string query = "any";
  std::uint64_t reaches = 0;
};

/// Started at a time, in seconds from the start of the run.
struct OnTime {
  double at = 0;
};

/// Started again and again: first at `from`, then every `every` seconds, each time up to `vary`
/// later or earlier by chance (seeded: the same in each run).
struct OnInterval {
  double every = 1;
  double from = 0;
  double vary = 0;
  std::uint64_t seed = 1;
};

/// Started by the first step.
struct OnStart {};

/// Started by Rules::input of that name.
struct OnInput {
  std::string name{};
};

/// Started in the step after the effect `cue` of that name.
struct OnCue {
  std::string name{};
};

/// A state of an object, in addition to its tags and numbers.
enum class State {
  shown,
  asleep,
  moving,  ///< its velocity is not zero
  attached,
  mirrored,
  standing  ///< walkers: on ground
};
[[nodiscard]] COLVIK_EXPORT std::string_view name_of(State state);

/// Started when an object that matches `self` enters a state, or leaves it (`leaves`).
struct OnState {
  State state = State::shown;
  bool leaves = false;
};

using Start =
    std::variant<OnTouch, OnNumber, OnCount, OnTime, OnInterval, OnStart, OnInput, OnCue, OnState>;

// ---- guards ----------------------------------------------------------------------------------

/// Something that is so, or not, at the moment of the start.
struct Condition {
  enum class Kind {
    touches,  ///< the side touches one that matches `query`
    is,       ///< the side matches `query`
    number,   ///< `number` is from `least` to `most`
    state,    ///< the side is in `state`
    count     ///< the number of shown objects that match `query` is from `least` to `most`
  };
  Kind kind = Kind::number;
  Side side = Side::self;
  std::string query = "any";  ///< tag query or "@object"
  std::string number{};       ///< "world.parcels", "self.charge", "other.charge"
  State state = State::shown;
  double least = -1e300;
  double most = 1e300;
};

enum class Once {
  no,         ///< as often as it starts
  per_other,  ///< once for each pair of self and other
  per_visit,  ///< once for each visit; one ends when the two were apart for `apart` seconds
  ever        ///< once in a run
};

/// Whom `most` and `cooldown` count for.
enum class Limits {
  per_self,  ///< for each self alone
  per_pair,  ///< for each two of self and other
  in_all     ///< for all together
};

// ---- reactions -------------------------------------------------------------------------------

/// One start of one reaction.
template <int D>
struct Firing {
  std::uint64_t step = 0;
  double time = 0;
  std::size_t reaction = 0;  ///< index, in order of adding
  std::optional<ObjectId> self{};
  std::optional<ObjectId> other{};  ///< only a touch has both; a time, say, has neither
  std::optional<Event<D>> touch{};  ///< seen from self, when a touch started it
};

template <int D>
struct Reaction {
  std::string name{};
  std::string self = "any";   ///< tag query or "@object"
  std::string other = "any";  ///< likewise; touches only
  Start when = OnTouch{};
  std::vector<Condition> all{};
  std::vector<Condition> any{};
  std::vector<Condition> none{};  ///< all of these, at least one of these, none of these must hold
  Once once = Once::no;
  double apart = 0.1;                   ///< seconds between two visits
  std::optional<std::uint64_t> most{};  ///< fires at most so often
  double cooldown = 0;                  ///< seconds after firing in which it does not fire again
  Limits limits = Limits::per_self;     ///< whom these two count for
  bool on = true;                       ///< false: waits to be turned on
  bool going_too = false;               ///< also started by objects whose removal is requested
  std::vector<Effect> effects{};
  /// Called when it fires. Changes requested of the world wait for the end of the step.
  std::function<void(World<D>&, const Firing<D>&)> call{};
};

}  // namespace colvik
