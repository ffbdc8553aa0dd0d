#pragma once
// The state of a world and the stages of its step. Each stage is a function of its own; the files
// beside this one hold them: objects.cpp (adding and changing), drive.cpp, pairs.cpp, contacts.cpp,
// touches.cpp, and step.cpp, which lists them in order.
#include <colvik/world.hpp>

#include <algorithm>
#include <unordered_map>

#include "contact/collide.h"
#include "dynamics/solver.h"
#include "index/tree.h"
#include "math/fetch.h"
#include "math/fine.h"
#include "math/many.h"
#include "world/asked.h"
#include "world/classes.h"
#include "world/tolerances.h"

namespace colvik {

namespace world {

using math::Place;

inline constexpr double kNever = std::numeric_limits<double>::max();
inline constexpr double kVisitGap = 0.1;  // seconds apart after which the next touch is another visit

inline constexpr std::uint32_t kAwake = 0xffffffff;  // in no resting group
inline constexpr std::uint32_t kAlone = 0xffffffff;  // without a parent
inline constexpr std::uint32_t kNoBody = 0;          // index of the body that stands for all that never moves

template <int D>
struct alignas(64) ColliderState {
  std::uint32_t object = 0;  // slot
  std::uint32_t which = 0;   // position in the object's list
  std::uint64_t serial = 0;
  std::uint32_t contact_class = 0;
  bool in_tree = false;  // whose key is its slot
  bool in_still_tree = false;
  bool look_again = false;  // its pairs must be searched: it is new, moved far enough or changed
  bool changed = false;     // its existing pairs must be decided anew
  bool anew = false;        // its existing pairs must be made anew: it moves in another way
  bool live = false;
  // As its definition says, at hand, see know().
  bool on = true, zone = false;
  bool one_way = false, runs = false;  // on the surface
  double extent = 0;                   // half of its shape's size, as far as faces count as level
  double friction = 0, restitution = 0, rolling = 0;
  Pose<D> own;  // in the object's frame
  Shape<D> shape;
};

enum class Life { none, live, removed, reported };

// What is kept of a walker between steps.
template <int D>
struct WalkerState {
  std::uint32_t slot = kAlone;  // of its object; free if it has none
  Walking<D> walking;
  std::vector<TimedWish<D>> wishes;
  Vec<D> velocity = kZero;   // of its own, as seen from what carries it
  Vec<D> last_up = kZero;    // also where there is no gravity now
  Vec<D> foot = kZero;       // where it touches the ground it stands on, in the frame of that object
  bool wished_jump = false;  // in the last step
  bool moved = false;        // once
  double slid = -1e300;      // seconds: when it last was on ground too steep to stand on
  double flow = 0;           // speed at which zones carried it along in the last step
  double reach = 0;          // how far it may get within the step
  TagQuery pushes, yields_to;
};

// What a walker does to a body, once all have walked.
template <int D>
struct WalkPush {
  std::uint32_t slot = 0;
  Vec<D> along = kZero;                  // a push: unit; no faster than `speed`
  double gain = 0, speed = 0;            // of the body's velocity
  Vec<D> weight = kZero, point = kZero;  // or a weight on it
};

// What was changed since the last events were made; tells why a touch ended.
struct Changes {
  bool retagged = false, filtered = false, switched = false, teleported = false;
};

template <int D>
struct ObjectState {
  // What every step looks at comes first, side by side with the first of `shown`.
  Vec<D> force = Vec<D>::Zero();  // asked for, for the next step
  Spin<D> torque = Spin<D>::Zero();
  Inertia<D> inertia = Inertia<D>::Zero(), inverse_inertia = Inertia<D>::Zero();
  Vec<D> velocity_before = Vec<D>::Zero();
  Pose<D> pose_before;            // where the running step began
  std::optional<Pose<D>> target;  // of a kinematic object, for the end of this step
  std::array<bool, D> locked_axes{};
  std::array<bool, kTurnAxes<D>> locked_turns{};
  bool locked_rotation = false;
  bool disturbed = false;      // by its owner, since the last step
  bool paused = false;         // its motion is
  bool has_own = false;        // a velocity that it goes on with after this step
  bool outside = false;        // the world's bounds
  bool own_active = true;      // shown.active is false also when a parent is hidden
  bool carried_along = false;  // it is in a zone that may carry it
  bool meets_relatives = false;
  bool continuous = true, may_sleep = true;
  Life life = Life::none;
  double still_for = 0;  // seconds
  double inverse_mass = 0;
  double heart = 0;                      // radius of a ball about its centre of mass inside a solid of its own; 0: none
  double thin = 0;                       // of one inside each of its solids
  double reach = 0;                      // of it from the centre of mass, but for scenery
  double swing = 0;                      // of all of it, but for what is round about its middle: what turning moves
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
  std::vector<std::int32_t> beats;     // by collider: the last of its schedule that was kept, -1: none
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

// What pairs ask of an object in each step, close together for all objects.
template <int D>
struct alignas(64) Brief {
  Vec<D> travelled = kZero;      // of its centre of mass, over all its steps
  double turned = 0;             // the ways of its furthest points due to turning, at most, added up
  double way = 0;                // of any of its points in the last step, at most
  double thin = kNever;          // of a dynamic object
  double alone = 0;              // how far any of its points may get within the running step
  std::uint32_t body = kNoBody;  // index into the bodies of the running step
  bool careless = true;          // it may pass through others
};

enum class Wanted { first, all, count, any };

// What a walker may meet on its move.
template <int D>
struct Pair;
template <int D>
struct Obstacle {
  Pair<D>* pair = nullptr;
  std::uint32_t own = 0, other = 0;  // colliders
  bool stops = true;                 // it is not passed, as a one-way surface or what the walker yields to may be
  bool pushes = true;                // the walker out of itself
  bool set_aside = false;            // `stops`, while it carries the walker
};

// Two objects that do not meet for a while.
struct Excepted {
  std::uint64_t serial_a = 0, serial_b = 0;  // the smaller first
  std::uint32_t a = 0, b = 0;                // slots
  std::uint64_t until = 0;                   // step; 0: not by time
  bool until_apart = false;
};

// What is kept of a contact point, to start the next step from.
template <int D>
struct Kept {
  std::uint32_t id = 0;
  double push = 0;
  Vec<D> drag = Vec<D>::Zero();
  Spin<D> roll = Spin<D>::Zero();
  Vec<D> at = Vec<D>::Zero();  // from the centre of mass of a's object, in its frame
};

// How two objects have moved.
template <int D>
struct WaysSoFar {
  Vec<D> moved = kZero;  // a's way less b's
  double turned = 0;     // the ways of their furthest points due to turning, added up
};

// How fast a body moves.
template <int D>
struct Pace {
  Vec<D> velocity = kZero, acceleration = kZero;
  double turning = 0;  // of its furthest point
  double alone = 0;    // how far any of its points may get within the step
  // How far two may come together within that time, at most.
  [[nodiscard]] double way(const Pace& other, double seconds) const {
    return (velocity - other.velocity).norm() * seconds +
           (acceleration - other.acceleration).norm() * seconds * seconds + (turning + other.turning) * seconds;
  }
};

// A slab between two, so that they need not be looked at again before they have come through it.
template <int D>
struct Slab {
  double apart = 0;       // its width; 0: there is none
  Vec<D> normal = kZero;  // from a to b; zero: of any direction
  WaysSoFar<D> ways{};    // until it was found

