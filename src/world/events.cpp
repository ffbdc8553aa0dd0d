// The step as a list of its stages; events and listeners.
#include <algorithm>
#include <numeric>
#include <stdexcept>
#include <string>

#include "pairs/contact_results.h"
#include "pairs/contacts.h"
#include "step/bodies.h"
#include "step/find_pairs.h"
#include "step/kinematics.h"
#include "step/pair_events.h"
#include "step/sensing.h"
#include "step/timed_pushes.h"
#include "step/touches.h"
#include "store/families.h"
#include "walk/walkers.h"
#include "world/impl.h"

namespace colvik {
namespace {

// The events that listeners read would be overwritten.
void refuse_while(bool notifying, const char* call) {
  if (notifying)
    throw std::logic_error(std::string("colvik: ") + call +
                           " was called by a listener; call it after the step");
}

}  // namespace

template <int D>
void World<D>::step() {
  Impl& w = *impl_;
  refuse_while(w.notifying, "step()");
  w.finished = false;
  world::free_removed(w.store, w.walkers);
  world::drive_kinematics(w);
  world::apply_timed_pushes(w);
  world::copy_root_velocities(w.store);
  world::plan_walks(w);
  world::update_index(w.store, w.broad, w.walkers);
  world::find_pairs(w);
  world::wake_touched(w);
  world::gather_bodies(w.store, w.pairs, w.walkers, w.contacts, w.ccd);
  world::make_contacts(w.store, w.pairs, w.sleepers, w.walkers, w.contacts, w.ccd);
  for (int k = 0; k < w.store.settings.substeps; ++k) {
    world::begin_substep(w.store, w.pairs, w.contacts, w.ccd);
    w.contacts.solver.substep();
    world::end_substep(w.store, w.broad, w.contacts, w.ccd);
  }
  world::record_trails(w.store, w.contacts, w.ccd);
  w.contacts.solver.end();
  world::read_contacts(w.store, w.pairs, w.sleepers, w.walkers, w.contacts);
  world::write_back_bodies(w.store, w.contacts);
  world::stop_lost_bodies(w.store, w.pairs, w.contacts);
  world::move_walkers(w);
  world::sense_pairs(w.store, w.pairs, w.walkers, w.ccd);
  w.broad.stale = true;
  ++w.store.steps;
  world::make_touches(w.store, w.pairs, w.touches);
  world::make_events(w.store, w.touches, w.sleepers, false);
  world::make_pair_events(w.store, w.pairs, w.touches, w.sleepers);
  world::fall_asleep(w, w.contacts);
  w.notify_listeners();
  world::check_bounds(w);
}

template <int D>
void World<D>::finish() {
  Impl& w = *impl_;
  refuse_while(w.notifying, "finish()");
  w.finished = true;
  std::vector<std::uint32_t> all(w.sleepers.groups.size());
  std::iota(all.begin(), all.end(), 0U);
  world::wake_groups(w, all);
  w.touches.before.swap(w.touches.now);
  w.touches.now.clear();
  for (world::Pair<D>& p : w.pairs.list) p.touching = false;
  world::make_events(w.store, w.touches, w.sleepers, true);
  world::make_pair_events(w.store, w.pairs, w.touches, w.sleepers);
  w.notify_listeners();
}

// Notifies the listeners; their requests wait until all were notified, then apply in order.
template <int D>
void World<D>::Impl::notify_listeners() {
  if (listeners.empty()) return;
  World& self = *owner;
  // Also when a listener throws: the changes requested until then apply, and later ones do not
  // wait.
  struct Guard {
    Impl& w;
    ~Guard() {
      w.notifying = false;
      std::vector<world::DeferredChange> changes;
      changes.swap(w.deferred);
      for (world::DeferredChange& change : changes) change();
      changes.clear();
      if (w.deferred.empty()) w.deferred.swap(changes);  // keeps its memory
    }
  } guard{*this};
  notifying = true;
  for (const auto& [token, listener] : listeners) listener(self, this->touches.events);
}

template <int D>
std::span<const Event<D>> World<D>::events() const {
  return impl_->touches.events;
}

template <int D>
bool World<D>::finished() const {
  return impl_->finished;
}

template <int D>
std::uint64_t World<D>::steps() const {
  return impl_->store.steps;
}

template <int D>
double World<D>::time() const {
  return static_cast<double>(impl_->store.steps) / impl_->store.settings.rate;
}

template <int D>
void World<D>::work_with(Workers* workers) {
  impl_->contacts.solver.crew().use(workers);
}

template <int D>
std::size_t World<D>::add_listener(Listener listener) {
  const std::size_t token = impl_->next_token++;
  impl_->now_or_later([impl = impl_.get(), token, listener = std::move(listener)] {
    impl->listeners.emplace_back(token, listener);
  });
  return token;
}

template <int D>
void World<D>::remove_listener(std::size_t token) {
  impl_->now_or_later([impl = impl_.get(), token] {
    std::erase_if(impl->listeners, [token](const auto& l) { return l.first == token; });
  });
}

template <int D>
void World<D>::ask_during(const TagQuery& self, const TagQuery& other) {
  impl_->touches.during.emplace_back(self, other);
}

template <int D>
std::vector<ObjectId> World<D>::touching(ObjectId id, std::optional<Channel> channel) const {
  std::vector<ObjectId> ids;
  const Impl& w = *impl_;
  if (id.slot >= w.store.objects.size() || w.store.objects[id.slot].shown.id != id) return ids;
  const auto scan = [&](const math::Many<world::Touch<D>>& touches) {
    for (const world::Touch<D>& t : touches)
      if ((t.a == id.slot || t.b == id.slot) && channel.value_or(t.channel) == t.channel)
        ids.push_back(w.store.objects[t.a == id.slot ? t.b : t.a].shown.id);
  };
  scan(w.touches.now);
  for (const world::SleepGroup<D>& group : w.sleepers.groups) scan(group.touches);
  scan(w.sleepers.between.touches);
  std::sort(ids.begin(), ids.end(),
            [&](ObjectId x, ObjectId y) { return object(x).serial < object(y).serial; });
  ids.erase(std::unique(ids.begin(), ids.end()), ids.end());
  return ids;
}

template <int D>
void World<D>::step_reported(std::span<const ReportedTouch> touches) {
  Impl& w = *impl_;
  refuse_while(w.notifying, "step_reported()");
  w.finished = false;
  world::free_removed(w.store, w.walkers);
  ++w.store.steps;
  w.touches.events.clear();
  for (const ReportedTouch& t : touches) {
    if (!alive(t.self) || !alive(t.other) || t.self == t.other) continue;
    Event<D> e;
    e.step = w.store.steps;
    e.time = t.time;
    e.phase = t.phase;
    e.channel = t.channel;
    e.why = t.why;
    e.self = t.self;
    e.other = t.other;
    if (object(e.self).serial > object(e.other).serial) std::swap(e.self, e.other);
    e.self_root = object(e.self).root;
    e.other_root = object(e.other).root;
    const auto tags_of = [&](ObjectId id) {
      TagSet tags = object(id).tags;
      for (const Collider<D>& c : object(id).colliders) tags = tags.merged(c.tags);
      return tags;
    };
    e.self_tags = tags_of(e.self);
    e.other_tags = tags_of(e.other);
    e.approach_speed = t.approach_speed;
    e.impulse = t.impulse;
    w.touches.events.push_back(std::move(e));
  }
  w.notify_listeners();
}

template <int D>
void World<D>::ask_pairs(const TagQuery& self, const TagQuery& other) {
  impl_->touches.pair_asks.emplace_back(self, other);
}

template <int D>
std::span<const PairEvent<D>> World<D>::pair_events() const {
  return impl_->touches.pair_events;
}

template <int D>
std::vector<ColliderTouch<D>> World<D>::collider_touches(ObjectId self, ObjectId other) const {
  const Impl& w = *impl_;
  std::vector<ColliderTouch<D>> all;
  const auto scan = [&](const math::Many<world::Pair<D>>& pairs, bool current) {
    for (std::size_t i = 0; i < pairs.size(); ++i) {
      const world::Pair<D>& p = pairs[i];
      if (!p.touching) continue;
      const world::ColliderState<D>& a = w.store.colliders[p.a];
      const world::ColliderState<D>& b = w.store.colliders[p.b];
      const ObjectId ida = w.store.objects[a.object].shown.id;
      const ObjectId idb = w.store.objects[b.object].shown.id;
      const bool turned = ida == other && idb == self;
      if (!turned && !(ida == self && idb == other)) continue;
      ColliderTouch<D> t = world::collider_touch(w.store, p, turned);
      for (std::size_t k = 0; current && k < w.contacts.batch.contacts.size(); ++k)
        if (w.contacts.batch.contact_pairs[k] == i)
          for (int n = 0; n < w.contacts.batch.contacts[k].count; ++n) {
            const dynamics::SolverPoint<D>& point =
                w.contacts.batch.contacts[k].points[static_cast<std::size_t>(n)];
            if (point.total_push <= 0) continue;
            const std::uint32_t body = w.contacts.batch.contacts[k].a;
            const Vec<D> centre = body == world::kNoBody
                                      ? Vec<D>(w.store.objects[a.object].shown.pose *
                                               w.store.objects[a.object].shown.mass_centre)
                                      : w.contacts.bodies[body].centre;
            t.points.push_back(centre + point.arm_a);
          }
      all.push_back(std::move(t));
    }
  };
  scan(w.pairs.list, true);
  for (const world::SleepGroup<D>& group : w.sleepers.groups) scan(group.pairs, false);
  scan(w.sleepers.between.pairs, false);
  std::sort(all.begin(), all.end(), [](const auto& x, const auto& y) {
    return std::tuple(x.self_collider, x.other_collider) <
           std::tuple(y.self_collider, y.other_collider);
  });
  return all;
}

template void World<2>::step();
template void World<3>::step();
template void World<2>::finish();
template void World<3>::finish();
template std::span<const Event<2>> World<2>::events() const;
template std::span<const Event<3>> World<3>::events() const;
template bool World<2>::finished() const;
template bool World<3>::finished() const;
template std::uint64_t World<2>::steps() const;
template std::uint64_t World<3>::steps() const;
template double World<2>::time() const;
template double World<3>::time() const;
template void World<2>::work_with(Workers* workers);
template void World<3>::work_with(Workers* workers);
template std::size_t World<2>::add_listener(Listener listener);
template std::size_t World<3>::add_listener(Listener listener);
template void World<2>::remove_listener(std::size_t token);
template void World<3>::remove_listener(std::size_t token);
template void World<2>::ask_during(const TagQuery& self, const TagQuery& other);
template void World<3>::ask_during(const TagQuery& self, const TagQuery& other);
template std::vector<ObjectId> World<2>::touching(ObjectId id,
                                                  std::optional<Channel> channel) const;
template std::vector<ObjectId> World<3>::touching(ObjectId id,
                                                  std::optional<Channel> channel) const;
template void World<2>::step_reported(std::span<const ReportedTouch> touches);
template void World<3>::step_reported(std::span<const ReportedTouch> touches);
template void World<2>::ask_pairs(const TagQuery& self, const TagQuery& other);
template void World<3>::ask_pairs(const TagQuery& self, const TagQuery& other);
template std::span<const PairEvent<2>> World<2>::pair_events() const;
template std::span<const PairEvent<3>> World<3>::pair_events() const;
template std::vector<ColliderTouch<2>> World<2>::collider_touches(ObjectId self,
                                                                  ObjectId other) const;
template std::vector<ColliderTouch<3>> World<3>::collider_touches(ObjectId self,
                                                                  ObjectId other) const;

}  // namespace colvik
