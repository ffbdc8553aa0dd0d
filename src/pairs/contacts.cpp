#include "pairs/contacts.h"

#include <algorithm>
#include <cmath>
#include <cstddef>

#include "math/fault.h"
#include "pairs/access.h"
#include "pairs/ccd.h"
#include "pairs/one_way.h"

namespace colvik::world {

namespace {

double mixed(Mixing how, double a, double b) {
  switch (how) {
    case Mixing::geometric_mean: return std::sqrt(a * b);
    case Mixing::mean: return (a + b) / 2;
    case Mixing::smaller: return std::min(a, b);
    case Mixing::larger: return std::max(a, b);
    default: return a * b;
  }
}

}  // namespace

// It rides on the other one, is pushed by it, or a one-way surface ignores it: the solver has
// no part in that.
template <int D>
bool carries_walker(const Store<D>& store, const Walkers<D>& walkers, const Pair<D>& p) {
  const auto carries = [&](std::uint32_t walker, std::uint32_t other) {
    const ObjectState<D>& o = store.objects[store.colliders[walker].object];
    if (o.walker < 0) return false;
    const WalkerState<D>& w = walkers.list[static_cast<std::size_t>(o.walker)];
    const ColliderState<D>& c = store.colliders[other];
    const ObjectState<D>& body = store.objects[c.object];
    return (w.walking.standing && w.walking.on == body.shown.id) ||
           w.yields_to.matches(body.shown.colliders[c.which].tags);
  };
  return carries(p.a, p.b) || carries(p.b, p.a);
}

// Prefetches what contacts read of the pairs after this one.
template <int D>
COLVIK_FETCHES void prefetch_pairs(const Store<D>& store, const PairTable<D>& pairs,
                                   const ContactStage<D>& contacts, std::size_t i,
                                   std::size_t last) {
  constexpr std::size_t kHot = 128;  // bytes
  constexpr std::size_t kPairs = 32;
  constexpr std::size_t kSides = 8;
  constexpr std::size_t kPoints = 4;  // ahead
  if (i + kPairs < last) math::fetch(&pairs.list[i + kPairs], kHot);
  if (i + kSides < last) {
    const Pair<D>& p = pairs.list[i + kSides];
    for (const std::uint32_t at : {p.a, p.b}) math::fetch(&store.colliders[at], 1);
    for (const std::uint32_t slot : {p.object_a, p.object_b}) math::fetch(&store.briefs[slot], 1);
    if (p.touching) math::fetch(&p.gap, sizeof(Pair<D>) - kHot);
  }
  if (i + kPoints < last)
    if (const Pair<D>& p = pairs.list[i + kPoints]; p.touching && p.responds) {
      math::fetch(p.cached.data(), p.cached.size() * sizeof(CachedImpulse<D>));
      for (const std::uint32_t at : {p.a, p.b})
        math::fetch(&store.colliders[at], ColliderState<D>::kHot);
      for (const std::uint32_t slot : {p.object_a, p.object_b})
        prefetch_start_place(store, contacts, slot);
    }
}

template <int D>
void make_contacts(Store<D>& store, PairTable<D>& pairs, Sleepers<D>& sleepers, Walkers<D>& walkers,
                   ContactStage<D>& contacts, CcdStage<D>& ccd) {
  const double dt = 1 / store.settings.rate;
  contacts.paces.clear();
  for (std::size_t i = 0; i < contacts.bodies.size(); ++i) {
    const dynamics::Body<D>& b = contacts.bodies[i];
    contacts.paces.push_back(
        {b.velocity, b.acceleration,
         i > 0 ? b.spin.norm() * store.objects[contacts.body_objects[i]].turning_radius : 0});
  }
  for (const std::uint32_t slot : store.movers)
    store.briefs[slot].alone = contacts.paces[store.briefs[slot].body].alone(dt);
  if (ccd.any_leap)
    for (const Pair<D>& p : pairs.list)
      if (!p.responds || has_walker(store, walkers, p)) {
        start_trail(store, ccd, p.object_a);
        start_trail(store, ccd, p.object_b);
      }
  contacts.batch.clear();
  collide_in_parts(contacts, pairs.list.size(), kPart,
                   [&](std::size_t first, std::size_t last, ContactBatch<D>& out) {
                     collide_pairs(store, pairs, sleepers, walkers, contacts, first, last, out);
                   });
  pairs.active.swap(contacts.batch.active_pairs);
  contacts.steady = contacts.batch.contacts.size();
  contacts.solver.set(contacts.batch.contacts);
}

template <int D>
void collide_pairs(Store<D>& store, PairTable<D>& pairs, Sleepers<D>& sleepers, Walkers<D>& walkers,
                   ContactStage<D>& contacts, std::size_t first, std::size_t last,
                   ContactBatch<D>& out) {
  const double dt = 1 / store.settings.rate;
  for (std::size_t i = first; i < last; ++i) {
    prefetch_pairs(store, pairs, contacts, i, last);
    Pair<D>& p = pairs.list[i];
    const auto active = [&] { out.active_pairs.push_back(static_cast<std::uint32_t>(i)); };
    if (!p.responds || pair_rests(store, sleepers, p)) {
      active();
      continue;
    }
    if (has_walker(store, walkers, p) && carries_walker(store, walkers, p)) {
      p.cached.clear();
      p.impulse = 0;
      active();
      continue;
    }
    const ColliderState<D>& ca = store.colliders[p.a];
    const ColliderState<D>& cb = store.colliders[p.b];
    const Brief<D>& a = store.briefs[p.object_a];
    const Brief<D>& b = store.briefs[p.object_b];
    // Shapes that may meet within this step are in contact already, across a gap, so that fast ones
    // do not pass through each other. Of those that move far for their size, contacts are found in
    // each substep.
    const double small = std::min(ca.extent, cb.extent);
    double closing = a.alone + b.alone;
    if (a.careless && b.careless) closing = 0;
    else if (closing > 0.5 * kFastPart * small)
      closing = contacts.paces[a.body].distance(contacts.paces[b.body],
                                                dt);  // they may move in the same direction
    const double thin = std::min(a.thickness, b.thickness);
    const double most = std::min(kFastPart * small, 0.5 * thin);
    // What touches already changes less, unless it is thin.
    const double touching_most = std::max(most, std::min(kFastTouching * small, thin));
    const bool fast = closing > (p.touching ? touching_most : most);
    // Those further apart than this can neither push nor count as touching in this step.
    const double reach = (fast         ? kMargin
                          : p.touching ? kLetGo
                                       : kTouching) *
                             store.settings.metre +
                         closing;
    const bool apart = p.slab.left(displacement_so_far(store, p)) > reach;
    if (apart && p.idle) continue;
    p.forget();
    p.idle = apart && !(p.touching || p.passed || p.left || has_walker(store, walkers, p));
    if (!p.idle) active();
    if (apart) {
      p.cached.clear();
      p.standing.clear();
      p.ignored = p.passing = false;
    } else if (fast) {
      FastPair<D> f{static_cast<std::uint32_t>(i),
                    a.body,
                    b.body,
                    store.objects[p.object_a].turning_radius,
                    store.objects[p.object_b].turning_radius,
                    store.objects[p.object_a].thickness,
                    store.objects[p.object_b].thickness,
                    most,
                    std::min(touching_most, 0.5 * thin)};
      if (!p.touching) {
        measure_gap(store, pairs, contacts, f, 2 * reach);
        p.slab = {f.slab.apart, f.slab.normal, displacement_so_far(store, p)};
      }
      if (f.slab.apart <= reach) out.fast_pairs.push_back(f);
      else p.cached.clear();
    } else {
      add_contacts(store, pairs, contacts, out, i, start_place(store, contacts, ca.object),
                   start_place(store, contacts, cb.object), reach, 0, false);
    }
  }
}

// The point of the last step whose impulse this one inherits: of the same features, or else, as
// these change where two edges lie over each other, the one at the same place.
template <int D>
CachedImpulse<D>* find_cached(const Store<D>& store, std::vector<CachedImpulse<D>>& before,
                              std::uint32_t id, const Vec<D>& at) {
  CachedImpulse<D>* nearest = nullptr;
  double least = kSamePoint * store.settings.metre;
  least *= least;
  for (CachedImpulse<D>& k : before) {
    if (k.push == 0) continue;
    if (k.id == id) return &k;
    const double far = (k.at - at).squaredNorm();
    if (far < least) {
      nearest = &k;
      least = far;
    }
  }
  return nearest;
}

// How fast a body goes, with what accelerates it until the step's end, where the other one is.
template <int D>
Vec<D> velocity_then(const ContactStage<D>& contacts, std::uint32_t body, double seconds,
                     const Vec<D>& to_other) {
  const dynamics::Body<D>& b = contacts.bodies[body];
  const bool starts = contacts.solver.time() == 0;  // the solver does not know it yet
  const Vec<D>& velocity = starts ? b.velocity : contacts.solver.moving(body).velocity;
  const Spin<D>& spin = starts ? b.spin : contacts.solver.moving(body).spin;
  return velocity + b.acceleration * seconds + cross(spin, to_other);
}

template <int D>
void add_contacts(Store<D>& store, PairTable<D>& pairs, ContactStage<D>& contacts,
                  ContactBatch<D>& out, std::size_t pair, const Place<D>& at_a,
                  const Place<D>& at_b, double margin, double ahead, bool guard) {
  Pair<D>& p = pairs.list[pair];
  const ColliderState<D>& ca = store.colliders[p.a];
  const ColliderState<D>& cb = store.colliders[p.b];
  const Brief<D>& brief_a = store.briefs[ca.object];
  const Brief<D>& brief_b = store.briefs[cb.object];
  out.before.assign(p.cached.begin(),
                    p.cached.end());  // each keeps its memory, so that a steady step takes none
  p.cached.clear();
  const Shape<D>& shape_a = ca.shape;
  const Shape<D>& shape_b = cb.shape;
  if (p.start.empty() && contact::go_on(shape_a, shape_b)) p.start.emplace_back();
  contact::Separation<D> separation;
  separation.gap = 0;
  contact::collide(shape_a, shape_b, relative_pose(ca, at_a, cb, at_b), margin,
                   std::min(kMargin * store.settings.metre, 0.05 * std::min(ca.extent, cb.extent)),
                   out.manifolds, p.start.empty() ? nullptr : p.start.data(), &separation);
  p.slab.apart = 0;
  if (separation.gap > margin && contacts.solver.time() == 0 && ahead == 0)
    p.slab =
        separating_slab(store, p, at_a.rotation, separation, margin, displacement_so_far(store, p));
  if (has_back(store, p)) {
    if (ahead == 0) see_from_behind(store, p, at_a, at_b, margin, !out.manifolds.empty());
    if (p.passing) out.manifolds.clear();
  }
  if (has_one_way(store, p) || shape_a.tiles != nullptr || shape_b.tiles != nullptr || p.ignored ||
      p.passing || !p.standing.empty()) {
    const double left = 1 / store.settings.rate - contacts.solver.time();
    const Vec<D> offset = at_a.offset_to(at_b);
    const Vec<D> velocity = velocity_then(contacts, brief_b.body, left, Vec<D>(-offset)) -
                            velocity_then(contacts, brief_a.body, left, offset);
    apply_one_way(store, p, Crossing<D>{at_a, at_b, 0, velocity}, out.manifolds);
  }
  if (out.manifolds.empty()) return;
  if (!p.touching && ahead == 0 && contacts.solver.time() == 0)
    for (const contact::Manifold<D>& m : out.manifolds)
      if (m.least_gap(m.points[0].gap) <= 0) p.when = 0;  // they begin in each other

  const double friction = mixed(store.settings.friction_mixing, ca.friction, cb.friction);
  const double restitution =
      mixed(store.settings.restitution_mixing, ca.restitution, cb.restitution);
  // From collider a's frame to the world's, relative to object a's position: exact far from the
  // origin.
  const Pose<D> frame = ca.placed({kZero, at_a.rotation});
  Vec<D> to_a = kZero;
  Vec<D> to_b = at_a.offset_to(at_b);
  if (!brief_a.centred) to_a += at_a.rotation * store.objects[ca.object].shown.mass_centre;
  if (!brief_b.centred) to_b += at_b.rotation * store.objects[cb.object].shown.mass_centre;
  const double rolling = std::max(ca.rolling, cb.rolling);
  const bool runs = ca.runs || cb.runs;
  for (const contact::Manifold<D>& m : out.manifolds) {
    dynamics::Contact<D>& c = out.contacts.emplace_back();
    out.contact_pairs.push_back(static_cast<std::uint32_t>(pair));
    c.a = brief_a.body;
    c.b = brief_b.body;
    c.guard = guard;
    c.friction = COLVIK_FAULT(16) ? 0.9 * friction : friction;
    c.restitution = COLVIK_FAULT(17) ? 0 : restitution;
    c.normal = frame.rotation * m.normal;
    for (int k = 0; k < m.count; ++k) {
      const contact::ContactPoint<D>& from = m.points[k];
      const Vec<D> offset = frame * from.position;
      const Vec<D> arm_a = offset - to_a;  // at hand: what was just written is slow to read
      dynamics::SolverPoint<D>& to = c.add(arm_a, offset - to_b, from.gap, from.id);
      if (ahead > 0) {
        // The gap of this moment is the one there and what the motion until then closes.
        const Vec<D> apart = contacts.solver.relative_velocity(c, to);
        const Vec<D> gain = contacts.bodies[c.b].acceleration - contacts.bodies[c.a].acceleration;
        to.gap -= c.normal.dot(apart * ahead + gain * (ahead * ahead / 2));
      }
      if (CachedImpulse<D>* before =
              find_cached(store, out.before, from.id, Vec<D>(at_a.rotation.inverse() * arm_a))) {
        to.push = before->push;
        to.drag = before->drag;
        c.even = std::max(c.even, before->even);
        if (k == 0) c.roll = before->roll;
        before->push = 0;  // it is taken
      }
    }
    if (rolling > 0) {
      // The lever is that of what rolls: of two, the shorter.
      const auto is_dynamic = [&](std::uint32_t slot) {
        return store.objects[slot].shown.body == BodyKind::dynamic;
      };
      double lever = std::numeric_limits<double>::max();
      if (is_dynamic(ca.object)) lever = std::min(lever, c.points[0].arm_a.norm());
      if (is_dynamic(cb.object)) lever = std::min(lever, c.points[0].arm_b.norm());
      c.rolling = rolling * lever;
    }
    if (runs) {
      const Vec<D> running = surface_velocity(store.objects[cb.object].shown, cb.which) -
                             surface_velocity(store.objects[ca.object].shown, ca.which);
      c.surface = running - c.normal * c.normal.dot(running);
    }
  }
}

template void make_contacts(Store<2>& store, PairTable<2>& pairs, Sleepers<2>& sleepers,
                            Walkers<2>& walkers, ContactStage<2>& contacts, CcdStage<2>& ccd);
template void make_contacts(Store<3>& store, PairTable<3>& pairs, Sleepers<3>& sleepers,
                            Walkers<3>& walkers, ContactStage<3>& contacts, CcdStage<3>& ccd);
template void add_contacts(Store<2>& store, PairTable<2>& pairs, ContactStage<2>& contacts,
                           ContactBatch<2>& out, std::size_t pair, const Place<2>& at_a,
                           const Place<2>& at_b, double margin, double ahead, bool guard);
template void add_contacts(Store<3>& store, PairTable<3>& pairs, ContactStage<3>& contacts,
                           ContactBatch<3>& out, std::size_t pair, const Place<3>& at_a,
                           const Place<3>& at_b, double margin, double ahead, bool guard);

}  // namespace colvik::world
