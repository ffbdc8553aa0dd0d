#pragma once
// The state of a world and the stages of its step. Each stage is a function of its own; the files
// beside this one hold them: objects.cpp (adding and changing), drive.cpp, pairs.cpp, contacts.cpp,
// touches.cpp, and step.cpp, which lists them in order.
#include <colvik/world.hpp>

#include <algorithm>
#include <cstddef>
#include <unordered_map>

#include "contact/collide.h"
#include "dynamics/solver.h"
#include "index/tree.h"
#include "math/fetch.h"
#include "math/fine.h"
#include "math/many.h"
#include "world/asked.h"
#include "world/classes.h"
#include "world/meetings.h"
#include "world/pair.h"
#include "world/patch.h"
#include "world/states.h"
#include "world/tolerances.h"

namespace colvik {

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
  math::Many<world::Pair<D>> pairs, fresh_pairs;  // by (serial_a, serial_b); found in the running step
  std::vector<std::uint32_t> gone_pairs, places;  // that parted; by fresh pair, what it comes before
  std::vector<world::Staying> staying_pairs;
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
  world::Meetings<D> meetings;                        // of the running step; contacts of fast pairs last
  std::vector<world::Meetings<D>> meetings_of_parts;  // while it is shared
  std::vector<world::Outlook<D>> outlooks;            // of a substep, by part
  std::vector<world::Coming> coming;                  // of all of them: slow ones, quick ones, those that pass
  std::vector<world::Pace<D>> paces;                  // of bodies, as the step begins
  std::size_t steady_contacts = 0;
  std::vector<std::uint32_t> racers;   // bodies that may pass something in a substep
  std::vector<double> racing;          // by body: the square of the speed from which on it may
  double least_racing = 0;             // of these
  bool some_leap = false;              // some body leaps
  std::vector<std::uint32_t> trailed;  // those of them whose way within the step is noted, as a zone may be on it
  std::vector<double> trail_ways;      // their lengths
  std::vector<Pose<D>> trails;         // by substep, then in their order
  std::size_t held_back = 0;
  std::vector<std::uint32_t> group_of, roots;                 // of bodies, when some may sleep
  std::vector<std::pair<std::uint32_t, std::uint32_t>> deep;  // what is deep in what does not yield: it, and the pair
  std::vector<std::vector<std::pair<std::uint32_t, std::uint32_t>>> deep_of;  // by worker
  std::vector<contact::Manifold<D>> manifolds;                                // of the two at hand

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
  void near(const Asked& asked, Visit&& visit);
  template <class Asked, class Visit>
  void near_by_age(const Asked& asked, Visit&& visit);
  template <class Asked>
  std::optional<Answer<D>> met(const Asked& asked, const Look<D>& look, const world::ColliderState<D>& c, bool near,
                               double limit);
  std::optional<Answer<D>> first(const Question<D>& question, const Look<D>& look);
  bool any(const Question<D>& question, const Look<D>& look);
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
    brief.centred = false;
    brief.alone = 0;
  }
  void put(world::ObjectState<D>& o, const world::Place<D>& at);
  void scatter_bodies();
  void scatter_bodies(std::size_t first, std::size_t last);
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
  // As the step begins. Most are where their bodies are, which lie close together.
  [[nodiscard]] world::Place<D> first_place(std::uint32_t slot) const {
    const world::Brief<D>& brief = briefs[slot];
    if (!brief.centred) return objects[slot].place();
    const dynamics::Body<D>& b = bodies[brief.body];
    return {Pose<D>{b.centre, b.rotation}, b.rest};
  }
  COLVIK_FETCHES void fetch_first_place(std::uint32_t slot) const {
    if (const world::Brief<D>& brief = briefs[slot]; brief.centred)
      math::fetch(&bodies[brief.body], offsetof(dynamics::Body<D>, inverse_inertia));
    else fetch_place(slot);
  }
  void make_contacts();  // contacts.cpp
  void fetch_pairs_after(std::size_t i, std::size_t last) const;
  void look_at_pairs(std::size_t first, std::size_t last, world::Meetings<D>& out);
  // look(first, last, out) for parts of what is below count, each by itself; then all is put together in their order,
  // behind what there was. Returns how many parts there were.
  template <class Look>
  std::size_t meet_in_parts(std::size_t count, std::size_t grain, Look&& look) {
    math::Crew& crew = solver.crew();
    const std::size_t parts = crew.parts(count, grain);
    if (parts == 1) {
      look(std::size_t{0}, count, meetings);
      return parts;
    }
    if (meetings_of_parts.size() < parts) meetings_of_parts.resize(parts);
    crew.share(count, grain, [&](std::size_t first, std::size_t last, std::size_t) {
      world::Meetings<D>& part = meetings_of_parts[first / grain];
      part.clear();
      look(first, last, part);
    });
    meetings.gather(std::span(meetings_of_parts).first(parts), crew);
    return parts;
  }
  void add_contacts(world::Meetings<D>& out, std::size_t pair, const world::Place<D>& at_a, const world::Place<D>& at_b,
                    double margin, double ahead, bool guard);
  world::Kept<D>* find_kept(std::vector<world::Kept<D>>& before, std::uint32_t id, const Vec<D>& at) const;
  void note_contact(const dynamics::Contact<D>& c, std::uint32_t pair, bool at_end);
  void begin_substep();  // fast.cpp
  void add_corners(world::Meetings<D>& to, std::size_t contact, std::uint32_t collider, const Pose<D>& at,
                   double ahead) const;
  // Whether it moves far for its size within the running step.
  [[nodiscard]] bool leaps(const world::ObjectState<D>& o) const {
    return o.shown.body == BodyKind::dynamic && o.velocity_before.norm() > o.thin * settings.rate;
  }
  void trail(std::uint32_t slot);
  void note_trails();
  void end_substep();
  [[nodiscard]] double way(const world::FastPair<D>& f, double seconds) const;
  [[nodiscard]] world::WaysSoFar<D> ways_in_step(const world::FastPair<D>& f) const;
  [[nodiscard]] world::WaysSoFar<D> ways_so_far(const world::Pair<D>& p) const {
    const world::Brief<D>&a = briefs[p.object_a], &b = briefs[p.object_b];
    return {a.travelled - b.travelled, a.turned + b.turned};
  }
  [[nodiscard]] double substep_time() const { return 1 / (settings.rate * settings.substeps); }  // seconds
  void look_at(world::FastPair<D>& f, double beyond) const;
  [[nodiscard]] std::optional<double> time_of_touch(const world::Pair<D>& p, double h) const;
  [[nodiscard]] bool holds(world::FastPair<D>& f, double closing);
  void look_ahead();
  void look_ahead(std::size_t first, std::size_t last, world::Outlook<D>& out);
  void find_contacts();
  void find_contacts(std::size_t first, std::size_t last, world::Meetings<D>& out);
  // Of two that were asked for no further than `beyond`.
  [[nodiscard]] world::Slab<D> slab_of(const world::Pair<D>& p, const Rotation<D>& of_a,
                                       const contact::Separation<D>& told, double beyond,
                                       const world::WaysSoFar<D>& until) const {
    const world::ColliderState<D>&a = colliders[p.a], &b = colliders[p.b];
    if (!is_convex(a.shape) || !is_convex(b.shape)) return {std::min(told.gap, beyond), kZero, until};
    return {told.gap, of_a * Vec<D>(a.own.rotation * told.normal), until};
  }
  [[nodiscard]] double still_apart(const world::FastPair<D>& f, double ahead) const;
  [[nodiscard]] world::Place<D> place_in_step(std::uint32_t slot, double ahead) const;
  void hold_one_way(world::Pair<D>& p, const world::Place<D>& at_a, const world::Place<D>& at_b,
                    std::vector<contact::Manifold<D>>& among) const;
  [[nodiscard]] bool has_one_way(const world::Pair<D>& p) const {
    return colliders[p.a].one_way || colliders[p.b].one_way;
  }
  [[nodiscard]] bool clear_of_one_way(const world::Pair<D>& p, const world::Place<D>& at_a,
                                      const world::Place<D>& at_b) const;
  void read_contacts();
  void note_contacts(std::size_t first, std::size_t last);
  void note_touching(std::size_t first, std::size_t last,
                     std::vector<std::pair<std::uint32_t, std::uint32_t>>& deep_ones);
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
  void wake_all();
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
  [[nodiscard]] Pose<D> pose_of(const world::ColliderState<D>& c) const {
    return c.placed(objects[c.object].shown.pose);
  }
  [[nodiscard]] const Shape<D>& shape_of(const world::ColliderState<D>& c) const { return c.shape; }
  // Collider b's pose in collider a's frame. The objects' positions are subtracted first.
  [[nodiscard]] Pose<D> relative_pose(const world::ColliderState<D>& a, const world::ColliderState<D>& b) const {
    return relative_pose(a, objects[a.object].place(), b, objects[b.object].place());
  }
  // The same with the objects elsewhere.
  [[nodiscard]] Pose<D> relative_pose(const world::ColliderState<D>& a, const world::Place<D>& at_a,
                                      const world::ColliderState<D>& b, const world::Place<D>& at_b) const {
    Pose<D> pose = b.placed(at_a.relative(at_b));
    if (!a.plain) pose = a.own.relative(pose);
    return pose;
  }
};

}  // namespace colvik
