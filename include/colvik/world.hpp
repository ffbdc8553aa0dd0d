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
/// One thread at a time may use a world. The same calls give the same bits on every machine.

#include <colvik/event.hpp>
#include <colvik/lines.hpp>
#include <colvik/query.hpp>
#include <colvik/verdict.hpp>

#include <functional>
#include <memory>
#include <span>

namespace colvik {

/// How two materials' values make the value of a contact.
enum class Mixing { geometric_mean, mean, smaller, larger, product };
[[nodiscard]] std::string_view name_of(Mixing mixing);

template <int D>
struct WorldSettings {
  Vec<D> gravity = kZero;  ///< user's units per second squared
  double rate = 60;        ///< steps per second, 1 to 10000
  double metre = 1;        ///< user's units that make one metre, 1e-6 to 1e6; every tolerance follows from it
  int substeps = 8;        ///< of the contact solver in a step, 1 to 64
  bool sleep = true;       ///< bodies at rest fall asleep together with all they touch, until something wakes them
  Mixing friction_mixing = Mixing::geometric_mean;
  Mixing restitution_mixing = Mixing::larger;
};
/// Fails on what no world can run with.
template <int D>
[[nodiscard]] Result<void> check_settings(const WorldSettings<D>& settings);

/// Names a number: the world's own, or an object's.
struct NumberOwner {
  std::optional<ObjectId> object{};  ///< nullopt: the world
};

template <int D>
class World {
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

  /// Adds an object. It is there at once and touches from the next step on. Fails, naming object and
  /// value, on sizes, numbers, tags or names that cannot be used; nothing is then added.
  Result<ObjectId> add(const ObjectDef<D>& def);
  /// False once the object was removed. O(1).
  [[nodiscard]] bool alive(ObjectId id) const;
  /// Requires: alive, or removed and still in this step's events. Otherwise aborts in checked builds
  /// (COLVIK_CHECKED) and returns an empty object in others.
  [[nodiscard]] const Object<D>& object(ObjectId id) const;
  [[nodiscard]] std::optional<ObjectId> find(std::string_view name) const;
  /// Live objects in order of creation. Allocates.
  [[nodiscard]] std::vector<ObjectId> objects() const;
  [[nodiscard]] std::size_t count() const;
  /// How often a still (fixed) object's collider was put somewhere else: each time costs the index more
  /// than moving what is meant to move.
  [[nodiscard]] std::size_t still_moved() const;
  /// Dynamic and kinematic objects that are shown and not asleep.
  [[nodiscard]] std::size_t awake_count() const;
  /// How often a fast object was held back at a surface because it would have passed it within one step.
  [[nodiscard]] std::size_t held_back() const;

  // ---- changes -------------------------------------------------------------------------------
  // Outside a step they take effect at once; asked for by a listener they wait for the end of the
  // step and are applied together, in the order asked. Each returns false, and does nothing, when
  // the handle is stale: asking twice is harmless.

  bool remove(ObjectId id);
  /// Hides (false) or shows (true) the object.
  bool set_shown(ObjectId id, bool active);
  /// Teleports: not swept, touches end as "teleported".
  bool place(ObjectId id, const Pose<D>& pose);
  /// Kinematic objects: be there at the end of the next step, moving on the way.
  bool move_to(ObjectId id, const Pose<D>& pose);
  bool set_velocity(ObjectId id, const Vec<D>& velocity, const Spin<D>& spin);
  /// No velocity, no spin, no motion.
  bool stop(ObjectId id);
  // Forces act through the next step; impulses at once. `point` is a place in the world, the centre of mass
  // when left out. They wake the object. False for objects that are not dynamic and values not finite.
  bool apply_force(ObjectId id, const Vec<D>& force, const std::optional<Vec<D>>& point = std::nullopt);
  bool apply_torque(ObjectId id, const Spin<D>& torque);
  bool apply_impulse(ObjectId id, const Vec<D>& impulse, const std::optional<Vec<D>>& point = std::nullopt);
  bool apply_angular_impulse(ObjectId id, const Spin<D>& impulse);
  /// Wakes a sleeping object and all that rests with it.
  bool wake(ObjectId id);
  /// Motions count time from the start of the run.
  bool set_motion(ObjectId id, const Motion<D>& motion);
  bool give_tag(ObjectId id, Tag tag);
  bool take_tag(ObjectId id, Tag tag);
  bool switch_collider(ObjectId id, std::size_t collider, bool on);
  bool set_filter(ObjectId id, std::size_t collider, const TagQuery& meets);
  /// Another shape, or size, in the collider's place. Its touches go on if it still touches. Fails, and
  /// changes nothing, on a shape that add() would refuse, and on a stale handle.
  Result<void> set_shape(ObjectId id, std::size_t collider, const Shape<D>& shape);
  /// Marks the object as going: reactions leave it alone from now on. At once, also in a listener.
  bool mark_going(ObjectId id);

