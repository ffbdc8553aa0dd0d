#pragma once
/// What happens when: a start, guards, limits and effects.
///
///     rules.add({.name = "collect", .self = "courier", .other = "parcel",
///                .effects = {effects::add("world.parcels", 1), effects::remove(Side::other)}});

#include <colvik/export.hpp>
#include <colvik/event.hpp>
#include <colvik/who.hpp>

#include <functional>
#include <variant>

namespace colvik {

template <int D>
class World;

/// A direction or place of an effect or start; in 2D the third number counts for nothing.
using Direction = Vec<3>;

// ---- starts ----------------------------------------------------------------------------------

/// Started by a touch of `self` with `other`. A touch of two that both match both is seen from both
/// sides: the reaction fires once for each as self. An end counts when they parted (left, teleported), unless
/// `causes` lists others.
struct OnTouch {
  Phase phase = Phase::begin;
  std::optional<Channel> channel{};  ///< either when left out
  double approach = 0;               ///< at least as fast, units per second
  double impulse = 0;                ///< at least as hard, mass times units per second
  /// Only when other lies this way of self: within 45 degrees of the direction, in the world's frame or self's own.
  Direction from_side = kZero;
  bool own_side = false;
  std::vector<EndCause> causes{EndCause::left, EndCause::teleported};  ///< of an end
};

/// Started by a number, in the step after it changed: "world.parcels", or "self.charge" of each object that matches
/// `self`.
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

/// Started when the number of shown objects that match the query comes to be `reaches`, not by what there is at the
/// start of the run.
struct OnCount {
  std::string query = "any";
  std::uint64_t reaches = 0;
};

/// Started at a time, in seconds from the start of the run.
struct OnTime {
  double at = 0;
};

/// Started again and again: first at `from`, then every `every` seconds, each time up to `vary` later or earlier by
/// chance (seeded: the same in each run).
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

/// What an object is like, besides its tags and numbers.
enum class State {
  shown,
  asleep,
  moving,  ///< its velocity is not zero
  attached,
  mirrored,
  standing  ///< walkers: on ground
};
[[nodiscard]] COLVIK_EXPORT std::string_view name_of(State state);

/// Started when an object that matches `self` comes to be in a state, or no longer is (`leaves`).
struct OnState {
  State state = State::shown;
  bool leaves = false;
};

using Start = std::variant<OnTouch, OnNumber, OnCount, OnTime, OnInterval, OnStart, OnInput, OnCue, OnState>;

// ---- guards ----------------------------------------------------------------------------------

enum class Side { self, other };

/// Something that is so, or not, at the moment of the start.
struct Condition {
  enum class Kind {
    touches,  ///< the side touches one that matches `query`
    is,       ///< the side matches `query`
    number,   ///< `number` is from `least` to `most`
    state,    ///< the side is in `state`
    count     ///< so many shown objects match `query`: from `least` to `most`
  };
  Kind kind = Kind::number;
  Side side = Side::self;
  std::string query = "any";  ///< tag query or "@object"
  std::string number{};       ///< "world.parcels", "self.charge", "other.charge"
  State state = State::shown;
  double least = -1e300, most = 1e300;
};

enum class Once {
  no,         ///< as often as it starts
  per_other,  ///< once for each pair of self and other
  per_visit,  ///< once for each visit; one ends when the two were apart for `apart` seconds
  ever        ///< once in a run
};

// ---- effects ---------------------------------------------------------------------------------

/// Whom an effect is done to.
struct COLVIK_EXPORT Target {
  enum class Kind { self, other, object, all };
  Kind kind = Kind::self;
  std::string who{};  ///< the object's name, without '@', or a tag query

