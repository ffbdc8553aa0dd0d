#pragma once
// What a world keeps of its objects, colliders and walkers.
#include <colvik/world.hpp>

#include <limits>
#include <optional>
#include <type_traits>

#include "math/fine.h"
#include "shapes/shapes.h"

namespace colvik::world {

using math::Place;

// Not deduced, so that a pose converts.
template <int D>
using AnyPlace = std::type_identity_t<Place<D>>;

inline constexpr double kNever = std::numeric_limits<double>::max();

inline constexpr std::uint32_t kAwake = 0xffffffff;  // in no resting group
inline constexpr std::uint32_t kAlone = 0xffffffff;  // without a parent
inline constexpr std::uint32_t kNoBody =
    0;  // index of the body that stands for all that never moves

// What contacts read most comes first, up to `parts` of the shape: two cache lines.
template <int D>
struct alignas(64) ColliderState {
  static constexpr std::size_t kHot = 128;  // bytes
  std::uint32_t object = 0;                 // slot
  std::uint32_t which = 0;                  // position in the object's list
  std::uint64_t serial = 0;
  std::uint32_t contact_class = 0;
  bool in_tree = false;  // whose key is its slot
  bool in_still_tree = false;
  bool dirty = false;     // its pairs must be searched: it is new, moved far enough or changed
  bool changed = false;   // the verdict on its existing pairs is dirty
  bool reshaped = false;  // the distances of its pairs are dirty
  bool remade = false;    // its existing pairs must be made again: its kind of motion changed
  bool live = false;
  // As its definition says, at hand, see know().
  bool on = true;
  bool zone = false;
  bool one_way = false;
  bool backed = false;  // its surface has an outside and a back
  bool runs = false;    // on the surface
  bool plain = true;    // `own` neither shifts nor turns it
  double extent = 0;    // half of its shape's size, as far as faces count as level
  double friction = 0;
  double restitution = 0;
  double rolling = 0;
  Shape<D> shape;
  Pose<D> own;  // in the object's frame

  // Where it is, its object being at `pose`.
  [[nodiscard]] Pose<D> placed(const Pose<D>& pose) const { return plain ? pose : pose * own; }
};

enum class Life { none, live, removed, reported };

// What is kept of a walker between steps.
template <int D>
struct WalkerState {
  std::uint32_t slot = kAlone;  // of its object; free if it has none
  Walking<D> walking;
  std::vector<TimedWish<D>> wishes;
  Vec<D> velocity = kZero;  // of its own, as seen from what carries it
  Vec<D> last_up = kZero;   // also where there is no gravity now
  Vec<D> foot = kZero;      // where it touches the ground it stands on, in the frame of that object
  bool wished_jump = false;       // in the last step
  bool moved = false;             // once
  double slid = -1e300;           // seconds: when it last was on ground too steep to stand on
  double flow = 0;                // speed at which zones carried it along in the last step
  double reach = 0;               // how far it may get within the step
  std::uint32_t pushed = kAlone;  // a body that it pushed in the last step,
  double pushed_to = 0;           // and to what speed
  TagQuery pushes;
  TagQuery yields_to;
};

// What a walker does to a body, once all have walked.
template <int D>
struct WalkPush {
  std::uint32_t walker = 0;  // which
  std::uint32_t slot = 0;
  Vec<D> along = kZero;  // a push: unit; no faster than `speed`
  double gain = 0;
  double speed = 0;  // of the body's velocity
  Vec<D> weight = kZero;
  Vec<D> point = kZero;  // or a weight on it
};

// What was changed since the last events were made: the cause of an end.
struct Changes {
  bool retagged = false;
  bool filtered = false;
  bool switched = false;
  bool teleported = false;
};

template <int D>
struct ObjectState {
  // What every step reads comes first, adjacent to the first of `shown`.
  Vec<D> force = Vec<D>::Zero();  // requested for the next step
  Spin<D> torque = Spin<D>::Zero();
  Inertia<D> inertia = Inertia<D>::Zero();
  Inertia<D> inverse_inertia = Inertia<D>::Zero();
  Vec<D> velocity_before = Vec<D>::Zero();
  Pose<D> pose_before;            // where the running step began
  std::optional<Pose<D>> target;  // of a kinematic object, for the end of this step
  std::array<bool, D> locked_axes{};
  std::array<bool, kTurnAxes<D>> locked_turns{};
  bool locked_rotation = false;
  bool disturbed = false;      // by its owner, since the last step
  bool paused = false;         // its motion is
  bool has_own = false;        // a velocity that it continues with after this step
  bool outside = false;        // the world's bounds
  bool own_active = true;      // shown.active is false also when a parent is hidden
  bool carried_along = false;  // it is in a zone that may carry it
  bool meets_relatives = false;
  bool continuous = true;
  bool may_sleep = true;
  bool passed_from_behind = false;  // a surface of it, by something
  bool lost = false;                // its state after the solver was not finite
  Life life = Life::none;
  double still_for = 0;  // seconds
  double inverse_mass = 0;
  // Radius of a ball about its centre of mass inside a solid of its own; 0: none.
  double inscribed_radius = 0;
  double thickness = 0;  // of one inside each of its solids
  double reach = 0;      // of it from the centre of mass, but for scenery
  // Of all of it, but for what is round about its middle: what turning moves.
  double turning_radius = 0;
  std::int32_t trail = -1;               // place among the trailed bodies of the running step
  std::int32_t walker = -1;              // place among the walkers
  std::uint32_t parent = kAlone;         // slot
  std::uint32_t root = kAlone;           // slot; of itself without a parent
  std::uint32_t resting = kAwake;        // the group it sleeps with
  std::uint32_t body = kNoBody;          // index into the bodies of the running step
  std::vector<std::uint32_t> colliders;  // slots
  Vec<D> rest = kZero;                   // what its position leaves out, see math::Place
  Object<D> shown;

