// What moves far for its size: its contacts are found anew in each substep, where it first touches.
#include <algorithm>
#include <cstddef>
#include <iterator>

#include "contact/cast.h"
#include "contact/core.h"
#include "world/impl.h"

namespace colvik {

using world::Pair;
using world::Place;

// Where an object is in the running step, and will be in `ahead` seconds if nothing is in its way.
template <int D>
Place<D> World<D>::Impl::place_in_step(std::uint32_t slot, double ahead) const {
  const world::Brief<D>& brief = briefs[slot];
  if (brief.body == world::kNoBody) return objects[slot].place();
  if (!brief.centred && objects[slot].parent != world::kAlone)
    return place_in_step(objects[slot].root, ahead) * objects[slot].on_root;
  const dynamics::Body<D>& b = bodies[brief.body];
  Place<D> centre{Pose<D>{b.centre, b.rotation}, b.rest};
  if (ahead > 0) {
    const dynamics::Moving<D>& m = solver.moving(brief.body);
    centre = centre.moved(m.velocity * ahead + b.acceleration * (ahead * ahead / 2));
    centre.rotation = Rotation<D>::from_spin(m.spin * ahead) * centre.rotation;
  }
  return brief.centred ? centre : centre * Pose<D>{-objects[slot].shown.mass_centre, {}};
}

// The corners of one of the two that could swing into the plane of a contact.
template <int D>
void World<D>::Impl::add_corners(world::Meetings<D>& to, std::size_t contact, std::uint32_t collider, const Pose<D>& at,
                                 double ahead) const {
  dynamics::Contact<D> c = to.contacts[contact];  // a copy: the list may move
  const world::ColliderState<D>& state = colliders[collider];
  const world::ObjectState<D>& o = objects[state.object];
  const Shape<D>& shape = shape_of(state);
  if (o.shown.body != BodyKind::dynamic || !is_convex(shape) || shape.core.isZero(0) || c.count == 0) return;
  const std::uint32_t pair = to.contact_pairs[contact];
  const bool is_b = collider == pairs[pair].b;
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
      // Both arms are told from the same place, as far as the plane is flat.
      dynamics::SolverPoint<D>& p =
          c.add(hit.arm_a + corner - arm, hit.arm_b + corner - arm, std::max(0.0, -inward.dot(Vec<D>(corner - arm))),
                0xe0000000U + static_cast<std::uint32_t>(2 * axis) + (side > 0 ? 1U : 0U));
      p.gap -= ahead * c.normal.dot(solver.relative_velocity(c, p));
      if (c.count == contact::kMostPoints<D>) add();
    }
  add();
}

template <int D>
world::WaysSoFar<D> World<D>::Impl::ways_in_step(const world::FastPair<D>& f) const {
  const dynamics::Moving<D>&a = solver.moving(f.body_a), &b = solver.moving(f.body_b);
  return {a.moved - b.moved, a.turning * f.swing_a + b.turning * f.swing_b};
}

// How far the two may come together within that time, at most.
template <int D>
double World<D>::Impl::way(const world::FastPair<D>& f, double seconds) const {
  const dynamics::Moving<D>&a = solver.moving(f.body_a), &b = solver.moving(f.body_b);
  return world::Pace<D>{a.velocity, paces[f.body_a].acceleration, a.spin.norm() * f.swing_a}.way(
      {b.velocity, paces[f.body_b].acceleration, b.spin.norm() * f.swing_b}, seconds);
}

// How far apart the two are now; of more than `beyond`, that it is more.
template <int D>
void World<D>::Impl::look_at(world::FastPair<D>& f, double beyond) const {
  const Pair<D>& p = pairs[f.pair];
  const world::ColliderState<D>&ca = colliders[p.a], &cb = colliders[p.b];
  const Place<D> at_a = place_in_step(p.object_a, 0);
  const contact::Separation<D> s =
      contact::nearest(shape_of(ca), shape_of(cb), relative_pose(ca, at_a, cb, place_in_step(p.object_b, 0)), beyond);
  f.slab = slab_of(p, at_a.rotation, s, beyond, ways_in_step(f));
  f.slab.apart = std::max(f.slab.apart, std::numeric_limits<double>::min());
}