  // At least how far apart the two still are; 0 without one.
  [[nodiscard]] double left(const WaysSoFar<D>& now) const {
    if (apart <= 0) return 0;
    const Vec<D> moved = now.moved - ways.moved;
    return apart - (normal.isZero(0) ? moved.norm() : normal.dot(moved)) - (now.turned - ways.turned);
  }
};

// Two colliders whose padded bounds overlap and that may meet. What every step asks of every pair comes first; most are
// apart, and of these nothing else is looked at.
template <int D>
struct alignas(64) Pair {
  std::uint32_t a = 0, b = 0;                // collider slots; a's serial is the smaller
  std::uint32_t object_a = 0, object_b = 0;  // of their objects
  Channel channel = Channel::solid;
  bool responds = false;  // solid and at least one side dynamic
  bool touching = false;
  bool passed = false;  // touched and left again within the step
  bool left = false;    // no longer touches since this step
  bool squeezed = false;
  bool unsure = true;        // whether its bounds still overlap, though none of the two was looked at again
  bool idle = false;         // it responds, was apart in the last step too, and has nothing to tell or to forget
  bool let_through = false;  // by a one-way surface, on request, until the two are apart
  Slab<D> slab{};            // as they were when contact was last looked for
  std::uint64_t serial_a = 0, serial_b = 0;

