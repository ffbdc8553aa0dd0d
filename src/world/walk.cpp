// Walkers in a step: what they are asked for before it, and their move when all others have moved.
#include "world/walk.h"

#include <algorithm>
#include <cmath>

#include "world/checks.h"

namespace colvik {

using world::kAlone;
using world::ObjectState;
using world::WalkerState;

std::string_view name_of(WalkSide side) {
  switch (side) {
    case WalkSide::beneath: return "beneath";
    case WalkSide::beside: return "beside";
    default: return "above";
  }
}
double jump_speed(double height, double gravity) { return std::sqrt(2 * std::max(0.0, height) * std::abs(gravity)); }
double jump_speed_of_time(double seconds, double gravity) { return std::max(0.0, seconds) * std::abs(gravity) / 2; }

template <int D>
Result<void> World<D>::Impl::read_walker_queries(WalkerState<D>& state, const Walker<D>& walker) const {
  Result<TagQuery> pushes = TagQuery::parse(walker.pushes, tags), yields = TagQuery::parse(walker.yields_to, tags);
  if (!pushes) return Error{"walker pushes", pushes.error().what, pushes.error().accepted};
  if (!yields) return Error{"walker yields to", yields.error().what, yields.error().accepted};
  state.pushes = pushes.value(), state.yields_to = yields.value();
  return {};
}

template <int D>
void World<D>::Impl::add_walker(ObjectState<D>& o, WalkerState<D> walker) {
  auto at = std::find_if(walkers.begin(), walkers.end(), [](const auto& w) { return w.slot == kAlone; });
  if (at == walkers.end()) at = walkers.insert(walkers.end(), WalkerState<D>{});
  walker.slot = o.shown.id.slot;
  *at = std::move(walker);
  o.walker = static_cast<std::int32_t>(at - walkers.begin());
  o.may_sleep = false;
}

// Wishes that are due, and how far each walker may get within the step.
template <int D>
void World<D>::Impl::plan_walks() {
  if (walkers.empty()) return;
  const double dt = 1 / settings.rate, now = static_cast<double>(steps) / settings.rate + 1e-9;
  for (WalkerState<D>& w : walkers) {
    if (w.slot == kAlone) continue;
    ObjectState<D>& o = objects[w.slot];
    if (!o.shown.active || o.life != world::Life::live) continue;
    for (const TimedWish<D>& t : w.wishes)
      if (t.at <= now && t.at > now - dt) w.walking.wish = t.wish;
    const Walker<D>& can = *o.shown.walker;
    const double fast = w.velocity.norm() + w.walking.carried.norm() +
                        std::max(can.speed, w.walking.wish.velocity.norm()) + can.jump_speed;
    double carried = w.flow;
    if (const ObjectState<D>* on = w.walking.standing ? state(w.walking.on) : nullptr)
      carried +=
          on->shown.velocity.norm() + on->shown.spin.norm() * (o.shown.pose.position - on->shown.pose.position).norm();
    w.reach = (fast + carried) * dt + 2 * settings.gravity.norm() * std::abs(o.shown.gravity_scale) * dt * dt +
              2 * can.step + 0.05 * settings.metre;
    if (D == 2 && can.mirrors && !w.walking.wish.velocity.isZero(0)) {
      const double ahead = w.walking.wish.velocity.dot(o.shown.pose.rotation.axis(0));
      if (ahead != 0 && (ahead < 0) != o.shown.mirrored) set_mirrored(o, ahead < 0);
    }
  }
}

// It leaves the ground with that velocity, whatever carried it.
template <int D>
void World<D>::Impl::throw_walker(ObjectState<D>& o, const Vec<D>& velocity) {
  WalkerState<D>& w = walkers[static_cast<std::size_t>(o.walker)];
  w.velocity = velocity;
  w.walking.carried.setZero(), w.walking.normal.setZero();
  if (std::exchange(w.walking.standing, false)) {
    w.walking.since = static_cast<double>(steps) / settings.rate;
    w.walking.highest = w.last_up.dot(o.shown.pose.position);
  }
}

// Where it is, and it no longer wants to go anywhere.
template <int D>
void World<D>::Impl::stop_walker(ObjectState<D>& o) {
  WalkerState<D>& w = walkers[static_cast<std::size_t>(o.walker)];
  w.velocity.setZero();
  w.walking.wish = {};
}

// What stands on a carrier that enters again elsewhere goes with it.
template <int D>
void World<D>::Impl::take_riders(const ObjectState<D>& carrier, const Vec<D>& jump) {
  for (const WalkerState<D>& w : walkers) {
    if (w.slot == kAlone || !w.walking.standing) continue;
    const ObjectState<D>* on = state(w.walking.on);
    if (on == nullptr || on->root != carrier.shown.id.slot) continue;
    ObjectState<D>& o = objects[w.slot];
    put(o, o.place().moved(jump));
    for_family(o, [](ObjectState<D>& member) { member.changes.teleported = true; });
    something_changed = true;
    place_family(o);
  }
}

// It rides on the other one, is pushed by it, or a one-way surface lets it through: the solver has no part in that.
template <int D>
bool World<D>::Impl::carries_walker(const world::Pair<D>& p) const {
  const auto carries = [&](std::uint32_t walker, std::uint32_t other) {
    const ObjectState<D>& o = objects[colliders[walker].object];
    if (o.walker < 0) return false;
    const WalkerState<D>& w = walkers[static_cast<std::size_t>(o.walker)];
    const world::ColliderState<D>& c = colliders[other];
    const ObjectState<D>& body = objects[c.object];
    return (w.walking.standing && w.walking.on == body.shown.id) ||
           w.yields_to.matches(body.shown.colliders[c.which].tags);
  };
  return carries(p.a, p.b) || carries(p.b, p.a);
}

template <int D>
void World<D>::Impl::walk() {
  if (walkers.empty()) return;
  std::vector<std::vector<world::Pair<D>*>>& near = walk_pairs;
  near.resize(walkers.size());
  for (std::vector<world::Pair<D>*>& list : near) list.clear();
  for (world::Pair<D>& p : pairs) {
    for (const std::uint32_t at : {p.a, p.b})
      if (const std::int32_t walker = objects[objects[colliders[at].object].root].walker; walker >= 0)
        near[static_cast<std::size_t>(walker)].push_back(&p);
  }
  has_walked.assign(walkers.size(), false);
  const auto go = [&](std::uint32_t slot, const auto& go_on) -> void {
    ObjectState<D>& o = objects[slot];
    if (o.walker < 0 || !o.shown.active || o.parent != kAlone) return;
    const auto i = static_cast<std::size_t>(o.walker);
    if (has_walked[i]) return;
    has_walked[i] = true;
    // Who stands on another one goes after it.
    if (const ObjectState<D>* on = walkers[i].walking.standing ? state(walkers[i].walking.on) : nullptr)
      go_on(on->root, go_on);
    world::Walk<D>(*this, o, walkers[i], near[i]).run();
    for_family(o, [&](ObjectState<D>& member) {
      if (&member == &o) return;
      member.pose_before = member.shown.pose;
      follow(member);
    });
  };
  for (const std::uint32_t slot : movers) go(slot, go);
  // Last, as it may wake what sleeps, and its pairs.
  for (const world::WalkPush<D>& p : walk_pushes) {
    ObjectState<D>& o = objects[p.slot];
    if (p.gain <= 0) {
      push(o.shown.id, p.weight, Spin<D>::Zero(), p.point, false);
      continue;
    }
    const double gain = std::min(p.gain, p.speed - p.along.dot(o.shown.velocity));
    if (gain <= 0) continue;
    disturb(o);
    for (int i = 0; i < D; ++i)
      if (!o.locked_axes[static_cast<std::size_t>(i)]) o.shown.velocity[i] += gain * p.along[i];
  }
  walk_pushes.clear();
}

template <int D>
bool World<D>::wish(ObjectId id, const Wish<D>& wish) {
  const ObjectState<D>* o = impl_->state(id);
  if (o == nullptr || o->walker < 0) return false;
  if (!world::within(wish.velocity, world::kFastest * impl_->settings.metre)) return false;
  return impl_->change(id, [this, wish](ObjectState<D>& now) {
    if (now.walker >= 0) impl_->walkers[static_cast<std::size_t>(now.walker)].walking.wish = wish;
  });
}

template <int D>
const Walking<D>* World<D>::walking(ObjectId id) const {
  const ObjectState<D>* o = impl_->state(id);
  return o != nullptr && o->walker >= 0 ? &impl_->walkers[static_cast<std::size_t>(o->walker)].walking : nullptr;
}

template <int D>
bool World<D>::drop_through(ObjectId id) {
  return impl_->change(id, [this](ObjectState<D>& o) {
    impl_->disturb(o);
    const auto mine = [&](std::uint32_t at) { return impl_->colliders[at].object == o.shown.id.slot; };
    for (world::Pair<D>& p : impl_->pairs)
      if ((mine(p.a) || mine(p.b)) && !p.standing.empty()) p.standing.clear(), p.let_through = true;
  });
}

template struct World<2>::Impl;
template struct World<3>::Impl;
template bool World<2>::wish(ObjectId, const Wish<2>&);
template bool World<3>::wish(ObjectId, const Wish<3>&);
template const Walking<2>* World<2>::walking(ObjectId) const;
template const Walking<3>* World<3>::walking(ObjectId) const;
template bool World<2>::drop_through(ObjectId);
template bool World<3>::drop_through(ObjectId);

}  // namespace colvik