  /// Declares a number of the world or an object, or sets it. Fails on a malformed name or a value
  /// that is not finite.
  Result<void> set_number(NumberOwner owner, std::string_view name, double value);
  /// Adds to a number; the sum is kept from `lowest` (or -1e15) to 1e15. False when there is no such
  /// number or object.
  bool add_to_number(NumberOwner owner, std::string_view name, double by, double lowest = -1e15);
  [[nodiscard]] std::optional<double> number(NumberOwner owner, std::string_view name) const;
  [[nodiscard]] std::span<const Number> numbers() const;  ///< the world's own

  // ---- time ----------------------------------------------------------------------------------

  /// One step of 1/rate seconds: move what is driven, find pairs, solve contacts, move, then report
  /// touches, let listeners react, and apply what they asked for.
  void step();
  /// Ends the run: every touch ends as "run over" in events(); listeners are told.
  void finish();
  [[nodiscard]] bool finished() const;  ///< since the last step
  /// What the last step (or finish) reported. Valid until the next one.
  [[nodiscard]] std::span<const Event<D>> events() const;
  [[nodiscard]] std::uint64_t steps() const;
  [[nodiscard]] double time() const;  ///< steps() / rate

  /// Called once a step, in order of registration. Returns a token for remove_listener. Both may
  /// be asked for by a listener, and then hold from the next step on.
  std::size_t add_listener(Listener listener);
  void remove_listener(std::size_t token);
  /// Asks for `during` events of touches in which one side matches `self` and the other `other`.
  void ask_during(const TagQuery& self, const TagQuery& other);

  // ---- asking (see query.hpp) ----------------------------------------------------------------

  /// The first answer.
  [[nodiscard]] std::optional<Answer<D>> first(const Question<D>& question, const Look<D>& look = {}) const;
  /// All answers, in order.
  [[nodiscard]] std::vector<Answer<D>> all(const Question<D>& question, const Look<D>& look = {}) const;
  [[nodiscard]] std::size_t count(const Question<D>& question, const Look<D>& look = {}) const;
  /// Whether there is an answer; stops at the first found.
  [[nodiscard]] bool any(const Question<D>& question, const Look<D>& look = {}) const;
  /// The first answer of each ray; the same as asking one by one.
  [[nodiscard]] std::vector<std::optional<Answer<D>>> first_of_each(std::span<const RayCast<D>> rays,
                                                                    const Look<D>& look = {}) const;
  /// What the object would touch on the way, by the same verdict as in a step (but also static with
  /// static), in order of `at`, then as all answers. Fails on a stale handle and on values that are not
  /// finite.
  [[nodiscard]] Result<std::vector<WouldTouch<D>>> would_touch(ObjectId id, const Change<D>& change) const;

  // ---- snapshots -----------------------------------------------------------------------------

  /// Everything the future depends on, as bytes of a versioned and checked format, the same on every
  /// machine. Listeners are not in it. Cost: proportional to what there is.
  [[nodiscard]] std::vector<std::byte> save() const;
  /// Becomes what was saved; listeners stay. No events come from it: running on gives the same bits as
  /// never having stopped. Handles of the saved world are good again. Fails, changing nothing, on bytes
  /// that are damaged, of another version, or of the other dimension.
  Result<void> load(std::span<const std::byte> saved);

  // ---- looking -------------------------------------------------------------------------------

  /// The world's lines as it is now: objects in order of age, each collider's together; then contacts.
  [[nodiscard]] std::vector<Line<D>> lines(const LineOptions& options = {}) const;

  /// The verdict for two colliders. One of a removed object, or that is not there, counts as inactive.
  [[nodiscard]] Verdict decide(ObjectId a, std::size_t collider_a, ObjectId b, std::size_t collider_b) const;
  [[nodiscard]] Party party(ObjectId id, std::size_t collider) const;
  /// Hash over all that the future depends on; equal hashes, equal runs.
  [[nodiscard]] std::uint64_t hash() const;

 private:
  struct Impl;
  std::unique_ptr<Impl> impl_{};
};

extern template class World<2>;
extern template class World<3>;

}  // namespace colvik
