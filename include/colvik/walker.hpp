#pragma once
/// Walkers: kinematic objects that go where their owner wishes and never into solids.
///
///     auto courier = world.add({.name = "courier", .body = colvik::BodyKind::kinematic,
///                               .colliders = {{.shape = colvik::capsule<2>(0.6, 1.2)}},
///                               .walker = colvik::Walker<2>{.speed = 4, .jump_speed =
///                               colvik::jump_speed(1.4, 9.81)}});
///     world.wish(courier.value(), {.velocity = {4, 0}});
///     world.step();
///     if (world.walking(courier.value())->standing) ...
///
/// Up is against the gravity it feels (world, its gravity_scale, fields); without gravity all
/// directions are alike, and it is carried by what is beneath: zones whose field carries. Lengths
/// are in the user's units; where a member says metres, its default is that many metres of the
/// world.

#include <colvik/export.hpp>
#include <colvik/pose.hpp>

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace colvik {

/// What a walker can do.
template <int D>
struct Walker {
  double speed = 0;                     ///< its top speed when it moves itself, above 0
  std::optional<double> speeding_up{};  ///< units per second squared; instantaneous when left out
  std::optional<double> slowing{};      ///< likewise; as speeding_up when left out
  double air_control = 1;               ///< part of these in the air, 0 to 1
  double jump_speed = 0;                ///< with which it leaves the ground; see jump_speed()
  /// Fraction of its upward speed that remains when the wish to jump ends, 0 to 1.
  double jump_cut = 1;
  double steepest = radians(45);  ///< ground it stands on and walks up, below a right angle
  double step = 0;                ///< height it climbs, below its own height
  std::optional<double>
      hold_below{};  ///< slower than this it stays on the ground over crests; always when left out
  std::optional<double> fall_limit{};  ///< it falls no faster
  std::optional<double> clearance{};   ///< from what it stands on or stops at; 0.002 metres
  double push = 0;             ///< force with which it pushes at its top speed; slower, less
  double push_least = 0;       ///< but at least this
  std::string pushes = "any";  ///< tag query: which dynamic objects it pushes
  std::string yields_to =
      "none";         ///< tag query: which dynamic objects push it instead of being stopped by it
  double weight = 0;  ///< mass with which it weighs on dynamic ground
  bool keeps_speed = true;   ///< of what carried it, when it leaves that
  bool turns_along = false;  ///< with what carries it
  bool mirrors = false;      ///< 2D: the object is mirrored when it faces against its own x axis
};

/// What its owner wants of it, until it is set again.
template <int D>
struct Wish {
  /// World; what is along up counts only while it flies; never faster than its speed.
  Vec<D> velocity = kZero;
  bool jump = false;  ///< from the step in which this becomes true, if it stands; while it stays
                      ///< true the jump rises fully
  bool drop = false;  ///< through the one-way surfaces that it stands on
  bool fly = false;   ///< gravity does not count
};
template <int D>
struct TimedWish {
  double at = 0;  ///< seconds from the start of the run
  Wish<D> wish{};
};

/// Side of the walker, relative to up.
enum class WalkSide { beneath, beside, above };
[[nodiscard]] COLVIK_EXPORT std::string_view name_of(WalkSide side);

/// The speed that reaches a height, or that comes back down after a time. Source: s = v^2 / 2g, t =
/// 2v / g.
[[nodiscard]] COLVIK_EXPORT double jump_speed(double height, double gravity);
[[nodiscard]] COLVIK_EXPORT double jump_speed_of_time(double seconds, double gravity);

}  // namespace colvik