// At least how far apart the two still are, since they were looked at, in `ahead` seconds if nothing is in their
// way. A slab between convex ones cannot close faster than the two move along its normal and turn.
template <int D>
double World<D>::Impl::still_apart(const world::FastPair<D>& f, double ahead) const {
  world::WaysSoFar<D> then = ways_in_step(f);
  if (ahead > 0) {
    const dynamics::Moving<D>&a = solver.moving(f.body_a), &b = solver.moving(f.body_b);
    then.moved += (a.velocity - b.velocity) * ahead +
                  (paces[f.body_a].acceleration - paces[f.body_b].acceleration) * (ahead * ahead / 2);
    then.turned += (a.spin.norm() * f.swing_a + b.spin.norm() * f.swing_b) * ahead;
  }
  return f.slab.left(then);
}

// How far from now the two first touch within the substep, in seconds: 0 if they are in each other already; nothing if
// they do not.
template <int D>
std::optional<double> World<D>::Impl::time_of_touch(const Pair<D>& p, double h) const {
  const world::ColliderState<D>&ca = colliders[p.a], &cb = colliders[p.b];
  const auto spin = [&](const world::ColliderState<D>& c) { return solver.moving(briefs[c.object].body).spin; };
  const auto touch = [&](const world::ColliderState<D>& c, const world::ColliderState<D>& d) {
    const Place<D> at = place_in_step(c.object, 0), from = place_in_step(d.object, 0);
    contact::Course<D> course;
    course.start = relative_pose(c, at, d, from);
    const Rotation<D> back = (at.rotation * c.own.rotation).inverse();
    const Place<D> at_then = place_in_step(c.object, h), then = place_in_step(d.object, h);
    const auto origin = [&](const Pose<D>& pose) { return Vec<D>(pose.rotation * d.own.position); };
    const Vec<D> move = from.way_to(then) - at.way_to(at_then) + origin(then) - origin(from);
    course.move = back * move;
    const Spin<D> turn = (spin(d) - spin(c)) * h;
    if constexpr (D == 2) course.turn = turn;
    else course.turn = back * turn;
    return contact::first_touch(shape_of(c), shape_of(d), course);
  };
  // The one that turns less stands still; the other moves as seen from it.
  const auto impact = spin(ca).norm() > spin(cb).norm() ? touch(cb, ca) : touch(ca, cb);
  if (!impact) return std::nullopt;
  return impact->inside ? 0 : impact->t * h;
}

// Whether a pair's contacts of the last substep still hold in this one. If not, what they did is kept, and so are
// their impulses, to start from.
template <int D>
bool World<D>::Impl::holds(world::FastPair<D>& f, double closing) {
  if (f.count > 0) {
    const world::WaysSoFar<D> now = ways_in_step(f);
    const double since = (now.moved - f.found.moved).norm() + now.turned - f.found.turned;
    if (since + closing <= f.hold) return true;
  }
  if (solver.time() > 0) pairs[f.pair].kept.clear();
  for (std::uint32_t k = f.first; k < f.first + f.count; ++k) note_contact(meetings.contacts[k], f.pair, false);
  f.count = 0;
  return false;
}