  double gap = 0, approach = 0, impulse = 0;
  double closing = 0;              // speed at which the gap closes at the end of the step
  double when = -1, until = -1;    // seconds into the step at which it began and ended to touch; below 0: not in it
  Vec<D> normal = Vec<D>::Zero();  // world, from a to b
  Vec<D> point = Vec<D>::Zero();   // world
  std::vector<Kept<D>> kept;       // of the last step
  std::vector<std::uint32_t> standing;  // one-way pieces it came down on, until it leaves them
  // For the next search for contacts, of shapes that go on from it: one; none of others, so that most pairs are small.
  std::vector<contact::Start<D>> start;

  // It is about to be told what it does in a step.
  void forget() {
    approach = impulse = 0;
    gap = std::numeric_limits<double>::max();
    when = until = -1;
  }
};

// Two colliders whose padded bounds overlap; a's serial is the smaller.
struct Candidate {
  std::uint64_t serial_a = 0, serial_b = 0;
  std::uint32_t a = 0, b = 0;  // slots
};

// A pair whose contacts are found within the step, when the two are near, and anew when they have moved too far since.
template <int D>
struct FastPair {
  std::uint32_t pair = 0;
  double holds = 0, holds_touching = 0;  // ways that they may make until then, apart and touching
  Slab<D> slab{};  // as they were when last looked at, with their ways within the step; none: they had contacts
  std::uint32_t first = 0, count = 0;  // contacts
  double hold = 0;                     // way until these are found anew
  WaysSoFar<D> found{};                // ways within the step when these were found
};

// A pair whose contacts are about to be found.
struct Coming {
  std::uint32_t fast = 0;  // index into the fast pairs
  double closing = 0;      // way in the substep, at most
  double small = 0;        // thickness of the thinner
  double ahead = 0;        // seconds until the two touch
  bool quick = false;      // they must be stopped at once
};

// Touch of two objects on a channel, made of all their touching pairs.
template <int D>
struct Touch {
  std::uint64_t serial_a = 0, serial_b = 0;
  std::uint32_t a = 0, b = 0;  // object slots
  Channel channel = Channel::solid;
  TagSet tags_a, tags_b;
  double gap = 0, approach = 0, impulse = 0;
  Vec<D> normal = Vec<D>::Zero();  // from a to b
  Vec<D> point = Vec<D>::Zero();
  bool passed = false, squeezed = false;
  double when = 0, until = 0;            // seconds into the step
  std::uint32_t nth = 0;                 // of its step's pairs
  std::uint64_t pair_a = 0, pair_b = 0;  // serials of the colliders
  bool merged = false;                   // of several pairs
  [[nodiscard]] auto key() const { return std::tuple(serial_a, serial_b, channel); }
};

template <int D>
[[nodiscard]] bool older(const Pair<D>& x, const Pair<D>& y) {
  return std::pair(x.serial_a, x.serial_b) < std::pair(y.serial_a, y.serial_b);
}
template <int D>
[[nodiscard]] bool earlier(const Touch<D>& x, const Touch<D>& y) {
  return x.key() < y.key();
}
// Puts what was added behind the first `known` of an ordered list into its order. `spare` is kept, so that a
// steady step takes no memory.
template <class List, class Less>
void merge_tail(List& list, std::size_t known, Less less, List& spare) {
  const auto tail = list.begin() + static_cast<std::ptrdiff_t>(known);
  std::sort(tail, list.end(), less);
  spare.assign(std::move_iterator(tail), std::move_iterator(list.end()));
  for (std::size_t old = known, fresh = spare.size(), to = list.size(); fresh > 0;) {
    const bool takes_old = old > 0 && less(spare[fresh - 1], list[old - 1]);
    list[--to] = std::move(takes_old ? list[--old] : spare[--fresh]);
  }
  spare.clear();
}
template <class List, class Less>
void merge_tail(List& list, std::size_t known, Less less) {
  List spare;
  merge_tail(list, known, less, spare);
}

// Objects that fell asleep together, with what they touch: taken out of the lists that a step walks.
template <int D>
struct Resting {
  std::vector<std::uint32_t> objects;  // slots
  math::Many<Pair<D>> pairs;
  math::Many<Touch<D>> touches;
};

// A touch of two colliders that was asked for.
template <int D>
struct PairTold {
  std::uint64_t serial_a = 0, serial_b = 0;
  ColliderTouch<D> touch;
  [[nodiscard]] auto key() const { return std::pair(serial_a, serial_b); }
};

// Two that parted, and when.
struct Parted {
  std::tuple<std::uint64_t, std::uint64_t, Channel> key;
  double time = 0;
};

// When a touch ended, in the step at hand.
struct Ended {
  std::tuple<std::uint64_t, std::uint64_t, Channel> key;
  double until = -1;  // seconds into the step; below 0: at its end
  double impulse = 0;
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

// Tells a collider what its definition now says; whoever changes the one calls this.
template <int D>
void know(ColliderState<D>& c, const ColliderDef<D>& def) {
  c.on = def.on, c.zone = def.zone;
  c.one_way = !def.one_way.isZero(0), c.runs = !def.surface_velocity.isZero(0);
  c.extent = extent(def.shape);
  c.friction = def.friction, c.restitution = def.restitution, c.rolling = def.rolling_friction;
  c.own = {def.at, def.turned};
  c.shape = def.shape;
}

// Radius of a ball that fits inside the shape, about: never more.
template <int D>
[[nodiscard]] double thinness(const Shape<D>& s) {
  const double part = s.kind == ShapeKind::box || s.kind == ShapeKind::ball || s.kind == ShapeKind::capsule ? 1 : 0.3;
  return is_scenery(s.kind) ? 0 : s.radius + part * s.core.minCoeff();
}

}  // namespace world

template <int D>
struct World<D>::Impl {
  Impl(World& world, const WorldSettings<D>& s) : owner(&world), settings(s) {}

