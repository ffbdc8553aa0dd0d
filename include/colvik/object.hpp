#pragma once
/// The definition of an object, and the state that a world shows of it.

#include <colvik/export.hpp>
#include <colvik/shape.hpp>
#include <colvik/tags.hpp>
#include <colvik/walker.hpp>

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <variant>
#include <vector>

namespace colvik {

/// Handle of an object in one world. Outlives the object safely: a removed object's handle is never
/// taken for another's. The default value names no object.
struct ObjectId {
  std::uint32_t slot = 0xffffffff;
  std::uint32_t generation = 0;
  auto operator<=>(const ObjectId&) const = default;
};

/// How an object moves.
enum class BodyKind {
  fixed,      ///< "static" in scene files: never moves
  kinematic,  ///< moved by its owner (velocity, path or pose); unaffected by forces, moves dynamic
              ///< ones
  dynamic     ///< moved by gravity and contacts
};
[[nodiscard]] COLVIK_EXPORT std::string_view name_of(BodyKind kind);

/// An empty list, as a member's default (see kZero).
struct EmptyList {
  template <class T>
  operator std::vector<T>() const {  // NOLINT: meant to convert
    return {};
  }
};
inline constexpr EmptyList kEmpty{};

/// A moment of a collider's schedule.
template <int D>
struct Beat {
  double at = 0;                  ///< seconds from the start of the run, or of each round
  std::optional<bool> on{};       ///< switched on or off
  std::optional<double> scale{};  ///< factor of its first size; > 0
};
template <int D>
struct Schedule {
  std::vector<Beat<D>> beats = kEmpty;  ///< in order of time
  double period = 0;                    ///< seconds of a round, above the last beat; 0: once
};

/// What a zone does to the objects inside it.
template <int D>
struct Field {
  Vec<D> gravity = kZero;  ///< added to the world's, units per second squared
  double drag = 0;         ///< added, towards the wind's velocity
  Vec<D> wind = kZero;     ///< units per second
  /// Velocity with which walkers and other kinematic objects are carried along.
  Vec<D> current = kZero;
  bool carries =
      false;           ///< true: they are also carried along by the motion of the zone's own object
  bool alone = false;  ///< of overlapping fields that set this the one with the strongest gravity
                       ///< and drag acts alone
};

/// A shape on an object.
template <int D>
struct ColliderDef {
  Shape<D> shape{};
  Vec<D> at = kZero;               ///< offset in the object's frame
  Rotation<D> turned = kUnturned;  ///< likewise
  bool zone = false;               ///< zones notice, solids push apart
  double density = 1;              ///< mass per square (cubic) unit, 1e-20 to 1e30
  double friction = 0.5;   ///< >= 0; a pair's is the geometric mean of the two (see WorldSettings)
  double restitution = 0;  ///< 0 to 1; a pair's is the larger of the two (see WorldSettings)
  /// >= 0: against turning on another surface, a torque up to this part of the pressing force times
  /// the distance from the centre of mass; a pair's is the larger of the two.
  double rolling_friction = 0;
  /// The surface itself runs at this velocity (a conveyor), in the collider's frame; what lies in
  /// the plane of a contact counts.
  Vec<D> surface_velocity = kZero;
  /// Solid only for what comes from this side, in the collider's frame, and was clear of it; zero:
  /// from all sides. Convex shapes only.
  Vec<D> one_way = kZero;
  std::string meets = "any";               ///< tag query: which colliders it meets
  std::vector<std::string> tags = kEmpty;  ///< in addition to the object's
  bool on = true;
  std::optional<Field<D>> field{};  ///< zones only
  Schedule<D> schedule{};
};

/// A place to be at a time.
template <int D>
struct Waypoint {
  double at = 0;                        ///< seconds from the start of the run
  Vec<D> to = kZero;                    ///< world position
  std::optional<Rotation<D>> turned{};  ///< unchanged since the last waypoint when left out
};
/// Straight from waypoint to waypoint; before the first and after the last it stands there.
template <int D>
struct Path {
  std::vector<Waypoint<D>> points{};
  bool loop = false;  ///< again from the first; the last must then be where the first is
};
/// From time `at` on, this velocity.
template <int D>
struct VelocityFrom {
  double at = 0;  ///< seconds from the start of the run
  Vec<D> velocity = kZero;
  Spin<D> spin = kZero;
};
/// Round a centre, from where it is.
template <int D>
struct Circling {
  Vec<D> centre = kZero;
  Spin<D> rate = kZero;  ///< radians per second
  bool turns = false;    ///< it turns along, the same side to the centre
};
/// Straight to a place, or after another object, at a speed; it stops there.
template <int D>
struct Approach {
  Vec<D> place = kZero;
  std::string object{};  ///< its name; "": to the place. Once it is gone, the motion ends
  double speed = 0;      ///< units per second, above 0
  double within = 0;     ///< stops at this distance
};
template <int D>
using Motion =
    std::variant<std::monostate, Path<D>, std::vector<VelocityFrom<D>>, Circling<D>, Approach<D>>;

/// Bounds that a kinematic object respects in its motion.
template <int D>
struct Heed {
  std::string points_at{};  ///< an object's name: its own x axis points there
  std::optional<Bounds<D>>
      re_enters{};  ///< left entirely on one side, it enters on the other, not swept across
  std::optional<Bounds<D>> kept_inside{};  ///< its origin stays in here
  bool takes_riders = false;               ///< walkers that stand on it re-enter with it
};

/// A force or impulse on a dynamic object at a scheduled time. Force and torque act in the steps
/// from `from` to `until`; impulse and angular impulse once, in the step that begins at `from`.
template <int D>
struct TimedPush {
  double from = 0;
  double until = 0;        ///< seconds from the start of the run
  Vec<D> force = kZero;    ///< mass times units per second squared
  Spin<D> torque = kZero;  ///< force times units
  Vec<D> impulse = kZero;  ///< mass times units per second
  Spin<D> angular_impulse = kZero;
  std::optional<Vec<D>>
      point{};  ///< where force and impulse act, in the object's frame; else the centre of mass
  bool own_frame = false;  ///< directions turn with the object; else they are the world's
};

/// A number with a name, of an object or of the world.
struct Number {
  std::string name{};
  double value = 0;
};

/// The drawing of an object, to compare with its colliders: a rectangle (box), a picture, or both.
template <int D>
struct Drawing {
  Vec<D> size = kZero;    ///< whole size; zero: none
  std::string picture{};  ///< path of a PNG; may be empty
  Vec<D> at = kZero;      ///< its middle, in the object's frame
};

/// A named place on an object.
template <int D>
struct Spot {
  std::string name{};
  Pose<D> pose{};  ///< in the object's frame
};

/// The definition of an object that is added to a world.
template <int D>
struct ObjectDef {
  std::string name{};  ///< unique in the world; made from the kind when empty
  std::string kind{};
  Vec<D> at = kZero;  ///< in the world
  Rotation<D> turned = kUnturned;
  /// Name of an object that is there already, with which it then moves; "": on its own. The two
  /// never meet.
  std::string parent{};
  std::optional<Pose<D>> on_parent{};  ///< instead of at and turned: in the parent's frame
  /// True: notices parents, children and their kin, too, without being pushed.
  bool meets_relatives = false;
  BodyKind body = BodyKind::fixed;  ///< with a parent: once it is detached
  std::vector<std::string> tags{};
  std::vector<ColliderDef<D>> colliders{};
  std::vector<Number> numbers{};
  std::vector<Spot<D>> spots = kEmpty;
  Vec<D> velocity = kZero;  ///< first velocity; a kinematic object keeps it
  Spin<D> spin = kZero;
  Motion<D> motion{};                   ///< kinematic objects only
  Heed<D> heed{};                       ///< likewise
  std::optional<double> mass{};         ///< instead of density times volume, 1e-20 to 1e30
  std::optional<Vec<D>> mass_centre{};  ///< in the object's frame, instead of the shapes'
  /// About its own axes through the centre of mass, instead of the shapes'; 1e-30 to 1e40.
  std::optional<Spin<D>> inertia{};
  double gravity_scale = 1;
  double drag = 0;
  double spin_drag = 0;  ///< part of its velocity and spin lost, per second; >= 0
  bool locked_rotation = false;
  std::array<bool, D> locked_axes{};  ///< axes of the world along which it is not moved by forces
  std::array<bool, kTurnAxes<D>>
      locked_turns{};  ///< axes of the world about which it is not turned by forces
  /// False: may pass through what is thinner than its displacement in a step.
  bool continuous = true;
  bool may_sleep = true;                      ///< false: never falls asleep, nor what it rests with
  std::vector<TimedPush<D>> pushes = kEmpty;  ///< dynamic objects only
  bool active = true;                         ///< inactive objects do not move, touch or show
  /// Faces the other direction: colliders, spots, children and own-frame directions as in
  /// a mirror across its own y axis (3D: the plane of its y and z axes). Values here are
  /// unmirrored; so are those of objects that are added to a mirrored parent: on_parent always, at
  /// until the first step.
  bool mirrored = false;
  std::optional<Walker<D>> walker{};          ///< kinematic objects only
  std::vector<TimedWish<D>> wishes = kEmpty;  ///< of a walker, in order of time
  std::vector<Drawing<D>> drawings = kEmpty;
  std::uint64_t user = 0;  ///< the caller's own
};

/// A collider as the world shows it.
template <int D>
struct Collider {
  ColliderDef<D> def{};
  TagQuery meets{};  ///< def.meets, compiled
  TagSet tags{};     ///< the object's and its own
  double scale = 1;  ///< of def.shape, as its schedule has it
};

/// An object as the world shows it. A reference is valid until the next call that changes the world
/// (add, remove, step, ...), which may move objects in memory: keep the ObjectId.
template <int D>
struct Object {
  // First what steps read, close together.
  ObjectId id{};
  /// Counts objects in order of creation; orders everything that is listed.
  std::uint64_t serial = 0;
  BodyKind body = BodyKind::fixed;  ///< with a parent: how the root moves
  bool active = true;
  bool mirrored = false;  ///< colliders, spots and drawings below are already mirrored
  bool asleep = false;  ///< at rest, and costs nothing until something wakes it; kinematic ones too
  bool going = false;   ///< its removal is requested: it still touches but starts nothing more
  Pose<D> pose{};       ///< in the world
  /// Of the root's origin if it is kinematic, of its centre of mass if dynamic.
  Vec<D> velocity = kZero;
  Spin<D> spin = kZero;
  Vec<D> mass_centre = kZero;  ///< the root's, in this object's frame
  std::vector<Collider<D>> colliders{};
  double gravity_scale = 1;
  double drag = 0;
  double spin_drag = 0;
  double mass = 0;  ///< 0 unless dynamic; a root's with all that moves with it
  TagSet tags{};
  ObjectId root{};  ///< the parent's parent and so on; itself without one
  std::optional<ObjectId> parent{};
  Pose<D> on_parent{};  ///< in the parent's frame; means nothing without one
  std::string name;
  std::string kind;
  std::vector<Number> numbers{};
  std::vector<Spot<D>> spots{};
  Motion<D> motion{};
  Heed<D> heed{};
  std::vector<Drawing<D>> drawings{};
  std::optional<Walker<D>> walker{};
  std::uint64_t user = 0;
};

}  // namespace colvik
