#include "step/sensing.h"

#include <algorithm>

#include "contact/cast.h"
#include "contact/collide.h"
#include "pairs/access.h"
#include "pairs/one_way.h"

namespace colvik::world {

namespace {

template <int D>
Vec<D> velocity_at(const Object<D>& o, const Vec<D>& point) {
  return o.velocity + cross(o.spin, Vec<D>(point - o.pose * o.mass_centre));
}

// The motion of b as seen from a, between two moments.
template <int D>
contact::Course<D> course(const Pose<D>& a0, const Pose<D>& a1, const Pose<D>& b0,
                          const Pose<D>& b1) {
  contact::Course<D> c;
  c.start = a0.relative(b0);
  const Pose<D> end = a1.relative(b1);
  c.move = end.position - c.start.position;
  c.turn = (end.rotation * c.start.rotation.inverse()).to_spin();
  return c;
}

// A touch within one step that is shorter than this part of a substep is none: a graze, or one that
// begins or ends with the step and belongs to the next or the last one.
constexpr double kShortestTouch = 1e-4;

// The motion of an object within a substep.
template <int D>
struct Leg {
  Pose<D> from{};
  Pose<D> to{};
  Vec<D> mass_centre = kZero;
  Vec<D> mean = kZero;  // velocity of the centre of mass
  Vec<D> gain = kZero;  // change of velocity within the substep
  double seconds = 1;

