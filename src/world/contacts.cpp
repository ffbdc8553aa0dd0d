// From pairs to contacts for the solver, and from what it did to what touches.
#include <algorithm>
#include <cmath>
#include <cstddef>

#include "world/extent.h"
#include "world/impl.h"

namespace colvik {

using world::Pair;
using world::Place;

namespace {

constexpr std::size_t kPart = 512;       // pairs or contacts that are looked at in one go
constexpr std::size_t kPairsAhead = 12;  // while reading

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

// What contacts ask of pairs soon after this one, before the last that are looked at.
template <int D>
COLVIK_FETCHES void World<D>::Impl::fetch_pairs_after(std::size_t i, std::size_t last) const {
  constexpr std::size_t kHot = 128;                              // bytes
  constexpr std::size_t kPairs = 32, kSides = 8, kTouching = 4;  // ahead
  if (i + kPairs < last) math::fetch(&pairs[i + kPairs], kHot);
  if (i + kSides < last) {
    const Pair<D>& p = pairs[i + kSides];
    for (const std::uint32_t at : {p.a, p.b}) math::fetch(&colliders[at], 1);
    for (const std::uint32_t slot : {p.object_a, p.object_b}) math::fetch(&briefs[slot], 1);
    if (p.touching) math::fetch(&p.gap, sizeof(Pair<D>) - kHot);
  }
  if (i + kTouching < last)
    if (const Pair<D>& p = pairs[i + kTouching]; p.touching && p.responds) {
      math::fetch(p.kept.data(), p.kept.size() * sizeof(world::Kept<D>));
      for (const std::uint32_t at : {p.a, p.b}) math::fetch(&colliders[at], world::ColliderState<D>::kHot);
      for (const std::uint32_t slot : {p.object_a, p.object_b}) fetch_first_place(slot);
    }
}

template <int D>
void World<D>::Impl::make_contacts() {
  const double dt = 1 / settings.rate;
  paces.clear();
  for (std::size_t i = 0; i < bodies.size(); ++i) {
    const dynamics::Body<D>& b = bodies[i];
    paces.push_back({b.velocity, b.acceleration, i > 0 ? b.spin.norm() * objects[body_objects[i]].swing : 0});
  }
  for (const std::uint32_t slot : movers) briefs[slot].alone = paces[briefs[slot].body].alone(dt);
  if (some_leap)
    for (const Pair<D>& p : pairs)
      if (!p.responds || walks(p)) trail(p.object_a), trail(p.object_b);
  meetings.clear();
  meet_in_parts(pairs.size(), kPart,
                [&](std::size_t first, std::size_t last, world::Meetings<D>& out) { look_at_pairs(first, last, out); });
  steady_contacts = meetings.contacts.size();
  solver.set(meetings.contacts);
}

template <int D>
void World<D>::Impl::look_at_pairs(std::size_t first, std::size_t last, world::Meetings<D>& out) {
  const double dt = 1 / settings.rate;
  for (std::size_t i = first; i < last; ++i) {
    fetch_pairs_after(i, last);
    Pair<D>& p = pairs[i];
    const auto active = [&] { out.active_pairs.push_back(static_cast<std::uint32_t>(i)); };
    if (!p.responds || at_rest(p)) {
      active();
      continue;
    }
    if (walks(p) && carries_walker(p)) {
      p.kept.clear();
      p.impulse = 0;
      active();
      continue;
    }
    const world::ColliderState<D>&ca = colliders[p.a], &cb = colliders[p.b];
    const world::Brief<D>&a = briefs[p.object_a], &b = briefs[p.object_b];
    // Shapes that may meet within this step are in contact already, across a gap, so that fast ones do
    // not pass through each other. Of those that move far for their size, contacts are found in each
    // substep.
    const double small = std::min(ca.extent, cb.extent);
    double closing = a.alone + b.alone;
    if (a.careless && b.careless) closing = 0;
    else if (closing > 0.5 * world::kFastPart * small)
      closing = paces[a.body].way(paces[b.body], dt);  // they may go the same way
    const double thin = std::min(a.thin, b.thin);
    const double most = std::min(world::kFastPart * small, 0.5 * thin);
    // What touches already changes less, unless it is thin.
    const double touching_most = std::max(most, std::min(world::kFastTouching * small, thin));
    const bool fast = closing > (p.touching ? touching_most : most);
    // Those further apart than this can neither push nor count as touching in this step.
    const double reach = (fast         ? world::kMargin
                          : p.touching ? world::kLetGo
                                       : world::kTouching) *
                             settings.metre +
                         closing;
    const bool apart = p.slab.left(ways_so_far(p)) > reach;
    if (apart && p.idle) continue;
    p.forget();
    p.idle = apart && !(p.touching || p.passed || p.left || walks(p));
    if (!p.idle) active();
    if (apart) {
      p.kept.clear(), p.standing.clear();
      p.let_through = false;
    } else if (fast) {
      world::FastPair<D> f{static_cast<std::uint32_t>(i),
                           a.body,
                           b.body,
                           objects[p.object_a].swing,
                           objects[p.object_b].swing,
                           objects[p.object_a].thin,
                           objects[p.object_b].thin,
                           most,
                           std::min(touching_most, 0.5 * thin)};
      if (!p.touching) {
        look_at(f, 2 * reach);
        p.slab = {f.slab.apart, f.slab.normal, ways_so_far(p)};
      }
      if (f.slab.apart <= reach) out.fast_pairs.push_back(f);
      else p.kept.clear();
    } else {
      add_contacts(out, i, first_place(ca.object), first_place(cb.object), reach, 0, false);
    }
  }
}

// The point of the last step that goes on: of the same features, or else, as these change where two edges lie
// over each other, the one at the same place.
template <int D>
world::Kept<D>* World<D>::Impl::find_kept(std::vector<world::Kept<D>>& before, std::uint32_t id,
                                          const Vec<D>& at) const {
  world::Kept<D>* nearest = nullptr;
  double least = world::kSamePoint * settings.metre;
  least *= least;
  for (world::Kept<D>& k : before) {
    if (k.push == 0) continue;
    if (k.id == id) return &k;
    const double far = (k.at - at).squaredNorm();
    if (far < least) nearest = &k, least = far;
  }
  return nearest;
}

// Contacts of a pair whose objects are, or will be in `ahead` seconds, at these poses.
template <int D>
void World<D>::Impl::add_contacts(world::Meetings<D>& out, std::size_t pair, const Place<D>& at_a, const Place<D>& at_b,
                                  double margin, double ahead, bool guard) {
  Pair<D>& p = pairs[pair];
  const world::ColliderState<D>&ca = colliders[p.a], &cb = colliders[p.b];
  const world::Brief<D>&brief_a = briefs[ca.object], &brief_b = briefs[cb.object];
  out.before.assign(p.kept.begin(), p.kept.end());  // each keeps its memory, so that a steady step takes none
  p.kept.clear();
  const Shape<D>&shape_a = shape_of(ca), &shape_b = shape_of(cb);
  if (p.start.empty() && contact::go_on(shape_a, shape_b)) p.start.emplace_back();
  contact::Separation<D> told;
  told.gap = 0;
  contact::collide(shape_a, shape_b, relative_pose(ca, at_a, cb, at_b), margin,
                   std::min(world::kMargin * settings.metre, 0.05 * std::min(ca.extent, cb.extent)), out.manifolds,
                   p.start.empty() ? nullptr : p.start.data(), &told);
  p.slab.apart = 0;
  if (told.gap > margin && solver.time() == 0 && ahead == 0)
    p.slab = slab_of(p, at_a.rotation, told, margin, ways_so_far(p));
  hold_one_way(p, at_a, at_b, out.manifolds);
  if (out.manifolds.empty()) return;

  const double friction = mixed(settings.friction_mixing, ca.friction, cb.friction);
  const double restitution = mixed(settings.restitution_mixing, ca.restitution, cb.restitution);
  // From collider a's frame to the world's, told from object a's position: exact far from the origin.
  const Pose<D> frame = ca.placed({kZero, at_a.rotation});
  Vec<D> to_a = kZero, to_b = at_a.way_to(at_b);
  if (!brief_a.centred) to_a += at_a.rotation * objects[ca.object].shown.mass_centre;
  if (!brief_b.centred) to_b += at_b.rotation * objects[cb.object].shown.mass_centre;
  const double rolling = std::max(ca.rolling, cb.rolling);
  const bool runs = ca.runs || cb.runs;
  for (const contact::Manifold<D>& m : out.manifolds) {
    dynamics::Contact<D>& c = out.contacts.emplace_back();
    out.contact_pairs.push_back(static_cast<std::uint32_t>(pair));
    c.a = brief_a.body, c.b = brief_b.body;
    c.guard = guard;
    c.friction = friction, c.restitution = restitution;
    c.normal = frame.rotation * m.normal;
    for (int k = 0; k < m.count; ++k) {
      const contact::ContactPoint<D>& from = m.points[k];
      const Vec<D> offset = frame * from.position;
      const Vec<D> arm_a = offset - to_a;  // at hand: what was just written is slow to read
      dynamics::SolverPoint<D>& to = c.add(arm_a, offset - to_b, from.gap, from.id);
      if (ahead > 0) {
        // The gap of this moment is the one there and what the motion until then closes.
        const Vec<D> apart = solver.relative_velocity(c, to);
        const Vec<D> gain = bodies[c.b].acceleration - bodies[c.a].acceleration;
        to.gap -= c.normal.dot(apart * ahead + gain * (ahead * ahead / 2));
      }
      if (world::Kept<D>* before = find_kept(out.before, from.id, Vec<D>(at_a.rotation.inverse() * arm_a))) {
        to.push = before->push, to.drag = before->drag;
        if (k == 0) c.roll = before->roll;
        before->push = 0;  // it is taken
      }
    }
    if (rolling > 0) {
      // The lever is that of what rolls: of two, the shorter.
      const auto is_dynamic = [&](std::uint32_t slot) { return objects[slot].shown.body == BodyKind::dynamic; };
      double lever = std::numeric_limits<double>::max();
      if (is_dynamic(ca.object)) lever = std::min(lever, c.points[0].arm_a.norm());
      if (is_dynamic(cb.object)) lever = std::min(lever, c.points[0].arm_b.norm());
      c.rolling = rolling * lever;
    }
    if (runs) {
      const Vec<D> running = world::surface_velocity(objects[cb.object].shown, cb.which) -
                             world::surface_velocity(objects[ca.object].shown, ca.which);
      c.surface = running - c.normal * c.normal.dot(running);
    }
  }
}

// Whether the other one is on the open side of a one-way collider, past its whole surface.
template <int D>
bool World<D>::Impl::clear_of_one_way(const Pair<D>& p, const Place<D>& at_a, const Place<D>& at_b) const {
  const double slack = 2 * world::kTouching * settings.metre;
  const auto clear = [&](const world::ColliderState<D>& surface, const Place<D>& at,
                         const world::ColliderState<D>& other, const Place<D>& other_at) {
    if (!surface.one_way) return true;
    const ColliderDef<D>& ds = def_of(surface);
    // In the surface's own frame, so that it does not matter how far from the origin they are.
    const Pose<D> it = relative_pose(surface, at, other, other_at);
    const Vec<D> open = ds.one_way.normalized();
    return world::extent_along<D>(shape_of(other), it, open).first >=
           world::extent_along<D>(ds.shape, Pose<D>{}, open).second - slack;
  };
  const world::ColliderState<D>&ca = colliders[p.a], &cb = colliders[p.b];
  return clear(ca, at_a, cb, at_b) && clear(cb, at_b, ca, at_a);
}

// One-way surfaces hold what was clear of them when it came, and then until it leaves: the others are
// taken out of those manifolds.
template <int D>
void World<D>::Impl::hold_one_way(Pair<D>& p, const Place<D>& at_a, const Place<D>& at_b,
                                  std::vector<contact::Manifold<D>>& among) const {
  const double clear = -2 * world::kTouching * settings.metre;
  if (p.let_through && among.empty()) p.let_through = false;
  if (has_one_way(p)) {
    const bool held = !p.let_through && !among.empty() && (!p.standing.empty() || clear_of_one_way(p, at_a, at_b));
    if (!held) among.clear();
    p.standing.assign(held ? 1 : 0, 1U);
    return;
  }
  std::vector<std::uint32_t> standing;
  std::erase_if(among, [&](const contact::Manifold<D>& m) {
    if (m.one_way == 0) return false;
    double gap = m.points[0].gap;
    for (int k = 1; k < m.count; ++k) gap = std::min(gap, m.points[k].gap);
    const bool stood = std::find(p.standing.begin(), p.standing.end(), m.one_way) != p.standing.end();
    if (p.let_through || (!stood && gap < clear)) return true;
    standing.push_back(m.one_way);
    return false;
  });
  p.standing = std::move(standing);
}

// What a contact did is added to what its pair did in the step. Gaps are those of the step's end.
template <int D>
void World<D>::Impl::note_contact(const dynamics::Contact<D>& c, std::uint32_t pair, bool at_end) {
  Pair<D>& p = pairs[pair];
  const Rotation<D> back = objects[p.object_a].shown.pose.rotation.inverse();
  const dynamics::SolverPoint<D>* deepest = nullptr;
  double least = 0;
  bool pushes = false;
  for (int k = 0; k < c.count; ++k) {
    const dynamics::SolverPoint<D>& point = c.points[k];
    if (point.push > 0) p.kept.push_back({point.id, point.push, point.drag, c.roll, back * point.arm_a});
    p.impulse += point.total_push;
    if (point.total_push > 0) p.approach = std::max(p.approach, point.approach);
    if (point.when >= 0) p.when = p.when < 0 ? point.when : std::min(p.when, point.when);
    pushes = pushes || point.total_push > 0;
    const double gap = at_end ? solver.gap_now(c, point) : 0;  // within the step the first one speaks
    if (deepest == nullptr || gap < least) deepest = &point, least = gap;
  }
  if (deepest == nullptr || (at_end ? least >= p.gap : !pushes)) return;
  if (at_end) p.gap = least, p.closing = -c.normal.dot(solver.relative_velocity(c, *deepest));
  if (at_end && !pushes && p.impulse > 0) return;  // it was hit elsewhere
  // Halfway between the two surface points, each carried along by its body.
  const auto centre_after = [&](std::uint32_t object, std::uint32_t body) -> Vec<D> {
    const Object<D>& o = objects[object].shown;
    return body == world::kNoBody ? Vec<D>(o.pose * o.mass_centre) : bodies[body].centre;
  };
  p.normal = c.normal;
  p.point = 0.5 * (centre_after(p.object_a, c.a) + deepest->arm_a + centre_after(p.object_b, c.b) + deepest->arm_b);
}

template <int D>
void World<D>::Impl::read_contacts() {
  math::Crew& crew = solver.crew();
  crew.share(meetings.contacts.size(), kPart,
             [&](std::size_t first, std::size_t last, std::size_t) { note_contacts(first, last); });
  deep_of.resize(crew.size());
  crew.share(meetings.active_pairs.size(), kPart, [&](std::size_t first, std::size_t last, std::size_t worker) {
    note_touching(first, last, deep_of[worker]);
  });
  // Squeezed is what stays deep in two things that do not yield, from opposite sides.
  deep.clear();
  for (auto& some : deep_of) deep.insert(deep.end(), some.begin(), some.end()), some.clear();
  const auto inward = [&](const Pair<D>& p) {
    return Vec<D>(objects[p.object_a].shown.body == BodyKind::dynamic ? -p.normal : p.normal);
  };
  std::sort(deep.begin(), deep.end());
  for (std::size_t i = 0; i < deep.size(); ++i)
    for (std::size_t k = i; k < deep.size() && deep[k].first == deep[i].first; ++k) {
      Pair<D>&p = pairs[deep[i].second], &q = pairs[deep[k].second];
      if (inward(p).dot(inward(q)) < -0.5) p.squeezed = q.squeezed = true;
    }
}

// Of contacts whose pairs begin there: those of a pair come one after the other.
template <int D>
void World<D>::Impl::note_contacts(std::size_t first, std::size_t last) {
  constexpr std::size_t kContacts = 24, kPlaces = 6;  // ahead
  const std::vector<std::uint32_t>& of = meetings.contact_pairs;
  while (first > 0 && first < last && of[first] == of[first - 1]) ++first;
  if (first == last) return;
  while (last < of.size() && of[last] == of[last - 1]) ++last;
  for (std::size_t i = first; i < last; ++i) {
    if (i + kContacts < last) math::fetch(&meetings.contacts[i + kContacts], 1);
    if (i + kPairsAhead < last) math::fetch(&pairs[of[i + kPairsAhead]], sizeof(Pair<D>));
    if (i + kPlaces < last) {
      const dynamics::Contact<D>& c = meetings.contacts[i + kPlaces];
      fetch_place(pairs[of[i + kPlaces]].object_a);
      for (const std::uint32_t body : {c.a, c.b}) {
        math::fetch(&solver.moving(body), offsetof(dynamics::Moving<D>, gain));
        math::fetch(&bodies[body].centre, 1);
      }
    }
    note_contact(meetings.contacts[i], of[i], true);
  }
}

// Whether active pairs touch now, and which of them are deep in each other.
template <int D>
void World<D>::Impl::note_touching(std::size_t first, std::size_t last,
                                   std::vector<std::pair<std::uint32_t, std::uint32_t>>& deep_ones) {
  for (std::size_t k = first; k < last; ++k) {
    if (k + kPairsAhead < last) {
      const Pair<D>& soon = pairs[meetings.active_pairs[k + kPairsAhead]];
      math::fetch(&soon, 1), math::fetch(&soon.gap, 1);
    }
    const std::uint32_t i = meetings.active_pairs[k];
    Pair<D>& p = pairs[i];
    if (!p.responds || at_rest(p) || walks(p)) continue;
    const double reach = (p.touching ? world::kLetGo : world::kTouching) * settings.metre;
    const bool before = p.touching;
    // What is about to hit touches when it does, not a step before.
    const bool hits = !before && p.gap > 0 && p.closing > reach * settings.rate;
    const bool bounced = p.impulse > 0 && p.gap > world::kLetGo * settings.metre;  // away from it already
    p.touching = !bounced && (p.impulse > 0 || (p.gap <= reach && !hits));
    p.passed = bounced && !before;
    p.left = before && !p.touching;
    p.squeezed = false;
    if (!p.touching || p.gap >= -world::kLetGo * settings.metre) continue;
    const bool moves_a = objects[p.object_a].shown.body == BodyKind::dynamic,
               moves_b = objects[p.object_b].shown.body == BodyKind::dynamic;
    if (moves_a != moves_b) deep_ones.emplace_back(moves_a ? p.object_a : p.object_b, i);
  }
}

template struct World<2>::Impl;
template struct World<3>::Impl;

}  // namespace colvik
