#pragma once
/// The contact world: objects, what they touch, and one step of time.
///
///     colvik::World<2> world({.gravity = {0, -9.81}});
///     world.tags().declare("scenery").value();
///     auto floor = world.add({.name = "floor", .tags = {"scenery"},
///                             .colliders = {{.shape = colvik::box(20, 1)}}}).value();
///     auto crate = world.add({.name = "crate", .at = {0, 3}, .body = colvik::BodyKind::dynamic,
///                             .colliders = {{.shape = colvik::box(1, 1)}}}).value();
///     for (int i = 0; i < 120; ++i) {
///       world.step();
///       for (const auto& event : world.events()) ...
///     }
///
/// One thread at a time may use a world, which may have others help it (work_with). The same calls
/// give the same bits on every machine.

#include <colvik/event.hpp>
#include <colvik/export.hpp>
#include <colvik/lines.hpp>
#include <colvik/query.hpp>
#include <colvik/verdict.hpp>
#include <colvik/workers.hpp>

#include <functional>
#include <memory>
#include <span>

namespace colvik {

/// How two materials' values make the value of a contact.
enum class Mixing { geometric_mean, mean, smaller, larger, product };
[[nodiscard]] COLVIK_EXPORT std::string_view name_of(Mixing mixing);

/// What becomes of objects that left the world's bounds. All of them are counted.
enum class Leaving { kept, removed };

template <int D>
struct WorldSettings {
  Vec<D> gravity = kZero;  ///< user's units per second squared
  double rate = 60;        ///< steps per second, 1 to 10000
  /// User's units that make one metre, 1e-6 to 1e6; every tolerance follows from it.
  double metre = 1;
  int substeps = 8;  ///< of the contact solver in a step, 1 to 64
  /// Where objects belong; an object that is entirely outside has left.
  std::optional<Bounds<D>> bounds{};
  Leaving leaving = Leaving::kept;
  bool sleep = true;  ///< bodies at rest fall asleep together with all they touch, until something
                      ///< wakes them
  Mixing friction_mixing = Mixing::geometric_mean;
  Mixing restitution_mixing = Mixing::larger;
};
/// Fails on what no world can run with.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<void> check_settings(const WorldSettings<D>& settings);

/// Fails on a motion that no object can follow; `metre` as in WorldSettings.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<void> check_motion(const Motion<D>& motion, double metre);

/// How long two objects do not meet.
struct Exception {
  std::optional<double> seconds{};  ///< from now
  bool until_apart = false;         ///< until they no longer touch
};

/// How much a step visits for the objects of one kind ("" for those of none).
struct KindCost {
  std::string kind{};
  std::size_t objects = 0;
  std::size_t awake = 0;
  std::size_t colliders = 0;
  std::size_t pairs = 0;
  std::size_t contacts = 0;  ///< those with two kinds count for both
};

/// Names a number: the world's own, or an object's.
struct NumberOwner {
  std::optional<ObjectId> object{};  ///< nullopt: the world
};

template <int D>
class COLVIK_EXPORT World {
 public:
  using Listener = std::function<void(World&, std::span<const Event<D>>)>;

  /// Throws UncheckedError on settings that check_settings refuses.
  explicit World(const WorldSettings<D>& settings = {});
  ~World();
  World(const World&) = delete;
  World& operator=(const World&) = delete;

  [[nodiscard]] const WorldSettings<D>& settings() const;
  [[nodiscard]] Tags& tags();
  [[nodiscard]] const Tags& tags() const;

  // ---- objects -------------------------------------------------------------------------------