  [[nodiscard]] Pose<D> at(double t) const {
    const Rotation<D> rotation = interpolate<D>(from.rotation, to.rotation, t);
    return {
        from * mass_centre + t * (to * mass_centre - from * mass_centre) - rotation * mass_centre,
        rotation};
  }
  // Of the point of the object that is at `point` in the world then.
  [[nodiscard]] Vec<D> velocity(double t, const Vec<D>& point) const {
    const Spin<D> spin = (to.rotation * from.rotation.inverse()).to_spin() / seconds;
    const Vec<D> centre = from * mass_centre + t * (to * mass_centre - from * mass_centre);
    return mean + gain * (t - 0.5) + cross(spin, Vec<D>(point - centre));
  }
};

template <int D>
Leg<D> leg_of(const Store<D>& store, const CcdStage<D>& ccd, const ObjectState<D>& o, int k) {
  const double seconds = 1 / (store.settings.rate * store.settings.substeps);
  Leg<D> leg;
  leg.from = leg.to = o.shown.pose;
  leg.mass_centre = o.shown.mass_centre;
  leg.seconds = seconds;
  if (o.body == kNoBody) return leg;
  leg.from = pose_at_substep(store, ccd, o, k);
  leg.to = pose_at_substep(store, ccd, o, k + 1);
  leg.mean = (leg.to * leg.mass_centre - leg.from * leg.mass_centre) / seconds;
  const ObjectState<D>& root = store.objects[o.root];
  if (root.shown.body != BodyKind::dynamic) {
    // The velocity that it was given, free of the rounding of its positions.
    const Vec<D>& given = root.velocity_before;
    if ((given - leg.mean).norm() <= 1e-9 * given.norm()) leg.mean = given;
  } else if (root.trail >= 0) {
    leg.gain = store.settings.gravity * root.shown.gravity_scale * seconds;
  } else {
    leg.gain = (root.shown.velocity - root.velocity_before) / store.settings.substeps;
  }
  return leg;
}

// Sets where and how fast the two first touch, `hit` on their courses in substep k.
template <int D>
void note_first_touch(const Store<D>& store, const CcdStage<D>& ccd, Pair<D>& p, int k,
                      const contact::Impact<D>& hit) {
  const ColliderState<D>& ca = store.colliders[p.a];
  const ColliderState<D>& cb = store.colliders[p.b];
  const Leg<D> a = leg_of(store, ccd, store.objects[ca.object], k);
  const Leg<D> b = leg_of(store, ccd, store.objects[cb.object], k);
  const double t = hit.inside ? 0 : hit.t;
  const Pose<D> frame = ca.placed(a.at(t));
  p.normal = frame.rotation * hit.normal;
  p.point = frame * hit.point;
  p.approach = std::max(0.0, -p.normal.dot(b.velocity(t, p.point) - a.velocity(t, p.point)));
}

// The begin of a touch that a walker's own move found: it stops there, so that its velocity at the
// end of the step does not show how fast it arrived. False if there is none.
template <int D>
bool note_walked_touch(const Store<D>& store, const Walkers<D>& walkers, Pair<D>& p) {
  const double start = static_cast<double>(store.steps) / store.settings.rate;
  const WalkTouch<D>* first = nullptr;
  double sign = 1;
  for (const bool turned : {false, true}) {
    const ColliderState<D>& own = store.colliders[turned ? p.b : p.a];
    const ColliderState<D>& other = store.colliders[turned ? p.a : p.b];
    const std::int32_t walker = store.objects[own.object].walker;
    if (walker < 0) continue;
    const Walking<D>& walking = walkers.list[static_cast<std::size_t>(walker)].walking;
    for (const WalkTouch<D>& t : walking.touches)
      if (t.object == store.objects[other.object].shown.id && t.collider == other.which &&
          (first == nullptr || t.time < first->time)) {
        first = &t;
        sign = turned ? 1 : -1;
      }
  }
  if (first == nullptr) return false;
  p.when = std::clamp(first->time - start, 0.0, 1 / store.settings.rate);
  p.normal = sign * first->normal;
  p.point = first->point;
  p.approach = first->speed;
  return true;
}

// What struck a walker, and when in the step: its contact knows, as it stops or leaves again at
// once.
struct Strike {
  double when = -1;
  double approach = 0;
};

template <int D>
Strike take_strike(Pair<D>& p, bool may_begin) {
  const double coming = std::exchange(p.coming, -1);
  if (!may_begin || p.impulse <= 0) return {};
  return {p.when >= 0 ? p.when : std::max(coming, 0.0), p.approach};
}

template <int D>
void begin_struck(Pair<D>& p, const Strike& struck, double let_go) {
  p.touching = p.touching || p.gap <= let_go;
  p.passed = !p.touching;
  p.when = p.when < 0 ? struck.when : std::min(p.when, struck.when);
  if (p.passed) p.until = std::max(p.until, p.when);
  p.approach = std::max(p.approach, struck.approach);
}

// Whether a one-way surface is solid for the other when they first touch within the step.
template <int D>
void meet_one_way(Store<D>& store, CcdStage<D>& ccd, Pair<D>& p, double gap, double reach) {
  p.standing.clear();
  if (!p.passing && find_crossing(store, ccd, p, false, gap <= reach)) {
    const double piece = 1 / (store.settings.rate * store.settings.substeps);
    const int k = std::min(static_cast<int>(p.when / piece), store.settings.substeps - 1);
    const Leg<D> a = leg_of(store, ccd, store.objects[p.object_a], k);
    const Leg<D> b = leg_of(store, ccd, store.objects[p.object_b], k);
    const double t = p.when / piece - k;
    const Pose<D> at_a = a.at(t);
    const Pose<D> at_b = b.at(t);
    const Vec<D> velocity = b.velocity(t, at_a.position) - a.velocity(t, at_b.position);
    p.passing = !holds_one_way(store, p, Crossing<D>{at_a, at_b, 0, velocity});
  }
  if (gap > kLetGo * store.settings.metre) p.passing = false;
}

// How far the two may have come together in the step; `noted` on their trails.
template <int D>
double may_have_closed(const Store<D>& store, const Pair<D>& p, double noted) {
  const ObjectState<D>& oa = store.objects[p.object_a];
  const ObjectState<D>& ob = store.objects[p.object_b];
  const auto moved = [&](const ObjectState<D>& o) {
    return o.body != kNoBody ? Vec<D>(o.shown.pose.position - o.pose_before.position)
                             : Vec<D>(kZero);
  };
  const auto turned = [&](const ObjectState<D>& o) {
    return o.body != kNoBody ? o.shown.spin.norm() * o.turning_radius / store.settings.rate : 0;
  };
  return std::max((moved(oa) - moved(ob)).norm(), noted) + turned(oa) + turned(ob);
}

// As seen at the end of the step.
template <int D>
void note_touch_now(const Store<D>& store, Pair<D>& p, const contact::Separation<D>& s) {
  const Object<D>& a = store.objects[p.object_a].shown;
  const Object<D>& b = store.objects[p.object_b].shown;
  const Pose<D> frame = pose_of(store, store.colliders[p.a]);
  p.normal = frame.rotation * s.normal;
  p.point = frame * Vec<D>(s.has_points ? Vec<D>(0.5 * (s.on_a + s.on_b)) : Vec<D>(kZero));
  const Vec<D> apart = velocity_at(b, p.point) - velocity_at(a, p.point);
  p.approach = std::max(0.0, -p.normal.dot(apart));  // in this order -0 becomes 0
}

// Whether the two go through each other on the solid channel: a one-way surface that does not hold,
// or the back of a surface.
template <int D>
bool passes_through(Store<D>& store, Walkers<D>& walkers, CcdStage<D>& ccd, Pair<D>& p, double gap,
                    double reach, double far) {
  if (p.channel != Channel::solid) return false;
  const bool walked = has_walker(store, walkers, p);  // the walk saw that
  if (has_back(store, p)) {
    if (!walked)
      look_from_behind<D>(store, p, pose_at_substep(store, ccd, store.objects[p.object_a], 0),
                          pose_at_substep(store, ccd, store.objects[p.object_b], 0), reach + far,
                          walkers.manifolds);
    if (p.passing) return true;
  }
  if (!has_one_way(store, p)) return false;
  if (!walked && !p.touching) meet_one_way(store, ccd, p, gap, reach);
  return p.standing.empty();
}

template <int D>
void sense_pair(Store<D>& store, Walkers<D>& walkers, CcdStage<D>& ccd, Pair<D>& p, double noted) {
  const bool walked = has_walker(store, walkers, p);
  const double reach =
      p.channel == Channel::zone ? 0 : (p.touching ? kLetGo : kTouching) * store.settings.metre;
  const double most =
      std::max(store.briefs[p.object_a].distance + store.briefs[p.object_b].distance, noted);
  if (!walked && !p.touching && !p.passing &&
      p.slab.left(displacement_so_far(store, p)) > reach + most) {
    p.passed = p.left = false;
    p.when = p.until = -1;
    return;
  }
  const ColliderState<D>& ca = store.colliders[p.a];
  const ColliderState<D>& cb = store.colliders[p.b];
  const double far = may_have_closed(store, p, noted);
  const double beyond = std::max(reach + 4 * most, far);
  const contact::Separation<D> s =
      contact::nearest(ca.shape, cb.shape, relative_pose(store, ca, cb), beyond);
  const bool before = p.touching;
  const bool passes = passes_through(store, walkers, ccd, p, s.gap, reach, far);
  p.touching = s.gap <= reach && !passes;
  if (walked && before && !p.touching && p.impulse > 0) p.impulse = 0;
  p.passed = false;
  p.left = before && !p.touching;
  const Strike struck = take_strike(p, walked && p.responds && !before);
  p.when = p.until = -1;
  p.gap = s.gap;
  if (p.touching) note_touch_now(store, p, s);
  if (walked && !before && p.touching && note_walked_touch(store, walkers, p)) {
    // The walk knows.
  } else if (before != p.touching) {
    find_crossing(store, ccd, p, before, p.touching);
  } else if (!before && s.gap <= far && !passes) {
    p.passed = find_crossing(store, ccd, p, false, false);
  }
  if (struck.when >= 0) begin_struck(p, struck, kLetGo * store.settings.metre);
  p.slab = p.touching ? Slab<D>{}
                      : separating_slab(store, p, store.objects[p.object_a].shown.pose.rotation, s,
                                        beyond, displacement_so_far(store, p));
  if (!p.responds) p.impulse = 0;
}

}  // namespace

template <int D>
void sense_pairs(Store<D>& store, PairTable<D>& pairs, Walkers<D>& walkers, CcdStage<D>& ccd) {
  // An object that bounces within the step may be back where it was: its whole path counts.
  ccd.trail_lengths.assign(ccd.trailed.size(), 0);
  for (std::size_t i = ccd.trailed.size(); i < ccd.trails.size(); ++i)
    ccd.trail_lengths[i % ccd.trailed.size()] +=
        (ccd.trails[i].position - ccd.trails[i - ccd.trailed.size()].position).norm();
  const auto noted_distance = [&](std::uint32_t slot) {
    const std::int32_t trail = store.objects[store.objects[slot].root].trail;
    return trail >= 0 ? ccd.trail_lengths[static_cast<std::size_t>(trail)] : 0;
  };
  constexpr std::size_t kAhead = 6;  // pairs
  for (std::size_t i = 0; i < pairs.active.size(); ++i) {
    Pair<D>& p = pairs.list[pairs.active[i]];
    if (i + 2 * kAhead < pairs.active.size())
      math::fetch(&pairs.list[pairs.active[i + 2 * kAhead]], 1);
    if (i + kAhead < pairs.active.size())
      if (const Pair<D>& soon = pairs.list[pairs.active[i + kAhead]]; !soon.responds)
        prefetch_pair(store, soon);
    if (std::exchange(p.from_behind, false))
      for (const std::uint32_t at : {p.a, p.b})
        if (store.colliders[at].backed)
          store.objects[store.colliders[at].object].passed_from_behind = true;
    if (p.responds && !has_walker(store, walkers, p)) {
      // What leaves a contact, or began in one, goes as its velocities say, and does not bounce.
      if (p.left || (p.passed && p.when == 0)) find_crossing(store, ccd, p, true, false);
      continue;
    }
    const double noted =
        ccd.trailed.empty() ? 0 : noted_distance(p.object_a) + noted_distance(p.object_b);
    sense_pair(store, walkers, ccd, p, noted);
  }
}

// Where an object was after k of the step's substeps: as noted, or on the curve that begins and
// ends with its velocities.
template <int D>
Pose<D> pose_at_substep(const Store<D>& store, const CcdStage<D>& ccd, const ObjectState<D>& o,
                        int k) {
  if (o.body == kNoBody || k == store.settings.substeps) return o.shown.pose;
  if (k == 0) return o.pose_before;
  if (o.parent != kAlone) return pose_at_substep(store, ccd, store.objects[o.root], k) * o.on_root;
  if (o.trail >= 0)
    return ccd.trails[static_cast<std::size_t>(k) * ccd.trailed.size() +
                      static_cast<std::size_t>(o.trail)];
  const double t = static_cast<double>(k) / store.settings.substeps;
  const double dt = 1 / store.settings.rate;
  const Rotation<D> rotation = interpolate<D>(o.pose_before.rotation, o.shown.pose.rotation, t);
  const Vec<D> from = o.pose_before * o.shown.mass_centre;
  const Vec<D> path = o.shown.pose * o.shown.mass_centre - from;
  Vec<D> centre = from + t * path;
  if (o.shown.body == BodyKind::dynamic) {  // Hermite's cubic
    const double u = 1 - t;
    centre = from + t * t * (3 - 2 * t) * path +
             dt * (t * u * u * o.velocity_before - t * t * u * o.shown.velocity);
  }
  return {centre - rotation * o.shown.mass_centre, rotation};
}

// Searches the step for when they began to touch, and when they parted; true if they touched at
// all.
template <int D>
bool find_crossing(Store<D>& store, CcdStage<D>& ccd, Pair<D>& p, bool before, bool after) {
  const ColliderState<D>& ca = store.colliders[p.a];
  const ColliderState<D>& cb = store.colliders[p.b];
  const ObjectState<D>& oa = store.objects[ca.object];
  const ObjectState<D>& ob = store.objects[cb.object];
  const Pose<D>& own_a = ca.own;
  const Pose<D>& own_b = cb.own;
  const int n = store.settings.substeps;
  const double piece = 1 / (store.settings.rate * n);
  const auto cast_between = [&](int from, int to) {
    return contact::first_touch(ca.shape, cb.shape,
                                course<D>(pose_at_substep(store, ccd, oa, from) * own_a,
                                          pose_at_substep(store, ccd, oa, to) * own_a,
                                          pose_at_substep(store, ccd, ob, from) * own_b,
                                          pose_at_substep(store, ccd, ob, to) * own_b));
  };
  std::optional<contact::Impact<D>> first;
  int substep = 0;
  if (!before) {
    for (int k = 0; k < n && !first; ++k) {
      first = cast_between(k, k + 1);
      substep = k;
    }
    if (!first && !after) return false;
    if (first) p.when = (substep + (first->inside ? 0 : first->t)) * piece;
  }
  if (!after)
    for (int k = n; k > 0 && p.until < 0; --k)
      if (const auto hit = cast_between(k, k - 1))
        p.until = (k - (hit->inside ? 0 : hit->t)) * piece;
  if (!before && !after && p.until - p.when < kShortestTouch * piece) {
    p.when = p.until = -1;
    return false;
  }
  if (first) note_first_touch(store, ccd, p, substep, *first);
  return p.when >= 0;
}

template void sense_pairs(Store<2>& store, PairTable<2>& pairs, Walkers<2>& walkers,
                          CcdStage<2>& ccd);
template void sense_pairs(Store<3>& store, PairTable<3>& pairs, Walkers<3>& walkers,
                          CcdStage<3>& ccd);

}  // namespace colvik::world
