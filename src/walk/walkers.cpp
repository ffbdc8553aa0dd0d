#include "walk/walkers.h"

#include <algorithm>
#include <cmath>

#include "change/mirror.h"
#include "change/pushes.h"
#include "pairs/index.h"
#include "sleep/sleep.h"
#include "store/access.h"
#include "store/families.h"
#include "store/objects.h"
#include "walk/walk.h"

namespace colvik {

std::string_view name_of(WalkSide side) {
  switch (side) {
    case WalkSide::beneath: return "beneath";
    case WalkSide::beside: return "beside";
    default: return "above";
  }
}

double jump_speed(double height, double gravity) {
  return std::sqrt(2 * std::max(0.0, height) * std::abs(gravity));
}

double jump_speed_of_time(double seconds, double gravity) {
  return std::max(0.0, seconds) * std::abs(gravity) / 2;
}

namespace world {

template <int D>
void plan_walks(Model<D>& model) {
  Store<D>& store = model.store;
  Walkers<D>& walkers = model.walkers;
  if (walkers.list.empty()) return;
  const double dt = 1 / store.settings.rate;
  const double now = static_cast<double>(store.steps) / store.settings.rate + 1e-9;
  for (WalkerState<D>& w : walkers.list) {
    if (w.slot == kAlone) continue;
    ObjectState<D>& o = store.objects[w.slot];
    if (!o.shown.active || o.life != Life::live) continue;
    for (const TimedWish<D>& t : w.wishes)
      if (t.at <= now && t.at > now - dt) w.walking.wish = t.wish;
    const Walker<D>& can = *o.shown.walker;
    const double fast = w.velocity.norm() + w.walking.carried.norm() +
                        std::max(can.speed, w.walking.wish.velocity.norm()) + can.jump_speed;
    double carried = w.flow;
    if (const ObjectState<D>* on = w.walking.standing ? find_state(store, w.walking.on) : nullptr)
      carried += on->shown.velocity.norm() +
                 on->shown.spin.norm() * (o.shown.pose.position - on->shown.pose.position).norm();
    w.reach = (fast + carried) * dt +
              2 * store.settings.gravity.norm() * std::abs(o.shown.gravity_scale) * dt * dt +
              2 * can.step + 0.05 * store.settings.metre;
    if (D == 2 && can.mirrors && !w.walking.wish.velocity.isZero(0)) {
      const double ahead = w.walking.wish.velocity.dot(o.shown.pose.rotation.axis(0));
      if (ahead != 0 && (ahead < 0) != o.shown.mirrored) turn_round(model, o, ahead < 0);
    }
  }
}

template <int D>
void move_walkers(Model<D>& model) {
  Store<D>& store = model.store;
  PairTable<D>& pairs = model.pairs;
  Walkers<D>& walkers = model.walkers;
  if (walkers.list.empty()) return;
  std::vector<std::vector<Pair<D>*>>& near = walkers.pairs;
  near.resize(walkers.list.size());
  for (std::vector<Pair<D>*>& list : near) list.clear();
  for (Pair<D>& p : pairs.list) {
    for (const std::uint32_t at : {p.a, p.b})
      if (const std::int32_t walker =
              store.objects[store.objects[store.colliders[at].object].root].walker;
          walker >= 0)
        near[static_cast<std::size_t>(walker)].push_back(&p);
  }
  walkers.has_moved.assign(walkers.list.size(), false);
  const auto go = [&](std::uint32_t slot, const auto& go_on) -> void {
    ObjectState<D>& o = store.objects[slot];
    if (o.walker < 0 || !o.shown.active || o.parent != kAlone) return;
    const auto i = static_cast<std::size_t>(o.walker);
    if (walkers.has_moved[i]) return;
    walkers.has_moved[i] = true;
    // Who stands on another one goes after it.
    if (const ObjectState<D>* on = walkers.list[i].walking.standing
                                       ? find_state(store, walkers.list[i].walking.on)
                                       : nullptr)
      go_on(on->root, go_on);
    Walk<D>(store, walkers, o, walkers.list[i], near[i]).run();
    for_family(store, o, [&](ObjectState<D>& member) {
      if (&member == &o) return;
      member.pose_before = member.shown.pose;
      follow_root(store, member);
    });
  };
  for (const std::uint32_t slot : store.movers) go(slot, go);
  // Last, as it may wake what sleeps, and its pairs.
  for (const WalkPush<D>& p : walkers.pushes) {
    ObjectState<D>& o = store.objects[p.slot];
    if (p.gain <= 0) {
      const Spin<D> no_spin = kZero;
      const std::optional<Vec<D>> at = p.point;
      if (may_push(store, o, p.weight, no_spin, at))
        push_body(model, o, p.weight, no_spin, at, false);
      continue;
    }
    WalkerState<D>& w = walkers.list[p.walker];
    const double speed = p.along.dot(o.shown.velocity);
    // What friction took since the last push it takes in the next step too: half of it more keeps
    // the mean at the walker's speed, but never above its top speed.
    const double lost = w.pushed == p.slot ? w.pushed_to - speed : 0;
    const double top = std::max(p.speed, store.objects[w.slot].shown.walker->speed);
    const double aim = std::min(p.speed + std::clamp(lost, 0.0, p.gain) / 2, top);
    const double gain = std::min(p.gain, aim - speed);
    w.pushed = p.slot;
    w.pushed_to = speed + std::max(gain, 0.0);
    if (gain <= 0) continue;
    disturb(model, o);
    for (int i = 0; i < D; ++i)
      if (!o.locked_axes[static_cast<std::size_t>(i)]) o.shown.velocity[i] += gain * p.along[i];
  }
  walkers.pushes.clear();
}

template <int D>
void carry_riders(Store<D>& store, BroadPhase<D>& broad, Walkers<D>& walkers,
                  const ObjectState<D>& carrier, const Vec<D>& jump) {
  for (const WalkerState<D>& w : walkers.list) {
    if (w.slot == kAlone || !w.walking.standing) continue;
    const ObjectState<D>* on = find_state(store, w.walking.on);
    if (on == nullptr || on->root != carrier.shown.id.slot) continue;
    ObjectState<D>& o = store.objects[w.slot];
    move_object(store, o, o.place().moved(jump));
    for_family(store, o, [](ObjectState<D>& member) { member.changes.teleported = true; });
    store.causes_noted = true;
    place_family(store, broad, o);
  }
}

template void plan_walks(Model<2>& model);
template void plan_walks(Model<3>& model);
template void move_walkers(Model<2>& model);
template void move_walkers(Model<3>& model);
template void carry_riders(Store<2>& store, BroadPhase<2>& broad, Walkers<2>& walkers,
                           const ObjectState<2>& carrier, const Vec<2>& jump);
template void carry_riders(Store<3>& store, BroadPhase<3>& broad, Walkers<3>& walkers,
                           const ObjectState<3>& carrier, const Vec<3>& jump);

}  // namespace world
}  // namespace colvik
