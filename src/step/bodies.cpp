#include "step/bodies.h"

#include <algorithm>
#include <utility>

#include "math/fault.h"
#include "pairs/access.h"
#include "store/access.h"
#include "store/checks.h"
#include "store/families.h"
#include "store/objects.h"

namespace colvik::world {

template <int D>
void gather_bodies(Store<D>& store, PairTable<D>& pairs, Walkers<D>& walkers,
                   ContactStage<D>& contacts, CcdStage<D>& ccd) {
  contacts.bodies.assign(1, dynamics::Body<D>{});  // kNoBody: all that never moves
  contacts.body_objects.assign(1, 0);
  ccd.trailed.clear();
  ccd.trails.clear();
  ccd.any_leap = false;
  ccd.racing_speeds.assign(1, std::numeric_limits<double>::max());
  ccd.least_racing = ccd.racing_speeds[0];
  for (std::size_t i = 0; i < store.movers.size(); ++i) {
    if (i + 4 < store.movers.size()) prefetch_object(store, store.movers[i + 4]);
    const std::uint32_t slot = store.movers[i];
    ObjectState<D>& o = store.objects[slot];
    const Object<D>& s = o.shown;
    set_body_index(store, o, kNoBody);
    o.pose_before = s.pose;
    o.velocity_before = s.velocity;
    o.trail = -1;
    store.briefs[slot].distance = 0;
    o.disturbed = false;
    if (o.parent != kAlone) continue;  // has its root's body, below
    if (!s.active) {
      o.force.setZero();
      o.torque.setZero();
      continue;
    }
    set_body_index(store, o, static_cast<std::uint32_t>(contacts.bodies.size()));
    Brief<D>& brief = store.briefs[slot];
    brief.centred = s.mass_centre.isZero(0);
    brief.careless = s.body != BodyKind::dynamic || !o.continuous;
    brief.thickness = s.body == BodyKind::dynamic ? o.thickness : kNever;
    dynamics::Body<D>& b = contacts.bodies.emplace_back();
    contacts.body_objects.push_back(slot);
    const Place<D> centre = o.place() * Pose<D>{s.mass_centre, {}};
    b.centre = centre.position;
    b.rest = centre.rest;
    b.rotation = s.pose.rotation;
    b.velocity = s.velocity;
    b.spin = s.spin;
    if (o.walker >= 0) {  // it does not push by its motion, but by its strength
      const Walking<D>& walking = walkers.list[static_cast<std::size_t>(o.walker)].walking;
      b.velocity = walking.standing ? walking.carried : Vec<D>(kZero);
      b.spin.setZero();
    }
    const double leap = 0.5 * o.thickness * store.settings.rate * store.settings.substeps;
    ccd.racing_speeds.push_back(s.body == BodyKind::dynamic && o.continuous && o.thickness > 0
                                    ? leap * leap
                                    : std::numeric_limits<double>::max());
    ccd.least_racing = std::min(ccd.least_racing, ccd.racing_speeds.back());
    if (s.body == BodyKind::kinematic) continue;
    ccd.any_leap = ccd.any_leap || leaps(store, o);
    for (int k = 0; k < D; ++k) b.inverse_mass[k] = o.locked_axes[k] ? 0 : o.inverse_mass;
    b.inertia = o.inertia;
    b.inverse_inertia = o.inverse_inertia;
    b.locked_turns = o.locked_turns;
    b.acceleration = store.settings.gravity * (COLVIK_FAULT(24) ? 0.999 : 1.0) * s.gravity_scale +
                     b.inverse_mass.cwiseProduct(o.force);
    for (int k = 0; k < D; ++k)
      if (o.locked_axes[k]) b.acceleration[k] = 0;
    b.torque = o.torque;
    b.drag = s.drag;
    b.spin_drag = s.spin_drag;
    o.force.setZero();
    o.torque.setZero();
  }
  for (const std::uint32_t slot : store.movers) {
    ObjectState<D>& o = store.objects[slot];
    if (o.parent != kAlone && o.shown.active) set_body_index(store, o, store.objects[o.root].body);
  }
  apply_fields(store, pairs, contacts);
  contacts.solver.begin(contacts.bodies,
                        {1 / store.settings.rate, store.settings.substeps, store.settings.metre});
}

// Gravity, drag and wind of the zones that dynamic bodies are in, as the last step left them.
template <int D>
void apply_fields(Store<D>& store, PairTable<D>& pairs, ContactStage<D>& contacts) {
  if (!store.has_fields) return;
  struct Felt {
    std::uint32_t body = 0;
    std::uint32_t zone = 0;
    const Field<D>* field = nullptr;
  };
  std::vector<Felt> felt;
  for (const Pair<D>& p : pairs.list) {
    if (p.channel != Channel::zone || !p.touching) continue;
    for (const auto& [zone, other] : {std::pair(p.a, p.b), std::pair(p.b, p.a)}) {
      const std::optional<Field<D>>& field = definition_of(store, store.colliders[zone]).field;
      const ObjectState<D>& o = store.objects[store.colliders[other].object];
      if (field && o.shown.body == BodyKind::dynamic && o.body != kNoBody)
        felt.push_back({o.body, zone, &*field});
    }
  }
  std::sort(felt.begin(), felt.end(), [&](const Felt& x, const Felt& y) {
    return std::pair(x.body, store.colliders[x.zone].serial) <
           std::pair(y.body, store.colliders[y.zone].serial);
  });
  for (std::size_t i = 0; i < felt.size();) {
    dynamics::Body<D>& b = contacts.bodies[felt[i].body];
    const double scale = store.objects[contacts.body_objects[felt[i].body]].shown.gravity_scale;
    const Field<D>* alone = nullptr;
    const auto act = [&](const Field<D>& f) {
      b.acceleration += f.gravity * scale + f.wind * f.drag;
      b.drag += f.drag;
    };
    std::size_t to = i;
    for (std::uint32_t last = 0xffffffff; to < felt.size() && felt[to].body == felt[i].body; ++to) {
      if (std::exchange(last, felt[to].zone) == felt[to].zone)
        continue;  // felt by two of its colliders
      const Field<D>& f = *felt[to].field;
      const auto strength = [](const Field<D>& x) {
        return std::pair(x.gravity.squaredNorm(), x.drag);
      };
      if (!f.alone) act(f);
      else if (alone == nullptr || strength(f) > strength(*alone)) alone = &f;
    }
    if (alone != nullptr) act(*alone);
    i = to;
  }
}

// Whether a body's state after the solver can be used; positions beyond this overflow when squared
// in single precision.
template <int D>
bool is_finite(const dynamics::Body<D>& b) {
  constexpr double kMost = 1e18;
  bool good = within(b.centre, kMost) && within(b.velocity, kMost) && within(b.spin, kMost);
  for (int i = 0; i < D; ++i) good = good && within(b.rotation.axis(i), 2);
  return good;
}

// Bodies whose state is not finite stay where the step began, at rest, and forget their contacts'
// impulses.
template <int D>
void stop_lost_bodies(Store<D>& store, PairTable<D>& pairs, const ContactStage<D>& contacts) {
  if (std::find(contacts.lost_by_worker.begin(), contacts.lost_by_worker.end(), 1) ==
      contacts.lost_by_worker.end())
    return;
  for (Pair<D>& p : pairs.list) {
    const ObjectState<D>& a = store.objects[store.objects[p.object_a].root];
    const ObjectState<D>& b = store.objects[store.objects[p.object_b].root];
    if (!a.lost && !b.lost) continue;
    p.cached.clear();
    p.start.clear();
    p.impulse = 0;
    p.approach = 0;
    p.when = -1;
  }
  for (std::size_t i = 1; i < contacts.bodies.size(); ++i) {
    ObjectState<D>& o = store.objects[contacts.body_objects[i]];
    if (!std::exchange(o.lost, false)) continue;
    o.trail = -1;
    ++store.stopped_count;
  }
}

template <int D>
void write_back_bodies(Store<D>& store, ContactStage<D>& contacts) {
  constexpr std::size_t kBodies = 256;
  math::Crew& crew = contacts.solver.crew();
  contacts.lost_by_worker.assign(crew.size(), 0);
  crew.share(contacts.bodies.size(), kBodies,
             [&](std::size_t first, std::size_t last, std::size_t worker) {
               if (!write_back_bodies(store, contacts, std::max<std::size_t>(first, 1), last))
                 contacts.lost_by_worker[worker] = 1;
             });
  follow_roots(store);
}

// False if the state of a body is not finite.
template <int D>
bool write_back_bodies(Store<D>& store, ContactStage<D>& contacts, std::size_t first,
                       std::size_t last) {
  bool finite = true;
  const double fastest = kFastest * store.settings.metre;
  for (std::size_t i = first; i < last; ++i) {
    constexpr std::size_t kAhead = 6;
    if (i + kAhead < last) {
      const std::uint32_t soon = contacts.body_objects[i + kAhead];
      prefetch_object(store, soon);
      math::fetch(&store.briefs[soon], 1);
    }
    dynamics::Body<D>& b = contacts.bodies[i];
    ObjectState<D>& o = store.objects[contacts.body_objects[i]];
    Object<D>& s = o.shown;
    if (o.walker >= 0) continue;  // it walks when all others have moved
    if (o.target) {  // exactly at the requested pose, free of the rounding of its velocity
      move_object(store, o, *o.target);
      o.target.reset();
      if (o.has_own) {
        s.velocity = o.own_velocity;
        s.spin = o.own_spin;
        o.has_own = false;
      } else if (std::holds_alternative<std::monostate>(s.motion)) {
        s.velocity.setZero();
        s.spin.setZero();
      }
      continue;
    }
    if (!is_finite(b)) {
      o.lost = true;
      finite = false;
      s.velocity.setZero();
      s.spin.setZero();
      continue;
    }
    move_object(store, o,
                Place<D>{Pose<D>{b.centre, b.rotation}, b.rest} * Pose<D>{-s.mass_centre, {}});
    s.velocity = b.velocity.cwiseMax(-fastest).cwiseMin(fastest);
    s.spin = b.spin.cwiseMax(-kFastest).cwiseMin(kFastest);
  }
  return finite;
}

template void gather_bodies(Store<2>& store, PairTable<2>& pairs, Walkers<2>& walkers,
                            ContactStage<2>& contacts, CcdStage<2>& ccd);
template void gather_bodies(Store<3>& store, PairTable<3>& pairs, Walkers<3>& walkers,
                            ContactStage<3>& contacts, CcdStage<3>& ccd);
template void stop_lost_bodies(Store<2>&, PairTable<2>&, const ContactStage<2>&);
template void stop_lost_bodies(Store<3>&, PairTable<3>&, const ContactStage<3>&);
template void write_back_bodies(Store<2>& store, ContactStage<2>& contacts);
template void write_back_bodies(Store<3>& store, ContactStage<3>& contacts);
template bool write_back_bodies(Store<2>& store, ContactStage<2>& contacts, std::size_t first,
                                std::size_t last);
template bool write_back_bodies(Store<3>& store, ContactStage<3>& contacts, std::size_t first,
                                std::size_t last);

}  // namespace colvik::world