  /// Adds an object. It exists immediately and touches from the next step on. Fails, naming object
  /// and value, on sizes, numbers, tags or names that cannot be used; nothing is then added.
  Result<ObjectId> add(const ObjectDef<D>& def);
  /// False once the object was removed. O(1).
  [[nodiscard]] bool alive(ObjectId id) const;
  /// Requires: alive, or removed and still in this step's events. Otherwise aborts in checked
  /// builds (COLVIK_CHECKED) and returns an empty object in others.
  [[nodiscard]] const Object<D>& object(ObjectId id) const;
  [[nodiscard]] std::optional<ObjectId> find(std::string_view name) const;
  /// Live objects in order of creation. Allocates.
  [[nodiscard]] std::vector<ObjectId> objects() const;
  /// The same in `out`, whose memory is used again.
  void objects(std::vector<ObjectId>& out) const;
  [[nodiscard]] std::size_t count() const;
  /// Shown objects that match the query, in order of creation: to change a value of them all. Cost:
  /// all objects.
  [[nodiscard]] std::vector<ObjectId> matching(const TagQuery& query) const;
  /// How often a still (fixed) object's collider was put somewhere else: each time costs the index
  /// more than moving what is meant to move.
  [[nodiscard]] std::size_t still_moved() const;
  /// Dynamic and kinematic objects that are shown and not asleep.
  [[nodiscard]] std::size_t awake_count() const;
  /// How many objects have left the world's bounds since the start; those that came back and left
  /// again count twice.
  [[nodiscard]] std::size_t left_count() const;
  /// Pairs and touches that a step visits now.
  [[nodiscard]] std::size_t pair_count() const;
  [[nodiscard]] std::size_t contact_count() const;  ///< of the solver, in the last step
  /// The same by kind, in the order of their names. Cost: all objects and pairs.
  [[nodiscard]] std::vector<KindCost> cost_by_kind() const;
  /// How often a fast object was held back at a surface that its centre would have passed, or come
  /// too near.
  [[nodiscard]] std::size_t held_back() const;
  /// How often a body's state after a step was not finite, or beyond 1e18: it stays where the step
  /// began, at rest. Only absurd masses, sizes or forces lead there.
  [[nodiscard]] std::size_t stopped_count() const;
  /// Whether something went through a surface of the object (mesh, height field, polyline) from
  /// behind, where it is not solid.
  [[nodiscard]] bool passed_from_behind(ObjectId id) const;

  /// What the object touches now, on that channel or either, in order of creation. Cost: all
  /// touches.
  [[nodiscard]] std::vector<ObjectId> touching(ObjectId id,
                                               std::optional<Channel> channel = std::nullopt) const;
  /// The touches of the colliders of two objects, in order of the colliders.
  [[nodiscard]] std::vector<ColliderTouch<D>> collider_touches(ObjectId self, ObjectId other) const;
  /// Direct children in order of creation.
  [[nodiscard]] std::vector<ObjectId> children(ObjectId id) const;
  /// A spot of the object, or "" for itself, in the world. nullopt: no such spot.
  [[nodiscard]] std::optional<Pose<D>> spot(ObjectId id, std::string_view name) const;

  // ---- kinds ---------------------------------------------------------------------------------

  /// What copies are made of later, by spawn(). Its name is def.kind. Fails as add() does, and on a
  /// second of a name.
  Result<void> declare_kind(const ObjectDef<D>& def);
  [[nodiscard]] const ObjectDef<D>* kind(std::string_view name) const;
  /// Names of the declared kinds, in order of declaration.
  [[nodiscard]] std::vector<std::string> kinds() const;
  /// A new copy of a kind. Its name is KIND.N, where N counts the spawned copies of that kind from
  /// 1, past names that are taken. It does not meet `excepts` until the two are apart. False when
  /// there is no such kind or the place is not usable.
  bool spawn(std::string_view kind, const Pose<D>& at, const Vec<D>& velocity = kZero,
             const Spin<D>& spin = kZero, std::optional<ObjectId> excepts = std::nullopt);

  // ---- changes -------------------------------------------------------------------------------
  // Outside a step they take effect immediately; requested by a listener they wait for the end of
  // the step and are applied together, in the order of the requests. Each returns false, and does
  // nothing, when the handle is stale: asking twice is harmless.