  World* owner;
  WorldSettings<D> settings;
  Tags tags;
  std::vector<Number> numbers;

  math::Many<world::ObjectState<D>> objects;  // by slot
  math::Many<world::Brief<D>> briefs;         // likewise
  std::vector<std::uint32_t> free_objects;
  std::vector<std::uint32_t> order;                        // slots of objects not yet freed, by serial
  std::vector<std::uint32_t> movers;                       // of them, those that are not still
  std::vector<std::uint32_t> to_look;                      // colliders to look at again
  std::vector<std::uint64_t> stirred;                      // a bit for each collider that is looked at again
  std::unordered_map<std::string, std::uint32_t> by_name;  // only looked up, never walked
  math::Many<world::ColliderState<D>> colliders;
  std::vector<std::uint32_t> free_colliders;
  std::uint64_t next_object = 1, next_collider = 1;
  std::size_t live_count = 0;
  bool someone_left = false;       // there are removed objects to free
  bool something_changed = false;  // there are Changes to forget
  bool index_stale = false;        // something moved or changed since the trees were brought up to date

  world::ContactClasses classes;
  index::Tree<D> still, moving;
  std::vector<index::KeyPair> overlapping;        // as the trees tell it
  std::vector<world::Candidate> candidates;       // likewise, by serials
  std::size_t still_moved = 0;                    // times a still object was moved
  math::Many<world::Pair<D>> pairs, spare_pairs;  // by (serial_a, serial_b); for merging
  std::vector<std::uint32_t> active_pairs;        // of the running step, in order: the others stay apart
  math::Many<world::Touch<D>> touches, touches_before;
  std::vector<world::Ended> ended;         // by key
  std::vector<world::Resting<D>> resting;  // by group; empty ones are free
  world::Resting<D> between;               // pairs and touches of sleepers of different groups
  std::size_t asleep = 0;                  // objects
  std::vector<world::Excepted> excepted;   // by serials
  std::vector<ObjectDef<D>> kinds;         // in order of declaration
  std::vector<Event<D>> events;
  std::vector<std::pair<TagQuery, TagQuery>> during, pair_asks;
  std::vector<world::PairTold<D>> pair_touches;  // of those asked for, by key
  std::vector<PairEvent<D>> pair_events;
  std::vector<world::Parted> spare_parted;     // for merging
  std::vector<world::Parted> parting, lately;  // in this step, and before it for as long as a visit may go on; by key

