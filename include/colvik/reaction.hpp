#pragma once
/// What happens when: a start, a guard, and effects.
///
///     rules.add({.name = "collect", .self = "courier", .other = "parcel",
///                .effects = {effects::add("world.parcels", 1), effects::remove(Side::other)}});

#include <colvik/event.hpp>
#include <colvik/who.hpp>

#include <functional>
#include <variant>

namespace colvik {

template <int D>
class World;

/// Started by a touch of `self` with `other`. A touch of two that both match both is seen from both
/// sides: the reaction fires once for each as self. An end counts when they parted (left, teleported), not when one was
/// removed, hidden or changed.
struct OnTouch {
  Phase phase = Phase::begin;
  std::optional<Channel> channel{};  ///< either when left out
};

/// Started by a number that gets to `reaches` or past it, from either side, in the step after it did.
/// "world.parcels", or "self.charge" of each object that matches `self`.
struct OnNumber {
  std::string number{};
  double reaches = 0;
};

using Start = std::variant<OnTouch, OnNumber>;

enum class Once {
  no,         ///< as often as it starts
  per_other,  ///< once for each pair of self and other
  ever        ///< once in a run
};

enum class Side { self, other };

/// One thing that a reaction does. Made by the functions in colvik::effects.
struct Effect {
  enum class Kind { add, damage, remove, hide, show, retag, stop, finish };
  Kind kind = Kind::add;
  Side side = Side::self;  ///< whom it is done to
  std::string number{};    ///< "world.parcels", "self.charge" or "other.charge"
  double by = 0;
  std::vector<std::string> give{}, take{};  ///< tags
  std::string outcome{};
  double after = 0;  ///< seconds from the start; 0: at the end of the same step
};
[[nodiscard]] std::string_view name_of(Effect::Kind kind);

/// The number that `damage` lowers.
inline constexpr std::string_view kHealth = "health";

namespace effects {
/// Adds `by` to a number; whose is always said.
[[nodiscard]] Effect add(std::string number, double by, double after = 0);
/// Lowers the side's "health" by `by`, not below zero.
[[nodiscard]] Effect damage(Side side, double by, double after = 0);
/// Removes the side. It is `going` from the start on: until it is gone it touches but starts nothing.
[[nodiscard]] Effect remove(Side side, double after = 0);
[[nodiscard]] Effect hide(Side side, double after = 0);
[[nodiscard]] Effect show(Side side, double after = 0);
[[nodiscard]] Effect retag(Side side, std::vector<std::string> give, std::vector<std::string> take, double after = 0);
/// No velocity, no spin, no motion.
[[nodiscard]] Effect stop(Side side, double after = 0);
/// Ends the run with an outcome; the first one counts.
[[nodiscard]] Effect finish(std::string outcome, double after = 0);
}  // namespace effects

/// One start of one reaction.
template <int D>
struct Firing {
  std::uint64_t step = 0;
  double time = 0;
  std::size_t reaction = 0;                 ///< index, in order of adding
  std::optional<ObjectId> self{}, other{};  ///< a number of the world has neither
  std::optional<Event<D>> touch{};          ///< seen from self, when a touch started it
};

template <int D>
struct Reaction {
  std::string name{};
  std::string self = "any";   ///< tag query or "@object"
  std::string other = "any";  ///< likewise; touches only
  Start when = OnTouch{};
  Once once = Once::no;
  std::vector<Effect> effects{};
  /// Called when it fires. Changes asked of the world wait for the end of the step.
  std::function<void(World<D>&, const Firing<D>&)> call{};
};

}  // namespace colvik
