#include "pairs/ccd.h"

#include <algorithm>
#include <cstddef>
#include <iterator>

#include "contact/cast.h"
#include "contact/core.h"
#include "pairs/access.h"
#include "pairs/candidates.h"
#include "pairs/contact_results.h"
#include "pairs/contacts.h"

namespace colvik::world {

template <int D>
void measure_gap(const Store<D>& store, const PairTable<D>& pairs, const ContactStage<D>& contacts,
                 FastPair<D>& f, double beyond) {
  const Pair<D>& p = pairs.list[f.pair];
  const ColliderState<D>& ca = store.colliders[p.a];
  const ColliderState<D>& cb = store.colliders[p.b];
  const Place<D> at_a = place_in_step(store, contacts, p.object_a, 0);
  const contact::Separation<D> s = contact::nearest(
      ca.shape, cb.shape,
      relative_pose(ca, at_a, cb, place_in_step(store, contacts, p.object_b, 0)), beyond);
  f.slab = separating_slab(store, p, at_a.rotation, s, beyond, displacement_in_step(contacts, f));
  f.slab.apart = std::max(f.slab.apart, std::numeric_limits<double>::min());
}

template <int D>
void begin_substep(Store<D>& store, PairTable<D>& pairs, ContactStage<D>& contacts,
                   CcdStage<D>& ccd) {
  record_trails(store, contacts, ccd);
  ccd.racers.clear();
  if (contacts.solver.fastest() > ccd.least_racing)
    for (std::uint32_t i = 1; i < contacts.bodies.size(); ++i)
      if (contacts.solver.moving(i).velocity.squaredNorm() > ccd.racing_speeds[i])
        ccd.racers.push_back(i);
  if (contacts.batch.fast_pairs.empty()) return;
  look_ahead(store, pairs, contacts, ccd);
  const std::size_t fresh = contacts.batch.contacts.size();
  collide_predicted(store, pairs, contacts, ccd);
  std::size_t quick = fresh;
  for (const Predicted& c : ccd.predicted)
    if (c.how == Predicted::slow) quick += contacts.batch.fast_pairs[c.fast].count;
  contacts.solver.replace(contacts.batch.contacts, fresh, quick);
}

template <int D>
void end_substep(Store<D>& store, BroadPhase<D>& broad, ContactStage<D>& contacts,
                 CcdStage<D>& ccd) {
  Shape<D> ball;
  for (const std::uint32_t body : ccd.racers) {
    const ObjectState<D>& o = store.objects[contacts.body_objects[body]];
    const Vec<D> move = contacts.solver.moving(body).displacement;
    const Vec<D> from = contacts.bodies[body].centre - move;
    if (move.norm() < 0.5 * o.thickness) continue;
    const double near = 0.5 * o.inscribed_radius;
    double first = 1;
    for (const index::Tree<D>* tree : {&broad.still, &broad.moving})
      tree->along(from, move, Vec<D>::Constant(near), 1, [&](std::uint32_t at) {
        const ColliderState<D>& c = store.colliders[at];
        const ObjectState<D>& other = store.objects[c.object];
        if (c.one_way || definition_of(store, c).zone || other.root == contacts.body_objects[body])
          return 1.0;
        const bool meets =
            std::any_of(o.colliders.begin(), o.colliders.end(), [&](std::uint32_t own) {
              const Verdict v = verdict_of(store, store.colliders[own], c);
              return v.meet && v.channel == Channel::solid;
            });
        if (!meets) return 1.0;
        // Against another body that moves too, as seen from it.
        const Vec<D> carried =
            other.body != kNoBody ? contacts.solver.moving(other.body).displacement : Vec<D>(kZero);
        const Pose<D> place = place_in_step(store, contacts, c.object, 0) * c.own;
        contact::Course<D> course;
        const Rotation<D> back = place.rotation.inverse();
        course.start.position = back * Vec<D>(from + carried - place.position);
        course.move = back * Vec<D>(move - carried);
        for (const double radius : {near, 0.0}) {  // the centre alone, if it was as near before
          ball.radius = radius;
          const auto hit = contact::first_touch(c.shape, ball, course);
          if (hit && hit->inside) continue;
          if (hit) first = std::min(first, hit->t);
          break;
        }
        return 1.0;
      });
    if (first >= 1) continue;
    ++ccd.held_back;
    contacts.solver.shift(body, -(1 - 0.999 * first) * move);
  }
}

template <int D>
void start_trail(Store<D>& store, CcdStage<D>& ccd, std::uint32_t slot) {
  ObjectState<D>& o = store.objects[store.objects[slot].root];
  if (o.trail >= 0 || o.body == kNoBody || !leaps(store, o)) return;
  o.trail = static_cast<std::int32_t>(ccd.trailed.size());
  ccd.trailed.push_back(o.body);
}

template <int D>
void record_trails(Store<D>& store, ContactStage<D>& contacts, CcdStage<D>& ccd) {
  for (const std::uint32_t i : ccd.trailed)
    ccd.trails.push_back(place_in_step(store, contacts, contacts.body_objects[i], 0));
}

// Where an object is in the running step, and will be in `ahead` seconds if nothing stops it.
template <int D>
Place<D> place_in_step(const Store<D>& store, const ContactStage<D>& contacts, std::uint32_t slot,
                       double ahead) {
  const Brief<D>& brief = store.briefs[slot];
  if (brief.body == kNoBody) return store.objects[slot].place();
  if (!brief.centred && store.objects[slot].parent != kAlone)
    return place_in_step(store, contacts, store.objects[slot].root, ahead) *
           store.objects[slot].on_root;
  const dynamics::Body<D>& b = contacts.bodies[brief.body];
  Place<D> centre{Pose<D>{b.centre, b.rotation}, b.rest};
  if (ahead > 0) {
    const dynamics::Moving<D>& m = contacts.solver.moving(brief.body);
    centre = centre.moved(m.velocity * ahead + b.acceleration * (ahead * ahead / 2));
    centre.rotation = Rotation<D>::from_spin(m.spin * ahead) * centre.rotation;
  }
  return brief.centred ? centre : centre * Pose<D>{-store.objects[slot].shown.mass_centre, {}};
}

// The corners of one of the two that could turn into the plane of a contact.
template <int D>
void add_corner_guards(const Store<D>& store, const PairTable<D>& pairs,
                       const ContactStage<D>& contacts, ContactBatch<D>& to, std::size_t contact,
                       std::uint32_t collider, const Pose<D>& at, double ahead) {
  dynamics::Contact<D> c = to.contacts[contact];  // a copy: the list may move
  const ColliderState<D>& state = store.colliders[collider];
  const ObjectState<D>& o = store.objects[state.object];
  const Shape<D>& shape = state.shape;
  if (o.shown.body != BodyKind::dynamic || !is_convex(shape) || shape.core.isZero(0) ||
      c.count == 0)
    return;
  const std::uint32_t pair = to.contact_pairs[contact];
  const bool is_b = collider == pairs.list[pair].b;
  const Vec<D> inward = is_b ? Vec<D>(-c.normal) : c.normal;  // from the body to the plane
  const Pose<D> about_centre{at.rotation * (state.own.position - o.shown.mass_centre),
                             at.rotation * state.own.rotation};
  const contact::Core<D> core(shape, about_centre);
  const dynamics::SolverPoint<D> hit = c.points[0];
  c.restitution = 0;
  const auto add = [&] {
    if (c.count == 0) return;
    to.contacts.push_back(c);
    to.contact_pairs.push_back(pair);
    c.count = 0;
  };
  c.count = 0;
  for (int axis = 0; axis < D; ++axis)
    for (const double side : {-1.0, 1.0}) {
      Vec<D> across = side * core.axes[static_cast<std::size_t>(axis)];
      across -= inward * inward.dot(across);
      const double length = across.norm();
      if (length < 0.3) continue;
      const Vec<D> direction = 0.3 * inward + across / length;
      const Vec<D> corner = core.support(direction) + core.radius * direction.normalized();
      const Vec<D> arm = is_b ? hit.arm_b : hit.arm_a;
      // Both arms are measured from the same point, as far as the plane is flat.
      dynamics::SolverPoint<D>& p =
          c.add(hit.arm_a + corner - arm, hit.arm_b + corner - arm,
                std::max(0.0, -inward.dot(Vec<D>(corner - arm))),
                0xe0000000U + static_cast<std::uint32_t>(2 * axis) + (side > 0 ? 1U : 0U));
      p.gap -= ahead * c.normal.dot(contacts.solver.relative_velocity(c, p));
      if (c.count == contact::kMostPoints<D>) add();
    }
  add();
}

template <int D>
Displacement<D> displacement_in_step(const ContactStage<D>& contacts, const FastPair<D>& f) {
  const dynamics::Moving<D>& a = contacts.solver.moving(f.body_a);
  const dynamics::Moving<D>& b = contacts.solver.moving(f.body_b);
  return {a.moved - b.moved, a.turning * f.turning_radius_a + b.turning * f.turning_radius_b};
}

// How far the two may come together within that time, at most.
template <int D>
double closing_distance(const ContactStage<D>& contacts, const FastPair<D>& f, double seconds) {
  const dynamics::Moving<D>& a = contacts.solver.moving(f.body_a);
  const dynamics::Moving<D>& b = contacts.solver.moving(f.body_b);
  return Pace<D>{a.velocity, contacts.paces[f.body_a].acceleration,
                 a.spin.norm() * f.turning_radius_a}
      .distance(
          {b.velocity, contacts.paces[f.body_b].acceleration, b.spin.norm() * f.turning_radius_b},
          seconds);
}

// Lower bound of the gap of the two, since their last narrow phase, in `ahead` seconds if
// nothing stops them. A slab between convex ones cannot close faster than the two move along
// its normal and turn.
template <int D>
double still_apart(const ContactStage<D>& contacts, const FastPair<D>& f, double ahead) {
  Displacement<D> then = displacement_in_step(contacts, f);
  if (ahead > 0) {
    const dynamics::Moving<D>& a = contacts.solver.moving(f.body_a);
    const dynamics::Moving<D>& b = contacts.solver.moving(f.body_b);
    then.moved += (a.velocity - b.velocity) * ahead +
                  (contacts.paces[f.body_a].acceleration - contacts.paces[f.body_b].acceleration) *
                      (ahead * ahead / 2);
    then.turned +=
        (a.spin.norm() * f.turning_radius_a + b.spin.norm() * f.turning_radius_b) * ahead;
  }
  return f.slab.left(then);
}

// How far from now the two first touch within the substep, in seconds: 0 if they are in each other
// already; nothing if they do not.
template <int D>
std::optional<double> time_of_impact(const Store<D>& store, const ContactStage<D>& contacts,
                                     const Pair<D>& p, double h) {
  const ColliderState<D>& ca = store.colliders[p.a];
  const ColliderState<D>& cb = store.colliders[p.b];
  const auto spin = [&](const ColliderState<D>& c) {
    return contacts.solver.moving(store.briefs[c.object].body).spin;
  };
  const auto touch = [&](const ColliderState<D>& c, const ColliderState<D>& d) {
    const Place<D> at = place_in_step(store, contacts, c.object, 0);
    const Place<D> from = place_in_step(store, contacts, d.object, 0);
    contact::Course<D> course;
    course.start = relative_pose(c, at, d, from);
    const Rotation<D> back = (at.rotation * c.own.rotation).inverse();
    const Place<D> at_then = place_in_step(store, contacts, c.object, h);
    const Place<D> then = place_in_step(store, contacts, d.object, h);
    const auto origin = [&](const Pose<D>& pose) { return Vec<D>(pose.rotation * d.own.position); };
    const Vec<D> move = from.offset_to(then) - at.offset_to(at_then) + origin(then) - origin(from);
    course.move = back * move;
    const Spin<D> turn = (spin(d) - spin(c)) * h;
    if constexpr (D == 2) course.turn = turn;
    else course.turn = back * turn;
    return contact::first_touch(c.shape, d.shape, course);
  };
  // The one that turns less stands still; the other moves as seen from it.
  const auto impact = spin(ca).norm() > spin(cb).norm() ? touch(cb, ca) : touch(ca, cb);
  if (!impact) return std::nullopt;
  return impact->inside ? 0 : impact->t * h;
}

// Whether a pair's contacts of the last substep still hold in this one. If not, what they did is
// kept, and so are their impulses, to start from.
template <int D>
bool still_valid(Store<D>& store, PairTable<D>& pairs, ContactStage<D>& contacts, FastPair<D>& f,
                 double closing) {
  if (f.count > 0) {
    const Displacement<D> now = displacement_in_step(contacts, f);
    const double since = (now.moved - f.found.moved).norm() + now.turned - f.found.turned;
    if (since + closing <= f.hold) return true;
  }
  if (contacts.solver.time() > 0) pairs.list[f.pair].cached.clear();
  for (std::uint32_t k = f.first; k < f.first + f.count; ++k)
    record_contact(store, pairs, contacts, contacts.batch.contacts[k], f.pair, false);
  f.count = 0;
  return false;
}

// Where fast pairs are in this substep that are not held: which come near enough to touch, and
// which pass.
template <int D>
void look_ahead(Store<D>& store, PairTable<D>& pairs, ContactStage<D>& contacts, std::size_t first,
                std::size_t last, LookAhead<D>& out) {
  const double h = substep_time(store);
  const double margin = kMargin * store.settings.metre;
  for (std::size_t i = first; i < last; ++i) {
    constexpr std::size_t kAhead = 6;
    if (i + kAhead < last)
      for (const std::uint32_t body : {contacts.batch.fast_pairs[i + kAhead].body_a,
                                       contacts.batch.fast_pairs[i + kAhead].body_b}) {
        math::fetch(&contacts.solver.moving(body), offsetof(dynamics::Moving<D>, displacement));
        math::fetch(&contacts.paces[body], 1);
      }
    FastPair<D>& f = contacts.batch.fast_pairs[i];
    const auto fast = static_cast<std::uint32_t>(i);
    const double closing = closing_distance(contacts, f, h);
    if (still_valid(store, pairs, contacts, f, closing)) {
      const auto at = static_cast<std::uint32_t>(out.held.size());
      for (std::uint32_t k = f.first; k < f.first + f.count; ++k)
        out.held.push_back(contacts.batch.contacts[k]);
      out.held_pairs.insert(out.held_pairs.end(), f.count, f.pair);
      out.held_fast.push_back(fast);
      f.first = at;
      continue;
    }
    if (f.slab.apart > 0) {
      if (still_apart(contacts, f, 0) > margin + closing) continue;
      if (contacts.solver.time() > 0)
        measure_gap(store, pairs, contacts, f,
                    4 * (margin + closing));  // else it was tested just now
      if (f.slab.apart > margin + closing) continue;
    }
    const double small =
        std::min(f.thin_a > 0 ? f.thin_a : closing, f.thin_b > 0 ? f.thin_b : closing);
    const bool quick = closing > kQuickPart * small;
    Predicted c{fast, closing, small, 0, quick ? Predicted::quick : Predicted::slow};
    // What is near already is where it will touch; what rolls stays so.
    const double near = 0.3 * closing + kTouching * store.settings.metre;
    const bool leaps = closing > kLeapPart * small;
    if (leaps && f.slab.apart == 0) measure_gap(store, pairs, contacts, f, near);
    if (leaps && f.slab.apart > near) {
      const bool passes = !f.slab.normal.isZero(0) && still_apart(contacts, f, h) > 0;
      const std::optional<double> touch =
          passes ? std::nullopt : time_of_impact(store, contacts, pairs.list[f.pair], h);
      if (touch) c.ahead = *touch;
      else c.how = Predicted::past;
    }
    out.coming.push_back(c);
  }
}

// Tests all fast pairs, in parts. Contacts that still hold are put behind those of the whole
// step, and pairs that are coming together listed, both in the order of the pairs.
template <int D>
void look_ahead(Store<D>& store, PairTable<D>& pairs, ContactStage<D>& contacts, CcdStage<D>& ccd) {
  constexpr std::size_t kAtATime = 256;
  math::Crew& crew = contacts.solver.crew();
  const std::size_t count = contacts.batch.fast_pairs.size();
  const std::size_t parts = crew.parts(count, kAtATime);
  if (ccd.look_aheads.size() < parts) ccd.look_aheads.resize(parts);
  crew.share(count, kAtATime, [&](std::size_t first, std::size_t last, std::size_t) {
    LookAhead<D>& part = ccd.look_aheads[first / kAtATime];
    part.clear();
    look_ahead(store, pairs, contacts, first, last, part);
  });
  const std::span all(ccd.look_aheads.data(), parts);
  contacts.batch.contacts.resize(contacts.steady);
  contacts.batch.contact_pairs.resize(contacts.steady);
  for (const LookAhead<D>& part : all) {
    const auto before = static_cast<std::uint32_t>(contacts.batch.contacts.size());
    for (const std::uint32_t fast : part.held_fast) contacts.batch.fast_pairs[fast].first += before;
    contacts.batch.contacts.insert(contacts.batch.contacts.end(), part.held.begin(),
                                   part.held.end());
    contacts.batch.contact_pairs.insert(contacts.batch.contact_pairs.end(), part.held_pairs.begin(),
                                        part.held_pairs.end());
  }
  ccd.predicted.clear();
  for (const auto how : {Predicted::slow, Predicted::quick, Predicted::past})
    for (const LookAhead<D>& part : all)
      std::copy_if(part.coming.begin(), part.coming.end(), std::back_inserter(ccd.predicted),
                   [&](const Predicted& c) { return c.how == how; });
}

// Contacts of all that are coming together, in parts, behind those that there are.
template <int D>
void collide_predicted(Store<D>& store, PairTable<D>& pairs, ContactStage<D>& contacts,
                       CcdStage<D>& ccd) {
  constexpr std::size_t kAtATime = 32;
  std::size_t before = contacts.batch.contacts.size();
  const std::size_t parts =
      collide_in_parts(contacts, ccd.predicted.size(), kAtATime,
                       [&](std::size_t first, std::size_t last, ContactBatch<D>& out) {
                         collide_predicted(store, pairs, contacts, ccd, first, last, out);
                       });
  // Of parts, each pair knows where its contacts are among those of its part.
  for (std::size_t k = 0; parts > 1 && k < ccd.predicted.size(); ++k) {
    if (k > 0 && k % kAtATime == 0) before += contacts.parts[k / kAtATime - 1].contacts.size();
    contacts.batch.fast_pairs[ccd.predicted[k].fast].first += static_cast<std::uint32_t>(before);
  }
}

// The contacts of pairs where they touch or will touch, or pass.
template <int D>
void collide_predicted(Store<D>& store, PairTable<D>& pairs, ContactStage<D>& contacts,
                       CcdStage<D>& ccd, std::size_t first, std::size_t last,
                       ContactBatch<D>& out) {
  const double margin = kMargin * store.settings.metre;
  for (std::size_t i = first; i < last; ++i) {
    const Predicted& c = ccd.predicted[i];
    FastPair<D>& f = contacts.batch.fast_pairs[c.fast];
    const Pair<D>& p = pairs.list[f.pair];
    const bool guard = c.how == Predicted::past;
    const std::size_t before = out.contacts.size();
    add_contacts(store, pairs, contacts, out, f.pair,
                 place_in_step(store, contacts, p.object_a, c.ahead),
                 place_in_step(store, contacts, p.object_b, c.ahead),
                 c.ahead > 0 ? margin : margin + c.closing, c.ahead, guard);
    const std::size_t found = out.contacts.size();
    f.first = static_cast<std::uint32_t>(before);
    f.count = static_cast<std::uint32_t>(found - before);
    f.hold = 0;
    if (guard) continue;
    f.slab.apart = found > before ? 0 : std::numeric_limits<double>::min();
    bool touching = c.ahead > 0;
    for (std::size_t k = before; k < found; ++k)
      for (const dynamics::SolverPoint<D>& point : dynamics::points(out.contacts[k]))
        touching = touching || point.gap <= kTouching * store.settings.metre;
    // One corner hit at this speed sends the others through what it hit, all within the substep:
    // they are held in front of it, too.
    if (c.closing > c.small)
      for (std::size_t k = before; k < found; ++k) {
        add_corner_guards(store, pairs, contacts, out, k, p.b,
                          place_in_step(store, contacts, p.object_b, c.ahead), c.ahead);
        add_corner_guards(store, pairs, contacts, out, k, p.a,
                          place_in_step(store, contacts, p.object_a, c.ahead), c.ahead);
      }
    f.count = static_cast<std::uint32_t>(out.contacts.size() - before);
    f.hold = c.how == Predicted::quick ? 0 : touching ? f.holds_touching : f.holds;
    f.found = displacement_in_step(contacts, f);
  }
}

template void measure_gap(const Store<2>& store, const PairTable<2>& pairs,
                          const ContactStage<2>& contacts, FastPair<2>& f, double beyond);
template void measure_gap(const Store<3>& store, const PairTable<3>& pairs,
                          const ContactStage<3>& contacts, FastPair<3>& f, double beyond);
template void begin_substep(Store<2>& store, PairTable<2>& pairs, ContactStage<2>& contacts,
                            CcdStage<2>& ccd);
template void begin_substep(Store<3>& store, PairTable<3>& pairs, ContactStage<3>& contacts,
                            CcdStage<3>& ccd);
template void end_substep(Store<2>& store, BroadPhase<2>& broad, ContactStage<2>& contacts,
                          CcdStage<2>& ccd);
template void end_substep(Store<3>& store, BroadPhase<3>& broad, ContactStage<3>& contacts,
                          CcdStage<3>& ccd);
template void start_trail(Store<2>& store, CcdStage<2>& ccd, std::uint32_t slot);
template void start_trail(Store<3>& store, CcdStage<3>& ccd, std::uint32_t slot);
template void record_trails(Store<2>& store, ContactStage<2>& contacts, CcdStage<2>& ccd);
template void record_trails(Store<3>& store, ContactStage<3>& contacts, CcdStage<3>& ccd);

}  // namespace colvik::world