  dynamics::Solver<D> solver;
  std::vector<std::uint32_t> scheduled;  // slots of objects with schedules
  bool has_fields = false;               // some collider has one, or had
  std::size_t left_count = 0;
  std::vector<world::WalkerState<D>> walkers;
  std::vector<world::WalkPush<D>> walk_pushes;
  // Of walkers on their move: their pairs, whether they have moved, and what is in the way of the one at hand.
  std::vector<std::vector<world::Pair<D>*>> walk_pairs;
  std::vector<bool> has_walked;
  std::vector<world::Obstacle<D>> walk_obstacles;
  std::vector<std::uint32_t> pushed;     // slots of objects with timed pushes
  math::Many<dynamics::Body<D>> bodies;  // of the running step
  std::vector<std::uint32_t> body_objects;
  math::Many<dynamics::Contact<D>> contacts;  // those of fast pairs last
  std::vector<std::uint32_t> contact_pairs;
  std::vector<world::FastPair<D>> fast_pairs;
  std::vector<world::Coming> coming, missed;       // of a substep; the latter do not meet if nothing hits them
  math::Many<dynamics::Contact<D>> held_contacts;  // of a substep: contacts that are not found anew
  std::vector<std::uint32_t> held_pairs;           // and theirs
  std::vector<world::Pace<D>> paces;               // of bodies, as the step begins
  std::size_t steady_contacts = 0;
  std::vector<std::uint32_t> racers;   // bodies that may pass something in a substep
  std::vector<double> racing;          // by body: the square of the speed from which on it may
  double least_racing = 0;             // of these
  std::vector<std::uint32_t> trailed;  // bodies whose way within the step is noted
  std::vector<Pose<D>> trails;         // by substep, then in their order
  std::size_t held_back = 0;
  std::vector<std::uint32_t> group_of, roots;                 // of bodies, when some may sleep
  std::vector<std::pair<std::uint32_t, std::uint32_t>> deep;  // what is deep in what does not yield: it, and the pair
  std::vector<contact::Manifold<D>> manifolds;                // of the pair at hand
  std::vector<world::Kept<D>> kept_before;

  std::vector<std::pair<std::size_t, Listener>> listeners;
  std::size_t next_token = 1;
  std::vector<world::Asked> asked;  // changes that wait for the end of the step
  bool telling = false;             // listeners are being called
  std::uint64_t steps = 0;
  bool finished = false;