// Where fast pairs are in this substep that are not held: which come near enough to touch, and which pass.
template <int D>
void World<D>::Impl::look_ahead(std::size_t first, std::size_t last, world::Outlook<D>& out) {
  const double h = substep_time(), margin = world::kMargin * settings.metre;
  for (std::size_t i = first; i < last; ++i) {
    constexpr std::size_t kAhead = 6;
    if (i + kAhead < last)
      for (const std::uint32_t body : {meetings.fast_pairs[i + kAhead].body_a, meetings.fast_pairs[i + kAhead].body_b})
        math::fetch(&solver.moving(body), offsetof(dynamics::Moving<D>, way)), math::fetch(&paces[body], 1);
    world::FastPair<D>& f = meetings.fast_pairs[i];
    const auto fast = static_cast<std::uint32_t>(i);
    const double closing = way(f, h);
    if (holds(f, closing)) {
      const auto at = static_cast<std::uint32_t>(out.held.size());
      for (std::uint32_t k = f.first; k < f.first + f.count; ++k) out.held.push_back(meetings.contacts[k]);
      out.held_pairs.insert(out.held_pairs.end(), f.count, f.pair);
      out.held_fast.push_back(fast);
      f.first = at;
      continue;
    }
    if (f.slab.apart > 0) {
      if (still_apart(f, 0) > margin + closing) continue;
      if (solver.time() > 0) look_at(f, 4 * (margin + closing));  // else it was looked at just now
      if (f.slab.apart > margin + closing) continue;
    }
    const double small = std::min(f.thin_a > 0 ? f.thin_a : closing, f.thin_b > 0 ? f.thin_b : closing);
    const bool quick = closing > world::kQuickPart * small;
    world::Coming c{fast, closing, small, 0, quick ? world::Coming::quick : world::Coming::slow};
    // What is near already is where it will touch; what rolls stays so.
    const double near = 0.3 * closing + world::kTouching * settings.metre;
    const bool leaps = closing > world::kLeapPart * small;
    if (leaps && f.slab.apart == 0) look_at(f, near);
    if (leaps && f.slab.apart > near) {
      const bool passes = !f.slab.normal.isZero(0) && still_apart(f, h) > 0;
      const std::optional<double> touch = passes ? std::nullopt : time_of_touch(pairs[f.pair], h);
      if (touch) c.ahead = *touch;
      else c.how = world::Coming::past;
    }
    out.coming.push_back(c);
  }
}

// Looks at all fast pairs, in parts. Contacts that still hold are put behind those of the whole step, and pairs that
// are coming together listed, both in the order of the pairs.
template <int D>
void World<D>::Impl::look_ahead() {
  constexpr std::size_t kPart = 256;
  math::Crew& crew = solver.crew();
  const std::size_t count = meetings.fast_pairs.size(), parts = crew.parts(count, kPart);
  if (outlooks.size() < parts) outlooks.resize(parts);
  crew.share(count, kPart, [&](std::size_t first, std::size_t last, std::size_t) {
    world::Outlook<D>& part = outlooks[first / kPart];
    part.clear();
    look_ahead(first, last, part);
  });
  const std::span all(outlooks.data(), parts);
  meetings.contacts.resize(steady_contacts), meetings.contact_pairs.resize(steady_contacts);
  for (const world::Outlook<D>& part : all) {
    const auto before = static_cast<std::uint32_t>(meetings.contacts.size());
    for (const std::uint32_t fast : part.held_fast) meetings.fast_pairs[fast].first += before;
    meetings.contacts.insert(meetings.contacts.end(), part.held.begin(), part.held.end());
    meetings.contact_pairs.insert(meetings.contact_pairs.end(), part.held_pairs.begin(), part.held_pairs.end());
  }
  coming.clear();
  for (const auto how : {world::Coming::slow, world::Coming::quick, world::Coming::past})
    for (const world::Outlook<D>& part : all)
      std::copy_if(part.coming.begin(), part.coming.end(), std::back_inserter(coming),
                   [&](const world::Coming& c) { return c.how == how; });
}

template <int D>
void World<D>::Impl::begin_substep() {
  note_trails();
  racers.clear();
  if (solver.fastest() > least_racing)
    for (std::uint32_t i = 1; i < bodies.size(); ++i)
      if (solver.moving(i).velocity.squaredNorm() > racing[i]) racers.push_back(i);
  if (meetings.fast_pairs.empty()) return;
  look_ahead();
  const std::size_t fresh = meetings.contacts.size();
  find_contacts();
  std::size_t quick = fresh;
  for (const world::Coming& c : coming)
    if (c.how == world::Coming::slow) quick += meetings.fast_pairs[c.fast].count;
  solver.replace(meetings.contacts, fresh, quick);
}

// Contacts of all that are coming together, in parts, behind those that there are.
template <int D>
void World<D>::Impl::find_contacts() {
  constexpr std::size_t kPart = 32;
  std::size_t before = meetings.contacts.size();
  const std::size_t parts = meet_in_parts(
      coming.size(), kPart,
      [&](std::size_t first, std::size_t last, world::Meetings<D>& out) { find_contacts(first, last, out); });
  // Of parts, each pair knows where its contacts are among those of its part.
  for (std::size_t k = 0; parts > 1 && k < coming.size(); ++k) {
    if (k > 0 && k % kPart == 0) before += meetings_of_parts[k / kPart - 1].contacts.size();
    meetings.fast_pairs[coming[k].fast].first += static_cast<std::uint32_t>(before);
  }
}

