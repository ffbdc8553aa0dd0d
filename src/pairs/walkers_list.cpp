#include "pairs/walkers_list.h"

#include <algorithm>
#include <utility>

namespace colvik::world {

template <int D>
Result<void> compile_walker_queries(const Store<D>& store, WalkerState<D>& state,
                                    const Walker<D>& walker) {
  Result<TagQuery> pushes = TagQuery::parse(walker.pushes, store.tags);
  Result<TagQuery> yields = TagQuery::parse(walker.yields_to, store.tags);
  if (!pushes) return Error{"walker pushes", pushes.error().what, pushes.error().accepted};
  if (!yields) return Error{"walker yields to", yields.error().what, yields.error().accepted};
  state.pushes = pushes.value();
  state.yields_to = yields.value();
  return {};
}

template <int D>
void add_walker(Walkers<D>& walkers, ObjectState<D>& o, WalkerState<D> walker) {
  auto at = std::find_if(walkers.list.begin(), walkers.list.end(),
                         [](const auto& w) { return w.slot == kAlone; });
  if (at == walkers.list.end()) at = walkers.list.insert(walkers.list.end(), WalkerState<D>{});
  walker.slot = o.shown.id.slot;
  *at = std::move(walker);
  o.walker = static_cast<std::int32_t>(at - walkers.list.begin());
  o.may_sleep = false;
}

template <int D>
void launch_walker(Store<D>& store, Walkers<D>& walkers, ObjectState<D>& o,
                   const Vec<D>& velocity) {
  WalkerState<D>& w = walkers.list[static_cast<std::size_t>(o.walker)];
  w.velocity = velocity;
  w.walking.carried.setZero();
  w.walking.normal.setZero();
  if (std::exchange(w.walking.standing, false)) {
    w.walking.since = static_cast<double>(store.steps) / store.settings.rate;
    w.walking.highest = w.last_up.dot(o.shown.pose.position);
  }
}

template <int D>
void stop_walker(Walkers<D>& walkers, ObjectState<D>& o) {
  WalkerState<D>& w = walkers.list[static_cast<std::size_t>(o.walker)];
  w.velocity.setZero();
  w.walking.wish = {};
}

template Result<void> compile_walker_queries(const Store<2>& store, WalkerState<2>& state,
                                             const Walker<2>& walker);
template Result<void> compile_walker_queries(const Store<3>& store, WalkerState<3>& state,
                                             const Walker<3>& walker);
template void add_walker(Walkers<2>& walkers, ObjectState<2>& o, WalkerState<2> walker);
template void add_walker(Walkers<3>& walkers, ObjectState<3>& o, WalkerState<3> walker);
template void launch_walker(Store<2>& store, Walkers<2>& walkers, ObjectState<2>& o,
                            const Vec<2>& velocity);
template void launch_walker(Store<3>& store, Walkers<3>& walkers, ObjectState<3>& o,
                            const Vec<3>& velocity);
template void stop_walker(Walkers<2>& walkers, ObjectState<2>& o);
template void stop_walker(Walkers<3>& walkers, ObjectState<3>& o);

}  // namespace colvik::world