  // objects.cpp
  world::ObjectState<D>* state(ObjectId id);
  std::vector<Number>* numbers_of(NumberOwner whose);  // null when the object is gone
  template <class F>
  bool change_number(NumberOwner owner, std::string_view name, F&& to);  // F: from the old value to the new one
  Result<ObjectId> add(const ObjectDef<D>& def);
  void remove(world::ObjectState<D>& o);
  void set_shown(world::ObjectState<D>& o, bool active);
  void switch_collider(world::ObjectState<D>& o, std::size_t collider, bool on);
  void mirror(world::ObjectState<D>& o);  // mirror.cpp
  void set_mirrored(world::ObjectState<D>& o, bool on);
  void classify(world::ObjectState<D>& o);
  void take_from_tree(std::uint32_t at);
  void look(std::uint32_t at) {
    if (!std::exchange(colliders[at].look_again, true)) to_look.push_back(at);
  }
  void free_removed();
  void set_mass(world::ObjectState<D>& o);
  void set_own_mass(world::ObjectState<D>& o);
  void set_shape(world::ObjectState<D>& o, std::size_t collider, const Shape<D>& shape);
  Party party(const world::ObjectState<D>& o, std::size_t collider) const;
  // Runs a change now, or at the end of the step when a listener asks for it.
  template <class F>
  bool change(ObjectId id, F&& act) {
    if (state(id) == nullptr) return false;
    const auto run = [this, id, act = std::forward<F>(act)] {
      if (world::ObjectState<D>* o = state(id)) act(*o);
    };
    now_or_later(run);
    return true;
  }
  template <class F>
  void now_or_later(F act) {
    if (telling) asked.emplace_back(std::move(act));
    else act();
  }

  // families.cpp
  template <class F>
  void for_family(world::ObjectState<D>& o, F&& act) {  // o and all below it
    act(o);
    for (const std::uint32_t child : o.children) for_family(objects[child], act);
  }
  void join(world::ObjectState<D>& o, std::string_view parent, const std::optional<Pose<D>>& on_parent);
  void attach(world::ObjectState<D>& child, world::ObjectState<D>& parent, const Pose<D>& on_parent);
  void detach(world::ObjectState<D>& child);
  bool may_ride(const world::ObjectState<D>& child, const world::ObjectState<D>& parent);
  void set_root(world::ObjectState<D>& o);
  void set_body(world::ObjectState<D>& o, BodyKind body);
  void place_family(world::ObjectState<D>& o);
  void follow(world::ObjectState<D>& o);
  void share_velocities();
  void follow_roots();
  [[nodiscard]] bool is_excepted(std::uint32_t a, std::uint32_t b) const;  // slots of objects
  void look_at_exceptions();
  Verdict admitted(const world::ColliderState<D>& a, const world::ColliderState<D>& b);

  // query.cpp
  void bring_up_to_date() {
    if (index_stale) update_index();
  }
  template <class Asked, class Visit>
  void near(const Asked& asked, Visit&& visit);  // colliders near its way, by age, until visit says no
  template <class Asked>
  std::optional<Answer<D>> met(const Asked& asked, const Look<D>& look, const world::ColliderState<D>& c, bool near);
  std::optional<Answer<D>> first(const Question<D>& question, const Look<D>& look);
  [[nodiscard]] bool asks_for(const Look<D>& look, const world::ColliderState<D>& c) const;
  void first_of_each(std::span<const RayCast<D>> rays, const Look<D>& look, std::span<std::optional<Answer<D>>> out);
  std::optional<Answer<D>> deepest_in(const world::ObjectState<D>& o, const Pose<D>& pose, std::size_t collider,
                                      const Shape<D>* shape);  // room.cpp
  std::vector<Answer<D>> ask(const Question<D>& question, const Look<D>& look, world::Wanted wanted);