  bool remove(ObjectId id);  ///< with its children, as they with theirs
  /// Removes everything.
  void clear();
  /// Hides (false) or shows (true) the object; what has a hidden parent is hidden.
  bool set_shown(ObjectId id, bool active);
  /// Teleports: not swept, touches end as "teleported".
  bool place(ObjectId id, const Pose<D>& pose);
  /// From now on `child` moves with `parent`, at that pose in its frame; by default its relative
  /// pose it now. What is solid of it becomes part of a dynamic parent, mass and momentum included.
  /// False for what would be its own parent.
  bool attach(ObjectId child, ObjectId parent,
              const std::optional<Pose<D>>& on_parent = std::nullopt);
  /// On its own again, with the body it was added with and the velocity it has there.
  bool detach(ObjectId child);
  /// The two ignore each other: for a number of seconds, until they no longer touch (a thrown thing
  /// and its thrower), or for good. Touches end as "filtered".
  bool except(ObjectId a, ObjectId b, const Exception& exception = {});
  /// Kinematic objects: reach the pose at the end of the next step, moving evenly until then.
  bool move_to(ObjectId id, const Pose<D>& pose);
  /// A walker leaves the ground with it.
  bool set_velocity(ObjectId id, const Vec<D>& velocity, const Spin<D>& spin);
  /// No velocity, no spin, no motion; no wish of a walker.
  bool stop(ObjectId id);
  // Forces act through the next step; impulses immediately. `point` is a position in the world, the
  // centre of mass when left out. They wake the object. False for objects that are not dynamic and
  // values not finite.
  bool apply_force(ObjectId id, const Vec<D>& force,
                   const std::optional<Vec<D>>& point = std::nullopt);
  bool apply_torque(ObjectId id, const Spin<D>& torque);
  bool apply_impulse(ObjectId id, const Vec<D>& impulse,
                     const std::optional<Vec<D>>& point = std::nullopt);
  bool apply_angular_impulse(ObjectId id, const Spin<D>& impulse);
  /// Wakes a sleeping object and all that rests with it.
  bool wake(ObjectId id);
  /// Motions count time from the start of the run.
  bool set_motion(ObjectId id, const Motion<D>& motion);
  /// Stops a kinematic object's motion or velocity for a while; on, it continues from where it was.
  bool switch_motion(ObjectId id, bool on);
  bool set_gravity_scale(ObjectId id, double scale);
  /// Mirrors the object to face the other direction, with its children (see ObjectDef::mirrored).
  /// Fails for shapes that cannot be mirrored: tile grids, meshes and height fields.
  Result<void> set_mirrored(ObjectId id, bool mirrored);
  bool give_tag(ObjectId id, Tag tag);
  bool take_tag(ObjectId id, Tag tag);
  bool switch_collider(ObjectId id, std::size_t collider, bool on);
  bool set_filter(ObjectId id, std::size_t collider, const TagQuery& meets);
  /// Another shape, or size, in the collider's place. Its touches go on if it still touches. Fails,
  /// and changes nothing, on a shape that add() would refuse, and on a stale handle.
  Result<void> set_shape(ObjectId id, std::size_t collider, const Shape<D>& shape);
  /// Marks the object as going: reactions leave it alone from now on. At once, also in a listener.
  bool mark_going(ObjectId id);

  /// Declares a number of the world or an object, or sets it. Fails on a malformed name or a value
  /// that is not finite.
  Result<void> set_number(NumberOwner owner, std::string_view name, double value);
  /// Sets a number that is there. Waits, as changes do.
  bool put_number(NumberOwner owner, std::string_view name, double to);
  /// Keeps a number from `least` to `most`.
  bool clamp_number(NumberOwner owner, std::string_view name, double least, double most);
  /// Adds to a number; clamps the sum to `lowest` (or -1e15) and 1e15. False when there is no
  /// such number or object.
  bool add_to_number(NumberOwner owner, std::string_view name, double by, double lowest = -1e15);
  [[nodiscard]] std::optional<double> number(NumberOwner owner, std::string_view name) const;
  [[nodiscard]] std::span<const Number> numbers() const;  ///< the world's own

  // ---- walkers -------------------------------------------------------------------------------

  /// Sets the walker's wish from the next step on. False if the object is no walker, and for values
  /// not finite.
  bool wish(ObjectId id, const Wish<D>& wish);
  /// How it stands and moves; null if the object is no walker. Valid until the next step.
  [[nodiscard]] const Walking<D>* walking(ObjectId id) const;
  /// Lets an object fall through the one-way surfaces that it stands on.
  bool drop_through(ObjectId id);
  /// Replaces the collider's shape if the new one overlaps no solid that the object meets (standing
  /// up again). `at`: the object's pose then; unchanged when left out. Refused otherwise, with
  /// the obstacle and the depth.
  Result<void> fit_shape(ObjectId id, std::size_t collider, const Shape<D>& shape,
                         const std::optional<Vec<D>>& at = std::nullopt);
  /// The place nearest to `near` where the object overlaps no solid it meets, found by pushing it
  /// out along what it overlaps and, failing that, on rings up to `within` away. nullopt: none
  /// found.
  [[nodiscard]] std::optional<Vec<D>> free_place(ObjectId id, const Vec<D>& near,
                                                 double within) const;
  /// What the object would be deepest in at a place, of solids it meets; nullopt: nothing. `at` is
  /// minus the depth.
  [[nodiscard]] std::optional<Answer<D>> deepest(ObjectId id, const Vec<D>& at) const;
  /// Moves by cells: immediately, if no solid that it meets is on the path or there; else
  /// refused, naming that.
  Result<void> hop(ObjectId id, const Vec<D>& by);

  // ---- time ----------------------------------------------------------------------------------