  std::uint32_t generation = 0;
  Changes changes;
  // Motion and schedules.
  double lag = 0;  // seconds that its motion stood still
  Vec<D> held_velocity = Vec<D>::Zero();
  Spin<D> held_spin = Spin<D>::Zero();
  Vec<D> own_velocity = Vec<D>::Zero();
  Spin<D> own_spin = Spin<D>::Zero();
  std::vector<std::int32_t> beats;  // by collider: the last of its schedule that was kept, -1: none
  std::vector<Shape<D>> first_shapes;  // by collider, where one has a schedule
  // Families.
  Pose<D> on_root;                      // with a parent
  std::vector<std::uint32_t> children;  // slots, by serial
  BodyKind own_body = BodyKind::fixed;
  double own_mass = 0;
  // As given.
  std::optional<double> given_mass;
  std::optional<Vec<D>> given_mass_centre;
  std::optional<Spin<D>> given_inertia;
  std::vector<TimedPush<D>> pushes;

  [[nodiscard]] Place<D> place() const { return {shown.pose, rest}; }
};

// What pairs read of an object in each step, close together for all objects.
template <int D>
struct alignas(64) Brief {
  Vec<D> travelled = kZero;  // of its centre of mass, over all its steps
  // Upper bound of the path length of its furthest points due to turning, summed.
  double turned = 0;
  double distance = 0;           // of any of its points in the last step, at most
  double thickness = kNever;     // of a dynamic object
  double alone = 0;              // how far any of its points may get within the running step
  std::uint32_t body = kNoBody;  // index into the bodies of the running step
  bool careless = true;          // it may pass through others
  bool centred = false;          // as the step begins it is where its body is
};

enum class Wanted { first, all, count, any };

// Two objects that do not meet for a while.
struct Excepted {
  std::uint64_t serial_a = 0;
  std::uint64_t serial_b = 0;  // the smaller first
  std::uint32_t a = 0;
  std::uint32_t b = 0;      // slots
  std::uint64_t until = 0;  // step; 0: not by time
  bool until_apart = false;
};

// Of the surface of a collider, in the world's frame.
template <int D>
[[nodiscard]] Vec<D> surface_velocity(const Object<D>& o, std::size_t which) {
  const ColliderDef<D>& c = o.colliders[which].def;
  return o.pose.rotation * (c.turned * c.surface_velocity);
}

// Half of a shape's size, as far as faces count as level; scenery has none.
template <int D>
[[nodiscard]] double extent(const Shape<D>& s) {
  return is_scenery(s.kind) ? kNever : s.core.norm() + s.radius;
}

// Copies a collider's definition into its state; each change of the definition calls this.
template <int D>
void know(ColliderState<D>& c, const ColliderDef<D>& def) {
  c.on = def.on;
  c.zone = def.zone;
  c.one_way = !def.one_way.isZero(0);
  c.backed = shapes::has_back(def.shape);
  c.runs = !def.surface_velocity.isZero(0);
  c.extent = extent(def.shape);
  c.friction = def.friction;
  c.restitution = def.restitution;
  c.rolling = def.rolling_friction;
  c.own = {def.at, def.turned};
  c.plain = def.at.isZero(0) && def.turned.axis(0) == Vec<D>::Unit(0) &&
            def.turned.axis(1) == Vec<D>::Unit(1);
  c.shape = def.shape;
}

// Radius of a ball that fits inside the shape, about: never more.
template <int D>
[[nodiscard]] double thinness(const Shape<D>& s) {
  const double part =
      s.kind == ShapeKind::box || s.kind == ShapeKind::ball || s.kind == ShapeKind::capsule ? 1
                                                                                            : 0.3;
  return is_scenery(s.kind) ? 0 : s.radius + part * s.core.minCoeff();
}

}  // namespace colvik::world