  // the stages of a step, in order
  void drive();  // motion.cpp: velocities of what follows a motion or was asked to be somewhere
  void follow_motion(world::ObjectState<D>& o);
  void heed(world::ObjectState<D>& o);
  void keep_schedules();
  void feel_fields();
  void feel_currents();
  void watch_bounds();
  void push_on_time();  // push.cpp
  bool push(ObjectId id, const Vec<D>& force, const Spin<D>& torque, const std::optional<Vec<D>>& point, bool at_once);
  void gather_bodies();
  void give_body(world::ObjectState<D>& o, std::uint32_t body) {
    world::Brief<D>& brief = briefs[o.shown.id.slot];
    o.body = brief.body = body;
    brief.alone = 0;
  }
  void put(world::ObjectState<D>& o, const world::Place<D>& at);
  void scatter_bodies();
  void set_size(world::ObjectState<D>& o);  // objects.cpp
  void update_index();                      // pairs.cpp
  void put_in_tree(std::uint32_t at);
  void find_pairs();
  void add_pairs();
  // Soon to be looked at: what every step asks of an object, and of the two of a pair.
  COLVIK_FETCHES void fetch_object(std::uint32_t slot) const {
    const world::ObjectState<D>& o = objects[slot];
    math::fetch(&o, static_cast<std::size_t>(reinterpret_cast<const std::byte*>(&o.shown.colliders) -
                                             reinterpret_cast<const std::byte*>(&o)));
  }
  COLVIK_FETCHES void fetch_place(std::uint32_t slot) const {
    math::fetch(&objects[slot].rest, 1), math::fetch(&objects[slot].shown.pose, sizeof(Pose<D>));
  }
  COLVIK_FETCHES void fetch_sides(const world::Pair<D>& p) const {
    for (const std::uint32_t slot : {p.object_a, p.object_b}) math::fetch(&briefs[slot], 1), fetch_object(slot);
    for (const std::uint32_t at : {p.a, p.b}) math::fetch(&colliders[at], sizeof(world::ColliderState<D>));
  }
  void make_contacts();  // contacts.cpp
  void add_contacts(std::size_t pair, const world::Place<D>& at_a, const world::Place<D>& at_b, double margin,
                    double ahead, bool guard);
  world::Kept<D>* find_kept(std::uint32_t id, const Vec<D>& at);
  void note_contact(const dynamics::Contact<D>& c, std::uint32_t pair, bool at_end);
  void begin_substep();  // fast.cpp
  void add_corners(std::size_t contact, std::uint32_t collider, const Pose<D>& at, double ahead);
  void note_trails();
  void end_substep();
  [[nodiscard]] double way(const world::Pair<D>& p, double seconds) const;
  [[nodiscard]] world::WaysSoFar<D> ways_in_step(const world::Pair<D>& p) const;
  [[nodiscard]] world::WaysSoFar<D> ways_so_far(const world::Pair<D>& p) const {
    const world::Brief<D>&a = briefs[p.object_a], &b = briefs[p.object_b];
    return {a.travelled - b.travelled, a.turned + b.turned};
  }
  void look_at(world::FastPair<D>& f, double beyond) const;
  [[nodiscard]] std::optional<double> time_of_touch(const world::Pair<D>& p, double h) const;
  [[nodiscard]] bool holds(world::FastPair<D>& f, double closing);
  void look_ahead(double h, double margin);
  void find_contacts(const world::Coming& c, double margin, bool guard);
  // Of two that were asked for no further than `beyond`.
  [[nodiscard]] world::Slab<D> slab_of(const world::Pair<D>& p, const Rotation<D>& of_a,
                                       const contact::Separation<D>& told, double beyond,
                                       const world::WaysSoFar<D>& until) const {
    const world::ColliderState<D>&a = colliders[p.a], &b = colliders[p.b];
    if (!is_convex(a.shape) || !is_convex(b.shape)) return {std::min(told.gap, beyond), kZero, until};
    return {told.gap, of_a * Vec<D>(a.own.rotation * told.normal), until};
  }
  [[nodiscard]] double still_apart(const world::FastPair<D>& f, double ahead) const;
  [[nodiscard]] world::Place<D> pose_in_step(const world::ObjectState<D>& o, double ahead) const;
  void hold_one_way(world::Pair<D>& p, const world::Place<D>& at_a, const world::Place<D>& at_b);
  [[nodiscard]] bool has_one_way(const world::Pair<D>& p) const {
    return colliders[p.a].one_way || colliders[p.b].one_way;
  }
  [[nodiscard]] bool clear_of_one_way(const world::Pair<D>& p, const world::Place<D>& at_a,
                                      const world::Place<D>& at_b) const;
  void read_contacts();
  void plan_walks();  // walk.cpp: wishes that are due, and how far walkers may get
  void walk();
  void add_walker(world::ObjectState<D>& o, world::WalkerState<D> walker);
  Result<void> read_walker_queries(world::WalkerState<D>& state, const Walker<D>& walker) const;
  void throw_walker(world::ObjectState<D>& o, const Vec<D>& velocity);
  void stop_walker(world::ObjectState<D>& o);
  void take_riders(const world::ObjectState<D>& carrier, const Vec<D>& jump);
  [[nodiscard]] bool walks(const world::Pair<D>& p) const {
    return !walkers.empty() && (objects[p.object_a].walker >= 0 || objects[p.object_b].walker >= 0);
  }
  [[nodiscard]] bool carries_walker(const world::Pair<D>& p) const;  // or pushes it: the solver leaves the two alone
  void feel_the_rest();                                              // zones.cpp: zones, and solids that are not pushed
  bool feel_motion(world::Pair<D>& p, bool before, bool after);
  [[nodiscard]] Pose<D> pose_at(const world::ObjectState<D>& o, int k) const;
  void make_touches();  // touches.cpp
  void make_events(bool run_over);
  void note_parted(double now);
  [[nodiscard]] ColliderTouch<D> told(const world::Pair<D>& p, bool turned) const;  // pair_events.cpp
  [[nodiscard]] std::vector<world::PairTold<D>> asked_pairs() const;
  void make_pair_events();
  void tell();          // step.cpp
  void wake_touched();  // rest.cpp
  void fall_asleep();
  void wake(std::span<const std::uint32_t> groups);  // whichever of them sleep
  void find_holders(std::uint32_t at, bool touching, std::vector<std::uint32_t>& groups);
  void disturb(world::ObjectState<D>& o);  // it is about to change: what rests with it or on it wakes
  [[nodiscard]] bool sleeps(std::uint32_t collider) const {
    return objects[colliders[collider].object].resting != world::kAwake;
  }
  // A kinematic sleeper holds what lies on it as if it were awake; a dynamic one has no part in a step.
  [[nodiscard]] bool rests(std::uint32_t collider) const {
    return sleeps(collider) && objects[colliders[collider].object].shown.body == BodyKind::dynamic;
  }
  [[nodiscard]] bool at_rest(const world::Pair<D>& p) const { return asleep > 0 && (rests(p.a) || rests(p.b)); }

  [[nodiscard]] const ColliderDef<D>& def_of(const world::ColliderState<D>& c) const {
    return objects[c.object].shown.colliders[c.which].def;
  }
  [[nodiscard]] Pose<D> pose_of(const world::ColliderState<D>& c) const { return objects[c.object].shown.pose * c.own; }
  [[nodiscard]] const Shape<D>& shape_of(const world::ColliderState<D>& c) const { return c.shape; }
  // Collider b's pose in collider a's frame. The objects' positions are subtracted first.
  [[nodiscard]] Pose<D> relative_pose(const world::ColliderState<D>& a, const world::ColliderState<D>& b) const {
    return relative_pose(a, objects[a.object].place(), b, objects[b.object].place());
  }
  // The same with the objects elsewhere.
  [[nodiscard]] Pose<D> relative_pose(const world::ColliderState<D>& a, const world::Place<D>& at_a,
                                      const world::ColliderState<D>& b, const world::Place<D>& at_b) const {
    return a.own.relative(at_a.relative(at_b) * b.own);
  }
};

}  // namespace colvik
