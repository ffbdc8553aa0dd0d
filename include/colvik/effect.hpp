#pragma once
/// What a reaction does: one type per effect, made by the functions in colvik::effects.

#include <colvik/export.hpp>
#include <colvik/vector.hpp>

#include <concepts>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

namespace colvik {

/// A direction or a position of an effect or start; 2D ignores the third number.
using Direction = Vec<3>;

/// A side of the touch that starts a reaction.
enum class Side { self, other };

/// Whom an effect acts on.
struct COLVIK_EXPORT Target {
  enum class Kind { self, other, object, all };
  Kind kind = Kind::self;
  std::string who{};  ///< the object's name, without '@', or a tag query

  Target() = default;
  Target(Side side) : kind(side == Side::self ? Kind::self : Kind::other) {}  // NOLINT: converts
  [[nodiscard]] static Target object(std::string name);
  /// Each shown object that matches the tag query, in order of creation.
  [[nodiscard]] static Target all(std::string query);
  /// "self", "other", "@stamp-parcel", "all parcel"
  [[nodiscard]] std::string text() const;
};

/// How much: a number, or that many times another number, read when the effect acts:
/// "world.parcels", "self.charge", "other.value", "@dock.charge". Whose number is missing does
/// nothing.
struct Amount {
  double by = 0;     ///< with `of` a factor
  std::string of{};  ///< empty: `by` itself