  /// One step of 1/rate seconds: move what is driven, find pairs, solve contacts, move, then report
  /// touches, notify listeners, and apply the changes that they requested. A listener cannot call
  /// it, nor finish() or step_reported(): std::logic_error.
  void step();
  /// From now on steps share their work with these, which must stay until they are replaced or the
  /// world is gone; nullptr, as at first: the thread that calls step() does it all. Changes no bit,
  /// is no part of snapshots, and is kept by load(). Large worlds gain; what is short is done by
  /// the caller as before.
  void work_with(Workers* workers);
  /// A step in which nothing moves and no contact is searched for: the touches are those that
  /// another engine found. Listeners react to them as ever. Entries with stale handles are left
  /// out.
  void step_reported(std::span<const ReportedTouch> touches);
  /// Ends the run: every touch ends as "run over" in events(); listeners are notified.
  void finish();
  [[nodiscard]] bool finished() const;  ///< since the last step
  /// What the last step (or finish) reported. Valid until the next one.
  [[nodiscard]] std::span<const Event<D>> events() const;
  [[nodiscard]] std::uint64_t steps() const;
  [[nodiscard]] double time() const;  ///< steps() / rate

  /// Called once a step, in order of registration. Returns a token for remove_listener. Both may
  /// be requested by a listener, and then take effect from the next step on.
  std::size_t add_listener(Listener listener);
  void remove_listener(std::size_t token);
  /// Subscribes to `during` events of touches in which one side matches `self` and the other
  /// `other`.
  void ask_during(const TagQuery& self, const TagQuery& other);
  /// Subscribes to pair_events of the colliders of touches in which one side matches `self` and the
  /// other `other`. Cost: all touching pairs, each step.
  void ask_pairs(const TagQuery& self, const TagQuery& other);
  /// Touches of two colliders that began or ended in the last step, of those subscribed to; in
  /// order of the colliders.
  [[nodiscard]] std::span<const PairEvent<D>> pair_events() const;

  // ---- asking (see query.hpp) ----------------------------------------------------------------

  /// The first answer.
  [[nodiscard]] std::optional<Answer<D>> first(const Question<D>& question,
                                               const QueryFilter<D>& filter = {}) const;
  /// All answers, in order.
  [[nodiscard]] std::vector<Answer<D>> all(const Question<D>& question,
                                           const QueryFilter<D>& filter = {}) const;
  [[nodiscard]] std::size_t count(const Question<D>& question,
                                  const QueryFilter<D>& filter = {}) const;
  /// Whether there is an answer; stops at the first found.
  [[nodiscard]] bool any(const Question<D>& question, const QueryFilter<D>& filter = {}) const;
  /// The first answer of each ray; the same as asking one by one, but they are followed side by
  /// side, which takes about half the time in large scenery and three quarters of it among many
  /// objects. With a callback in `filter` one by one.
  [[nodiscard]] std::vector<std::optional<Answer<D>>> first_of_each(
      std::span<const RayCast<D>> rays, const QueryFilter<D>& filter = {}) const;
  /// What the object, or one of its children, would touch along the path, by the same verdict as in
  /// a step (but also static with static), in order of `at`, then as all answers. Fails on a stale
  /// handle and on values that are not finite.
  [[nodiscard]] Result<std::vector<WouldTouch<D>>> would_touch(ObjectId id,
                                                               const Change<D>& change) const;

  // ---- snapshots -----------------------------------------------------------------------------

  /// Everything the future depends on, as bytes of a versioned and checked format, the same on
  /// every machine. Listeners are not in it. Cost: proportional to what there is.
  [[nodiscard]] std::vector<std::byte> save() const;
  /// Becomes what was saved; listeners stay. No events come from it: running on gives the same bits
  /// as never having stopped. Handles of the saved world are good again. Fails, changing nothing,
  /// on bytes that are damaged, of another version, or of the other dimension.
  Result<void> load(std::span<const std::byte> saved);

  // ---- reading -------------------------------------------------------------------------------

  /// The world's lines as it is now: objects in order of age, each collider's together; then
  /// contacts.
  [[nodiscard]] std::vector<Line<D>> lines(const LineOptions& options = {}) const;

  /// The verdict for two colliders. One of a removed object, or that is not there, counts as
  /// inactive.
  [[nodiscard]] Verdict decide(ObjectId a, std::size_t collider_a, ObjectId b,
                               std::size_t collider_b) const;
  [[nodiscard]] Party party(ObjectId id, std::size_t collider) const;
  /// What the last step made of two colliders. O(log n), more while they sleep.
  [[nodiscard]] PairState pair_state(ObjectId a, std::size_t collider_a, ObjectId b,
                                     std::size_t collider_b) const;
  /// Hash of what save() writes, so of all that the future depends on: equal hashes, equal runs.
  /// Cost: as save().
  [[nodiscard]] std::uint64_t hash() const;

 private:
  struct Impl;
  std::unique_ptr<Impl> impl_{};
};

extern template class World<2>;
extern template class World<3>;

}  // namespace colvik