// The contacts of pairs where they touch or will touch, or pass.
template <int D>
void World<D>::Impl::find_contacts(std::size_t first, std::size_t last, world::Meetings<D>& out) {
  const double margin = world::kMargin * settings.metre;
  for (std::size_t i = first; i < last; ++i) {
    const world::Coming& c = coming[i];
    world::FastPair<D>& f = meetings.fast_pairs[c.fast];
    const Pair<D>& p = pairs[f.pair];
    const bool guard = c.how == world::Coming::past;
    const std::size_t before = out.contacts.size();
    add_contacts(out, f.pair, place_in_step(p.object_a, c.ahead), place_in_step(p.object_b, c.ahead),
                 c.ahead > 0 ? margin : margin + c.closing, c.ahead, guard);
    const std::size_t found = out.contacts.size();
    f.first = static_cast<std::uint32_t>(before), f.count = static_cast<std::uint32_t>(found - before);
    f.hold = 0;
    if (guard) continue;
    f.slab.apart = found > before ? 0 : std::numeric_limits<double>::min();
    bool touching = c.ahead > 0;
    for (std::size_t k = before; k < found; ++k)
      for (const dynamics::SolverPoint<D>& point : dynamics::points(out.contacts[k]))
        touching = touching || point.gap <= world::kTouching * settings.metre;
    // One corner hit at this speed sends the others through what it hit, all within the substep: they are
    // held in front of it, too.
    if (c.closing > c.small)
      for (std::size_t k = before; k < found; ++k) {
        add_corners(out, k, p.b, place_in_step(p.object_b, c.ahead), c.ahead);
        add_corners(out, k, p.a, place_in_step(p.object_a, c.ahead), c.ahead);
      }
    f.count = static_cast<std::uint32_t>(out.contacts.size() - before);
    f.hold = c.how == world::Coming::quick ? 0 : touching ? f.holds_touching : f.holds;
    f.found = ways_in_step(f);
  }
}

// The way of an object, or of what it is part of, is to be noted where it moves far.
template <int D>
void World<D>::Impl::trail(std::uint32_t slot) {
  world::ObjectState<D>& o = objects[objects[slot].root];
  if (o.trail >= 0 || o.body == world::kNoBody || !leaps(o)) return;
  o.trail = static_cast<std::int32_t>(trailed.size());
  trailed.push_back(o.body);
}

// Where these are at the end of each substep.
template <int D>
void World<D>::Impl::note_trails() {
  for (const std::uint32_t i : trailed) trails.push_back(place_in_step(body_objects[i], 0));
}

// The last defence: a body whose centre has passed through a solid within the substep, or has come so near that it
// could as well be pushed out behind, is put back before it.
template <int D>
void World<D>::Impl::end_substep() {
  Shape<D> ball;
  for (const std::uint32_t body : racers) {
    const world::ObjectState<D>& o = objects[body_objects[body]];
    const Vec<D> move = solver.moving(body).way, from = bodies[body].centre - move;
    if (move.norm() < 0.5 * o.thin) continue;
    const double near = 0.5 * o.heart;
    double first = 1;
    for (const index::Tree<D>* tree : {&still, &moving})
      tree->along(from, move, Vec<D>::Constant(near), 1, [&](std::uint32_t at) {
        const world::ColliderState<D>& c = colliders[at];
        const world::ObjectState<D>& other = objects[c.object];
        if (c.one_way || def_of(c).zone || other.root == body_objects[body]) return 1.0;
        const bool meets = std::any_of(o.colliders.begin(), o.colliders.end(), [&](std::uint32_t own) {
          const Verdict& v = classes.verdict(colliders[own].contact_class, c.contact_class);
          return v.meet && v.channel == Channel::solid;
        });
        if (!meets) return 1.0;
        // Against another body that moves too, as seen from it.
        const Vec<D> carried = other.body != world::kNoBody ? solver.moving(other.body).way : Vec<D>(kZero);
        const Pose<D> place = place_in_step(c.object, 0) * c.own;
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
    ++held_back;
    solver.shift(body, -(1 - 0.999 * first) * move);
  }
}

template struct World<2>::Impl;
template struct World<3>::Impl;

}  // namespace colvik
