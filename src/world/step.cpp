// The step: a list of its stages. And what is public about time.
#include <numeric>

#include "math/hash.h"
#include "world/impl.h"

namespace colvik {

template <int D>
void World<D>::step() {
  Impl& w = *impl_;
  w.finished = false;
  w.free_removed();
  w.drive();
  w.push_on_time();
  w.share_velocities();
  w.plan_walks();
  w.update_index();
  w.find_pairs();
  w.wake_touched();
  w.gather_bodies();
  w.make_contacts();
  for (int k = 0; k < w.settings.substeps; ++k) {
    w.begin_substep();
    w.solver.substep();
    w.end_substep();
  }
  w.note_trails();
  w.solver.end();
  w.read_contacts();
  w.scatter_bodies();
  w.walk();
  w.feel_the_rest();
  w.index_stale = true;
  ++w.steps;
  w.make_touches();
  w.make_events(false);
  w.make_pair_events();
  w.fall_asleep();
  w.tell();
  w.watch_bounds();
}

template <int D>
void World<D>::finish() {
  Impl& w = *impl_;
  w.finished = true;
  std::vector<std::uint32_t> all(w.resting.size());
  std::iota(all.begin(), all.end(), 0U);
  w.wake(all);
  w.touches_before.swap(w.touches);
  w.touches.clear();
  for (world::Pair<D>& p : w.pairs) p.touching = false;
  w.make_events(true);
  w.make_pair_events();
  w.tell();
}

// Listeners are told; what they ask for waits until all were, then is applied in the order asked.
template <int D>
void World<D>::Impl::tell() {
  if (listeners.empty()) return;
  World& self = *owner;
  telling = true;
  for (const auto& [token, listener] : listeners) listener(self, events);
  telling = false;
  for (world::Asked& change : asked) change();
  asked.clear();
}

template <int D>
std::span<const Event<D>> World<D>::events() const {
  return impl_->events;
}
template <int D>
bool World<D>::finished() const {
  return impl_->finished;
}
template <int D>
std::uint64_t World<D>::steps() const {
  return impl_->steps;
}
template <int D>
double World<D>::time() const {
  return static_cast<double>(impl_->steps) / impl_->settings.rate;
}

template <int D>
void World<D>::work_with(Workers* workers) {
  impl_->solver.crew().use(workers);
}

template <int D>
std::size_t World<D>::add_listener(Listener listener) {
  const std::size_t token = impl_->next_token++;
  impl_->now_or_later(
      [impl = impl_.get(), token, listener = std::move(listener)] { impl->listeners.emplace_back(token, listener); });
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
  impl_->during.emplace_back(self, other);
}

template <int D>
std::uint64_t World<D>::hash() const {
  const Impl& w = *impl_;
  math::Hasher h;
  const auto add_rotation = [&](const Rotation<D>& r) {
    for (int i = 0; i < D; ++i) h.add(r.axis(i));
  };
  const auto add_numbers = [&](const std::vector<Number>& numbers) {
    for (const Number& n : numbers) h.add(std::string_view(n.name)), h.add(n.value);
  };
  h.add(w.steps);
  add_numbers(w.numbers);
  for (const std::uint32_t slot : w.order) {
    const world::ObjectState<D>& o = w.objects[slot];
    const Object<D>& s = o.shown;
    h.add(s.serial);
    h.add(static_cast<std::uint64_t>(o.life));
    h.add(s.pose.position), h.add(o.rest);
    add_rotation(s.pose.rotation);
    h.add(s.velocity);
    h.add(s.spin);
    h.add(std::uint64_t{s.active} | std::uint64_t{s.going} << 1 | std::uint64_t{s.asleep} << 2);
    h.add(o.still_for);
    if (o.parent != world::kAlone) h.add(w.objects[o.parent].shown.serial), h.add(o.on_root.position);
    h.add(o.force), h.add(o.torque);
    if (o.paused || o.lag > 0) h.add(o.lag), h.add(o.held_velocity), h.add(o.held_spin);
    for (std::size_t i = 0; i < s.tags.size_in_words(); ++i) h.add(s.tags.word(i));
    add_numbers(s.numbers);
    for (const Collider<D>& c : s.colliders) h.add(std::string_view(c.meets.text())), h.add(std::uint64_t{c.def.on});
  }
  for (const world::WalkerState<D>& walker : w.walkers) {
    if (walker.slot == world::kAlone) continue;
    const Walking<D>& now = walker.walking;
    h.add(walker.velocity), h.add(walker.foot), h.add(walker.slid), h.add(now.carried), h.add(now.since),
        h.add(now.wish.velocity);
    h.add(std::uint64_t{now.standing} | std::uint64_t{now.jumping} << 1 | std::uint64_t{walker.wished_jump} << 2 |
          std::uint64_t{now.wish.jump} << 3 | std::uint64_t{now.wish.drop} << 4 | std::uint64_t{now.wish.fly} << 5);
  }
  const auto add_pair = [&](const world::Pair<D>& p) {
    h.add(p.serial_a), h.add(p.serial_b), h.add(std::uint64_t{p.touching});
    for (const world::Kept<D>& k : p.kept)
      h.add(std::uint64_t{k.id}), h.add(k.push), h.add(k.drag), h.add(k.roll), h.add(k.at);
    for (const std::uint32_t piece : p.standing) h.add(std::uint64_t{piece});
    if (p.let_through) h.add(std::uint64_t{1});
    h.add(p.slab.apart);
    for (const contact::Start<D>& from : p.start) {
      h.add(from.normal), h.add(std::uint64_t{from.face_count});
      for (std::size_t i = 0; i < from.corner_count; ++i)
        h.add(std::uint64_t{from.corners[i].a} | std::uint64_t{from.corners[i].b} << 8);
    }
  };
  for (const world::Pair<D>& p : w.pairs) add_pair(p);
  for (const world::Resting<D>& group : w.resting)
    for (const world::Pair<D>& p : group.pairs) add_pair(p);
  for (const world::Pair<D>& p : w.between.pairs) add_pair(p);
  for (const world::Excepted& e : w.excepted)
    h.add(e.serial_a), h.add(e.serial_b), h.add(e.until), h.add(std::uint64_t{e.until_apart});
  return h.value();
}

template class World<2>;
template class World<3>;

}  // namespace colvik
