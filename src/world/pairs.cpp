// Keeps the trees in step with the objects and finds the pairs of colliders worth looking at.
#include <algorithm>
#include <utility>

#include "world/impl.h"

namespace colvik {

using world::ColliderState;
using world::ObjectState;
using world::Pair;

// Where a collider is, and where it may get to within this step.
template <int D>
void World<D>::Impl::put_in_tree(std::uint32_t at) {
  const double dt = 1 / settings.rate, margin = world::kMargin * settings.metre;
  ColliderState<D>& c = colliders[at];
  const world::ObjectState<D>& o = objects[c.object];
  const Object<D>& s = o.shown;
  if (!c.live || !c.on || !s.active) return;
  const bool still_object = s.body == BodyKind::fixed;
  const Pose<D> pose = pose_of(c);
  Bounds<D> now = bounds(shape_of(c), pose);
  if (!still_object) {
    // Along its velocity, gravity added, and round its centre.
    Vec<D> travel = s.velocity * dt;
    if (s.body == BodyKind::dynamic) travel += settings.gravity * (s.gravity_scale * dt * dt);
    const double arm = std::min(o.swing, (pose.position - s.pose * o.shown.mass_centre).norm() + now.size().norm() / 2);
    // What moves far for its size may be sent any way within the step.
    const double far = travel.norm();
    const bool leaps = s.body == BodyKind::dynamic && o.continuous && far > o.thin;
    now = (leaps ? now.grown(far) : now.swept(travel)).grown(std::min(s.spin.norm() * dt, 2.0) * arm);
  }
  if (const std::int32_t walker = objects[o.root].walker; walker >= 0)
    now = now.grown(walkers[static_cast<std::size_t>(walker)].reach);
  index::Tree<D>& tree = still_object ? still : moving;
  if (c.in_tree && tree.bounds(at).contains(now.grown(margin / 2))) return;
  // Padded, so that a slow thing does not trouble the tree every step.
  const Bounds<D> padded = now.grown(still_object ? margin : margin + 0.1 * now.size().maxCoeff());
  if (c.in_tree) tree.move(at, padded);
  else tree.insert(at, padded);
  if (c.in_tree && still_object) ++still_moved;
  c.in_tree = true;
  c.in_still_tree = still_object;
  look(at);
}

// Costs what can move and what was changed; what is still is not looked at.
template <int D>
void World<D>::Impl::update_index() {
  index_stale = false;
  for (std::size_t k = 0, n = to_look.size(); k < n; ++k) put_in_tree(to_look[k]);
  for (std::size_t i = 0; i < movers.size(); ++i) {
    constexpr std::size_t kObjects = 9, kLists = 6, kColliders = 3;  // ahead
    if (i + kObjects < movers.size()) fetch_object(movers[i + kObjects]);
    if (i + kLists < movers.size()) math::fetch(objects[movers[i + kLists]].colliders.data(), 1);
    if (i + kColliders < movers.size())
      for (const std::uint32_t at : objects[movers[i + kColliders]].colliders)
        math::fetch(&colliders[at], sizeof(ColliderState<D>)), moving.fetch(at);
    for (const std::uint32_t at : objects[movers[i]].colliders) put_in_tree(at);
  }
  moving.settle();
  still.settle();
}

// The verdict about two colliders, by their classes, their families and what is excepted.
template <int D>
Verdict World<D>::Impl::admitted(const ColliderState<D>& a, const ColliderState<D>& b) {
  if (a.object == b.object) return {false, Channel::solid, DecidedBy::same_object};
  const world::ObjectState<D>&oa = objects[a.object], &ob = objects[b.object];
  if (oa.root == ob.root && !oa.meets_relatives && !ob.meets_relatives)
    return {false, Channel::solid, DecidedBy::relatives};
  if (!excepted.empty() && is_excepted(a.object, b.object)) return {false, Channel::solid, DecidedBy::excepted};
  return classes.verdict(a.contact_class, b.contact_class);
}

template <int D>
void World<D>::Impl::find_pairs() {
  const auto in_tree = [&](std::uint32_t at) -> const Bounds<D>& {
    return (colliders[at].in_still_tree ? still : moving).bounds(at);
  };
  if (!excepted.empty()) look_at_exceptions();
  std::vector<std::uint32_t> woken;
  // What sleeps has its pairs with it: where a still thing was changed, they must be looked at again.
  if (asleep > 0)
    for (const std::uint32_t at : to_look)
      if (colliders[at].in_tree && colliders[at].in_still_tree) find_holders(at, false, woken);
  wake(woken);
  woken.clear();

  // Part those whose padded bounds no longer overlap, or that may not meet any more. Most have not been stirred: the
  // bits that tell so are at hand, what they tell of is not.
  stirred.resize((colliders.size() + 63) / 64);
  const auto bit = [](std::uint32_t at) { return std::uint64_t{1} << at % 64; };
  for (const std::uint32_t at : to_look) stirred[at / 64] |= bit(at);
  const auto parted = [&](Pair<D>& p) {
    const auto is_stirred = [&](const Pair<D>& q) {
      return ((stirred[q.a / 64] & bit(q.a)) | (stirred[q.b / 64] & bit(q.b))) != 0;
    };
    constexpr std::ptrdiff_t kPairs = 32, kColliders = 12, kBounds = 6;  // ahead
    const std::ptrdiff_t left = pairs.data() + pairs.size() - &p;
    if (kPairs < left) math::fetch(&p + kPairs, 1);
    if (kColliders < left && is_stirred((&p)[kColliders]))
      for (const std::uint32_t at : {(&p)[kColliders].a, (&p)[kColliders].b}) math::fetch(&colliders[at], 1);
    if (kBounds < left && is_stirred((&p)[kBounds]))
      for (const std::uint32_t at : {(&p)[kBounds].a, (&p)[kBounds].b})
        (colliders[at].in_still_tree ? still : moving).fetch_bounds(at);
    if (!std::exchange(p.unsure, false) && !is_stirred(p)) return false;
    const ColliderState<D>&a = colliders[p.a], &b = colliders[p.b];
    const bool parts = a.anew || b.anew || !a.in_tree || !b.in_tree || !in_tree(p.a).overlaps(in_tree(p.b)) ||
                       ((a.changed || b.changed) && !admitted(a, b).meet);
    if (a.reshaped || b.reshaped) p.slab = {};
    // What lay on something that its owner took away falls.
    if (parts && p.responds && p.touching && at_rest(p)) woken.push_back(objects[(rests(p.a) ? a : b).object].resting);
    return parts;
  };
  gone_pairs.clear();
  for (std::size_t i = 0; i < pairs.size(); ++i)
    if (parted(pairs[i])) gone_pairs.push_back(static_cast<std::uint32_t>(i));
  if (!woken.empty()) {  // these bring their own
    world::patch(pairs, gone_pairs, {}, fresh_pairs, staying_pairs);
    gone_pairs.clear();
    wake(woken);
  }

  for (const std::uint32_t at : to_look) {
    ColliderState<D>& c = colliders[at];
    if (c.in_tree) (c.in_still_tree ? still : moving).mark(at);
    c.look_again = c.changed = c.anew = c.reshaped = false;
    stirred[at / 64] = 0;
  }
  to_look.clear();
  overlapping.clear();
  moving.pairs(overlapping);
  moving.pairs(still, overlapping);
  moving.unmark_all();
  still.unmark_all();
  add_pairs();
}

// Of what overlaps what is not known yet and may meet. Looked up in the order of the pairs, so that it is a walk.
template <int D>
void World<D>::Impl::add_pairs() {
  candidates.clear();
  constexpr std::size_t kAhead = 8;
  for (std::size_t i = 0; i < overlapping.size(); ++i) {
    if (i + kAhead < overlapping.size())
      for (const std::uint32_t at : {overlapping[i + kAhead].first, overlapping[i + kAhead].second})
        math::fetch(&colliders[at], 1);
    auto [a, b] = overlapping[i];
    if (colliders[a].serial > colliders[b].serial) std::swap(a, b);
    candidates.push_back({colliders[a].serial, colliders[b].serial, a, b});
  }
  const auto key = [](const auto& x) { return std::pair(x.serial_a, x.serial_b); };
  std::sort(candidates.begin(), candidates.end(), [&](const auto& x, const auto& y) { return key(x) < key(y); });

  const std::size_t known = pairs.size();
  std::size_t at = 0;  // before it all are older
  auto gone = gone_pairs.begin();
  places.clear();
  for (const world::Candidate& c : candidates) {
    std::size_t step = 1;
    while (at + step < known && key(pairs[at + step]) < key(c)) at += step, step *= 2;
    const auto from = pairs.begin() + static_cast<std::ptrdiff_t>(at);
    const auto to = pairs.begin() + static_cast<std::ptrdiff_t>(std::min(at + step, known));
    const auto there =
        std::lower_bound(from, to, c, [&](const Pair<D>& x, const world::Candidate& y) { return key(x) < key(y); });
    at = static_cast<std::size_t>(there - pairs.begin());
    gone = std::find_if(gone, gone_pairs.end(), [&](std::uint32_t i) { return i >= at; });
    const bool is_gone = gone != gone_pairs.end() && *gone == at;
    if (at < known && !is_gone && key(pairs[at]) == key(c)) continue;
    const ColliderState<D>&a = colliders[c.a], &b = colliders[c.b];
    const Verdict verdict = admitted(a, b);
    if (!verdict.meet) continue;
    Pair<D> p;
    p.a = c.a, p.b = c.b, p.object_a = a.object, p.object_b = b.object;
    p.serial_a = c.serial_a, p.serial_b = c.serial_b;
    p.channel = verdict.channel;
    const ObjectState<D>&oa = objects[a.object], &ob = objects[b.object];
    p.responds = p.channel == Channel::solid && oa.root != ob.root &&
                 (oa.shown.body == BodyKind::dynamic || ob.shown.body == BodyKind::dynamic);
    fresh_pairs.push_back(std::move(p));
    places.push_back(static_cast<std::uint32_t>(at));
  }
  world::patch(pairs, gone_pairs, places, fresh_pairs, staying_pairs);
}

template struct World<2>::Impl;
template struct World<3>::Impl;

}  // namespace colvik