  Amount() = default;
  Amount(double given) : by(given) {}  // NOLINT: meant to convert
  template <std::integral N>
  Amount(N given) : by(static_cast<double>(given)) {}  // NOLINT: 0 is no name
  Amount(std::string number, double times = 1) : by(times), of(std::move(number)) {}  // NOLINT
  Amount(const char* number, double times = 1) : by(times), of(number) {}             // NOLINT
};

/// The number that `Damage` lowers.
inline constexpr std::string_view kHealth = "health";

namespace effects {

// ---- numbers: "world.parcels", "self.charge", "other.charge", "@dock.charge", or "each.charge" of
// `each` ----------

/// Adds `by` to a number.
struct Add {
  std::string number{};
  Amount by{};
  Target each{};
};
struct Set {
  std::string number{};
  Amount to{};
  Target each{};
};
/// Keeps a number within `least` and `most`.
struct Clamp {
  std::string number{};
  double least = 0;
  double most = 0;
  Target each{};
};
/// Lowers the target's number "health" by `by`, not below zero.
struct Damage {
  Target target{};
  Amount by{};
  double safe = 0;  ///< seconds during which the target takes no further damage
};

// ---- presence -----------------------------------------------------------------------------------

/// Removes the target. It is `going` from the start on: until it is gone it touches but starts
/// nothing.
struct Remove {
  Target target{};
};
struct Hide {
  Target target{};
};
struct Show {
  Target target{};
};
struct Retag {
  Target target{};
  std::vector<std::string> give{};
  std::vector<std::string> take{};
};
/// A place on an object: its origin, or one of its spots.
struct SpotOf {
  Target object{};
  std::string spot{};        ///< empty: the object's origin
  Direction offset = kZero;  ///< from there, in its frame
};
/// A position drawn by chance; the same in each run.
struct Anywhere {
  Bounds<3> region{};
  std::uint64_t seed = 1;
};
/// A new object of a declared kind.
struct Spawn {
  std::string kind{};
  std::variant<Direction, SpotOf, Anywhere> where =
      Direction(kZero);             ///< a position in the world, on an object, or in a region
  Direction velocity = kZero;       ///< with SpotOf in that frame
  Direction spin = kZero;           ///< radians per second; in 2D the third number
  std::optional<Target> excepts{};  ///< whom it does not meet until the two are apart
};

// ---- motion -------------------------------------------------------------------------------------

/// No velocity, no spin, no motion.
struct Stop {
  Target target{};
};
/// Sends a kinematic target straight to a position, or after an object. Replaces its motion.
struct Send {
  Target target{};
  std::variant<Direction, Target> to = Direction(kZero);
  double speed = 0;   ///< units per second, above 0
  double within = 0;  ///< stops at this distance
};
/// Reverses the part of the target's velocity along the normal of the touch, or along `axis`, while
/// it approaches.
struct Bounce {
  Target target{};
  Direction axis = kZero;
};
struct Launch {
  Target target{};
  Direction velocity = kZero;
  bool own_frame = false;  ///< velocity in the target's own frame
};
struct Push {
  Target target{};
  Direction impulse = kZero;  ///< mass times units per second
  bool own_frame = false;
};
/// Pushes the target away from the other side of the touch.
struct PushAway {
  Target target{};
  /// Impulse; with `by_speed` per unit per second of the touch's approach speed.
  double strength = 0;
  bool by_speed = false;
  double least = 0;  ///< least impulse, with `by_speed`
};
/// Places the target elsewhere. It keeps its velocity.
struct Teleport {
  Target target{};
  std::variant<Direction, SpotOf> to = Direction(kZero);
  bool turned = false;  ///< takes on the rotation of the place; its velocity turns with it
};
/// Scales gravity for the target: 0 floats.
struct Weigh {
  Target target{};
  double scale = 1;
};
/// Mirrors the target to face the other way, with its own-frame directions.
struct Mirror {
  Target target{};
  bool back = false;  ///< restores its first orientation, instead of toggling
};
/// Lets a walker or body fall through the one-way surfaces that it stands on.
struct DropThrough {
  Target target{};
};

// ---- joining and switching ----------------------------------------------------------------------

/// The target rides with `to` from now on: at its relative pose of that moment or, with a spot or a
/// step, at the spot; the nth target that this effect attached to `to` lies n times `step` further,
/// in its frame.
struct Attach {
  Target target{};
  Target to{};
  std::string spot{};
  Direction step = kZero;
};
/// Releases the target, with the velocity that it has.
struct Detach {
  Target target{};
};
/// Detaches what effects attached to the target: the last one, or `all`.
struct Drop {
  Target target{};
  bool all = false;
};
/// The target and `whom` ignore each other: for `seconds`, `until_apart`, or (neither) for good.
struct Except {
  Target target{};
  Target whom{};
  double seconds = 0;
  bool until_apart = false;
};
struct SwitchCollider {
  Target target{};
  std::size_t collider = 0;
  bool on = true;
};
/// Switches the target's motion, which goes on from where it was.
struct SwitchMotion {
  Target target{};
  bool on = true;
};

// ---- the run ------------------------------------------------------------------------------------

struct SwitchReaction {
  std::string reaction{};
  bool on = true;
};
/// Starts the reactions that wait for the cue, in the next step.
struct Cue {
  std::string name{};
};
/// The run begins again: see Rules::wants_restart.
struct Restart {};
/// Ends the run with an outcome; the first one counts.
struct Finish {
  std::string outcome{};
};

using Any =
    std::variant<Add, Set, Clamp, Damage, Remove, Hide, Show, Retag, Stop, Send, Bounce, Launch,
                 Push, PushAway, Teleport, Spawn, Attach, Detach, Drop, Except, SwitchCollider,
                 SwitchMotion, Weigh, Mirror, DropThrough, SwitchReaction, Cue, Restart, Finish>;
}  // namespace effects

/// One thing that a reaction does.
struct Effect {
  effects::Any what{};
  double after = 0;  ///< seconds from the start, 0 or more; 0: at the end of the same step
};
/// Its key in scene files, such as "add" or "switch_off".
[[nodiscard]] COLVIK_EXPORT std::string_view name_of(const Effect& effect);

/// One function per effect; `after` is the delay in seconds. The types above say more.
namespace effects {
[[nodiscard]] COLVIK_EXPORT Effect add(std::string number, Amount by, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect set(std::string number, Amount to, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect clamp(std::string number, double least, double most,
                                         double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect damage(Target target, Amount by, double after = 0,
                                          double safe = 0);
[[nodiscard]] COLVIK_EXPORT Effect remove(Target target, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect hide(Target target, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect show(Target target, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect retag(Target target, std::vector<std::string> give,
                                         std::vector<std::string> take, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect stop(Target target, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect send(Target target, Direction position, double speed,
                                        double within = 0, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect send(Target target, Target to, double speed, double within = 0,
                                        double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect bounce(Target target, Direction axis = kZero);
[[nodiscard]] COLVIK_EXPORT Effect launch(Target target, Direction velocity, bool own_frame = false,
                                          double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect push(Target target, Direction impulse, bool own_frame = false,
                                        double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect push_away(Target target, double strength, bool by_speed = false,
                                             double least = 0);
[[nodiscard]] COLVIK_EXPORT Effect teleport(Target target, Direction position, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect teleport(Target target, Target to, std::string spot,
                                            bool turned = false, double after = 0);
/// At a position in the world.
[[nodiscard]] COLVIK_EXPORT Effect spawn(std::string kind, Direction position,
                                         Direction velocity = kZero, double after = 0,
                                         Direction spin = kZero);
/// At a spot ("" for its origin) of an object, or `offset` from there; offset and velocity in its
/// frame.
[[nodiscard]] COLVIK_EXPORT Effect spawn_at(std::string kind, Target of, std::string spot,
                                            Direction offset = kZero, Direction velocity = kZero,
                                            double after = 0, Direction spin = kZero);
/// Anywhere in a region, by chance; the same in each run.
[[nodiscard]] COLVIK_EXPORT Effect spawn_in(std::string kind, const Bounds<3>& region,
                                            std::uint64_t seed = 1, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect attach(Target target, Target to, std::string spot = "",
                                          Direction step = kZero, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect detach(Target target, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect drop_last(Target target, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect drop_all(Target target, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect except(Target target, Target whom, double seconds = 0,
                                          bool until_apart = false, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect switch_collider(Target target, std::size_t collider, bool on,
                                                   double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect switch_motion(Target target, bool on, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect weigh(Target target, double scale, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect mirror(Target target, bool back = false, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect drop_through(Target target, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect switch_reaction(std::string reaction, bool on, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect cue(std::string name, double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect restart(double after = 0);
[[nodiscard]] COLVIK_EXPORT Effect finish(std::string outcome, double after = 0);
}  // namespace effects

}  // namespace colvik