  Target() = default;
  Target(Side side) : kind(side == Side::self ? Kind::self : Kind::other) {}  // NOLINT: meant to convert
  [[nodiscard]] static Target object(std::string name);
  /// Each shown object that matches the tag query, in order of creation.
  [[nodiscard]] static Target all(std::string query);
  /// "self", "other", "@stamp-parcel", "all parcel"
  [[nodiscard]] std::string text() const;
};

/// One thing that a reaction does. Made by the functions in colvik::effects.
struct Effect {
  enum class Kind {
    add,
    set,
    clamp,
    damage,
    remove,
    hide,
    show,
    retag,
    stop,
    send,
    bounce,
    launch,
    push,
    teleport,
    spawn,
    attach,
    detach,
    drop_last,
    drop_all,
    except,
    switch_on,
    switch_off,
    weigh,
    mirror,
    drop_through,
    reaction_on,
    reaction_off,
    cue,
    restart,
    finish  // the last one
  };
  Kind kind = Kind::add;
  Target target{};
  Target to{};           ///< whom it is attached to, or whose place it is
  std::string number{};  ///< "world.parcels", "self.charge", "other.charge", "@dock.charge", or "each.charge" of target
  double by = 0;         ///< to add or set, damage, strength of a push away, scale of gravity
  double least = 0, most = 0;               ///< to clamp to; the least strength of a push away
  double safe = 0;                          ///< seconds in which no more damage is done, or two do not meet
  bool until_apart = false;                 ///< except: until they no longer touch
  std::vector<std::string> give{}, take{};  ///< tags
  std::string name{};                       ///< outcome, kind, cue or reaction
  std::string spot{};
  Direction vector = kZero;  ///< place, offset, axis, impulse, or the step of a stack
  Direction velocity = kZero;
  Direction spin = kZero;        ///< radians per second; in 2D the third number counts
  double speed = 0, within = 0;  ///< send
  bool own_frame = false;        ///< vector and velocity are told in the frame of the target, or of `to`
  bool placed = false;           ///< `vector` is a place of the world
  bool turned = false;           ///< a teleported thing takes on the place's rotation, and its velocity turns with it
  bool away = false;             ///< a push away from the other side
  bool by_speed = false;         ///< which grows with the speed of the touch
  std::size_t collider = 0;
  bool turns_back = false;            ///< mirror: as it was first, instead of the other way
  bool motion = false;                ///< switch_on and switch_off: its motion instead of a collider
  std::optional<Bounds<3>> region{};  ///< spawn: anywhere in it, by chance
  std::uint64_t seed = 1;
  double after = 0;  ///< seconds from the start; 0: at the end of the same step
};
[[nodiscard]] COLVIK_EXPORT std::string_view name_of(Effect::Kind kind);

/// The number that `damage` lowers.
inline constexpr std::string_view kHealth = "health";

namespace effects {
/// Adds `by` to a number; whose is always said.
[[nodiscard]] COLVIK_EXPORT Effect add(std::string number, double by, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect set(std::string number, double to, double after = 0);
/// Keeps a number from `least` to `most`.
[[nodiscard]] COLVIK_EXPORT Effect clamp(std::string number, double least, double most, double after = 0);
/// Lowers the target's "health" by `by`, not below zero. For `safe` seconds after it no damage is done to it again.
[[nodiscard]] COLVIK_EXPORT Effect damage(Target target, double by, double after = 0, double safe = 0);
/// Removes the target. It is `going` from the start on: until it is gone it touches but starts nothing.
[[nodiscard]] COLVIK_EXPORT Effect remove(Target target, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect hide(Target target, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect show(Target target, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect retag(Target target, std::vector<std::string> give, std::vector<std::string> take,
                           double after = 0);
/// No velocity, no spin, no motion.
[[nodiscard]] COLVIK_EXPORT Effect stop(Target target, double after = 0);
/// Sends a kinematic target straight to a place of the world, or after an object, at a speed; it stops there, or
/// `within` so far of it. Takes the place of its motion.
[[nodiscard]] COLVIK_EXPORT Effect send(Target target, Direction place, double speed, double within = 0, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect send(Target target, Target to, double speed, double within = 0, double after = 0);
/// Turns the target's velocity round: the part along the normal of the touch, or along `axis`; only while it
/// approaches.
[[nodiscard]] COLVIK_EXPORT Effect bounce(Target target, Direction axis = kZero);
/// Gives it this velocity.
[[nodiscard]] COLVIK_EXPORT Effect launch(Target target, Direction velocity, bool own_frame = false, double after = 0);
/// An impulse, mass times units per second.
[[nodiscard]] COLVIK_EXPORT Effect push(Target target, Direction impulse, bool own_frame = false, double after = 0);
/// An impulse away from the other side of the touch; `by_speed`: `strength` for each unit per second of the touch,
/// at least `least`.
[[nodiscard]] COLVIK_EXPORT Effect push_away(Target target, double strength, bool by_speed = false, double least = 0);
/// To a place of the world. It keeps its velocity.
[[nodiscard]] COLVIK_EXPORT Effect teleport(Target target, Direction place, double after = 0);
/// To an object, or a spot of it; `turned`: with its rotation, and the velocity turned alike.
[[nodiscard]] COLVIK_EXPORT Effect teleport(Target target, Target to, std::string spot, bool turned = false, double after = 0);
/// A new object of a declared kind, at a place of the world.
[[nodiscard]] COLVIK_EXPORT Effect spawn(std::string kind, Direction place, Direction velocity = kZero, double after = 0,
                           Direction spin = kZero);
/// The same at a spot ("" for its origin) of an object, or `offset` from there; offset and velocity in its own frame.
[[nodiscard]] COLVIK_EXPORT Effect spawn_at(std::string kind, Target of, std::string spot, Direction offset = kZero,
                              Direction velocity = kZero, double after = 0, Direction spin = kZero);
/// The same anywhere in a region, by chance; the same in each run.
[[nodiscard]] COLVIK_EXPORT Effect spawn_in(std::string kind, const Bounds<3>& region, std::uint64_t seed = 1, double after = 0);
/// From now on the target rides with `to`: as it lies to it now, or, with a spot, there; the nth one that this effect
/// gave to `to` n times `step` further, in its frame.
[[nodiscard]] COLVIK_EXPORT Effect attach(Target target, Target to, std::string spot = "", Direction step = kZero, double after = 0);
/// On its own again, with the velocity it has.
[[nodiscard]] COLVIK_EXPORT Effect detach(Target target, double after = 0);
/// Detaches what was attached last, or all that was attached, to the target by effects.
[[nodiscard]] COLVIK_EXPORT Effect drop_last(Target target, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect drop_all(Target target, double after = 0);
/// The target and `whom` do not meet: for so many seconds, until they no longer touch, or (neither) for good.
[[nodiscard]] COLVIK_EXPORT Effect except(Target target, Target whom, double seconds = 0, bool until_apart = false, double after = 0);
/// Switches a collider, or the target's motion, which then goes on from where it was.
[[nodiscard]] COLVIK_EXPORT Effect switch_collider(Target target, std::size_t collider, bool on, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect switch_motion(Target target, bool on, double after = 0);
/// Scales gravity for the target: 0 floats.
[[nodiscard]] COLVIK_EXPORT Effect weigh(Target target, double scale, double after = 0);
/// Turns it round to face the other way, or as it was first. Own-frame directions are mirrored with it.
[[nodiscard]] COLVIK_EXPORT Effect mirror(Target target, bool back = false, double after = 0);
/// Lets it fall through the one-way surfaces it stands on.
[[nodiscard]] COLVIK_EXPORT Effect drop_through(Target target, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect switch_reaction(std::string reaction, bool on, double after = 0);
/// Starts the reactions that wait for it, in the next step.
[[nodiscard]] COLVIK_EXPORT Effect cue(std::string name, double after = 0);
/// The run begins again: see Rules::wants_restart.
[[nodiscard]] COLVIK_EXPORT Effect restart(double after = 0);
/// Ends the run with an outcome; the first one counts.
[[nodiscard]] COLVIK_EXPORT Effect finish(std::string outcome, double after = 0);
}  // namespace effects

// ---- reactions -------------------------------------------------------------------------------

/// One start of one reaction.
template <int D>
struct Firing {
  std::uint64_t step = 0;
  double time = 0;
  std::size_t reaction = 0;                 ///< index, in order of adding
  std::optional<ObjectId> self{}, other{};  ///< only a touch has both; a time, say, has neither
  std::optional<Event<D>> touch{};          ///< seen from self, when a touch started it
};

template <int D>
struct Reaction {
  std::string name{};
  std::string self = "any";   ///< tag query or "@object"
  std::string other = "any";  ///< likewise; touches only
  Start when = OnTouch{};
  std::vector<Condition> all{}, any{}, none{};  ///< all of these, at least one of these, none of these must hold
  Once once = Once::no;
  double apart = 0.1;                   ///< seconds between two visits
  std::optional<std::uint64_t> most{};  ///< fires at most so often
  double cooldown = 0;                  ///< seconds after firing in which it does not fire again
  bool on = true;                       ///< false: waits to be turned on
  bool going_too = false;               ///< also started by objects whose removal was asked for
  std::vector<Effect> effects{};
  /// Called when it fires. Changes asked of the world wait for the end of the step.
  std::function<void(World<D>&, const Firing<D>&)> call{};
};

}  // namespace colvik
